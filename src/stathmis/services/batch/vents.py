"""How far the vents stand open by the way of a batch: before lockdown, from it on, and from the first chick out."""

from __future__ import annotations

from stathmis.logbook.records import EggFinding
from stathmis.services.batch.course import Course
from stathmis.services.book import Book


def wanted(book: Book, course: Course, at_ms: int) -> float | None:
    """The opening (0 to 1) the way has at a time; None where it has none."""
    way, day = course.way, course.day(at_ms)
    late = course.is_late(at_ms)
    percent = way.vent_lockdown if late else way.vent_setting
    if late and way.vent_hatching is not None and _is_out(book, course, at_ms):
        percent = way.vent_hatching
    return None if percent is None or day < 0 else percent / 100.0


def at_lockdown(course: Course) -> float | None:
    """The opening (0 to 1) the way has from lockdown on; None where it has none."""
    return None if course.way.vent_lockdown is None else course.way.vent_lockdown / 100.0


def _is_out(book: Book, course: Course, at_ms: int) -> bool:
    own = book.records(EggFinding, batch_id=course.batch.id)
    return any(f.kind == "out" and f.time_ms <= at_ms for f in own)
