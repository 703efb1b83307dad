"""The card of a batch: what each display should show stage by stage, in its own wrong numbers, and its days."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, timedelta
from itertools import groupby

from stathmis.core.course.profile import Band
from stathmis.services import rounds
from stathmis.services.batch.course import Course
from stathmis.services.book import Book
from stathmis.services.clock import DAY_MS, at_hour, local
from stathmis.services.on_paper import columns
from stathmis.services.on_paper.columns import Column
from stathmis.services.plan import planning, tasks
from stathmis.services.plan.turning import SIDES, turning
from stathmis.services.rounds import Line

EVENING_H = 21.0
"""By now the last turn of a day is done. Source: common practice."""


@dataclass(frozen=True)
class Stage:
    """A stretch in which the same is asked: the first and the last of its phases, from when to when (UTC ms), °C, %."""

    phases: tuple[str, str]
    start_ms: int
    stop_ms: int
    temperature_c: Band
    humidity: Band | None


@dataclass(frozen=True)
class Day:
    """A day of the calendar: the mark that is up in the evening (empty: not turned by hand), and what is to be done."""

    date: date
    day: str
    side: str
    steps: tuple[str, ...]


@dataclass(frozen=True)
class Card:
    """A batch's card. shown: what every display shows in each stage (its own unit), None where it cannot tell."""

    course: Course
    written_ms: int
    hatch_ms: int
    stages: tuple[Stage, ...]
    shown: tuple[tuple[Line, tuple[tuple[float, float] | None, ...]], ...]
    days: tuple[Day, ...]
    columns: tuple[Column, ...]


def card(book: Book, course: Course) -> Card:
    """The card of a running batch, from now on."""
    now = book.now_ms
    stages = _stages(course, now)
    lines = [c.line for c in columns.columns(book, [course.incubator])]
    shown = []
    for line in lines:
        humid = line.channel.quantity == "humidity"
        asked = [s.humidity if humid else s.temperature_c for s in stages]
        shown.append((line, tuple(rounds.should_show(line, band) for band in asked)))
    hatch = course.at_ms(course.species.days)
    return Card(course, now, hatch, stages, tuple(shown), _days(book, course), columns.of_card(book, course.incubator))


def _stages(course: Course, now: int) -> tuple[Stage, ...]:
    """What is still asked from now on, stretch by stretch; neighbours that ask the same are one."""
    left = [p for p in course.phases if course.at_ms(p.end_day) > now and p.start_day < p.end_day]
    made = []
    for (heat, moist), same in groupby(left, key=lambda p: (p.temperature_c, p.humidity)):
        run = list(same)
        start, stop = course.at_ms(run[0].start_day), course.at_ms(run[-1].end_day)
        made.append(Stage((run[0].name, run[-1].name), start, stop, heat, moist))
    return tuple(made)


def _days(book: Book, course: Course) -> tuple[Day, ...]:
    now, zone = book.now_ms, book.zone
    plan = planning.plan_of(book, course.batch)
    first = local(now, zone).date()
    wanted: dict[date, list[str]] = {}
    for task in tasks.tasks_of(book, plan):
        if task.state == "open" and now <= task.latest_ms + tasks.FORGOTTEN_MS:
            # what is overdue is for today
            wanted.setdefault(max(first, local(task.due_ms, zone).date()), []).append(task.title)
    sides = _sides(book, course)
    last = max(local(max(now, plan.end_ms), zone).date(), *wanted, first)
    found = []
    for i in range((last - first).days + 1):
        at = first + timedelta(days=i)
        # by the middle of its day: the day's number may change within it
        day = course.day_words(course.day(at_hour(now, 12.0, zone, later=i)))
        found.append(Day(at, day, sides.get(at, ""), tuple(wanted.get(at, ()))))
    return tuple(found)


def _sides(book: Book, course: Course) -> dict[date, str]:
    """The mark that is up in the evening, day by day, where eggs are turned by hand as often as is meant."""
    state = turning(book, course)
    if course.way.turning != "by hand" or state.never or state.stop_ms is None:
        return {}
    side = SIDES.index(state.side) if state.side in SIDES else 1
    found: dict[date, str] = {}
    left = max(0, course.way.turns_a_day - state.today)
    for i in range(round((state.stop_ms - book.now_ms) / DAY_MS) + 2):
        evening = at_hour(book.now_ms, EVENING_H, book.zone, later=i)
        if state.over(evening):
            break
        side = (side + (left if i == 0 else course.way.turns_a_day)) % 2
        found[local(evening, book.zone).date()] = SIDES[side]
    return found
