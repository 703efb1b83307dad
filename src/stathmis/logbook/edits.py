"""The only way to change a record: an edit, one transaction, with a journal of every row before and after.

    with edit(logbook, "3 readings logged", now_ms) as work:
        work.add(Reading, channel_id=1, ...)

All of it is kept, durably, or none. The journal is in the file (tables edit and edit_row), so undo and redo survive
a restart, and nothing a keeper entered is overwritten without trace. Undoing writes what stood before; a row that was
added is withdrawn, not deleted. What comes by the thousand (a logger's file, a probe's readings) has one journal row:
that of its import.
"""

from __future__ import annotations

import json
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from typing import Any

from stathmis.logbook import checksums, tables
from stathmis.logbook.opening import Logbook, LogbookError
from stathmis.logbook.readings import seal
from stathmis.logbook.records import Reading
from stathmis.logbook.snapshot import Series, Writing
from stathmis.logbook.tables import EDIT, EDIT_ROW
from stathmis.words import opening as say

_SETTING = "setting"


class Edit:
    """An edit under way."""

    def __init__(self, work: Writing, at_ms: int) -> None:
        self.work = work
        self._at_ms = at_ms
        self._before: dict[tuple[str, str], str | None] = {}

    @property
    def empty(self) -> bool:
        """Whether nothing was changed so far."""
        return not self._before

    def add(self, kind: type, /, **fields: Any) -> int:
        """Add a record and return its id; fields are the record's, without id."""
        table = tables.table_of(kind)
        cursor = self.work.connection.execute(table.insert(tuple(fields)), tuple(fields.values()))
        made = int(cursor.lastrowid or 0)
        self._before[table.name, str(made)] = None
        self.work.touch(kind, [made])
        return made

    def change(self, kind: type, record_id: int, /, **fields: Any) -> None:
        """Change fields of a record. Raises KeyError where there is none."""
        table = tables.table_of(kind)
        self._remember(table.name, str(record_id))
        names = ", ".join(f'"{n}" = ?' for n in fields)
        self.work.connection.execute(f'UPDATE "{table.name}" SET {names} WHERE id = ?', (*fields.values(), record_id))
        self.work.touch(kind, [record_id])

    def strike(self, kind: type, record_ids: Iterable[int], why: str = "") -> None:
        """Leave records out from now on; they stay in the file. why: kept with a reading. Raises KeyError."""
        for record_id in record_ids:
            self.change(
                kind, record_id, withdrawn_ms=self._at_ms, **({"withdrawn_why": why} if kind is Reading else {})
            )

    def set(self, key: str, value: str) -> None:
        """Set a setting, in place of its value."""
        if (_SETTING, key) not in self._before:
            self._before[_SETTING, key] = _state(self.work, _SETTING, key)
        _put_setting(self.work, key, value)

    def seal(self, import_id: int, channel_id: int, series: Series) -> None:
        """Keep readings (in order of time, no nan) of a logger as chunks of an import that this edit adds."""
        seal(self.work.connection, channel_id, import_id, series.times_ms, series.shown)
        self.work.sealed = True

    def _remember(self, table: str, row: str) -> None:
        if (table, row) not in self._before:
            found = _state(self.work, table, row)
            if found is None:
                raise KeyError(f"no {table} {row}")
            self._before[table, row] = found

    def rows(self) -> list[tuple[str, str, str | None, str | None]]:
        """What goes into the journal: table, row, state before and after."""
        return [(of, row, was, _state(self.work, of, row)) for (of, row), was in self._before.items()]


@contextmanager
def edit(logbook: Logbook, label: str, at_ms: int, *, undoable: bool = True) -> Iterator[Edit]:
    """Change records in one transaction, told in the keeper's words; at_ms: now, UTC ms.

    undoable: whether undo takes it back; what the application notes by itself it does not. An edit that changes
    nothing leaves no trace. Raises LogbookError where nothing can be written.
    """
    with logbook.writing() as work:
        made = Edit(work, at_ms)
        yield made
        if made.empty:
            return
        run = work.connection.execute
        if undoable:
            # what was undone before can no longer be done again
            run("UPDATE edit SET state = 'overtaken', state_ms = ? WHERE state = 'undone'", (at_ms,))
        state = "done" if undoable else "noted"
        rows = made.rows()
        names = ("at_ms", "label", "state", "state_ms", "crc")
        told = (at_ms, label, state, at_ms, checksums.of_edit(at_ms, label, rows))
        edit_id = run(EDIT.insert(names), told).lastrowid
        work.connection.executemany(EDIT_ROW.insert(("edit_id", *checksums.ROW)), [(edit_id, *row) for row in rows])


@dataclass(frozen=True)
class RowChange:
    """A row of the journal: the table and row (a setting's key), and all its fields before and after (None: none)."""

    of: str
    row: str
    before: dict[str, Any] | None
    after: dict[str, Any] | None


@dataclass(frozen=True)
class Done:
    """An edit of the journal. state: "done", "undone", "overtaken" (undone for good) or "noted" (by itself).

    touched: how many rows it changed, where it was asked for in the history.
    """

    id: int
    at_ms: int
    label: str
    state: str
    state_ms: int
    touched: int = 0


_NAMES = "id, at_ms, label, state, state_ms"
_NEXT = {
    "done": f"SELECT {_NAMES} FROM edit WHERE state = 'done' ORDER BY id DESC LIMIT 1",
    # the first of those undone is the one undone last
    "undone": f"SELECT {_NAMES} FROM edit WHERE state = 'undone' ORDER BY id LIMIT 1",
}


