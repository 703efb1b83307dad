"""An open logbook with its clock, undo history and preferences: what every task is given."""

from __future__ import annotations

import threading
from collections.abc import Callable, Sequence
from copy import copy
from datetime import datetime
from typing import Any, Literal, TypeVar

from stathmis.core.psychrometrics import standard_pressure
from stathmis.core.units import Unit
from stathmis.logbook import keeping
from stathmis.logbook.keeping import Record
from stathmis.logbook.opening import Logbook
from stathmis.logbook.records import Channel, Event, Incubator, Instrument, Placement
from stathmis.services import clock as clocks
from stathmis.services.corrections import CorrectionBook
from stathmis.services.undo import Edit, History

TemperatureUnit = Literal["°C", "°F"]
Found = TypeVar("Found", Channel, Instrument)


def _with_id(records: list[Found], record_id: int) -> Found:
    for record in records:
        if record.id == record_id:
            return record
    raise KeyError(f"no record {record_id}")


class Workbench:
    """One keeper's open logbook. Views add themselves to listeners and are called after every change."""

    def __init__(self, logbook: Logbook, clock: clocks.Clock) -> None:
        self.logbook = logbook
        self.clock = clock
        self.history = History()
        self.listeners: list[Callable[[], None]] = []
        self._corrections: CorrectionBook | None = None
        self._records: dict[type, list[Any]] = {}
        self._version = 0
        self._lock = threading.Lock()
        self.read_settings()

    def read_settings(self) -> None:
        """Read the logbook's settings again."""
        settings = keeping.settings(self.logbook)
        self.name = settings.get("name", "")
        self.zone = settings.get("time_zone", "UTC")
        altitude = settings.get("altitude_m", "")
        self.altitude_m: float | None = float(altitude) if altitude else None
        self.temperature_unit: TemperatureUnit = "°F" if settings.get("temperature_unit") == "°F" else "°C"

    @property
    def version(self) -> int:
        """Counts the changes of the logbook: what was worked out from an older one is to be worked out anew."""
        return self._version

    @property
    def now_ms(self) -> int:
        """UTC ms."""
        return self.clock.now_ms()

    @property
    def pressure_hpa(self) -> float:
        """Standard pressure at the logbook's altitude, at sea level where it is not known, hPa."""
        return float(standard_pressure(self.altitude_m or 0.0))

    @property
    def corrections(self) -> CorrectionBook:
        """Corrections as they stand; read again after a change."""
        with self._lock:
            known, version = self._corrections, self._version
        if known is not None:
            return known
        found = CorrectionBook(self.logbook)
        with self._lock:
            # what a worker read before a change must not be kept after it
            if version == self._version:
                self._corrections = found
        return found

    def known_by(self, at_ms: int) -> Workbench:
        """The same logbook for reading, corrected only by the checks done until a time (UTC ms)."""
        then = copy(self)
        then.listeners, then._lock = [], threading.Lock()
        then._corrections = CorrectionBook(self.logbook, at_ms)
        return then

    def local(self, ms: float) -> datetime:
        """A UTC ms instant in the logbook's time zone."""
        return clocks.local(int(ms), self.zone)

    def shown_unit(self, quantity: str) -> Unit:
        """Unit in which a quantity is shown."""
        return self.temperature_unit if quantity == "temperature" else "%"

    def changed(self) -> None:
        """Tell every view that the logbook changed."""
        with self._lock:
            self._version += 1
            self._corrections = None
            self._records.clear()
        for listener in list(self.listeners):
            listener()

    def did(self, label: str, undo: Callable[[], None], redo: Callable[[], None]) -> None:
        """Record an edit that was just made, and tell the views."""
        self.history.add(Edit(label, undo, redo))
        self.changed()

    def added(self, label: str, kind: type[Record], ids: list[int]) -> None:
        """Records were just added: make that undoable, and tell the views."""
        self.did(
            label,
            undo=lambda: keeping.withdraw(self.logbook, kind, ids, self.now_ms),
            redo=lambda: keeping.withdraw(self.logbook, kind, ids, None),
        )

    def add(self, label: str, new: Sequence[tuple[type[Any], dict[str, Any]]]) -> list[int]:
        """Add records in one transaction, undoable together, and tell the views. Returns their ids."""
        ids = keeping.add_all(self.logbook, new)

        def mark(withdrawn_ms: int | None) -> None:
            for (kind, _), made in zip(new, ids, strict=True):
                keeping.withdraw(self.logbook, kind, [made], withdrawn_ms)

        self.did(label, undo=lambda: mark(self.now_ms), redo=lambda: mark(None))
        return ids

    def strike(self, label: str, kind: type[Record], ids: list[int]) -> None:
        """Leave records out from now on, undoable, and tell the views; they stay in the file."""
        keeping.withdraw(self.logbook, kind, ids, self.now_ms)
        self.did(
            label,
            undo=lambda: keeping.withdraw(self.logbook, kind, ids, None),
            redo=lambda: keeping.withdraw(self.logbook, kind, ids, self.now_ms),
        )

    def undo(self) -> str | None:
        """Take back the newest edit; returns its label, None when there is none."""
        label = self.history.undo()
        self.changed()
        return label

    def redo(self) -> str | None:
        """Do again what was undone last; returns its label, None when there is none."""
        label = self.history.redo()
        self.changed()
        return label

    def set_temperature_unit(self, unit: TemperatureUnit) -> None:
        """Show temperatures in °C or °F; kept in the logbook unless it is read-only."""
        self.temperature_unit = unit
        if not self.logbook.read_only:
            keeping.save_setting(self.logbook, "temperature_unit", unit)
        self.changed()

    def records(self, kind: type[Record]) -> list[Record]:
        """All records of a kind, oldest first, read once until something changes."""
        with self._lock:
            known, version = self._records.get(kind), self._version
        if known is not None:
            return known
        found = keeping.all_of(self.logbook, kind)
        with self._lock:
            if version == self._version:
                self._records[kind] = found
        return found

    def events_between(self, incubator_id: int, start_ms: int, end_ms: int) -> list[Event]:
        """Events of an incubator from start to end (UTC ms, both included), in order of time."""
        found = [e for e in self.records(Event) if e.incubator_id == incubator_id and start_ms <= e.time_ms <= end_ms]
        return sorted(found, key=lambda e: (e.time_ms, e.id))

    def incubators(self) -> list[Incubator]:
        """All incubators, in the order they were entered; without the room they stand in."""
        return [i for i in self.records(Incubator) if i.air != "room"]

    def room(self) -> Incubator | None:
        """The room the incubators stand in, None where the keeper entered none."""
        return next((i for i in self.records(Incubator) if i.air == "room"), None)

    def places(self) -> list[Incubator]:
        """Wherever something is read: the incubators, then the room."""
        room = self.room()
        return [*self.incubators(), *([room] if room is not None else [])]

    def channel(self, channel_id: int) -> Channel:
        """The channel with this id. Raises KeyError when there is none."""
        return _with_id(self.records(Channel), channel_id)

    def instrument(self, instrument_id: int) -> Instrument:
        """The instrument with this id. Raises KeyError when there is none."""
        return _with_id(self.records(Instrument), instrument_id)

    def hanging_in(self, incubator_id: int, at_ms: int) -> list[tuple[Instrument, Placement, list[Channel]]]:
        """Instruments in an incubator at a time, with where they hang and what they show."""
        instruments = {i.id: i for i in self.records(Instrument)}
        channels = self.records(Channel)
        found = []
        for placement in self.records(Placement):
            if placement.incubator_id != incubator_id:
                continue
            here = placement.from_ms <= at_ms and (placement.to_ms is None or at_ms < placement.to_ms)
            if here and placement.instrument_id in instruments:
                own = [c for c in channels if c.instrument_id == placement.instrument_id]
                found.append((instruments[placement.instrument_id], placement, own))
        return found
