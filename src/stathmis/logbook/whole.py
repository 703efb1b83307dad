"""The whole logbook as plain rows, table by table, and back: for an archive anyone can read without this program.

Chunks of logger readings are unfolded into single readings; everything else stays as it is kept, withdrawn rows too.
"""

from __future__ import annotations

import sqlite3
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from contextlib import closing, suppress
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from stathmis.logbook import checksums, migrations, tables
from stathmis.logbook.opening import Logbook, LogbookError, create_logbook, open_logbook
from stathmis.logbook.tables import CHUNK, Table
from stathmis.words import opening as say

VERSION = tables.SCHEMA_VERSION
FIRST_VERSION = 4
"""The first version of which there are archives."""
_CAME_LATER: dict[str, tuple[int, frozenset[str] | None]] = {
    "stay": (5, None),
    "break_out": (5, None),
    "batch": (5, frozenset({"tray"})),
    "egg": (5, frozenset({"breed", "mother", "source"})),
    "edit": (6, None),
    "edit_row": (6, None),
    "event": (6, frozenset({"detail", "minutes", "room_c"})),
    "egg_finding": (6, frozenset({"from_place", "to_place"})),
    "calibration_point": (6, frozenset({"withdrawn_ms"})),
    "budget_line": (6, frozenset({"withdrawn_ms"})),
}
"""Tables that came after the first archives, whole (None) or these columns of them, and the version they came with."""
UNFOLDED = "chunk_reading"
"""The readings inside the chunks: chunk_id, time_ms, shown."""
AT_ONCE = 500


@dataclass(frozen=True)
class TableShape:
    """A table of the archive: its columns, and what each holds ("integer", "real", "text")."""

    name: str
    columns: tuple[str, ...]
    types: tuple[str, ...]


def shapes(version: int = VERSION) -> list[TableShape]:
    """All tables of an archive of a version, in an order in which rows point only to rows before them."""
    made = []
    for table in tables.tables():
        since, later = _CAME_LATER.get(table.name, (FIRST_VERSION, frozenset()))
        if version < since and later is None:
            continue
        left_out = later if version < since and later else frozenset()
        kept = [c for c in _kept(table) if c.name not in left_out]
        types = tuple(_TYPES.get(c.type, "text") for c in kept)
        made.append(TableShape(table.name, tuple(c.name for c in kept), types))
    made.append(TableShape(UNFOLDED, ("chunk_id", "time_ms", "shown"), ("integer", "integer", "real")))
    return made


_TYPES = {"INTEGER": "integer", "BOOLEAN": "integer", "FLOAT": "real"}


def _kept(table: Table) -> list[tables.Column]:
    # checksums are of this file: one made from an archive gets its own
    return [c for c in table.columns if c.type != "BLOB" and c.name != "crc"]


def rows(logbook: Logbook, name: str) -> Iterator[tuple[Any, ...]]:
    """All rows of a table of the archive, in order of their ids. Raises LogbookError where the file cannot be read."""
    with logbook.reading() as connection:
        if name == UNFOLDED:
            for chunk_id, times, shown in connection.execute("SELECT id, times, shown FROM chunk ORDER BY id"):
                pairs = zip(np.frombuffer(times, "<i8").tolist(), np.frombuffer(shown, "<f8").tolist(), strict=True)
                for time_ms, value in pairs:
                    yield chunk_id, time_ms, value
            return
        (table,) = (t for t in tables.tables() if t.name == name)
        names = tables.quoted([c.name for c in _kept(table)])
        yield from connection.execute(f'SELECT {names} FROM "{name}" ORDER BY "{table.key}"')


def create_from(
    path: Path,
    found: Mapping[str, tuple[Sequence[str], Iterable[Sequence[Any]]]],
    version: int = VERSION,
    check: Callable[[Logbook], object] = lambda logbook: None,
) -> None:
    """Make a logbook file from the rows of an archive of a version; whole, or not at all.

    found: by table, columns and rows as rows() gives them; what is not there stays empty; check: whether one can work
    with it, before it gets its name. Raises LogbookError where the file exists, cannot be written, or the rows do not
    fit together, and whatever check raises.
    """
    if path.exists():
        raise LogbookError(*say.THERE_IS_ALREADY_A_FILE_NAMED(path=path.name))
    partial = path.with_name(path.name + ".restoring")
    with suppress(OSError):
        partial.unlink()
    try:
        logbook = create_logbook(partial, {})
        try:
            with logbook.writing() as work:
                connection = work.connection
                for table in tables.tables():
                    names, table_rows = found.get(table.name, ((), ()))
                    if table is CHUNK:
                        _fold(connection, names, table_rows, found.get(UNFOLDED, ((), ()))[1])
                        continue
                    statement, batch = table.insert(names), []
                    for row in table_rows:
                        batch.append(row)
                        if len(batch) >= AT_ONCE:
                            connection.executemany(statement, batch)
                            batch = []
                    if batch:
                        connection.executemany(statement, batch)
                if version < 6:
                    migrations.carry_details(connection)
                checksums.carry(connection)
        finally:
            logbook.close()
        with closing(open_logbook(partial)) as opened:
            check(opened)
        partial.replace(path)
    except BaseException as error:
        if isinstance(error, (ValueError, TypeError, OverflowError, sqlite3.Error)):
            raise LogbookError(*say.THE_ARCHIVES_TABLES_DO_NOT()) from error
        raise
    finally:
        for end in ("", "-wal", "-shm", ".lock"):
            with suppress(OSError):
                partial.with_name(partial.name + end).unlink()


def _fold(
    connection: Any, names: Sequence[str], heads: Iterable[Sequence[Any]], readings: Iterable[Sequence[Any]]
) -> None:
    """Chunks from their heads and their single readings, both in order of the chunks' ids."""
    stream = iter(readings)
    pending = next(stream, None)
    for head in heads:
        fields = dict(zip(names, head, strict=True))
        times: list[int] = []
        shown: list[float] = []
        while pending is not None and pending[0] == fields["id"] and len(times) <= fields["count"]:
            times.append(pending[1])
            shown.append(pending[2])
            pending = next(stream, None)
        if len(times) != fields["count"]:
            raise ValueError("a chunk's readings are not all there")
        fields["times"] = np.asarray(times, "<i8").tobytes()
        fields["shown"] = np.asarray(shown, "<f8").tobytes()
        connection.execute(CHUNK.insert(tuple(fields)), tuple(fields.values()))
    if pending is not None:
        raise ValueError("readings of no chunk")
