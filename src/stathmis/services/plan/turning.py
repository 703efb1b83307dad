"""Turning: by machine or by hand; which side to show next, how often, the longest gap, and when it ends."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

from stathmis.core.errors import UserError
from stathmis.logbook.records import Event
from stathmis.services.batch.batches import events_along
from stathmis.services.batch.course import Course
from stathmis.services.book import Book
from stathmis.services.clock import DAY_MS, HOUR_MS, at_hour, midnight
from stathmis.services.desk import Desk
from stathmis.words import dates

LEAST_TURNS = 3
TURNS_A_DAY = 5
"""By hand: an odd number, so that the long night falls on alternate sides; more is better. Source: common practice."""
LONGEST_GAP_H = 12.0
"""A night; longer ones let the embryo stick. Source: common practice."""
SIDES = ("X", "O")


@dataclass(frozen=True)
class Turning:
    """The turning of a batch so far. times: of the turns (UTC ms); side: the mark that shows now, None where unknown;
    today: turns since midnight; gap_h: the longest gap of the last days, hours; stop_ms: when turning ends; never:
    these eggs must not be turned; days: of the last whole days, how many had enough turns, an odd number, and how many
    there were."""

    times: tuple[int, ...]
    side: str | None
    today: int
    gap_h: float | None
    stop_ms: int | None
    never: bool
    days: tuple[int, int] = (0, 0)

    @property
    def next_side(self) -> str:
        """The mark to show after the next turn."""
        return SIDES[1] if self.side == SIDES[0] else SIDES[0]

    def over(self, at_ms: int) -> bool:
        """Whether these eggs are not to be turned now."""
        return self.never or (self.stop_ms is not None and at_ms >= self.stop_ms)


def turning(book: Book, course: Course, events: Sequence[Event] | None = None) -> Turning:
    """How a batch was turned; events: of its incubator, all by default."""
    now = book.now_ms
    known = events_along(book, course, 0, now) if events is None else events
    own = [e for e in known if e.kind == "turn" and course.batch.set_ms <= e.time_ms <= now]
    days = [midnight(now, book.zone, -i) for i in range(8)]
    times = tuple(e.time_ms for e in own)
    side = next((e.detail for e in reversed(own) if e.detail in SIDES), None)
    stop = course.at_ms(course.lockdown_day) if course.lockdown_day is not None else None
    never = course.species.stop_turning_day is None
    edges = [max(course.batch.set_ms, now - 3 * DAY_MS), *(t for t in times if t >= now - 3 * DAY_MS)]
    edges.append(min(now, stop) if stop is not None else now)
    gaps = [b - a for a, b in pairwise(edges)]
    gap = max(gaps) / HOUR_MS if times else None
    return Turning(times, side, sum(t >= days[0] for t in times), gap, stop, never, _kept(times, course, days))


def _kept(times: Sequence[int], course: Course, midnights: Sequence[int]) -> tuple[int, int]:
    """Of the last seven whole days since setting, those with three turns or more and an odd number, and all.

    midnights: today's and those before it.
    """
    days = [(start, end) for end, start in pairwise(midnights) if start >= course.batch.set_ms]
    counts = [sum(start <= t < end for t in times) for start, end in days]
    return sum(c >= LEAST_TURNS and c % 2 == 1 for c in counts), len(days)


def log_turn(desk: Desk, course: Course, at_ms: int) -> str:
    """Log that the eggs were turned by hand; undoable. Returns the mark that shows now.

    Raises UserError for eggs that must never be turned, and after turning has ended.
    """
    found = turning(desk.book, course)
    if found.never:
        raise UserError(f"{course.species.name.capitalize()} eggs must never be turned.", "Keep the mark on top.")
    if found.over(at_ms):
        raise UserError("Turning is over for these eggs.", "They lie still from lockdown on.")
    side = found.next_side
    fields = {"incubator_id": course.incubator.id, "time_ms": at_ms, "kind": "turn", "note": "", "detail": side}
    desk.add("eggs turned", [(Event, {**fields, "set_point_c": None})])
    return side


def words(book: Book, found: Turning) -> str:
    """The turning in a sentence or two."""
    if found.never:
        return "These eggs are never turned: the mark stays on top."
    if found.over(book.now_ms):
        return "No more turning: the eggs lie still until they hatch."
    if not found.times:
        return "No turn by hand is logged."
    last = book.local(found.times[-1])
    side = f"{found.side} is up since {dates.weekday_clock(last)}; show {found.next_side} next." if found.side else ""
    left = TURNS_A_DAY - found.today
    count = f" Turned {found.today} of {TURNS_A_DAY} times today" + (
        ", an even number: once more, so that the nights alternate." if found.today % 2 == 0 and found.today else "."
    )
    gap = f" Longest gap of late: {found.gap_h:.0f} h." if found.gap_h is not None else ""
    long = " That is too long." if found.gap_h is not None and found.gap_h > LONGEST_GAP_H else ""
    kept, whole = found.days
    days = f" Enough, and odd, on {kept} of the last {whole} days." if whole else ""
    return f"{side}{count if left != TURNS_A_DAY else ' Not turned yet today.'}{gap}{long}{days}".strip()


def next_turn_ms(found: Turning, now_ms: int, zone: str) -> int | None:
    """When to turn next by hand: the day from seven to ten in the evening in equal parts; None where it is over."""
    if found.over(now_ms):
        return None
    done = found.today
    if done >= TURNS_A_DAY:
        return at_hour(now_ms, 7.0, zone, later=1)
    return at_hour(now_ms, 7.0 + 15.0 * done / (TURNS_A_DAY - 1), zone)
