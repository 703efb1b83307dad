"""Reading a logger's CSV: times to UTC ms, values as they stand, and every fault named with its reason.

A bad value costs that value, not its row; every line of the file is good, faulty, or blank.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass, field
from itertools import compress
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from stathmis.exchange.csv_layout import UNIT_IN_CELL, Layout
from stathmis.exchange.csv_text import CsvError, read_text
from stathmis.exchange.csv_times import DateOrder, Parts, epoch_ms, epochs, parts_of, stamps
from stathmis.exchange.local_times import either
from stathmis.words import tables_read as say

_LETTERS_AT_ONCE = 1_000_000
_CELL = "S40"
"""A time's cell as the reader keeps it: fixed bytes are read four times faster than Python strings."""
_PLAIN = re.compile(r"(0{1,4})([-./])(0{1,2})\2(0{1,4})[ T](0{1,2})([:.])(00)(?:\6(00)(?:\.(0{1,6}))?)?")
"""A date with its clock, every figure a 0."""
_FORMS_FROM = 2_000
"""The forms of times are those of so many rows."""
_NUMBER = re.compile(r"[+-]?(\d+\.?\d*|\.\d+)([eE][+-]?\d+)?")
_NOTHING = frozenset(("nan", "NaN", "-nan", "-NaN", "NA", "N/A", "n/a", "#N/A", "null", "NULL", "None", "<NA>"))
"""What loggers and the programs that write their files put where there is no value. Source: common practice."""
_JOINED = "\x1f"
"""Stands between cells that were cut and joined again: no logger writes it."""
_NAMED = 200
"""So many faulty rows are named one by one; all are counted."""

Progress = Callable[[float], None]


class CancelledError(Exception):
    """The keeper stopped the reading."""


@dataclass
class Faults:
    """Faulty rows: how many for each reason, and the first ones by line number (from 1)."""

    counts: dict[str, int] = field(default_factory=dict)
    named: list[tuple[int, str]] = field(default_factory=list)

    def add(self, lines: NDArray[np.int64], reason: str) -> None:
        """Count rows with a reason."""
        if lines.size:
            self.counts[reason] = self.counts.get(reason, 0) + int(lines.size)
            room = max(0, _NAMED - len(self.named))
            self.named.extend((int(line), reason) for line in lines[:room])

    @property
    def total(self) -> int:
        """All faulty rows."""
        return sum(self.counts.values())


@dataclass(frozen=True)
class Table:
    """Good rows: line numbers, UTC ms, and values by column (nan where a cell is empty or its value bad). faults: rows
    left out; values_out: single values left out of rows that stay; blank: lines with nothing on them."""

    lines: NDArray[np.int64]
    times_ms: NDArray[np.int64]
    values: dict[int, NDArray[np.float64]]
    faults: Faults
    values_out: Faults
    blank: int = 0


def read_table(
    path: Path,
    layout: Layout,
    time_columns: tuple[int, ...],
    value_columns: tuple[int, ...],
    order: DateOrder,
    zone: str | int | None,
    progress: Progress = lambda fraction: None,
    cancelled: Callable[[], bool] = lambda: False,
    *,
    growing: bool = False,
) -> Table:
    """Read times and values.

    time_columns: one column, or a date and a time; zone: time zone of the file's times, or minutes east of UTC, None
    for UTC; times that tell their own go by that. progress is called with 0 to 1; growing: it is still being written,
    and a last line without its end is a half one that waits. Raises CsvError where the file cannot be parsed,
    CancelledError when cancelled() turns true.
    """
    text = read_text(path)[0]
    faults = Faults()
    raw = _in_parts(
        text[: text.rfind("\n") + 1] if growing else text, layout, time_columns, value_columns, order, faults,
        lambda fraction: progress(0.8 * fraction), cancelled,
    )  # fmt: skip
    if raw is None:
        raise CsvError(*say.PATH_HAS_NO_ROWS(path=path.name))
    del text
    times = raw.times_ms
    local = (times != _NOT_A_TIME) & ~raw.told
    faults.add(raw.lines[(times == _NOT_A_TIME) & ~raw.empty], say.NO_TIME_IN_THIS_ROW())
    if local.any():
        times[local] = _to_utc(times[local], zone, raw.lines[local], faults)
    faults.add(raw.lines[raw.empty], say.NO_TIME_IN_THIS_ROW())
    progress(0.95)
    found = _judged(raw, value_columns, faults)
    progress(1.0)
    return found


