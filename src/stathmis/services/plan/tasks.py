"""Today's tasks: what the plans ask for and what is done every day, with why, how and caution; done or skipped."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, replace
from math import exp
from typing import TYPE_CHECKING, Any, Literal

from stathmis.core.course.way import Way
from stathmis.core.errors import UserError
from stathmis.core.uncertainty import NORMAL_95
from stathmis.core.units import from_inside
from stathmis.logbook.records import EggFinding, Event, Incubator, TaskMark, Weighing
from stathmis.services import knowledge
from stathmis.services.batch import batches
from stathmis.services.batch.course import Course
from stathmis.services.book import Book, TemperatureUnit, finding
from stathmis.services.clock import DAY_MS, HOUR_MS
from stathmis.services.desk import Desk
from stathmis.services.plan import turning
from stathmis.services.plan.planning import PLANS_REST_ON, Plan, PlannedStep, plans
from stathmis.words import dates
from stathmis.words import turning as turning_words
from stathmis.words.catalogue import _, as_number, begun, within
from stathmis.words.plan import tasks as say

if TYPE_CHECKING:
    from stathmis.services.findings.ahead import Ahead
    from stathmis.services.findings.box import BoxSheet

State = Literal["open", "done", "skipped"]
AHEAD_MS = 18 * HOUR_MS
"""A task is shown so long before it is due."""
FORGOTTEN_MS = 3 * DAY_MS
"""An overdue task is shown so long after its window has closed."""
MILESTONES = ("hatch", "latest")
"""Days that come by themselves: nothing is to be done but to know of them."""
CANDLED = ("alive", "clear", "early dead", "doubtful", "late dead", "slug")
"""Source: common practice (15 min twice, or up to an hour once, late in the term)."""


@dataclass(frozen=True)
class Task:
    """Something to do. due, earliest, latest: UTC ms; daily: it comes again tomorrow."""

    subject: str
    step: str
    title: str
    about: str
    incubator: Incubator
    why: str
    how: str
    caution: str
    due_ms: int
    earliest_ms: int
    latest_ms: int
    state: State
    note: str = ""
    daily: bool = False

    def overdue(self, at_ms: int) -> bool:
        """Whether its window has closed and it was neither done nor skipped."""
        return self.state == "open" and at_ms > self.latest_ms


def marks(book: Book) -> dict[tuple[str, str], TaskMark]:
    """The newest mark of every step."""
    return {(m.subject, m.step): m for m in sorted(book.records(TaskMark), key=lambda m: m.id)}


def tasks_of(book: Book, plan: Plan, known: dict[tuple[str, str], TaskMark] | None = None) -> list[Task]:
    """All tasks of a plan, in order of time."""
    found = marks(book) if known is None else known
    own = plan.batch.id if plan.batch is not None else -1
    seen = {
        "weigh": [w.time_ms for w in book.records(Weighing) if w.batch_id == own],
        "candle": [f.time_ms for f in book.records(EggFinding) if f.batch_id == own and f.kind in CANDLED],
    }
    made = []
    for step in plan.steps:
        mark = found.get((plan.subject, step.key))
        if plan.batch is not None and step.at_ms < plan.set_ms and mark is None:
            # what prepares for setting is over once the eggs are in
            continue
        task = _task(plan, step, mark, book.temperature_unit)
        # what was logged at the eggs themselves needs no tick
        if any(step.earliest_ms <= t <= max(step.latest_ms, step.at_ms) for t in seen.get(step.kind, ())):
            task = replace(task, state="done")
        made.append(task)
    return made


def in_unit(text: str, unit: TemperatureUnit) -> str:
    """A text with its temperatures ("{35}", in °C) in the unit in use."""
    return re.sub(r"\{(\d+)\}", lambda m: f"{from_inside(float(m[1]), unit):.0f} {unit}", text)


def _task(plan: Plan, step: PlannedStep, mark: TaskMark | None, unit: TemperatureUnit) -> Task:
    text = knowledge.tasks(plan.species.kind)[step.kind]
    how = in_unit(text.how, unit)
    if step.kind == "turner":
        how = f"{turning_words.machine(plan.way)} {how}".strip()
    state: State = mark.state if mark is not None else "open"
    if step.key == "set" and plan.batch is not None:
        state = "done"
    return Task(
        plan.subject,
        step.key,
        text.title,
        f"{plan.name}, {plan.way.box}" if plan.way.box else plan.name,
        plan.incubator,
        text.why,
        how,
        text.caution,
        step.at_ms,
        min(step.earliest_ms, step.at_ms),
        max(step.latest_ms, step.at_ms),
        state,
        mark.why if mark is not None else "",
    )


def today(book: Book, at_ms: int | None = None) -> list[Task]:
    """What is to be done now in all machines, in walking order, and what was done today; overdue ones included.

    Milestones are told on their day. A task whose window closed long ago is left out.
    """
    return list(_today(book, at_ms, book.temperature_unit))


TASKS_REST_ON = (*PLANS_REST_ON, TaskMark, Event, Weighing, EggFinding)


@finding(*TASKS_REST_ON, each_minute=True)
def _today(book: Book, at_ms: int | None, _unit: str) -> tuple[Task, ...]:
    now = book.now_ms if at_ms is None else at_ms
    known = marks(book)
    order = {incubator.id: i for i, incubator in enumerate(book.incubators())}
    found: list[Task] = []
    planned = plans(book)
    for plan in planned:
        steps = _in_hand(tasks_of(book, plan, known), known, now)
        # of two alike in hand at once the earlier has been overtaken
        found += [t for i, t in enumerate(steps) if not any(_kind(t) == _kind(u) for u in steps[i + 1 :])]
    for incubator in book.incubators():
        for course in batches.all_running(book, incubator):
            own = next((p for p in planned if p.batch is not None and p.batch.id == course.batch.id), None)
            if own is not None:
                found += daily(book, course, own, known, now)
    return tuple(sorted(found, key=lambda t: (order[t.incubator.id], t.state != "open", t.due_ms, t.step)))


def coming(book: Book, days: float) -> list[Task]:
    """What the plans ask for in the next days beyond what is in hand already, the soonest first, milestones too."""
    return [t for t in _coming(book, book.temperature_unit) if t.due_ms <= book.now_ms + days * DAY_MS]


@finding(*TASKS_REST_ON, each_minute=True)
def _coming(book: Book, _unit: str) -> tuple[Task, ...]:
    known, in_hand = marks(book), {(t.subject, t.step) for t in today(book)}
    found = [t for plan in plans(book) for t in tasks_of(book, plan, known) if t.state == "open"]
    ahead = (t for t in found if t.due_ms > book.now_ms and (t.subject, t.step) not in in_hand)
    return tuple(sorted(ahead, key=lambda t: (t.due_ms, t.incubator.id)))


def _kind(task: Task) -> str:
    return task.step.rstrip("0123456789 ")


def _in_hand(tasks: Sequence[Task], known: dict[tuple[str, str], TaskMark], now: int) -> list[Task]:
    kept = []
    for task in tasks:
        if task.state == "open":
            shown = task.due_ms - AHEAD_MS <= now <= task.latest_ms + FORGOTTEN_MS
            if task.step in MILESTONES:
                shown = abs(now - task.due_ms) <= AHEAD_MS
        else:
            mark = known.get((task.subject, task.step))
            shown = mark is not None and 0 <= now - mark.at_ms <= AHEAD_MS
        if shown:
            kept.append(task)
    return kept


def daily(book: Book, course: Course, plan: Plan, known: dict[tuple[str, str], TaskMark], now: int) -> list[Task]:
    """What a running batch wants every day: turning by hand, cooling."""
    found = []
    if course.day(now) < 0:
        return []
    events = batches.events_along(book, course, course.batch.set_ms, now)
    if plan.way.turning == "by hand":
        state = turning.turning(book, course, events)
        due = turning.next_turn_ms(state, now, book.zone)
        if due is not None and due - now < AHEAD_MS:
            title = say.TURN_THE_EGGS_SHOW_NEXT(next_side=state.next_side)
            found.append(_daily(plan, "turn", title, due, due + 3 * HOUR_MS, known))
    if course.cooled(now) and plan.way.cooling != "by machine":
        cooled = [e.time_ms for e in events if e.kind == "cool"]
        due = max(now, course.batch.set_ms) if not cooled else cooled[-1] + round(plan.way.cool_every_h * HOUR_MS)
        if due - now < AHEAD_MS:
            title = f"{knowledge.tasks()['cool'].title}: {as_number(plan.way.cool_minutes, 'g')} min"
            latest = due + round(0.4 * plan.way.cool_every_h * HOUR_MS)
            found.append(_daily(plan, "cool", title, due, latest, known))
    return found


def _daily(plan: Plan, key: str, title: str, due: int, latest: int, known: dict[tuple[str, str], TaskMark]) -> Task:
    text = knowledge.tasks()[key]
    step = f"{key} {due // HOUR_MS}"
    mark = known.get((plan.subject, step))
    state: State = mark.state if mark is not None else "open"
    parts: dict[str, Any] = {"why": text.why, "how": text.how, "caution": text.caution}
    return Task(
        plan.subject,
        step,
        title,
        plan.name,
        plan.incubator,
        **parts,
        due_ms=due,
        earliest_ms=due - 2 * HOUR_MS,
        latest_ms=latest,
        state=state,
        daily=True,
    )


EVENING_H, MORNING_H = 21.0, 7.0
"""Water that would run dry between these hours is filled up before. Source: common practice."""


def refill(book: Book, box: BoxSheet, found: Ahead | None = None) -> Task | None:
    """The next refill, before the water is low and before a night in which it would be; None where that is not known,
    or far off. found: what comes, which knows how the water goes; else how long a filling lasts here."""
    if box.filled_ms is None:
        return None
    if found is not None and found.dry is not None:
        due, latest = found.dry.soonest_ms, found.dry.at_ms
    elif found is None and box.lasts is not None:
        hours, u = box.lasts
        due = box.filled_ms + round(hours * exp(-NORMAL_95 * u) * HOUR_MS)
        latest = box.filled_ms + round(hours * HOUR_MS)
    else:
        return None
    if due - box.at_ms <= AHEAD_MS + DAY_MS:
        # water that goes as good as not at all lasts beyond every calendar
        due = min(due, _evening_before(book, due))
    if due - box.at_ms > AHEAD_MS:
        return None
    text = knowledge.tasks()["refill"]
    name = _(" and ").join(s.name for s in box.surfaces)
    return Task(
        f"incubator {box.incubator.id}",
        f"refill {box.filled_ms}",
        text.title,
        name,
        box.incubator,
        text.why,
        text.how,
        text.caution,
        due,
        due - 6 * HOUR_MS,
        max(due, latest),
        "open",
        daily=True,
    )


def _evening_before(book: Book, at_ms: int) -> int:
    """The evening before a night something falls in; that time itself where it is day."""
    at = book.local(at_ms)
    hour = at.hour + at.minute / 60.0
    if MORNING_H <= hour < EVENING_H:
        return at_ms
    return at_ms - round((hour - EVENING_H) % 24.0 * HOUR_MS)


def done(desk: Desk, task: Task, at_ms: int | None = None) -> str:
    """A task is done, now by default; undoable. Returns what was logged, in words.

    Turning and cooling are logged as what they are. Raises UserError for a time to come, and for what cannot be done
    (turning eggs that lie still).
    """
    at = desk.now_ms if at_ms is None else at_ms
    if at > desk.now_ms:
        raise UserError(*say.THAT_TIME_HAS_NOT_COME())
    if _kind(task) == "turn":
        course = _course(desk.book, task)
        return _("Turned: {log_turn} is up.", log_turn=turning.log_turn(desk, course, at))
    if _kind(task) == "cool":
        minutes = _course(desk.book, task).way.cool_minutes
        fields = {"incubator_id": task.incubator.id, "time_ms": at, "kind": "cool", "note": _("cooled and misted")}
        desk.add(_("cooling logged"), [(Event, {**fields, "set_point_c": None, "minutes": minutes})])
        return say.COOLING_BEGUN_MINUTES_MIN_WITH(minutes=minutes)
    if _kind(task) == "refill":
        # ticked without more: filled as it was, the amount can be logged on Round or under Moisture
        fields = {
            "incubator_id": task.incubator.id,
            "time_ms": at,
            "kind": "water",
            "note": _("{about} refilled", about=task.about),
        }
        desk.add(_("water logged"), [(Event, {**fields, "set_point_c": None})])
        return _("Refill logged. {caution}", caution=task.caution)
    _mark(desk, task, "done", at, "")
    return _("{title}: done.", title=task.title)


def _course(book: Book, task: Task) -> Course:
    plan = next(p for p in plans(book) if p.subject == task.subject)
    found = batches.running(book, task.incubator, plan.batch.id if plan.batch is not None else None)
    assert found is not None
    return found


def skip(desk: Desk, task: Task, why: str) -> None:
    """A task is left out, with the reason; undoable. Raises UserError without one."""
    if not why.strip():
        raise UserError(*say.WHY_IS_IT_LEFT_OUT())
    _mark(desk, task, "skipped", desk.now_ms, why.strip())


def _mark(desk: Desk, task: Task, state: str, at: int, why: str) -> None:
    fields = {"subject": task.subject, "step": task.step, "state": state, "at_ms": at, "why": why}
    desk.add(f"{within(task.title)}: {_(state)}", [(TaskMark, fields)])


def mark_seen(desk: Desk, plan: Plan, what: str) -> str:
    """Something of a plan was seen ("turner seen"); undoable."""
    fields = {"subject": plan.subject, "step": what, "state": "done", "at_ms": desk.now_ms, "why": ""}
    desk.add(_(what), [(TaskMark, fields)])
    return f"{begun(_(what))}."


def cooling_left_s(book: Book, incubator: Incubator) -> float | None:
    """How long a cooling that was begun still lasts, s (below 0 for a while after it); None where none is."""
    begun = [e for e in book.records(Event) if e.incubator_id == incubator.id and e.kind == "cool"]
    if not begun:
        return None
    last = max(begun, key=lambda e: e.time_ms)
    course = batches.running(book, incubator)
    lasts_s = 60.0 * (last.minutes or (course.way if course is not None else Way()).cool_minutes)
    left = (last.time_ms - book.now_ms) / 1000.0 + lasts_s
    return left if left > -lasts_s else None


def reopen(desk: Desk, task: Task) -> None:
    """A task done or skipped is open again; undoable."""
    own = [m.id for m in desk.book.records(TaskMark) if (m.subject, m.step) == (task.subject, task.step)]
    if own:
        desk.strike(_("{title} open again", title=within(task.title)), TaskMark, own)


def window_words(book: Book, task: Task) -> str:
    """From when to when it may be done: "may be done 17 to 20 May"."""
    first, last = book.local(task.earliest_ms), book.local(task.latest_ms)
    if first.date() == last.date():
        return say.MAY_BE_DONE_FIRST_TO(first=dates.clock(first), last=dates.clock(last))
    return _("may be done {first}", first=dates.span(first, last))


def when_words(book: Book, task: Task) -> str:
    """When it is due, calmly: "due 20:30", "due yesterday", "was due Thu 14 May"."""
    now, due = book.local(book.now_ms), book.local(task.due_ms)
    days = (due.date() - now.date()).days
    if task.state != "open":
        return f"{task.state}{f': {task.note}' if task.note else ''}"
    clock = dates.clock(due)
    if days == 0:
        return _("due {clock}", clock=clock)
    if days == 1:
        return _("due tomorrow {clock}", clock=clock)
    if days == -1:
        return _("was due yesterday {clock}", clock=clock)
    return f"{_('was due') if days < 0 else _('due')} {dates.day(due, weekday=True)}"
