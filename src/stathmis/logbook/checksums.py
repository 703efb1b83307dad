"""Checksums in the logbook's file: what was altered by accident since it was written is noticed.

Every sealed chunk, every edit with its rows, every live reading that still arrives and every setting carries a CRC-32
(zlib's; any single flipped bit changes it). What stands in a record must be what the newest edit in force says of it,
so that single records need none.
"""

from __future__ import annotations

import json
import sqlite3
import zlib
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Any

from stathmis.logbook import tables
from stathmis.logbook.tables import EDIT, EDIT_ROW
from stathmis.words.files import taken_over

ROW = ("of", "row", "before", "after")
"""What an edit's checksum holds of each of its rows."""
OF_LIVE = ("channel_id", "time_ms", "shown")
ROWS = (("live_reading", "id", OF_LIVE), ("setting", "key", ("key", "value")))
"""Tables with a checksum in every row: name, key, and what of a row it is of."""
OF_CHUNK = ("channel_id", "logger_import_id", "first_ms", "last_ms", "count", "least", "most", "total")


def of_row(*values: Any) -> int:
    """Of a live reading or a setting: its values as ROWS names them."""
    return zlib.crc32(repr(values).encode())


def of_chunk(*values: Any) -> int:
    """Of a chunk: its columns from channel_id to total in the file's order, then the bytes of its times and values."""
    *head, times, shown = values
    return zlib.crc32(shown, zlib.crc32(times, zlib.crc32(repr(tuple(head)).encode())))


def of_edit(at_ms: int, label: str, rows: Sequence[tuple[Any, ...]]) -> int:
    """Of an edit: its time, its words, and all its rows (as ROW) in order."""
    return zlib.crc32(repr((at_ms, label, [tuple(row) for row in rows])).encode())


def carry(connection: sqlite3.Connection) -> None:
    """Put in all checksums of a file that has none, with an edit of its own for records no edit tells of."""
    carry_edits(connection)
    carry_rows(connection)


def carry_rows(connection: sqlite3.Connection) -> None:
    """Put in those of live readings and settings."""
    for table, key, names in ROWS:
        found = connection.execute(f'SELECT "{key}", {tables.quoted(names)} FROM "{table}"').fetchall()
        rows = [(of_row(*values), row) for row, *values in found]
        connection.executemany(f'UPDATE "{table}" SET crc = ? WHERE "{key}" = ?', rows)


def carry_edits(connection: sqlite3.Connection) -> None:
    """Put in those of chunks and edits."""
    _tell_of_the_untold(connection)
    columns = tables.quoted((*OF_CHUNK, "times", "shown"))
    for (chunk_id,) in connection.execute("SELECT id FROM chunk").fetchall():
        row = connection.execute(f"SELECT {columns} FROM chunk WHERE id = ?", (chunk_id,)).fetchone()
        connection.execute("UPDATE chunk SET crc = ? WHERE id = ?", (of_chunk(*row), chunk_id))
    found = [(of_edit(at_ms, label, rows), edit_id) for edit_id, at_ms, label, _crc, rows in edits_of(connection)]
    connection.executemany("UPDATE edit SET crc = ? WHERE id = ?", found)


def _tell_of_the_untold(connection: sqlite3.Connection) -> None:
    told = set(connection.execute('SELECT DISTINCT "of", "row" FROM edit_row'))
    rows = [
        (name, row, None, json.dumps(state, ensure_ascii=False))
        for name, row, state in records(connection)
        if (name, row) not in told
    ]
    if not rows:
        return
    (at_ms,) = connection.execute(
        "SELECT coalesce(max(t), 0) FROM (SELECT max(at_ms) t FROM edit UNION ALL SELECT max(time_ms) FROM reading "
        "UNION ALL SELECT max(done_ms) FROM calibration)"
    ).fetchone()
    names = ("at_ms", "label", "state", "state_ms")
    edit_id = connection.execute(EDIT.insert(names), (at_ms, taken_over(), "noted", at_ms)).lastrowid
    connection.executemany(EDIT_ROW.insert(("edit_id", *ROW)), [(edit_id, *row) for row in rows])


def records(connection: sqlite3.Connection) -> Iterator[tuple[str, str, dict[str, Any]]]:
    """Every row an edit can tell of: its table, its id, all its fields; of an older file, of the tables it has."""
    there = {name for (name,) in connection.execute("SELECT name FROM sqlite_master WHERE type = 'table'")}
    for table in tables.tables():
        if table.kind is not None and table.name in there:
            for found in connection.execute(f'SELECT {tables.quoted(table.names)} FROM "{table.name}"'):
                state = dict(zip(table.names, found, strict=True))
                yield table.name, str(state["id"]), state


def edits_of(connection: sqlite3.Connection) -> Iterator[tuple[int, int, str, int, list[tuple[Any, ...]]]]:
    """Every edit: id, time, words, checksum, rows as ROW; row by row, for there may be very many."""
    columns = tables.quoted(ROW)
    for edit_id, at_ms, label, crc in connection.execute("SELECT id, at_ms, label, crc FROM edit ORDER BY id"):
        rows = connection.execute(f"SELECT {columns} FROM edit_row WHERE edit_id = ? ORDER BY id", (edit_id,))
        yield edit_id, at_ms, label, crc, rows.fetchall()


@dataclass(frozen=True)
class Damage:
    """Something that is not as it was written.

    of: a table, or "file"; row: its id (of "file": what the database says); about: its fields as far as they can be
    read; should_be: what the edits say it was, where they do.
    """

    of: str
    row: str
    about: dict[str, Any]
    should_be: dict[str, Any] | None = None
