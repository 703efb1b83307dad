"""The humidity that the eggs' loss asked for after each weighing, as it follows from the weighings in force."""

from __future__ import annotations

from bisect import bisect_right

from stathmis.core.course.profile import Band
from stathmis.logbook.records import (
    Batch,
    CertificatePoint,
    Channel,
    Incubator,
    Instrument,
    LoggerImport,
    Placement,
    StoredCalibration,
    Weighing,
)
from stathmis.logbook.snapshot import SETTINGS
from stathmis.services.batch.course import Course
from stathmis.services.book import Book, finding
from stathmis.services.findings import loss


def by_weight(book: Book, course: Course) -> tuple[tuple[int, Band], ...]:
    """From when on (UTC ms) which humidity was asked for, percent; empty before there are two weighings.

    What was read after a weighing does not change what it asked for.
    """
    own = book.records(Weighing, batch_id=course.batch.id)
    if len(own) < 2:
        return ()
    last = max(w.time_ms for w in own)
    return _asked(book, course, _typed_until(book, last))


def _typed_until(book: Book, at_ms: int) -> tuple[tuple[int, int, int], ...]:
    """What tells the hand readings until a time from others: channel, how many, and the newest id."""
    made = []
    for channel in book.records(Channel):
        own = book.snapshot.by_hand(channel.id)
        until = own[: bisect_right(own, at_ms, key=lambda r: r.time_ms)]
        made.append((channel.id, len(until), max((r.id for r in until), default=0)))
    return tuple(made)


@finding(
    Weighing,
    Batch,
    Incubator,
    Instrument,
    Channel,
    Placement,
    StoredCalibration,
    CertificatePoint,
    LoggerImport,
    SETTINGS,
)
def _asked(book: Book, course: Course, typed: tuple[tuple[int, int, int], ...]) -> tuple[tuple[int, Band], ...]:
    own = sorted(book.records(Weighing, batch_id=course.batch.id), key=lambda w: (w.time_ms, w.id))
    made = []
    for at_ms in sorted({w.time_ms for w in own}):
        target = loss.target_after(book, course, [w for w in own if w.time_ms <= at_ms], at_ms)
        if target is not None:
            made.append((at_ms, Band(target.low, target.high)))
    return tuple(made)
