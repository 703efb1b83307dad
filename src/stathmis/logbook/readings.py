"""Readings of a channel: typed by hand, sealed in chunks by a logger, or still arriving from a probe.

A chunk holds up to 4,096 readings of one channel in order of time: little-endian int64 UTC ms, little-endian float64
values as shown, in the channel's unit. Nothing is rewritten: striking a reading or undoing an import only marks it.
"""

from __future__ import annotations

import sqlite3
from bisect import bisect_left, bisect_right
from collections.abc import Sequence
from typing import Any, NamedTuple

import numpy as np

from stathmis.core.units import Unit, from_inside, to_inside
from stathmis.logbook import checksums
from stathmis.logbook.records import Channel, Reading
from stathmis.logbook.snapshot import NO_READINGS, Head, Series, Snapshot, Times, Values
from stathmis.logbook.tables import CHUNK

CHUNK_OF = 4096


def seal(connection: sqlite3.Connection, channel_id: int, import_id: int, times_ms: Times, shown: Values) -> None:
    """Write readings (in order of time, no nan) as chunks of a channel, inside the caller's transaction."""
    rows: list[tuple[Any, ...]] = []
    for start in range(0, times_ms.size, CHUNK_OF):
        t = np.ascontiguousarray(times_ms[start : start + CHUNK_OF], dtype="<i8")
        v = np.ascontiguousarray(shown[start : start + CHUNK_OF], dtype="<f8")
        head = (int(t[0]), int(t[-1]), t.size, float(v.min()), float(v.max()), float(v.sum()))
        row = (channel_id, import_id, *head, t.tobytes(), v.tobytes())
        rows.append((*row, checksums.of_chunk(*row)))
    connection.executemany(CHUNK.insert(CHUNK.names[1:]), rows)


def hand_readings(snapshot: Snapshot, channel_id: int, start_ms: int, end_ms: int) -> list[Reading]:
    """Readings typed by hand for a channel from start to end (UTC ms, both included), struck ones left out."""
    own = snapshot.by_hand(channel_id)
    first = bisect_left(own, start_ms, key=lambda r: r.time_ms)
    return list(own[first : bisect_right(own, end_ms, key=lambda r: r.time_ms)])