@dataclass(frozen=True)
class _Raw:
    """Rows as they stand in the file; see _times for times_ms, told and empty, _numbers for the columns."""

    lines: NDArray[np.int64]
    times_ms: NDArray[np.int64]
    told: NDArray[np.bool_]
    empty: NDArray[np.bool_]
    columns: list[NDArray[np.float64]]
    blank: int


def _in_parts(
    text: str,
    layout: Layout,
    time_columns: tuple[int, ...],
    value_columns: tuple[int, ...],
    order: DateOrder,
    faults: Faults,
    progress: Progress,
    cancelled: Callable[[], bool],
) -> _Raw | None:
    """Rows below the headings, read some at a time so that little is held; None where there are none."""
    place = 0
    for _line in range(layout.skip):
        place = text.find("\n", place) + 1
    parts: list[list[NDArray[Any]]] = [[] for _ in range(4 + len(value_columns))]
    blank, line = 0, layout.skip + 1
    length = len(text) - text.endswith("\n")
    while place < length:
        if cancelled():
            raise CancelledError
        cut = text.find("\n", place + _LETTERS_AT_ONCE)
        end = length if cut < 0 else cut
        separator, block = _plain(text[place:end], layout, time_columns)
        width = _widths(block, separator)
        at = np.arange(line, line + width.size, dtype=np.int64)
        blank += int((width == 0).sum())
        faults.add(at[width > layout.width], say.MORE_COLUMNS_THAN_THE_OTHERS())
        usable = (width > 0) & (width <= layout.width)
        kept = block if usable.all() else "\n".join(compress(block.split("\n"), usable))
        cells = _columns(kept, separator, width[usable], {*time_columns, *value_columns})
        numbers = [_numbers(cells[c], layout.decimal) for c in value_columns]
        times_read = _times(_joined_times([cells[c] for c in time_columns]), order)
        for part, found in zip(parts, (at[usable], *times_read, *numbers), strict=True):
            part.append(found)
        place, line = end + 1, line + width.size
        progress(min(1.0, end / length))
    if not parts[0]:
        return None
    lines, times, told, empty, *columns = (_whole(part) for part in parts)
    return _Raw(lines, times, told, empty, columns, blank)


def _judged(raw: _Raw, value_columns: tuple[int, ...], faults: Faults) -> Table:
    """Rows that have a time and a value; why the others are left out."""
    lines, times, columns, values_out = raw.lines, raw.times_ms, raw.columns, Faults()
    good = times != _NOT_A_TIME
    bad = np.zeros(lines.size, dtype=bool)
    nothing = np.ones(lines.size, dtype=bool)
    for column, found in enumerate(columns):
        wrong = np.isinf(found)
        if wrong.any():
            columns[column] = np.where(wrong, np.nan, found)
            bad |= wrong
        nothing &= np.isnan(columns[column])
    faults.add(lines[good & nothing & bad], say.A_VALUE_IS_NOT_A())
    faults.add(lines[good & nothing & ~bad], say.NO_VALUE_IN_THIS_ROW())
    values_out.add(lines[good & bad & ~nothing], say.A_VALUE_IS_NOT_A())
    keep = good & ~nothing
    if not keep.all():
        lines, times, columns = lines[keep], times[keep], [v[keep] for v in columns]
    return Table(lines, times, dict(zip(value_columns, columns, strict=True)), faults, values_out, raw.blank)


def _whole(parts: list[NDArray[Any]]) -> NDArray[Any]:
    """Parts as one array; they are let go of."""
    found = np.concatenate(parts)
    parts.clear()
    return found


def _plain(block: str, layout: Layout, time_columns: tuple[int, ...]) -> tuple[str, str]:
    """Lines without quotes and halved numbers, and what stands between their cells."""
    cut = layout.cut
    if not cut.paired and '"' not in block:
        return cut.separator, block
    first_value = max(time_columns) + 1
    lines = [_JOINED.join(cut.cells(line, first_value)) if line.strip() else "" for line in block.split("\n")]
    return _JOINED, "\n".join(lines)


