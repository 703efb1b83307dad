"""How the logbook stood at one moment: its records, settings and readings, for reading only.

A snapshot never changes. After something was written the next one is made from it: only what was touched is read again,
what keeps growing (hand readings, a probe's tail) is appended. Each kind of record has a version, so that what was
worked out from a snapshot is known to hold as long as the versions it rests on do.
"""

from __future__ import annotations

import sqlite3
from collections.abc import Iterable, Mapping, Sequence
from contextlib import closing
from dataclasses import dataclass, fields
from typing import TYPE_CHECKING, Any, NamedTuple, Protocol, TypeVar

import numpy as np
from numpy.typing import NDArray

from stathmis.logbook import tables
from stathmis.logbook.records import LoggerImport, Reading, StoredCalibration

if TYPE_CHECKING:
    from contextlib import AbstractContextManager

Record = TypeVar("Record")
Times = NDArray[np.int64]
Values = NDArray[np.float64]

SETTINGS = "settings"
DENSE = "dense"
"""Loggers' readings, sealed or still arriving."""


class Series(NamedTuple):
    """Readings of one channel in order of time: UTC ms, and values as shown in the channel's unit."""

    times_ms: Times
    shown: Values


NO_READINGS = Series(np.empty(0, np.int64), np.empty(0))


class Head(NamedTuple):
    """What is known of a chunk without opening it."""

    id: int
    first_ms: int
    last_ms: int
    readings: int
    least: float
    most: float


class Source(Protocol):
    """Where chunks are read from."""

    def reading(self) -> AbstractContextManager[sqlite3.Connection]:
        """A connection for queries."""


class Writing:
    """One transaction under way: its connection, and what it has touched so far."""

    def __init__(self, connection: sqlite3.Connection) -> None:
        self.connection = connection
        self.touched: dict[type, set[int]] = {}
        self.settings = False
        self.sealed = False
        self.arrived: list[tuple[int, Times, Values]] = []

    def touch(self, kind: type, ids: Iterable[int]) -> None:
        """Rows of a kind were added, changed or withdrawn."""
        self.touched.setdefault(kind, set()).update(ids)

    @property
    def topics(self) -> frozenset[type | str]:
        """The kinds of what was touched."""
        more = [SETTINGS] if self.settings else []
        return frozenset([*self.touched, *more, *([DENSE] if self.sealed or self.arrived else [])])


@dataclass(frozen=True)
class _State:
    """Everything a snapshot holds."""

    records: Mapping[type, tuple[Any, ...]]
    settings: Mapping[str, str]
    by_hand: Mapping[int, tuple[Reading, ...]]
    heads: Mapping[int, tuple[Head, ...]]
    tails: Mapping[int, Series]
    versions: Mapping[type | str, Any]


class Snapshot:
    """The logbook at one moment. versions: by kind of record, SETTINGS and DENSE; they only rise.

    known_ms: it knows only the checks done until then (UTC ms), None: all.
    """

    def __init__(self, source: Source, state: _State, known_ms: int | None = None) -> None:
        self.source = source
        self._state = state
        self.versions = state.versions
        self.known_ms = known_ms
        self._by_field: dict[tuple[type, str], dict[Any, tuple[Any, ...]]] = {}

    @classmethod
    def read(cls, logbook: Source) -> Snapshot:
        """Everything but the insides of chunks, as of one moment. Raises LogbookError where it cannot be read."""
        with logbook.reading() as connection:
            connection.execute("BEGIN")
            try:
                records = {kind: tuple(_load(connection, kind)) for kind in tables.kinds()}
                settings = dict(connection.execute("SELECT key, value FROM setting").fetchall())
                heads, tails = _heads(connection), _tails(connection)
            finally:
                connection.execute("ROLLBACK")
        versions: dict[type | str, Any] = dict.fromkeys([*records, SETTINGS, DENSE], 0)
        by_hand = _by_channel(records[Reading])
        return cls(logbook, _State(records, settings, by_hand, heads, tails, versions))

    def after(self, work: Writing) -> Snapshot:
        """The snapshot that follows on what a transaction did (called before it is committed)."""
        old, connection = self._state, work.connection
        records, versions = dict(old.records), dict(old.versions)
        by_hand: Mapping[int, tuple[Reading, ...]] = old.by_hand
        for kind, ids in work.touched.items():
            found = list(_load(connection, kind, sorted(ids)))
            records[kind] = _merged(old.records[kind], ids, found)
            if kind is Reading:
                by_hand = _hand_after(by_hand, ids, found)
        settings = old.settings
        if work.settings:
            settings = dict(connection.execute("SELECT key, value FROM setting").fetchall())
        heads, tails = old.heads, dict(old.tails)
        if work.sealed or LoggerImport in work.touched:
            heads = _heads(connection)
        if work.sealed:
            tails = _tails(connection)
        else:
            for channel_id, times, shown in work.arrived:
                tails[channel_id] = _joined(tails.get(channel_id, NO_READINGS), Series(times, shown))
        for topic in work.topics:
            versions[topic] += 1
        if LoggerImport in work.touched and DENSE not in work.topics:
            versions[DENSE] += 1
        return Snapshot(self.source, _State(records, settings, by_hand, heads, tails, versions))

    def as_known(self, at_ms: int) -> Snapshot:
        """The same, corrected only by the checks done until a time (UTC ms)."""
        old = self._state
        known = tuple(c for c in old.records[StoredCalibration] if c.done_ms <= at_ms)
        records = {**old.records, StoredCalibration: known}
        state = _State(records, old.settings, old.by_hand, old.heads, old.tails, old.versions)
        return Snapshot(self.source, state, at_ms)

    @property
    def settings(self) -> Mapping[str, str]:
        """All settings, by key."""
        return self._state.settings

    def records(self, kind: type[Record], /, **where: Any) -> tuple[Record, ...]:
        """All records of a kind that count, whose fields equal those given, oldest first."""
        if not where:
            return self._state.records[kind]
        (first, value), *others = where.items()
        by_value = self._by_field.get((kind, first))
        if by_value is None:
            sorted_out: dict[Any, list[Record]] = {}
            for record in self._state.records[kind]:
                sorted_out.setdefault(getattr(record, first), []).append(record)
            by_value = self._by_field[kind, first] = {key: tuple(found) for key, found in sorted_out.items()}
        found: tuple[Record, ...] = by_value.get(value, ())
        if not others:
            return found
        return tuple(r for r in found if all(getattr(r, name) == wanted for name, wanted in others))

    def one(self, kind: type[Record], record_id: int) -> Record:
        """The record with this id. Raises KeyError where there is none, or it does not count."""
        for record in self.records(kind, id=record_id):
            return record
        raise KeyError(f"no {kind.__name__} {record_id}")

    def by_hand(self, channel_id: int) -> tuple[Reading, ...]:
        """Readings typed for a channel that were not struck, in order of time."""
        return self._state.by_hand.get(channel_id, ())

    def heads(self, channel_id: int) -> tuple[Head, ...]:
        """What is known of a channel's chunks without opening them, in order of time."""
        return self._state.heads.get(channel_id, ())

    def live_channels(self) -> list[int]:
        """Channels with live readings that are not sealed yet."""
        return list(self._state.tails)

    def tail(self, channel_id: int) -> Series:
        """Live readings of a channel that are not sealed yet, in order of time."""
        return self._state.tails.get(channel_id, NO_READINGS)