def dense_series(snapshot: Snapshot, channel_id: int, start_ms: int, end_ms: int) -> Series:
    """Sealed readings of a channel from start to end (UTC ms, both included), in order of time."""
    wanted = {h.id: h for h in _touching(snapshot, channel_id, start_ms, end_ms)}
    if not wanted:
        return NO_READINGS
    total = sum(h.readings for h in wanted.values())
    times, shown = np.empty(total, np.int64), np.empty(total)
    at = 0
    with snapshot.source.reading() as connection:
        # row by row into place: a long run would otherwise lie in memory three times
        for chunk_id, t, v in connection.execute(
            "SELECT id, times, shown FROM chunk WHERE channel_id = ? AND last_ms >= ? AND first_ms <= ? "
            "ORDER BY first_ms, id",
            (channel_id, start_ms, end_ms),
        ):
            if chunk_id in wanted:
                there = slice(at, at + len(t) // 8)
                times[there], shown[there] = np.frombuffer(t, "<i8"), np.frombuffer(v, "<f8")
                at = there.stop
    times, shown = times[:at], shown[:at]
    if at and (times[0] < start_ms or times[-1] > end_ms or (np.diff(times) < 0).any()):
        order = np.argsort(times, kind="stable")
        times, shown = times[order], shown[order]
        keep = (times >= start_ms) & (times <= end_ms)
        times, shown = times[keep], shown[keep]
    return Series(times, shown)


def _touching(snapshot: Snapshot, channel_id: int, start_ms: int, end_ms: int) -> list[Head]:
    """Heads of the chunks that may hold readings from start to end."""
    return [h for h in snapshot.heads(channel_id) if h.last_ms >= start_ms and h.first_ms <= end_ms]


class Outline(NamedTuple):
    """What the heads of a channel's chunks say, in order of time: first and last UTC ms, least and most as shown."""

    first_ms: Times
    last_ms: Times
    least: Values
    most: Values
    readings: int


def dense_count(snapshot: Snapshot, channel_ids: Sequence[int], start_ms: int, end_ms: int) -> int:
    """About how many logger readings channels have from start to end (UTC ms): those of whole chunks."""
    return sum(h.readings for c in channel_ids for h in _touching(snapshot, c, start_ms, end_ms))


def outline(snapshot: Snapshot, channel_id: int, start_ms: int, end_ms: int) -> Outline:
    """The outline of a channel's sealed readings from start to end (UTC ms), without reading them."""
    heads = _touching(snapshot, channel_id, start_ms, end_ms)
    return Outline(
        np.array([h.first_ms for h in heads], dtype=np.int64),
        np.array([h.last_ms for h in heads], dtype=np.int64),
        np.array([h.least for h in heads], dtype=np.float64),
        np.array([h.most for h in heads], dtype=np.float64),
        sum(h.readings for h in heads),
    )


def live_tail(snapshot: Snapshot, channel_id: int, start_ms: int, end_ms: int) -> Series:
    """Live readings of a channel not sealed yet, from start to end (UTC ms, both included), in order of time."""
    times, shown = snapshot.tail(channel_id)
    there = slice(int(np.searchsorted(times, start_ms, "left")), int(np.searchsorted(times, end_ms, "right")))
    return Series(times[there], shown[there])


def series(snapshot: Snapshot, channel: Channel, start_ms: int, end_ms: int) -> Series:
    """All readings of a channel from start to end (UTC ms), by hand, by logger and live, in the channel's unit."""
    dense = dense_series(snapshot, channel.id, start_ms, end_ms)
    tail = live_tail(snapshot, channel.id, start_ms, end_ms)
    by_hand = hand_readings(snapshot, channel.id, start_ms, end_ms)
    if not by_hand and not tail.times_ms.size:
        return dense
    hand_times = np.array([r.time_ms for r in by_hand], dtype=np.int64)
    hand_shown = np.array([in_unit(r, channel.unit) for r in by_hand], dtype=np.float64)
    times = np.concatenate([dense.times_ms, tail.times_ms, hand_times])
    shown = np.concatenate([dense.shown, tail.shown, hand_shown])
    order = np.argsort(times, kind="stable")
    return Series(times[order], shown[order])


def in_unit(reading: Reading, unit: Unit) -> float:
    """A reading's value in a unit (it may have been typed in another)."""
    return reading.value if reading.unit == unit else float(from_inside(to_inside(reading.value, reading.unit), unit))


def newest(snapshot: Snapshot, channels: Sequence[Channel], start_ms: int, end_ms: int) -> dict[int, tuple[int, float]]:
    """The newest reading of each channel from start to end (UTC ms, both included), by channel id: time and value as
    shown, in the channel's unit; channels without one are left out. What was typed counts before a logger's of the
    same instant, as in series."""
    found = {}
    for channel in channels:
        typed = hand_readings(snapshot, channel.id, start_ms, end_ms)[-1:]
        tail = live_tail(snapshot, channel.id, start_ms, end_ms)
        rows = [(r.time_ms, 2, in_unit(r, channel.unit)) for r in typed]
        if tail.times_ms.size:
            rows.append((int(tail.times_ms[-1]), 1, float(tail.shown[-1])))
        # chunks only where one may hold something newer than what is in hand
        since = max((at for at, _, _ in rows), default=start_ms)
        heads = _touching(snapshot, channel.id, since, end_ms)
        if heads:
            # one that ends before another's end may still hold the newest reading until end_ms
            begun = max([since, *(h.last_ms for h in heads if h.last_ms <= end_ms)])
            sealed = dense_series(snapshot, channel.id, begun, end_ms)
            if sealed.times_ms.size:
                rows.append((int(sealed.times_ms[-1]), 0, float(sealed.shown[-1])))
        if rows:
            at, _, shown = max(rows)
            found[channel.id] = at, shown
    return found
