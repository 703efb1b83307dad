"""The logbook as it stands at an instant: what every question about it is asked of.

A book is a snapshot and a now. It never changes, so a worker can go on reading it while the keeper goes on writing.
What follows from it is worked out once for as long as the records it rests on stand (see finding).
"""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from datetime import datetime
from functools import wraps
from typing import Any, Concatenate, Literal, ParamSpec, TypeVar

from stathmis.core.psychrometrics import standard_pressure
from stathmis.core.units import Unit
from stathmis.logbook.records import (
    Box,
    CertificatePoint,
    Channel,
    Event,
    Incubator,
    Instrument,
    Placement,
    StoredCalibration,
)
from stathmis.logbook.snapshot import Snapshot
from stathmis.services import clock as clocks
from stathmis.services.findings.corrections import CorrectionBook

TemperatureUnit = Literal["°C", "°F"]
Record = TypeVar("Record")
Found = TypeVar("Found")
Asked = ParamSpec("Asked")

MOST_KEPT = 128


@dataclass(frozen=True)
class Settings:
    """What is set for a logbook as a whole. altitude_m: None where it is not known."""

    name: str = ""
    zone: str = "UTC"
    altitude_m: float | None = None
    temperature_unit: TemperatureUnit = "°C"
    lockdown_vents: str = "open"
    opening_at_hatch: str = "never"
    logbook_id: str = ""
    backup_folder: str = ""
    at_hand: frozenset[str] = frozenset()

    @classmethod
    def read(cls, kept: Mapping[str, str]) -> Settings:
        """From the file's settings."""
        altitude = kept.get("altitude_m", "")
        return cls(
            kept.get("name", ""),
            kept.get("time_zone", "UTC"),
            float(altitude) if altitude else None,
            "°F" if kept.get("temperature_unit") == "°F" else "°C",
            kept.get("lockdown_vents", "open"),
            kept.get("opening_at_hatch", "never"),
            kept.get("logbook_id", ""),
            kept.get("backup_folder", ""),
            frozenset(kept.get("at_hand", "").split()),
        )


class Same:
    """Stands for a thing that may not be compared cheaply: equal to one that stands for the very same object."""

    __slots__ = ("what",)

    def __init__(self, what: object) -> None:
        self.what = what

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Same) and self.what is other.what

    def __hash__(self) -> int:
        return id(self.what)


class Kept:
    """What was found, each with what it rests on; shared by all books of a logbook, from any thread."""

    def __init__(self) -> None:
        self._found: dict[Any, OrderedDict[Any, tuple[Any, Any]]] = {}
        self._under_way: dict[Any, _Doing] = {}
        self._lock = threading.Lock()

    def get(self, find: Any, key: Any, rests_on: Any, make: Callable[[Any], Any], most: int = MOST_KEPT) -> Any:
        """What is known for a key while it rests on the same; else made, told what was known before (None: nothing).

        Who asks while it is being made waits for that. most: of one way to find so many are kept, those asked for last.
        """
        with self._lock:
            own = self._found.setdefault(find, OrderedDict())
            known = own.get(key)
            if known is not None and known[0] == rests_on:
                own.move_to_end(key)
                return known[1]
            doing = self._under_way.setdefault((find, key), _Doing())
            doing.asked += 1
        try:
            with doing.lock:
                with self._lock:
                    known = own.get(key)
                if known is not None and known[0] == rests_on:
                    return known[1]
                made = make(known[1] if known is not None else None)
                with self._lock:
                    # an older book's worker may come later than a newer one's: the next to ask looks again
                    own[key] = rests_on, made
                    own.move_to_end(key)
                    while len(own) > most:
                        own.popitem(last=False)
                return made
        finally:
            with self._lock:
                doing.asked -= 1
                if not doing.asked:
                    del self._under_way[find, key]


class _Doing:
    """Something being found, and how many ask for it."""

    def __init__(self) -> None:
        self.lock = threading.RLock()
        self.asked = 0


