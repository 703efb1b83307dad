"""Turning: by machine or by hand; which side to show next, how often, the longest gap, and when it ends."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

from stathmis.core.course.way import Way
from stathmis.core.errors import UserError
from stathmis.logbook.records import Event
from stathmis.services.batch.batches import events_along
from stathmis.services.batch.course import Course
from stathmis.services.book import Book
from stathmis.services.clock import DAY_MS, HOUR_MS, at_hour, midnight
from stathmis.services.desk import Desk
from stathmis.words.catalogue import _, begun
from stathmis.words.plan import tasks as say

SIDES = ("X", "O")


@dataclass(frozen=True)
class Turning:
    """The turning of a batch so far. times: of the turns (UTC ms); side: the mark that shows now, None where unknown;
    today: turns since midnight; gap_h: the longest gap of the last days, hours; stop_ms: when turning ends; never:
    these eggs must not be turned; days: of the last whole days, how many had enough turns, an odd number, and how many
    there were; way: how often they are meant to be."""

    times: tuple[int, ...]
    side: str | None
    today: int
    gap_h: float | None
    stop_ms: int | None
    never: bool
    days: tuple[int, int]
    way: Way

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
    today, kept = sum(t >= days[0] for t in times), _kept(times, course, days)
    return Turning(times, side, today, gap, stop, never, kept, course.way)


def _kept(times: Sequence[int], course: Course, midnights: Sequence[int]) -> tuple[int, int]:
    """Of the last seven whole days since setting, those turned as meant, and all.

    midnights: today's and those before it.
    """
    days = [(start, end) for end, start in pairwise(midnights) if start >= course.batch.set_ms]
    counts = [sum(start <= t < end for t in times) for start, end in days]
    return sum(course.way.enough(c) for c in counts), len(days)


def log_turn(desk: Desk, course: Course, at_ms: int) -> str:
    """Log that the eggs were turned by hand; undoable. Returns the mark that shows now.

    Raises UserError for eggs that must never be turned, and after turning has ended.
    """
    found = turning(desk.book, course)
    if found.never:
        raise UserError(*say.SPECIES_EGGS_MUST_NEVER_BE(species=begun(course.species.name)))
    if found.over(at_ms):
        raise UserError(*say.TURNING_IS_OVER_FOR_THESE())
    side = found.next_side
    fields = {"incubator_id": course.incubator.id, "time_ms": at_ms, "kind": "turn", "note": "", "detail": side}
    desk.add(_("eggs turned"), [(Event, {**fields, "set_point_c": None})])
    return side


def next_turn_ms(found: Turning, now_ms: int, zone: str) -> int | None:
    """When to turn next by hand: the day from seven to ten in the evening in equal parts; None where it is over."""
    if found.over(now_ms):
        return None
    days, hour = divmod(found.way.next_turn_h(found.today), 24.0)
    return at_hour(now_ms, hour, zone, later=int(days))
