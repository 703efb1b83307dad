"""The whole logbook as plain rows, table by table, and back: for an archive anyone can read without this program.

Chunks of logger readings are unfolded into single readings; everything else stays as it is kept, withdrawn rows too.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from sqlalchemy import LargeBinary, select

from stathmis.logbook import schema
from stathmis.logbook.opening import Logbook, LogbookError, create_logbook

VERSION = schema.SCHEMA_VERSION
FIRST_VERSION = 4
"""The first version of which there are archives."""
_CAME_LATER: dict[str, tuple[int, frozenset[str] | None]] = {
    "stay": (5, None),
    "break_out": (5, None),
    "batch": (5, frozenset({"tray"})),
    "egg": (5, frozenset({"breed", "mother", "source"})),
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
    for table in schema.metadata.sorted_tables:
        since, later = _CAME_LATER.get(table.name, (FIRST_VERSION, frozenset()))
        if version < since and later is None:
            continue
        left_out = later if version < since and later else frozenset()
        kept = [c for c in table.columns if not isinstance(c.type, LargeBinary) and c.name not in left_out]
        types = tuple(
            {"INTEGER": "integer", "BOOLEAN": "integer", "FLOAT": "real"}.get(str(c.type), "text") for c in kept
        )
        made.append(TableShape(table.name, tuple(c.name for c in kept), types))
    made.append(TableShape(UNFOLDED, ("chunk_id", "time_ms", "shown"), ("integer", "integer", "real")))
    return made


def rows(logbook: Logbook, name: str) -> Iterator[tuple[Any, ...]]:
    """All rows of a table of the archive, in order of their ids. Raises LogbookError where the file cannot be read."""
    with logbook.reading() as connection:
        if name == UNFOLDED:
            chunk = schema.chunk
            query = select(chunk.c.id, chunk.c.times, chunk.c.shown).order_by(chunk.c.id)
            for chunk_id, times, shown in connection.execute(query):
                pairs = zip(np.frombuffer(times, "<i8").tolist(), np.frombuffer(shown, "<f8").tolist(), strict=True)
                for time_ms, value in pairs:
                    yield chunk_id, time_ms, value
            return
        table = schema.metadata.tables[name]
        kept = [c for c in table.columns if not isinstance(c.type, LargeBinary)]
        for row in connection.execute(select(*kept).order_by(*table.primary_key.columns)):
            yield tuple(int(v) if isinstance(v, bool) else v for v in row)


def create_from(path: Path, tables: Mapping[str, tuple[Sequence[str], Iterable[Sequence[Any]]]]) -> None:
    """Make a logbook file from an archive's rows; whole, or not at all.

    tables: by name, columns and rows as rows() gives them; what is not there stays empty. Raises LogbookError where the
    file exists, cannot be written, or the rows do not fit together.
    """
    logbook = create_logbook(path, {})
    try:
        with logbook.writing() as connection:
            connection.execute(schema.setting.delete())
            for table in schema.metadata.sorted_tables:
                names, table_rows = tables.get(table.name, ((), ()))
                if table is schema.chunk:
                    _fold(connection, names, table_rows, tables.get(UNFOLDED, ((), ()))[1])
                    continue
                batch = []
                for row in table_rows:
                    batch.append(dict(zip(names, row, strict=True)))
                    if len(batch) >= AT_ONCE:
                        connection.execute(table.insert(), batch)
                        batch = []
                if batch:
                    connection.execute(table.insert(), batch)
    except BaseException as error:
        logbook.close()
        for end in ("", "-wal", "-shm", ".lock"):
            with suppress(OSError):
                path.with_name(path.name + end).unlink()
        if isinstance(error, (ValueError, TypeError)):
            raise LogbookError(
                "The archive's tables do not fit together.", "Ask for it to be written again."
            ) from error
        raise
    logbook.close()


def _fold(
    connection: Any, names: Sequence[str], heads: Iterable[Sequence[Any]], readings: Iterable[Sequence[Any]]
) -> None:
    """Chunks from their heads and their single readings, both in order of the chunks' ids."""
    stream = iter(readings)
    pending = next(stream, None)
    for head in heads:
        fields = dict(zip(names, head, strict=True))
        times, shown = [], []
        while pending is not None and pending[0] == fields["id"]:
            times.append(pending[1])
            shown.append(pending[2])
            pending = next(stream, None)
        if len(times) != fields["count"]:
            raise ValueError("a chunk's readings are not all there")
        fields["times"] = np.asarray(times, "<i8").tobytes()
        fields["shown"] = np.asarray(shown, "<f8").tobytes()
        connection.execute(schema.chunk.insert(), [fields])
    if pending is not None:
        raise ValueError("readings of no chunk")
