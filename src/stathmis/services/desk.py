"""A keeper's open logbook at work: its clock, the book as it stands now, edits, and who is told of them."""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import contextmanager
from typing import Any

from stathmis.logbook import edits
from stathmis.logbook.edits import Done, Edit
from stathmis.logbook.opening import Logbook
from stathmis.logbook.snapshot import SETTINGS
from stathmis.services.book import Book, Kept, TemperatureUnit
from stathmis.services.clock import Clock
from stathmis.words.catalogue import _

Topics = frozenset[type | str]
HELD_MS = 1000
"""Within a second one book serves: what a page asks of it is asked of one instant."""


class Desk:
    """One keeper's open logbook. Listeners are told which kinds of records every edit touched."""

    def __init__(self, logbook: Logbook, clock: Clock) -> None:
        self.logbook = logbook
        self.clock = clock
        self.listeners: list[Callable[[Topics], None]] = []
        self.deliver: Callable[[Callable[[], None]], None] = lambda tell: tell()
        self._kept = Kept()
        self._book: Book | None = None
        self._unit: TemperatureUnit | None = None
        self._under_way = threading.local()

    @property
    def now_ms(self) -> int:
        """UTC ms."""
        return self.clock.now_ms()

    @property
    def book(self) -> Book:
        """The logbook as it stands now; within an edit, as that edit has it so far."""
        under_way: Edit | None = getattr(self._under_way, "edit", None)
        if under_way is not None:
            return Book(self.logbook.snapshot.after(under_way.work), self.clock.now_ms())
        now, snapshot, held = self.clock.now_ms(), self.logbook.snapshot, self._book
        if held is not None and held.snapshot is snapshot and 0 <= now - held.now_ms < HELD_MS:
            return held
        made = self._book = Book(snapshot, now, self._kept, self._unit)
        return made

    @property
    def read_only(self) -> bool:
        """Whether nothing can be written."""
        return self.logbook.read_only

    @contextmanager
    def edit(self, label: str, *, undoable: bool = True) -> Iterator[Edit]:
        """Change records in one transaction, told in the keeper's words; see edits.edit. Listeners are told at its end.

        An edit within an edit is part of it. Raises LogbookError where nothing can be written.
        """
        outer: Edit | None = getattr(self._under_way, "edit", None)
        if outer is not None:
            yield outer
            return
        with edits.edit(self.logbook, label, self.now_ms, undoable=undoable) as made:
            self._under_way.edit = made
            try:
                yield made
            finally:
                self._under_way.edit = None
        if made.work.topics:
            self.tell(made.work.topics)

    def add(self, label: str, new: Sequence[tuple[type[Any], dict[str, Any]]]) -> list[int]:
        """Add records in one edit. Returns their ids."""
        with self.edit(label) as edit:
            return [edit.add(kind, **fields) for kind, fields in new]

    def strike(self, label: str, kind: type, ids: Iterable[int], why: str = "") -> None:
        """Leave records out from now on, in one edit; they stay in the file."""
        with self.edit(label) as edit:
            edit.strike(kind, ids, why)

    def undo(self) -> str | None:
        """Take back the newest edit; returns its label, None when there is none. Raises LogbookError."""
        return self._stepped(edits.undo)

    def redo(self) -> str | None:
        """Do again what was undone last; returns its label, None when there is none. Raises LogbookError."""
        return self._stepped(edits.redo)

    def _stepped(self, step: Callable[[Logbook, int], Done | None]) -> str | None:
        before = self.logbook.snapshot
        found = step(self.logbook, self.now_ms)
        after = self.logbook.snapshot
        self.tell(frozenset(k for k, v in after.versions.items() if before.versions[k] != v))
        return None if found is None else found.label

    def tell(self, topics: Topics) -> None:
        """Tell the listeners that these kinds of records changed."""
        for listener in list(self.listeners):
            self.deliver(lambda told=listener: told(topics))  # type: ignore[misc]

    def set_temperature_unit(self, unit: TemperatureUnit) -> None:
        """Show temperatures in °C or °F; kept in the logbook unless it is read-only."""
        if self.read_only:
            self._unit, self._book = unit, None
            self.tell(frozenset({SETTINGS}))
            return
        with self.edit(_("temperatures in {unit}", unit=unit), undoable=False) as edit:
            edit.set("temperature_unit", unit)