def _widths(block: str, separator: str) -> NDArray[np.int64]:
    """How many cells each line has; 0 for one with nothing on it."""
    raw = block.encode()
    letters = np.frombuffer(raw, dtype=np.uint8)
    ends = np.append(np.flatnonzero(letters == ord("\n")), letters.size)
    starts = np.concatenate([[0], ends[:-1] + 1])
    parting = np.flatnonzero(letters == ord(separator))
    width = np.asarray(np.searchsorted(parting, ends) - np.searchsorted(parting, starts) + 1, dtype=np.int64)
    for i in np.flatnonzero(width == 1):
        width[i] = bool(raw[starts[i] : ends[i]].strip())
    return width


def _columns(text: str, separator: str, width: NDArray[np.int64], wanted: set[int]) -> dict[int, list[str]]:
    """Some columns of lines as they stand; empty where a line has no such cell. width: how many cells each line has."""
    if not text:
        return {c: [] for c in wanted}
    most = max(int(width.max()), max(wanted) + 1)
    if (width < most).any():
        lines = text.split("\n")
        text = "\n".join(line + separator * (most - wide) for line, wide in zip(lines, width.tolist(), strict=True))
    # all cells in a row: one cut for the whole block
    cells = text.replace("\n", separator).split(separator)
    return {c: cells[c::most] for c in wanted}


def _joined_times(columns: list[list[str]]) -> NDArray[np.bytes_]:
    cells = columns[0] if len(columns) == 1 else map(" ".join, zip(*columns, strict=True))
    return np.array([cell.encode("utf-8", "replace") for cell in cells], dtype=_CELL)


def _numbers(cells: list[str], decimal: str) -> NDArray[np.float64]:
    """Cells as float64: nan where empty, inf where something other than a number stands."""
    together = "\n".join(cells)
    plain = together.replace(",", ".").split("\n") if decimal == "," and cells else cells
    try:
        # Python would take 1_000 for a number
        found = np.fromiter(map(_number if "_" in together else float, plain), np.float64, len(plain))
    except ValueError:
        found = np.fromiter(map(_number, plain), np.float64, len(plain))
    for i in np.flatnonzero(np.isnan(found)):
        word = cells[i].strip()
        found[i] = np.nan if not word or word in _NOTHING else np.inf
    return found


def _number(cell: str) -> float:
    """A number with the unit that may stand behind it; nan for anything else."""
    text = re.sub(UNIT_IN_CELL, "", cell.strip()).replace("−", "-")
    return float(text) if _NUMBER.fullmatch(text) else np.nan


_NOT_A_TIME = np.iinfo(np.int64).min


def _times(
    cells: NDArray[np.bytes_], order: DateOrder
) -> tuple[NDArray[np.int64], NDArray[np.bool_], NDArray[np.bool_]]:
    """Of each row: its time in ms since 1970 (the least int64 where it is none), whether the cell tells its own zone
    and the ms are UTC (else they are local), and whether the cell is empty."""
    missing = np.asarray((np.char.strip(cells) if cells.dtype != np.dtype(_CELL) else cells) == b"")
    if order == "seconds since 1970":
        quick = _plain_epochs(cells, missing)
        return _whole_ms(epochs(_text(cells)) if quick is None else quick), np.ones_like(missing), missing
    local, offsets = _parsed(cells, order)
    told = np.isfinite(offsets)
    return _whole_ms(np.where(told, local - 60_000.0 * offsets, local)), told, missing


def _text(cells: NDArray[np.bytes_]) -> list[str]:
    return list(np.char.decode(cells, "utf-8", "replace").tolist())


def _whole_ms(found: NDArray[np.float64]) -> NDArray[np.int64]:
    known = np.isfinite(found)
    return np.where(known, np.round(np.where(known, found, 0.0)).astype(np.int64), _NOT_A_TIME)


