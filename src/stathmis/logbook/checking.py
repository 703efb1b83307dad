"""Whether a logbook's file still is as it was written, record by record."""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Callable, Iterator
from contextlib import closing
from typing import Any

from stathmis.logbook import checksums, tables
from stathmis.logbook.checksums import Damage
from stathmis.logbook.opening import Logbook

_IN_FORCE = ("done", "noted")
_STATES = (*_IN_FORCE, "undone", "overtaken")


def check(logbook: Logbook, cancelled: Callable[[], bool] = lambda: False) -> list[Damage]:
    """As damages, of an open logbook's file as it stands on the disk. Raises LogbookError where it cannot be read."""
    with closing(logbook.connect()) as connection:
        return damages(connection, cancelled)


def damages(connection: sqlite3.Connection, cancelled: Callable[[], bool] = lambda: False) -> list[Damage]:
    """All that was altered by accident, the file's own structure first; as it stands at this moment.

    connection: one's own, with no transaction under way. Cancelled, what was found so far comes back.
    """
    # a text with a flipped bit may be none any more: it is named like the others
    connection.text_factory = lambda raw: raw.decode("utf-8", "replace")
    connection.execute("BEGIN")
    try:
        # what the edits say it was tells more than that a checksum differs
        found: dict[tuple[str, str], Damage] = {}
        try:
            for (said,) in connection.execute("PRAGMA integrity_check(20)"):
                if said != "ok":
                    found["file", str(said)] = Damage("file", str(said), {})
            for part in (_chunks, _rows, _journal, _as_told):
                if not cancelled():
                    found |= {(damage.of, damage.row): damage for damage in part(connection)}
        except sqlite3.DatabaseError as error:
            found["file", str(error)] = Damage("file", str(error), {})
        return list(found.values())
    finally:
        connection.execute("ROLLBACK")


def _chunks(connection: sqlite3.Connection) -> Iterator[Damage]:
    names = (*checksums.OF_CHUNK, "times", "shown")
    for chunk_id, crc, *values in connection.execute(f"SELECT id, crc, {tables.quoted(names)} FROM chunk"):
        whole = all(isinstance(part, bytes) for part in values[-2:])
        if not whole or checksums.of_chunk(*values) != crc:
            yield Damage("chunk", str(chunk_id), dict(zip(checksums.OF_CHUNK, values, strict=False)))


def _rows(connection: sqlite3.Connection) -> Iterator[Damage]:
    """Live readings and settings."""
    for table, key, names in checksums.ROWS:
        for row, crc, *values in connection.execute(f'SELECT "{key}", crc, {tables.quoted(names)} FROM "{table}"'):
            if checksums.of_row(*values) != crc:
                yield Damage(table, str(row), dict(zip(names, values, strict=True)))


def _journal(connection: sqlite3.Connection) -> Iterator[Damage]:
    # the state changes with undo and is not in the checksum
    states = ", ".join("?" * len(_STATES))
    found = connection.execute(f"SELECT id FROM edit WHERE state NOT IN ({states})", _STATES)
    unknown = {edit_id for (edit_id,) in found}
    for edit_id, at_ms, label, crc, rows in checksums.edits_of(connection):
        if checksums.of_edit(at_ms, label, rows) != crc or edit_id in unknown:
            yield Damage("edit", str(edit_id), {"at_ms": at_ms, "label": label})


def _as_told(connection: sqlite3.Connection) -> Iterator[Damage]:
    """Records that are not what the newest edit in force says of them."""
    told: dict[tuple[str, str], tuple[str | None, bool]] = {}
    for state, of, row, before, after in connection.execute(
        'SELECT state, "of", "row", before, after FROM edit_row JOIN edit ON edit.id = edit_id ORDER BY edit_row.id'
    ):
        if state in _IN_FORCE:
            told[of, row] = after, False
        elif (of, row) not in told:
            # undone: as it stood before; what was added is there, and withdrawn
            told[of, row] = (before, False) if before is not None else (after, True)
    settings = connection.execute("SELECT key, value FROM setting")
    there = [*checksums.records(connection), *(("setting", key, {"value": value}) for key, value in settings)]
    for of, row, state in there:
        text, withdrawn = told.pop((of, row), (None, False))
        wanted = _read(text)
        if wanted is None:
            continue
        if withdrawn and state.get("withdrawn_ms") is not None:
            wanted["withdrawn_ms"] = state["withdrawn_ms"]
        if any(state[name] != wanted[name] for name in wanted.keys() & state.keys()):
            yield Damage(of, row, state, wanted)
    for (of, row), (text, _withdrawn) in told.items():
        wanted = _read(text)
        if wanted is not None and of != "setting" and tables.kind_named(of) is not None:
            yield Damage(of, row, wanted, wanted)


def _read(text: str | None) -> dict[str, Any] | None:
    try:
        found = json.loads(text or "null")
    except ValueError:
        # its edit's checksum says so
        return None
    return found if isinstance(found, dict) else None
