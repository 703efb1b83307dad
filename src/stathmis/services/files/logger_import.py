"""Bringing in a logger's file: look, map columns to instruments, count good, duplicate and bad rows, store, undo."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from stathmis.core.errors import UserError
from stathmis.core.units import Unit, from_inside, to_inside
from stathmis.exchange.csv_layout import DateOrder, Layout, find_layout
from stathmis.exchange.logger_csv import Faults, Progress, read_table
from stathmis.logbook import readings
from stathmis.logbook.records import Channel, Instrument, LoggerImport
from stathmis.logbook.snapshot import Series
from stathmis.services.book import Book
from stathmis.services.desk import Desk
from stathmis.words.numbers import count


@dataclass(frozen=True)
class ColumnUse:
    """A value column goes to a channel, in the unit the file has it in."""

    column: int
    channel_id: int
    unit: Unit


@dataclass(frozen=True)
class Plan:
    """How a file is to be read; zone None means its times are UTC."""

    path: Path
    layout: Layout
    time_columns: tuple[int, ...]
    order: DateOrder
    zone: str | None
    uses: tuple[ColumnUse, ...]


@dataclass(frozen=True)
class Examined:
    """What a file would bring: rows good, already there, and bad (with reasons), and the readings to store."""

    plan: Plan
    good: int
    duplicate: int
    faults: Faults
    series: dict[int, Series]


def propose(book: Book, path: Path) -> Plan:
    """A plan for a file, from its layout and the instruments in the logbook; the keeper may change all of it.

    Raises CsvError where the file is no table of readings.
    """
    layout = find_layout(path)
    clocks = [c.index for c in layout.columns if c.looks_like == "time"]
    dates = [c.index for c in layout.columns if c.looks_like == "date"]
    time_columns = (dates[0], clocks[0]) if dates and clocks else tuple((clocks or dates)[:1])
    free = _loggers_first(book)
    uses = []
    for column in layout.columns:
        if column.looks_like not in ("temperature", "humidity"):
            continue
        match = next((c for c in free if c.quantity == column.looks_like), None)
        if match is not None:
            free.remove(match)
            uses.append(ColumnUse(column.index, match.id, column.unit))
    return Plan(path, layout, time_columns, layout.date_order, None if layout.says_utc else book.zone, tuple(uses))


def _loggers_first(book: Book) -> list[Channel]:
    kinds = {i.id: i.kind for i in book.records(Instrument)}
    channels = [c for c in book.records(Channel) if c.instrument_id in kinds]
    return sorted(channels, key=lambda c: kinds[c.instrument_id] != "logger")


def examine(
    book: Book,
    plan: Plan,
    progress: Progress = lambda fraction: None,
    cancelled: Callable[[], bool] = lambda: False,
) -> Examined:
    """Read the file by its plan and hold it against the logbook; nothing is stored yet.

    Raises UserError where no time or no value column is mapped, or two columns go to one instrument; CsvError and
    CancelledError as read_table.
    """
    if not plan.time_columns:
        raise UserError("No column is marked as the time.", "Choose the column that holds the times.")
    if not plan.uses:
        raise UserError("No column goes to an instrument.", "Choose an instrument for at least one column.")
    if len({use.channel_id for use in plan.uses}) < len(plan.uses):
        raise UserError("Two columns go to the same instrument.", "Give each column its own.")
    table = read_table(
        plan.path,
        plan.layout,
        plan.time_columns,
        tuple(use.column for use in plan.uses),
        plan.order,
        plan.zone,
        progress,
        cancelled,
    )
    times, lines, faults = table.times_ms, table.lines, table.faults
    future = times > book.now_ms
    faults.add(lines[future], "this time has not come yet; is the time zone right?")
    refused = future
    channels = {c.id: c for c in book.records(Channel)}
    fresh = np.zeros(times.size, dtype=bool)
    columns: dict[int, tuple[NDArray[np.float64], NDArray[np.bool_]]] = {}
    for use in plan.uses:
        channel = channels[use.channel_id]
        values = table.values[use.column]
        if use.unit != channel.unit:
            values = np.asarray(from_inside(to_inside(values, use.unit), channel.unit))
        there = np.isfinite(values)
        outside = there & ((values < channel.low) | (values > channel.high)) & ~refused
        faults.add(lines[outside], "a value is out of the instrument's range")
        refused = refused | outside
        columns[use.channel_id] = (values, there)
    for channel_id, (values, there) in columns.items():
        new, clash = _compare(book, channels[channel_id], times, values, there & ~refused)
        faults.add(lines[clash], "the log already has another value at this time")
        refused = refused | clash
        fresh |= new
        columns[channel_id] = (values, new)
    fresh &= ~refused
    return Examined(
        plan,
        good=int(fresh.sum()),
        duplicate=int((~refused & ~fresh).sum()),
        faults=faults,
        series={i: _in_order(times, v, new & fresh) for i, (v, new) in columns.items()},
    )


def _compare(
    book: Book, channel: Channel, times: NDArray[np.int64], values: NDArray[np.float64], use: NDArray[np.bool_]
) -> tuple[NDArray[np.bool_], NDArray[np.bool_]]:
    """Which rows are new to a channel, and which clash with what is there (in the log, or earlier in the file)."""
    new, clash = use.copy(), np.zeros(times.size, dtype=bool)
    places = np.flatnonzero(use)
    if not places.size:
        return new, clash
    if (np.diff(times[places]) <= 0).any():
        order = places[np.argsort(times[places], kind="stable")]
        again = np.concatenate([[False], np.diff(times[order]) == 0])
        # of several rows with one time the first stands
        first = order[np.maximum.accumulate(np.where(again, 0, np.arange(order.size)))]
        new[order[again]] = False
        clash[order[again]] = values[order[again]] != values[first[again]]
        places = np.flatnonzero(new)
    stored = readings.dense_series(book.snapshot, channel.id, int(times[places].min()), int(times[places].max()))
    if stored.times_ms.size:
        at = np.minimum(np.searchsorted(stored.times_ms, times[places]), stored.times_ms.size - 1)
        known = stored.times_ms[at] == times[places]
        same = np.isclose(stored.shown[at], values[places], rtol=0, atol=1e-9)
        new[places[known]] = False
        clash[places[known & ~same]] = True
    return new, clash


def _in_order(times: NDArray[np.int64], values: NDArray[np.float64], use: NDArray[np.bool_]) -> Series:
    if use.all():
        kept_times, kept = times, values
    else:
        kept_times, kept = times[use], values[use]
    if (np.diff(kept_times) < 0).any():
        order = np.argsort(kept_times, kind="stable")
        kept_times, kept = kept_times[order], kept[order]
    return Series(kept_times, kept)


def store(desk: Desk, examined: Examined) -> int:
    """Write what was examined in one edit, undoable, and return the import's id. May run off the window's thread.

    Raises UserError when there is nothing new.
    """
    if not examined.good:
        raise UserError("There is nothing new in this file.", "Every good row is in the log already.")
    name = examined.plan.path.name
    return keep_series(desk, name, examined.series, examined.duplicate, examined.faults.total, examined.good)


def keep_series(
    desk: Desk, name: str, columns: Mapping[int, Series], duplicate: int = 0, bad: int = 0, rows: int | None = None
) -> int:
    """Keep readings a logger brought, by channel id and in order of time, in one edit; returns the import's id.

    name: its file; duplicate, bad: rows left out, rows: taken in, for the record.
    """
    good = sum(s.times_ms.size for s in columns.values())
    with desk.edit(f"{count(good if rows is None else rows, 'row')} from {name} brought in") as edit:
        made = edit.add(
            LoggerImport,
            file_name=name,
            imported_ms=desk.now_ms,
            good=good,
            duplicate=duplicate,
            bad=bad,
        )
        for channel_id, series in columns.items():
            edit.seal(made, channel_id, series)
    return made