def _load(connection: sqlite3.Connection, kind: type, ids: Sequence[int] | None = None) -> Iterable[Any]:
    table = tables.table_of(kind)
    truths = [i for i, f in enumerate(fields(kind)) if f.type == "bool"]
    with closing(connection.cursor()) as cursor:
        if ids is None:
            cursor.execute(f"{table.select} ORDER BY id")
            found = cursor.fetchall()
        else:
            found = []
            for at in range(0, len(ids), 500):
                part = ids[at : at + 500]
                cursor.execute(f"{table.select} AND id IN ({', '.join('?' * len(part))}) ORDER BY id", part)
                found += cursor.fetchall()
    for row in found:
        if truths:
            row = tuple(bool(v) if i in truths else v for i, v in enumerate(row))
        yield kind(*row)


def _merged(old: tuple[Any, ...], touched: set[int], found: list[Any]) -> tuple[Any, ...]:
    if not old or min(touched) > old[-1].id:
        return (*old, *found)
    kept = {r.id: r for r in old if r.id not in touched} | {r.id: r for r in found}
    return tuple(kept[i] for i in sorted(kept))


def _by_channel(readings: Iterable[Reading]) -> dict[int, tuple[Reading, ...]]:
    grouped: dict[int, list[Reading]] = {}
    for reading in readings:
        grouped.setdefault(reading.channel_id, []).append(reading)
    return {c: tuple(sorted(own, key=lambda r: (r.time_ms, r.id))) for c, own in grouped.items()}


def _hand_after(
    old: Mapping[int, tuple[Reading, ...]], touched: set[int], found: list[Reading]
) -> Mapping[int, tuple[Reading, ...]]:
    fresh = {r.id for r in found}
    gone = touched - fresh
    changed = {r.channel_id for r in found} | {c for c, own in old.items() if gone and any(r.id in gone for r in own)}
    made = dict(old)
    for channel_id in changed:
        kept = [r for r in old.get(channel_id, ()) if r.id not in touched]
        added = [r for r in found if r.channel_id == channel_id]
        made[channel_id] = tuple(sorted([*kept, *added], key=lambda r: (r.time_ms, r.id)))
    return made


def _heads(connection: sqlite3.Connection) -> dict[int, tuple[Head, ...]]:
    rows = connection.execute(
        "SELECT c.channel_id, c.id, c.first_ms, c.last_ms, c.count, c.least, c.most FROM chunk c "
        "JOIN logger_import m ON m.id = c.logger_import_id WHERE m.withdrawn_ms IS NULL "
        "ORDER BY c.channel_id, c.first_ms, c.id"
    ).fetchall()
    made: dict[int, list[Head]] = {}
    for channel_id, *head in rows:
        made.setdefault(channel_id, []).append(Head(*head))
    return {c: tuple(own) for c, own in made.items()}


def _tails(connection: sqlite3.Connection) -> dict[int, Series]:
    made: dict[int, list[tuple[int, float]]] = {}
    for channel_id, time_ms, shown in connection.execute(
        "SELECT channel_id, time_ms, shown FROM live_reading ORDER BY channel_id, time_ms, id"
    ):
        made.setdefault(channel_id, []).append((time_ms, shown))
    return {
        c: Series(np.array([t for t, _ in own], dtype=np.int64), np.array([v for _, v in own], dtype=np.float64))
        for c, own in made.items()
    }


def _joined(old: Series, new: Series) -> Series:
    times, shown = np.concatenate([old.times_ms, new.times_ms]), np.concatenate([old.shown, new.shown])
    if old.times_ms.size and new.times_ms.size and new.times_ms[0] >= old.times_ms[-1]:
        return Series(times, shown)
    order = np.argsort(times, kind="stable")
    return Series(times[order], shown[order])
