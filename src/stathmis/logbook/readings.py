"""Readings in and out: rows typed by hand, and sealed chunks of logger data.

A chunk holds up to 4,096 readings of one channel in order of time: little-endian int64 UTC ms, little-endian float64
values as shown, in the channel's unit. Nothing is rewritten: striking a reading or undoing an import only marks it.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray
from sqlalchemy import Connection, func, select, update

from stathmis.core.units import Unit, from_inside, to_inside
from stathmis.logbook import schema
from stathmis.logbook.opening import Logbook
from stathmis.logbook.records import Channel, NewReading, Reading

Times = NDArray[np.int64]
Values = NDArray[np.float64]

CHUNK = 4096


class Series(NamedTuple):
    """Readings of one channel in order of time: UTC ms, and values as shown in the channel's unit."""

    times_ms: Times
    shown: Values


def log_readings(logbook: Logbook, readings: Sequence[NewReading], logged_ms: int) -> list[int]:
    """Log readings in one transaction and return their ids; when this returns they survive a pulled plug."""
    with logbook.writing() as connection:
        return [
            int(
                connection.execute(
                    schema.reading.insert().values(**asdict(r), logged_ms=logged_ms)
                ).inserted_primary_key[0]  # type: ignore[index]
            )
            for r in readings
        ]


def strike(logbook: Logbook, reading_ids: Sequence[int], at_ms: int | None, why: str | None) -> None:
    """Strike readings with a reason, or with None and None bring them back."""
    table = schema.reading
    with logbook.writing() as connection:
        connection.execute(
            update(table).where(table.c.id.in_(reading_ids)).values(withdrawn_ms=at_ms, withdrawn_why=why)
        )


def hand_readings(logbook: Logbook, channel_id: int, start_ms: int, end_ms: int) -> list[Reading]:
    """Readings typed by hand for a channel from start to end (UTC ms, both included), struck ones left out."""
    table = schema.reading
    query = (
        select(*(table.c[name] for name in Reading.__dataclass_fields__))
        .where(table.c.channel_id == channel_id, table.c.withdrawn_ms.is_(None))
        .where(table.c.time_ms >= start_ms, table.c.time_ms <= end_ms)
        .order_by(table.c.time_ms, table.c.id)
    )
    with logbook.reading() as connection:
        return [Reading(**row._mapping) for row in connection.execute(query)]


def seal(connection: Connection, channel_id: int, import_id: int, times_ms: Times, shown: Values) -> None:
    """Write readings (in order of time, no nan) as chunks of a channel, inside the caller's transaction."""
    rows: list[dict[str, Any]] = []
    for start in range(0, times_ms.size, CHUNK):
        t = np.ascontiguousarray(times_ms[start : start + CHUNK], dtype="<i8")
        v = np.ascontiguousarray(shown[start : start + CHUNK], dtype="<f8")
        rows.append(
            {
                "channel_id": channel_id,
                "logger_import_id": import_id,
                "first_ms": int(t[0]),
                "last_ms": int(t[-1]),
                "count": t.size,
                "least": float(v.min()),
                "most": float(v.max()),
                "total": float(v.sum()),
                "times": t.tobytes(),
                "shown": v.tobytes(),
            }
        )
    if rows:
        connection.execute(schema.chunk.insert(), rows)


def store_import(
    logbook: Logbook, file_name: str, imported_ms: int, columns: dict[int, Series], duplicate: int, bad: int
) -> int:
    """Store what a logger file brought, in one transaction, and return the import's id.

    columns: by channel id, readings in order of time. duplicate, bad: rows left out, for the record.
    """
    good = sum(s.times_ms.size for s in columns.values())
    with logbook.writing() as connection:
        import_id = int(
            connection.execute(
                schema.logger_import.insert().values(
                    file_name=file_name, imported_ms=imported_ms, good=good, duplicate=duplicate, bad=bad
                )
            ).inserted_primary_key[0]  # type: ignore[index]
        )
        for channel_id, series in columns.items():
            seal(connection, channel_id, import_id, series.times_ms, series.shown)
    return import_id


