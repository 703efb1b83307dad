"""The whole logbook as an open archive, and a logbook made from one again."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from concurrent.futures import CancelledError
from functools import partial
from pathlib import Path
from typing import Any

from stathmis.core.errors import UserError
from stathmis.exchange import archive_file
from stathmis.exchange.archive_file import Progress
from stathmis.logbook import whole
from stathmis.logbook.opening import Logbook
from stathmis.logbook.records import Batch
from stathmis.services import rounds
from stathmis.services.batch import batches, own_species
from stathmis.services.batch.species import species_of
from stathmis.services.clock import SystemClock, is_zone
from stathmis.services.desk import Desk
from stathmis.services.instruments import overview
from stathmis.services.plan import tasks
from stathmis.words import archives as say
from stathmis.words.catalogue import _
from stathmis.words.numbers import count

AT_ONCE = 256
"""After so many rows one looks whether to stop."""


def write(
    desk: Desk,
    path: Path,
    progress: Progress = lambda fraction: None,
    cancelled: Callable[[], bool] = lambda: False,
) -> str:
    """Write the logbook as an archive, and say so. Raises UserError where it cannot be written."""
    tables = [(s.name, s.columns, s.types, whole.rows(desk.logbook, s.name)) for s in whole.shapes()]
    n = archive_file.write_archive(path, tables, whole.VERSION, desk.book.name, progress, cancelled)
    return _(
        "{rows} of {tables} written to {path}.",
        rows=count(n, "{n} row", "{n} rows"),
        tables=count(len(tables), "{n} table", "{n} tables"),
        path=path.name,
    )


def restore(
    archive: Path,
    target: Path,
    progress: Progress = lambda fraction: None,
    cancelled: Callable[[], bool] = lambda: False,
) -> str:
    """Make a new logbook file from an archive, and say so.

    One of an older version lacks tables and columns that came later: they are empty. Raises UserError for what is no
    archive, one of a newer version, rows that cannot be read, and a file that exists; CancelledError where it was
    stopped. Nothing is left of what was not finished.
    """
    found = archive_file.read_description(archive)
    version = found.get("logbook_version")
    if not isinstance(version, int) or not whole.FIRST_VERSION <= version <= whole.VERSION:
        raise UserError(*say.ARCHIVE_HOLDS_A_LOGBOOK_OF(archive=archive.name, version=version, ours=whole.VERSION))
    given = {t["name"]: tuple(t["columns"]) for t in found["tables"]}
    rows = {}
    shapes = whole.shapes(version)
    for i, shape in enumerate(shapes):
        if shape.name not in given:
            raise UserError(*say.ARCHIVE_LACKS_SHAPE(archive=archive.name, shape=shape.name))
        columns, types = given[shape.name], dict(zip(shape.columns, shape.types, strict=True))
        if set(columns) != set(shape.columns):
            raise UserError(*say.SHAPE_CSV_DOES_NOT_HAVE(shape=shape.name))
        read = archive_file.read_table(archive, shape.name, columns, [types[c] for c in columns])
        rows[shape.name] = (columns, _watched(read, partial(progress, i / len(shapes)), cancelled))
    whole.create_from(target, rows, version, workable)
    return say.TARGET_HOLDS_WHAT_WAS_IN(target=target.name, archive=archive.name)


def workable(logbook: Logbook) -> None:
    """Whether one can work with a logbook: what every start works out is worked out once.

    Raises ValueError where that fails: a zone, a species, a calibration that there is not.
    """
    try:
        desk = Desk(logbook, SystemClock())
        book = desk.book
        if not is_zone(book.zone):
            raise ValueError(book.zone)
        for incubator in book.places():
            rounds.sheet(book, incubator)
        if not own_species.sound(book):
            raise ValueError("a species")
        for batch in book.records(Batch):
            species_of(book, batch.species)
            batches.course_by_id(book, batch.id)
        overview.glances(book)
        tasks.today(book)
    except Exception as error:
        raise ValueError(f"one cannot work with it: {error}") from error


def _watched(
    rows: Iterable[Sequence[Any]], begun: Callable[[], object], cancelled: Callable[[], bool]
) -> Iterator[Sequence[Any]]:
    """Rows as they are asked for, until it is stopped."""
    begun()
    for i, row in enumerate(rows):
        if i % AT_ONCE == 0 and cancelled():
            raise CancelledError
        yield row
