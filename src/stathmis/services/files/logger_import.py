"""Bringing in a logger's file: look, map columns to instruments, count good, duplicate and bad rows, store, undo."""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from stathmis.core.errors import UserError
from stathmis.core.units import Unit, from_inside, to_inside
from stathmis.exchange.csv_layout import DateOrder, FileUnit, Layout, Question, find_layout
from stathmis.exchange.csv_times import parts_of, stamps
from stathmis.exchange.logger_csv import Faults, Progress, read_table
from stathmis.logbook import readings
from stathmis.logbook.records import Channel, Instrument, LoggerImport
from stathmis.logbook.snapshot import Series
from stathmis.services.book import Book
from stathmis.services.desk import Desk
from stathmis.words import bringing_in as say
from stathmis.words import logger_files
from stathmis.words.catalogue import _
from stathmis.words.numbers import count

OUT_OF_RANGE = say.A_VALUE_IS_OUT_OF
ANOTHER_VALUE = say.THE_LOG_ALREADY_HAS_ANOTHER


@dataclass(frozen=True)
class ColumnUse:
    """A value column goes to a channel, in the unit the file has it in; None: two fit, and none is chosen yet."""

    column: int
    channel_id: int
    unit: FileUnit | None


@dataclass(frozen=True)
class Plan:
    """How a file is to be read. zone: of its times, or minutes east of UTC; None: they are UTC, or tell their own.

    order None: the keeper has not said yet which of two orders its dates are in.
    """

    path: Path
    layout: Layout
    time_columns: tuple[int, ...]
    order: DateOrder | None
    zone: str | int | None
    uses: tuple[ColumnUse, ...]


@dataclass(frozen=True)
class Examined:
    """What a file would bring: rows with something new, rows already there, and bad ones (with reasons): together all
    rows of the file. values_out: single bad values left out of rows that are good otherwise."""

    plan: Plan
    good: int
    duplicate: int
    faults: Faults
    values_out: Faults
    series: dict[int, Series]


def propose(book: Book, path: Path, decimal: str | None = None) -> Plan:
    """A plan for a file, from its layout and the instruments in the logbook; the keeper may change all of it.

    decimal: the decimal sign the keeper says it has, None where the file is to tell.

    Raises CsvError where the file is no table of readings.
    """
    layout = find_layout(path, book.now_ms, decimal)
    known = json.loads(book.snapshot.settings.get(_like(layout), "null"))
    if known is not None and decimal is None:
        # files like it were brought in before: as they were read then
        layout = find_layout(path, book.now_ms, known["decimal"])
        return as_kept(book, path, layout, known)
    free = _loggers_first(book)
    uses = []
    for column in layout.columns:
        if column.looks_like not in ("temperature", "humidity"):
            continue
        match = next((c for c in free if c.quantity == column.looks_like), None)
        if match is not None:
            free.remove(match)
            uses.append(ColumnUse(column.index, match.id, column.unit if column.doubt is None else None))
    zone = None if layout.aware else book.zone if layout.offset_min is None else layout.offset_min
    order = layout.date_order if layout.order_is_sure else None
    return Plan(path, layout, layout.time_columns, order, zone, tuple(uses))


def _like(layout: Layout) -> str:
    """Under which setting is kept how files with these headings are read."""
    return f"logger file: {json.dumps([c.heading for c in layout.columns])}"


def kept_of(plan: Plan) -> dict[str, object]:
    """What the keeper chose for a file, for others like it (see as_kept)."""
    return {
        "decimal": plan.layout.decimal,
        "time_columns": plan.time_columns,
        "order": plan.order,
        "zone": plan.zone,
        "uses": [[u.column, u.channel_id, u.unit] for u in plan.uses],
    }


def as_kept(book: Book, path: Path, layout: Layout, kept: dict[str, Any]) -> Plan:
    """A plan for a file like one that was brought in before; what is no longer in the drawer is left out."""
    channels = {c.id for c in book.records(Channel)}
    uses = tuple(ColumnUse(*use) for use in kept["uses"] if use[1] in channels and use[0] < layout.width)
    return Plan(path, layout, tuple(kept["time_columns"]), kept["order"], kept["zone"], uses)


def questions(plan: Plan) -> list[Question]:
    """What is open about a file."""
    found = [Question("decimal sign")] if plan.layout.or_paired else []
    if plan.order is None:
        found.append(Question("order", tuple(first for first, _ in outcomes(plan).values())))
    for use in plan.uses:
        if use.unit is None:
            column = plan.layout.columns[use.column]
            first = next((cell.strip() for cell in column.sample if cell.strip()), "")
            both: tuple[FileUnit, ...] = (column.unit, column.doubt or column.unit)
            found.append(Question("unit", (), column.heading or f"{use.column + 1}", first, both))
    return found