def dense_series(logbook: Logbook, channel_id: int, start_ms: int, end_ms: int) -> Series:
    """Logger readings of a channel from start to end (UTC ms, both included), in order of time."""
    table, made = schema.chunk, schema.logger_import
    query = (
        select(table.c.times, table.c.shown)
        .join(made, made.c.id == table.c.logger_import_id)
        .where(table.c.channel_id == channel_id, made.c.withdrawn_ms.is_(None))
        .where(table.c.last_ms >= start_ms, table.c.first_ms <= end_ms)
        .order_by(table.c.first_ms, table.c.id)
    )
    counted = query.with_only_columns(func.sum(table.c["count"])).order_by(None)
    with logbook.reading() as connection:
        total = int(connection.execute(counted).scalar() or 0)
        times, shown = np.empty(total, np.int64), np.empty(total)
        at = 0
        # row by row into place: a long run would otherwise lie in memory three times
        for row in connection.execution_options(yield_per=64).execute(query):
            there = slice(at, at + len(row.times) // 8)
            times[there], shown[there] = np.frombuffer(row.times, "<i8"), np.frombuffer(row.shown, "<f8")
            at = there.stop
    if not total:
        return Series(times, shown)
    if times[0] < start_ms or times[-1] > end_ms or (np.diff(times) < 0).any():
        order = np.argsort(times, kind="stable")
        times, shown = times[order], shown[order]
        keep = (times >= start_ms) & (times <= end_ms)
        times, shown = times[keep], shown[keep]
    return Series(times, shown)


class Outline(NamedTuple):
    """What the heads of a channel's chunks say, in order of time: first and last UTC ms, least and most as shown."""

    first_ms: Times
    last_ms: Times
    least: Values
    most: Values
    readings: int


def dense_count(logbook: Logbook, channel_ids: Sequence[int], start_ms: int, end_ms: int) -> int:
    """About how many logger readings channels have from start to end (UTC ms): those of whole chunks."""
    table = schema.chunk
    query = select(func.sum(table.c["count"])).where(
        table.c.channel_id.in_(channel_ids), table.c.last_ms >= start_ms, table.c.first_ms <= end_ms
    )
    with logbook.reading() as connection:
        return int(connection.execute(query).scalar() or 0)


def outline(logbook: Logbook, channel_id: int, start_ms: int, end_ms: int) -> Outline:
    """The outline of a channel's logger readings from start to end (UTC ms), without reading them."""
    table, made = schema.chunk, schema.logger_import
    query = (
        select(table.c.first_ms, table.c.last_ms, table.c.least, table.c.most, table.c["count"])
        .join(made, made.c.id == table.c.logger_import_id)
        .where(table.c.channel_id == channel_id, made.c.withdrawn_ms.is_(None))
        .where(table.c.last_ms >= start_ms, table.c.first_ms <= end_ms)
        .order_by(table.c.first_ms, table.c.id)
    )
    with logbook.reading() as connection:
        rows = connection.execute(query).all()
    first, last, least, most, counts = zip(*rows, strict=True) if rows else ((), (), (), (), ())
    return Outline(
        np.array(first, dtype=np.int64),
        np.array(last, dtype=np.int64),
        np.array(least, dtype=np.float64),
        np.array(most, dtype=np.float64),
        sum(counts),
    )


def live_tail(logbook: Logbook, channel_id: int, start_ms: int, end_ms: int) -> Series:
    """Live readings of a channel not sealed yet, from start to end (UTC ms, both included), in order of time."""
    table = schema.live_reading
    query = (
        select(table.c.time_ms, table.c.shown)
        .where(table.c.channel_id == channel_id, table.c.time_ms >= start_ms, table.c.time_ms <= end_ms)
        .order_by(table.c.time_ms, table.c.id)
    )
    with logbook.reading() as connection:
        rows = connection.execute(query).all()
    return Series(np.array([r.time_ms for r in rows], dtype=np.int64), np.array([r.shown for r in rows], dtype=float))


def series(logbook: Logbook, channel: Channel, start_ms: int, end_ms: int) -> Series:
    """All readings of a channel from start to end (UTC ms), by hand, by logger and live, in the channel's unit."""
    dense = dense_series(logbook, channel.id, start_ms, end_ms)
    tail = live_tail(logbook, channel.id, start_ms, end_ms)
    by_hand = hand_readings(logbook, channel.id, start_ms, end_ms)
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


def newest(logbook: Logbook, channels: Sequence[Channel], start_ms: int, end_ms: int) -> dict[int, tuple[int, float]]:
    """The newest reading of each channel from start to end (UTC ms, both included), by channel id: time and value as
    shown, in the channel's unit; channels without one are left out. What was typed counts before a logger's of the
    same instant, as in series."""
    units = {c.id: c.unit for c in channels}
    found: dict[int, tuple[int, int, float]] = {}

    def offer(channel_id: int, time_ms: int, rank: int, shown: float) -> None:
        if channel_id not in found or (time_ms, rank) >= found[channel_id][:2]:
            found[channel_id] = time_ms, rank, shown

    chunk, made, live, hand = schema.chunk, schema.logger_import, schema.live_reading, schema.reading
    heads = (
        select(chunk.c.channel_id, chunk.c.id, chunk.c.last_ms)
        .join(made, made.c.id == chunk.c.logger_import_id)
        .where(chunk.c.channel_id.in_(list(units)), made.c.withdrawn_ms.is_(None))
        .where(chunk.c.last_ms >= start_ms, chunk.c.first_ms <= end_ms)
    )
    tails = (
        # beside a greatest value SQLite gives the other columns of its own row
        select(live.c.channel_id, func.max(live.c.time_ms).label("time_ms"), live.c.shown)
        .where(live.c.channel_id.in_(list(units)), live.c.time_ms >= start_ms, live.c.time_ms <= end_ms)
        .group_by(live.c.channel_id)
    )
    typed = (
        select(*(hand.c[name] for name in Reading.__dataclass_fields__))
        .where(hand.c.channel_id.in_(list(units)), hand.c.withdrawn_ms.is_(None))
        .where(hand.c.time_ms >= start_ms, hand.c.time_ms <= end_ms)
        .order_by(hand.c.time_ms, hand.c.id)
    )
    with logbook.reading() as connection:
        candidates = connection.execute(heads).all()
        # a chunk that ends before another's end may still hold the newest reading until end_ms
        latest = {
            c: max((r.last_ms for r in candidates if r.channel_id == c and r.last_ms <= end_ms), default=0)
            for c in units
        }
        wanted = [r.id for r in candidates if r.last_ms >= latest[r.channel_id]]
        blobs = select(chunk.c.channel_id, chunk.c.times, chunk.c.shown).where(chunk.c.id.in_(wanted))
        for row in connection.execute(blobs.order_by(chunk.c.id)) if wanted else ():
            times, shown = np.frombuffer(row.times, "<i8"), np.frombuffer(row.shown, "<f8")
            at = int(np.searchsorted(times, end_ms, "right")) - 1
            if at >= 0 and times[at] >= start_ms:
                offer(row.channel_id, int(times[at]), 0, float(shown[at]))
        for row in connection.execute(tails):
            offer(row.channel_id, row.time_ms, 1, row.shown)
        for row in connection.execute(typed):
            one = Reading(**row._mapping)
            offer(one.channel_id, one.time_ms, 2, in_unit(one, units[one.channel_id]))
    return {channel_id: (time_ms, shown) for channel_id, (time_ms, _, shown) in found.items()}
