"""Files written from the command line: readings, plans, the whole logbook; which batch is meant."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from stathmis.core.errors import UserError
from stathmis.logbook.records import Batch
from stathmis.services.batch import batches
from stathmis.services.batch.course import Course
from stathmis.services.book import Book
from stathmis.services.desk import Desk
from stathmis.words import command as words


def ending(file: Path, known: Sequence[str]) -> str:
    """How a file's name ends, one of those known. Raises UserError for another."""
    found = file.suffix.casefold()
    if found not in known:
        raise UserError(*words.suffix(file.name, known))
    return found


def batch_named(book: Book, name: str) -> Course:
    """The newest batch of a name (in any case), or the newest of all. Raises UserError where there is none."""
    every = [b for b in book.records(Batch) if not name or b.name.casefold() == name.strip().casefold()]
    newest = max(every, key=lambda b: (b.set_ms, b.id), default=None)
    course = batches.course_by_id(book, newest.id) if newest is not None else None
    if course is None:
        raise UserError(*words.no_batch(name))
    return course


def export(desk: Desk, file: Path, batch: str) -> str:
    """Write a file whose ending says what it is to hold, and say so. Raises UserError where it cannot be written."""
    kind = ending(file, (".csv", ".ics", ".zip"))
    # each brings what it needs with it: a log from a script starts without
    if kind == ".ics":
        from stathmis.services.plan import calendar

        return calendar.write(desk, file)
    if kind == ".zip":
        from stathmis.services.files import archive

        return archive.write(desk, file)
    from stathmis.services.files import readings_export
    from stathmis.services.findings import trace

    traced = trace.trace(desk.book, batch_named(desk.book, batch))
    return words.written(file.name, readings_export.export_readings(desk.book, traced, file))