def _parsed(cells: NDArray[np.bytes_], order: DateOrder) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """The ms since 1970 that times read (nan where they are none), and the minutes east of UTC they tell, or nan."""
    local, offsets = _by_form(cells, order), np.full(cells.size, np.nan)
    left = np.flatnonzero(np.isnan(local))
    found = parts_of(_text(cells[left]))
    # where most have a time of the day, a day alone is none
    with_clock = cells.size - left.size + int(found.clocked.sum())
    clocked = found.clocked | (2 * with_clock <= cells.size)
    local[left] = np.where(clocked, stamps(found, order), np.nan)
    offsets[left] = found.offset_min
    return local, offsets


def _by_form(cells: NDArray[np.bytes_], order: DateOrder) -> NDArray[np.float64]:
    """Local ms of plain dates with a clock, all of one form at once; nan where one is anything else (each of those is
    looked at by itself)."""
    found = np.full(cells.size, np.nan)
    if not cells.size:
        return found
    letters = np.ascontiguousarray(cells).view(np.uint8).reshape(cells.size, -1)
    is_digit = (letters >= ord("0")) & (letters <= ord("9"))
    forms = np.where(is_digit, ord("0"), letters).astype(np.uint8).view(cells.dtype).ravel()
    # most files have one form, or some for days and hours of one figure and two
    for form in dict.fromkeys(forms[:_FORMS_FROM].tolist()):
        match = _PLAIN.fullmatch(form.decode("ascii", "replace"))
        if match is None:
            continue
        at = np.flatnonzero(forms == form)
        digits = letters[at].astype(np.float64) - ord("0")

        def number(group: int, match: re.Match[str] = match, digits: NDArray[np.float64] = digits) -> Any:
            start, stop = match.span(group)
            return digits[:, start:stop] @ 10.0 ** np.arange(stop - start - 1, -1, -1) if start >= 0 else 0.0

        hour, minute, second = number(5), number(7), number(8)
        fraction = number(9) / 10.0 ** len(match[9] or "")
        good = (hour <= 23) & (minute <= 59) & (second <= 59)
        seconds = 3600.0 * hour + 60.0 * minute + second + fraction
        nothing, no = np.full(at.size, np.nan), np.zeros(at.size, dtype=bool)
        parts = Parts(number(1), number(3), number(4), no | (len(match[1]) > 2), seconds, nothing, no)
        found[at] = np.where(good, stamps(parts, order), np.nan)
    return found


def _to_utc(
    local_ms: NDArray[np.int64], zone: str | int | None, lines: NDArray[np.int64], faults: Faults
) -> NDArray[np.int64]:
    if zone is None or zone in ("UTC", "Etc/UTC"):
        return local_ms
    if isinstance(zone, int):
        return np.asarray(local_ms - 60_000 * zone)
    return _localized(local_ms, zone, lines, faults)


def _plain_epochs(cells: NDArray[np.bytes_], missing: NDArray[np.bool_]) -> NDArray[np.float64] | None:
    """UTC ms of cells that are all seconds or milliseconds since 1970; None where one is not (the slow way tells)."""
    if missing.any() or not cells.size:
        return None
    letters = np.ascontiguousarray(cells).view(np.uint8)
    if not (((letters >= ord("0")) & (letters <= ord("9"))) | (letters == ord(".")) | (letters == 0)).all():
        return None
    try:
        found = epoch_ms(cells.astype(np.float64))
    except ValueError:
        return None
    return found if np.isfinite(found).all() else None


def _localized(local_ms: NDArray[np.int64], zone: str, lines: NDArray[np.int64], faults: Faults) -> NDArray[np.int64]:
    """Local times to UTC. The hour that happens twice is told apart by the step back in the file, or not at all."""
    first, second = either(local_ms, zone, _NOT_A_TIME)
    skipped = first == _NOT_A_TIME
    faults.add(lines[skipped], say.THIS_TIME_DID_NOT_HAPPEN())
    result = first.copy()
    places = np.flatnonzero((first != second) & ~skipped)
    for block in np.split(places, np.flatnonzero(np.diff(places) > 1) + 1) if places.size else ():
        back = np.flatnonzero(np.diff(first[block]) < 0)
        if back.size == 1:
            later = block[back[0] + 1 :]
            result[later] = second[later]
        else:
            result[block] = _NOT_A_TIME
            faults.add(lines[block], say.THIS_HOUR_HAPPENED_TWICE_CLOCKS())
    return result