def finding(
    *kinds: type | str, each_minute: bool = False, here: bool = False, most: int = MOST_KEPT
) -> Callable[[Callable[Concatenate[Book, Asked], Found]], Callable[Concatenate[Book, Asked], Found]]:
    """Work a function of a book out once for each state of the kinds of records it rests on.

    Everything else it depends on must be among its arguments (hashable): what looks at the time takes at_ms, or is
    found anew each_minute. here: it rests on the readings of the incubator that is its first argument too. most: so
    many are kept, those asked for last.
    """

    def once(find: Callable[Concatenate[Book, Asked], Found]) -> Callable[Concatenate[Book, Asked], Found]:
        @wraps(find)
        def asked(book: Book, /, *args: Asked.args, **more: Asked.kwargs) -> Found:
            key = (book.snapshot.known_ms, args, tuple(sorted(more.items())))
            rests_on: tuple[Any, ...] = book.versions(*kinds)
            if each_minute:
                rests_on = (*rests_on, book.now_ms // 60_000)
            if here:
                rests_on = (*rests_on, *readings_of(book, args[0].id))  # type: ignore[attr-defined]
            found: Found = book.kept.get(find, key, rests_on, lambda _: find(book, *args, **more), most)
            return found

        return asked

    return once


class Book:
    """The logbook at an instant (now_ms, UTC ms). unit: to show temperatures in, by default the one that is set."""

    def __init__(
        self, snapshot: Snapshot, now_ms: int, kept: Kept | None = None, unit: TemperatureUnit | None = None
    ) -> None:
        self.snapshot = snapshot
        self.now_ms = now_ms
        self.kept = kept if kept is not None else Kept()
        self.settings = Settings.read(snapshot.settings)
        self.name, self.zone = self.settings.name, self.settings.zone
        self.altitude_m = self.settings.altitude_m
        self.temperature_unit: TemperatureUnit = unit or self.settings.temperature_unit

    def versions(self, *kinds: type | str) -> tuple[Any, ...]:
        """How often each of these kinds of records was changed: what rests on them holds while these are the same."""
        return tuple(self.snapshot.versions[k] for k in kinds)

    def as_known(self, at_ms: int) -> Book:
        """The same, corrected only by the checks done until a time (UTC ms)."""
        return Book(self.snapshot.as_known(at_ms), self.now_ms, self.kept, self.temperature_unit)

    @property
    def pressure_hpa(self) -> float:
        """Standard pressure at the logbook's altitude, at sea level where it is not known, hPa."""
        return float(standard_pressure(self.altitude_m or 0.0))

    @property
    def corrections(self) -> CorrectionBook:
        """Corrections as they stand."""
        return _corrections(self)

    def local(self, ms: float) -> datetime:
        """A UTC ms instant in the logbook's time zone."""
        return clocks.local(int(ms), self.zone)

    def shown_unit(self, quantity: str) -> Unit:
        """Unit in which a quantity is shown."""
        return self.temperature_unit if quantity == "temperature" else "%"

    def readings_by(self, channel_id: int) -> tuple[Same, ...]:
        """Stands for all readings of a channel: another one as soon as any reading comes or goes."""
        kept = self.snapshot
        return Same(kept.by_hand(channel_id)), Same(kept.heads(channel_id)), Same(kept.tail(channel_id))

    def records(self, kind: type[Record], /, **where: Any) -> tuple[Record, ...]:
        """All records of a kind that count, whose fields equal those given, oldest first."""
        return self.snapshot.records(kind, **where)

    def one(self, kind: type[Record], record_id: int) -> Record:
        """The record with this id. Raises KeyError where there is none, or it does not count."""
        return self.snapshot.one(kind, record_id)

    def events_between(self, incubator_id: int, start_ms: int, end_ms: int) -> list[Event]:
        """Events of an incubator from start to end (UTC ms, both included), in order of time."""
        return [e for e in _events(self).get(incubator_id, ()) if start_ms <= e.time_ms <= end_ms]

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

    @property
    def is_empty(self) -> bool:
        """Whether no incubator is entered."""
        return not self.records(Incubator)

    def channel(self, channel_id: int) -> Channel:
        """The channel with this id. Raises KeyError when there is none."""
        return self.one(Channel, channel_id)

    def instrument(self, instrument_id: int) -> Instrument:
        """The instrument with this id. Raises KeyError when there is none."""
        return self.one(Instrument, instrument_id)

    def hung_in(self, place: Incubator, quantity: str, start_ms: int, stop_ms: int) -> list[tuple[Placement, int, int]]:
        """What hung in a place between two times (UTC ms) for a quantity, each from when to when, both included.

        In a clutch's box its own instruments say it, and those of the whole machine only while there was none; for the
        whole machine those in boxes say nothing.
        """
        shows = {c.instrument_id for c in self.records(Channel, quantity=quantity)}
        found: list[tuple[Placement, int, int]] = []
        box = place.batch_id if isinstance(place, Box) else None
        every = [p for p in self.records(Placement, incubator_id=place.id) if p.instrument_id in shows]
        for own in (p for p in every if p.batch_id == box):
            start, stop = max(start_ms, own.from_ms), min(stop_ms, stop_ms if own.to_ms is None else own.to_ms - 1)
            found += [(own, start, stop)] if start <= stop else []
        if box is None:
            return found
        # the stretches in which nothing of its own was there
        since, free = start_ms, []
        for _own, start, stop in sorted(found, key=lambda f: f[1]):
            free += [(since, start - 1)] if since < start else []
            since = max(since, stop + 1)
        free += [(since, stop_ms)] if since <= stop_ms else []
        for shared in (p for p in every if p.batch_id is None):
            for first, last in free:
                start, stop = max(first, shared.from_ms), min(last, last if shared.to_ms is None else shared.to_ms - 1)
                found += [(shared, start, stop)] if start <= stop else []
        return found

    def hanging_in(self, incubator_id: int, at_ms: int) -> list[tuple[Instrument, Placement, list[Channel]]]:
        """Instruments in an incubator at a time, in its boxes too, with where they hang and what they show."""
        instruments = {i.id: i for i in self.records(Instrument)}
        found = []
        for placement in self.records(Placement, incubator_id=incubator_id):
            here = placement.from_ms <= at_ms and (placement.to_ms is None or at_ms < placement.to_ms)
            if here and placement.instrument_id in instruments:
                own = list(self.records(Channel, instrument_id=placement.instrument_id))
                found.append((instruments[placement.instrument_id], placement, own))
        return found


@finding(StoredCalibration, CertificatePoint, Channel)
def _corrections(book: Book) -> CorrectionBook:
    return CorrectionBook(book.snapshot)


@finding(Event)
def _events(book: Book) -> dict[int, tuple[Event, ...]]:
    made: dict[int, list[Event]] = {}
    for event in book.records(Event):
        made.setdefault(event.incubator_id, []).append(event)
    return {i: tuple(sorted(own, key=lambda e: (e.time_ms, e.id))) for i, own in made.items()}


@finding(Placement, Channel)
def _hung_channels(book: Book) -> dict[int, tuple[int, ...]]:
    """Channels that ever hung in each incubator, by ids."""
    made: dict[int, tuple[int, ...]] = {}
    for placement in book.records(Placement):
        own = tuple(c.id for c in book.records(Channel, instrument_id=placement.instrument_id))
        made[placement.incubator_id] = made.get(placement.incubator_id, ()) + own
    return made


def readings_of(book: Book, incubator_id: int) -> tuple[Same, ...]:
    """Stands for everything that was ever read in an incubator."""
    return tuple(same for c in _hung_channels(book).get(incubator_id, ()) for same in book.readings_by(c))