def outcomes(plan: Plan) -> dict[DateOrder, tuple[float, float]]:
    """The first and last time (local ms) of a file by each order its dates may be in."""
    layout = plan.layout
    times = [layout.columns[c].sample for c in plan.time_columns]
    parts = parts_of([" ".join(cells) for cells in zip(*times, strict=True)])
    orders = [layout.date_order, *([layout.or_order] if layout.or_order is not None else [])]
    known = {order: stamps(parts, order) for order in orders}
    return {order: (float(np.nanmin(ms)), float(np.nanmax(ms))) for order, ms in known.items()}


def _loggers_first(book: Book) -> list[Channel]:
    kinds = {i.id: i.kind for i in book.records(Instrument)}
    channels = [c for c in book.records(Channel) if c.instrument_id in kinds]
    return sorted(channels, key=lambda c: kinds[c.instrument_id] != "logger")


def examine(
    book: Book,
    plan: Plan,
    progress: Progress = lambda fraction: None,
    cancelled: Callable[[], bool] = lambda: False,
    *,
    growing: bool = False,
) -> Examined:
    """Read the file by its plan and hold it against the logbook; nothing is stored yet. growing: as read_table.

    Raises UserError where no time or no value column is mapped, or two columns go to one instrument; CsvError and
    CancelledError as read_table.
    """
    if not plan.time_columns:
        raise UserError(*say.NO_COLUMN_IS_MARKED_AS())
    asked = questions(plan)
    if asked or plan.order is None:
        raise UserError(logger_files.asked(asked[0]), logger_files.choose())
    if not plan.uses:
        raise UserError(*say.NO_COLUMN_GOES_TO_AN())
    if len({use.channel_id for use in plan.uses}) < len(plan.uses):
        raise UserError(*say.TWO_COLUMNS_GO_TO_THE())
    columns = tuple(use.column for use in plan.uses)
    table = read_table(
        plan.path, plan.layout, plan.time_columns, columns, plan.order, plan.zone, progress, cancelled, growing=growing
    )
    times, lines, faults = table.times_ms, table.lines, table.faults
    usable = times <= book.now_ms
    faults.add(lines[~usable], say.THIS_TIME_HAS_NOT_COME())
    channels = {c.id: c for c in book.records(Channel)}
    fresh, known = np.zeros(times.size, dtype=bool), np.zeros(times.size, dtype=bool)
    why = {OUT_OF_RANGE(): np.zeros(times.size, dtype=bool), ANOTHER_VALUE(): np.zeros(times.size, dtype=bool)}
    found: dict[int, tuple[NDArray[np.float64], NDArray[np.bool_]]] = {}
    for use in plan.uses:
        channel = channels[use.channel_id]
        values = _in_unit(table.values[use.column], use.unit, channel.unit)
        there = np.isfinite(values) & usable
        outside = there & ((values < channel.low) | (values > channel.high))
        new, clash = _compare(book, channel, times, values, there & ~outside)
        why[OUT_OF_RANGE()] |= outside
        why[ANOTHER_VALUE()] |= clash
        fresh |= new
        known |= there & ~outside & ~clash & ~new
        found[use.channel_id] = (values, new)
    # each row is one of three: it brings something new, it is there already, or it is bad; a bad value costs no row
    bad = usable & ~fresh & ~known
    for reason, where in why.items():
        faults.add(lines[bad & where], reason)
        table.values_out.add(lines[where & ~bad], reason)
        bad &= ~where
    return Examined(
        plan,
        good=int(fresh.sum()),
        duplicate=int((known & ~fresh).sum()),
        faults=faults,
        values_out=table.values_out,
        series={i: _in_order(times, v, new) for i, (v, new) in found.items()},
    )


def _in_unit(values: NDArray[np.float64], unit: FileUnit | None, wanted: Unit) -> NDArray[np.float64]:
    assert unit is not None
    if unit == "of 1":
        return 100.0 * values
    return values if unit == wanted else np.asarray(from_inside(to_inside(values, unit), wanted))


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
        raise UserError(*say.THERE_IS_NOTHING_NEW_IN())
    plan, bad = examined.plan, examined.faults.total
    with desk.edit(
        _("{rows} from {path} brought in", rows=count(examined.good, "{n} row", "{n} rows"), path=plan.path.name)
    ) as edit:
        made = keep_series(desk, plan.path.name, examined.series, examined.duplicate, bad, examined.good)
        edit.set(_like(plan.layout), json.dumps(kept_of(plan)))
    return made


def keep_series(
    desk: Desk, name: str, columns: Mapping[int, Series], duplicate: int = 0, bad: int = 0, rows: int | None = None
) -> int:
    """Keep readings a logger brought, by channel id and in order of time, in one edit; returns the import's id.

    name: its file; duplicate, bad: rows left out, rows: taken in, for the record.
    """
    good = sum(s.times_ms.size for s in columns.values())
    with desk.edit(
        _("{rows} from {name} brought in", rows=count(good if rows is None else rows, "{n} row", "{n} rows"), name=name)
    ) as edit:
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