def to_undo(logbook: Logbook) -> Done | None:
    """The edit that undo would take back."""
    return _next(logbook, "done")


def to_redo(logbook: Logbook) -> Done | None:
    """The edit that redo would do again."""
    return _next(logbook, "undone")


def _next(logbook: Logbook, state: str) -> Done | None:
    with logbook.reading() as connection:
        row = connection.execute(_NEXT[state]).fetchone()
    return None if row is None else Done(*row)


def undo(logbook: Logbook, at_ms: int) -> Done | None:
    """Take back the newest edit, whole or not at all, and return it; None where there is none.

    Raises LogbookError where the journal does not fit what stands in the file (it was changed by something else).
    """
    return _step(logbook, "done", "undone", at_ms)


def redo(logbook: Logbook, at_ms: int) -> Done | None:
    """Do again what was undone last, and return it; None where there is none. Raises as undo."""
    return _step(logbook, "undone", "done", at_ms)


def _step(logbook: Logbook, state: str, then: str, at_ms: int) -> Done | None:
    if _next(logbook, state) is None:
        return None
    with logbook.writing() as work:
        row = work.connection.execute(_NEXT[state]).fetchone()
        if row is None:
            return None
        found = Done(*row)
        changes = _rows_of(work.connection, found.id)
        for change in reversed(changes) if then == "undone" else changes:
            was, to = (change.after, change.before) if then == "undone" else (change.before, change.after)
            _put(work, found, change, was, to, at_ms)
        work.connection.execute("UPDATE edit SET state = ?, state_ms = ? WHERE id = ?", (then, at_ms, found.id))
    return Done(found.id, found.at_ms, found.label, then, at_ms)


def _put(
    work: Writing, about: Done, change: RowChange, was: dict[str, Any] | None, to: dict[str, Any] | None, at_ms: int
) -> None:
    """Write one row's other state; was: how it must stand now."""
    if change.of == _SETTING:
        _expect(work, about, change, was)
        if to is None:
            work.connection.execute("DELETE FROM setting WHERE key = ?", (change.row,))
            work.settings = True
        else:
            _put_setting(work, change.row, str(to["value"]))
        return
    kind = tables.kind_named(change.of)
    if kind is None:
        raise LogbookError(*say.LABEL_CHANGED_SOMETHING_THIS_STATHMIS(label=about.label))
    # a row that was added is withdrawn when that is undone: it is in the file either way
    there = was if was is not None else to
    assert there is not None
    _expect(work, about, change, there, withdrawn=was is None)
    wanted = to if to is not None else {**there, "withdrawn_ms": at_ms}
    names = ", ".join(f'"{n}" = ?' for n in wanted)
    work.connection.execute(f'UPDATE "{change.of}" SET {names} WHERE id = ?', (*wanted.values(), int(change.row)))
    work.touch(kind, [int(change.row)])


def _expect(
    work: Writing, about: Done, change: RowChange, was: dict[str, Any] | None, *, withdrawn: bool = False
) -> None:
    text = _state(work, change.of, change.row)
    found = None if text is None else json.loads(text)
    if withdrawn and found is not None and was is not None:
        found, was = {**found, "withdrawn_ms": 0}, {**was, "withdrawn_ms": 0}
    if found != was:
        raise LogbookError(*say.LABEL_CANNOT_BE_TAKEN_BACK(label=about.label))


def _state(work: Writing, of: str, row: str) -> str | None:
    """All fields of a row as JSON; None where there is no such row."""
    if of == _SETTING:
        found = work.connection.execute("SELECT value FROM setting WHERE key = ?", (row,)).fetchone()
        return None if found is None else json.dumps({"value": found[0]}, ensure_ascii=False)
    kind = tables.kind_named(of)
    assert kind is not None
    names = tables.table_of(kind).names
    found = work.connection.execute(f'SELECT {tables.quoted(names)} FROM "{of}" WHERE id = ?', (int(row),)).fetchone()
    return None if found is None else json.dumps(dict(zip(names, found, strict=True)), ensure_ascii=False)


def _put_setting(work: Writing, key: str, value: str) -> None:
    row = (key, value, checksums.of_row(key, value))
    work.connection.execute("INSERT OR REPLACE INTO setting (key, value, crc) VALUES (?, ?, ?)", row)
    work.settings = True


def _rows_of(connection: Any, edit_id: int, most: int = -1) -> list[RowChange]:
    found = connection.execute(
        'SELECT "of", "row", before, after FROM edit_row WHERE edit_id = ? ORDER BY id LIMIT ?', (edit_id, most)
    ).fetchall()
    return [RowChange(of, row, _read(before), _read(after)) for of, row, before, after in found]


def _read(text: str | None) -> dict[str, Any] | None:
    if text is None:
        return None
    try:
        found = json.loads(text)
    except ValueError:
        found = None
    # what cannot be read fits nothing that stands in the file: undo says so, and it is shown as it is
    return found if isinstance(found, dict) else {"unreadable": text}


def history(logbook: Logbook, most: int = 200) -> list[Done]:
    """The newest edits, newest first."""
    touched = "(SELECT count(*) FROM edit_row WHERE edit_id = edit.id)"
    with logbook.reading() as connection:
        found = connection.execute(f"SELECT {_NAMES}, {touched} FROM edit ORDER BY id DESC LIMIT ?", (most,)).fetchall()
    return [Done(*row) for row in found]


def rows_of(logbook: Logbook, done: Done, most: int) -> list[RowChange]:
    """The rows an edit changed, of very many the first ones."""
    with logbook.reading() as connection:
        return _rows_of(connection, done.id, most)
