"""Reading a logger's CSV: times to UTC ms, values as they stand, and every fault named with its reason.

A bad value costs that value, not its row; every line of the file is good, faulty, or blank.
"""

from __future__ import annotations

import csv
import re
import warnings
from collections.abc import Callable
from dataclasses import dataclass, field
from io import StringIO
from itertools import compress
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from stathmis.exchange.csv_layout import UNIT_IN_CELL, Layout
from stathmis.exchange.csv_text import CsvError, read_text
from stathmis.exchange.csv_times import DateOrder, Parts, epoch_ms, epochs, parts_of, stamps

_LETTERS_AT_ONCE = 1_000_000
_CELL = "S40"
"""A time's cell as the reader keeps it: fixed bytes are read four times faster than Python strings."""
_ISO = re.compile(rb"\d{4}-\d\d-\d\d[ T]\d\d:\d\d(:\d\d(\.\d{1,6})?)?")
_JOINED = "\x1f"
"""Stands between cells that were cut and joined again: no logger writes it."""
_ROWS_AT_ONCE = 250_000
_QUICK_FROM = 2_000
"""From so many rows on a time's form is looked for that all of them share: such are read at once."""
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
        raise CsvError(f"{path.name} has no rows.", "Export it from the logger again.")
    del text
    times = raw.times_ms
    local = (times != _NOT_A_TIME) & ~raw.told
    faults.add(raw.lines[(times == _NOT_A_TIME) & ~raw.empty], "no time in this row")
    if local.any():
        times[local] = _to_utc(times[local], zone, raw.lines[local], faults)
    faults.add(raw.lines[raw.empty], "no time in this row")
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
        faults.add(at[width > layout.width], "more columns than the others")
        usable = (width > 0) & (width <= layout.width)
        kept = block if usable.all() else "\n".join(compress(block.split("\n"), usable))
        frame = _frame(kept, separator, layout, time_columns)
        numbers = [_numbers(frame[c], layout.decimal) for c in value_columns]
        times_read = _times(_joined_times(frame, time_columns), order)
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
    faults.add(lines[good & nothing & bad], "a value is not a number")
    faults.add(lines[good & nothing & ~bad], "no value in this row")
    values_out.add(lines[good & bad & ~nothing], "a value is not a number")
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


def _frame(text: str, separator: str, layout: Layout, time_columns: tuple[int, ...]) -> Any:
    """Lines as a table of as many columns as the file has."""
    import pandas as pd

    columns = list(range(layout.width))
    if not text:
        return pd.DataFrame({c: pd.Series(dtype=_CELL if c in time_columns else object) for c in columns})
    try:
        return pd.read_csv(
            StringIO(text),
            sep=separator,
            decimal=layout.decimal,
            header=None,
            names=columns,
            index_col=False,
            dtype=dict.fromkeys(time_columns, _CELL),
            skip_blank_lines=False,
            quoting=csv.QUOTE_NONE,
            low_memory=False,
        )
    except (pd.errors.ParserError, UnicodeError, ValueError) as error:
        raise CsvError("The file cannot be read as a table.", f"The reader says: {error}") from error


def _joined_times(frame: Any, columns: tuple[int, ...]) -> NDArray[np.bytes_]:
    text = np.asarray(frame[columns[0]], dtype=_CELL)
    for column in columns[1:]:
        text = np.char.add(np.char.add(text, b" "), np.asarray(frame[column], dtype=_CELL))
    return text


def _numbers(cells: Any, decimal: str) -> NDArray[np.float64]:
    """Cells as float64: nan where empty, inf where something other than a number stands."""
    import pandas as pd

    if cells.dtype != object and pd.api.types.is_numeric_dtype(cells.dtype):
        return np.asarray(cells, dtype=np.float64)
    text = cells.astype(object).where(cells.notna(), "").astype(str).str.strip()
    text = text.str.replace(UNIT_IN_CELL, "", regex=True).str.replace("−", "-")
    if decimal == ",":
        text = text.str.replace(",", ".")
    numbers = pd.to_numeric(text, errors="coerce").to_numpy(dtype=np.float64)
    return np.where(np.isnan(numbers) & (text != "").to_numpy(), np.inf, numbers)


def time_format(sample: str, order: DateOrder) -> str | None:
    """The strptime format of a time such as those in the sample; None where it is ISO 8601 or has no such form."""
    match = re.match(
        r"^\s*(\d{1,4})([-./])(\d{1,2})\2(\d{1,4})([ T]+)(\d{1,2})([:.])(\d{2})(\7\d{2})?(\.\d+)?(\s*[AaPp][Mm])?\s*$",
        sample,
    )
    if not match or order == "year first":
        return None
    year = "%Y" if len(match[4]) == 4 else "%y"
    date = match[2].join(("%d", "%m", year) if order == "day first" else ("%m", "%d", year))
    clock = f"{'%I' if match[11] else '%H'}{match[7]}%M" + (f"{match[7]}%S" if match[9] else "")
    clock += ".%f" if match[10] else ""
    return date + match[5] + clock + (match[11].replace(match[11].strip(), "%p") if match[11] else "")


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
    plain = _plain_iso(cells, missing) if order == "year first" else None
    if plain is not None:
        return plain, np.zeros_like(missing), missing
    local, offsets = _parsed(_text(cells), order)
    told = np.isfinite(offsets)
    return _whole_ms(np.where(told, local - 60_000.0 * offsets, local)), told, missing


def _text(cells: NDArray[np.bytes_]) -> list[str]:
    return list(np.char.decode(cells, "utf-8", "replace").tolist())


def _whole_ms(found: NDArray[np.float64]) -> NDArray[np.int64]:
    known = np.isfinite(found)
    return np.where(known, np.round(np.where(known, found, 0.0)).astype(np.int64), _NOT_A_TIME)


def _parsed(text: list[str], order: DateOrder) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """The ms since 1970 that times read (nan where they are none), and the minutes east of UTC they tell, or nan."""
    import pandas as pd

    local, offsets, left = np.full(len(text), np.nan), np.full(len(text), np.nan), np.arange(len(text))
    form = time_format(text[0], order) if len(text) >= _QUICK_FROM else None
    if form is not None and "%p" not in form:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            quick = pd.to_datetime(pd.Series(text), format=form, errors="coerce")
        local = np.where(quick.isna(), np.nan, _milliseconds(quick).astype(np.float64))
        left = np.flatnonzero(np.isnan(local))
    found = parts_of([text[i] for i in left])
    # where most have a time of the day, a day alone is none
    clocked = found.clocked | (2 * found.clocked.sum() <= left.size)
    local[left] = np.where(clocked, stamps(found, order), np.nan)
    offsets[left] = found.offset_min
    return local, offsets


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


def _plain_iso(cells: NDArray[np.bytes_], missing: NDArray[np.bool_]) -> NDArray[np.int64] | None:
    """Local ms of cells that are all plain ISO dates and times of one form; None where one is not (the slow way tells).

    By hand: NumPy's own reading of texts ends the process at a time that is none, in an array of over 500.
    """
    if missing.any() or not cells.size:
        return None
    letters = np.ascontiguousarray(cells).view(np.uint8).reshape(cells.size, -1)
    form = bytes(letters[0]).rstrip(b"\0")
    if not _ISO.fullmatch(form):
        return None
    for place, letter in enumerate(form):
        found = letters[:, place]
        alike = (found >= ord("0")) & (found <= ord("9")) if chr(letter).isdigit() else found == letter
        if not alike.all():
            return None
    if letters[:, len(form) :].any():
        return None
    digits = letters[:, : len(form)].astype(np.float64) - ord("0")

    def number(start: int, stop: int) -> NDArray[np.float64]:
        return np.asarray(digits[:, start:stop] @ 10.0 ** np.arange(stop - start - 1, -1, -1))

    hour, minute = number(11, 13), number(14, 16)
    second = number(17, 19) if len(form) >= 19 else np.zeros(cells.size)
    if hour.max() > 23 or minute.max() > 59 or second.max() > 59:
        return None
    if len(form) > 20:
        second = second + number(20, len(form)) / 10.0 ** (len(form) - 20)
    nothing, no = np.full(cells.size, np.nan), np.zeros(cells.size, dtype=bool)
    seconds = 3600.0 * hour + 60.0 * minute + second
    parts = Parts(number(0, 4), number(5, 7), number(8, 10), ~no, seconds, nothing, no)
    ms = stamps(parts, "year first")
    # what lies outside is no time of a reading: it is named, row by row
    return _whole_ms(ms) if np.isfinite(ms).all() else None


def _milliseconds(stamps: Any) -> NDArray[np.int64]:
    found = stamps.to_numpy(dtype="datetime64[ms]").astype(np.int64)
    return np.asarray(found, dtype=np.int64)


def _localized(local_ms: NDArray[np.int64], zone: str, lines: NDArray[np.int64], faults: Faults) -> NDArray[np.int64]:
    """Local times to UTC. The hour that happens twice is told apart by the step back in the file, or not at all."""
    import pandas as pd

    first, second = np.empty_like(local_ms), np.empty_like(local_ms)
    # by stretches: what the conversion takes for itself stays small
    for start in range(0, local_ms.size, _ROWS_AT_ONCE):
        part = slice(start, start + _ROWS_AT_ONCE)
        read = pd.DatetimeIndex(local_ms[part].astype("datetime64[ms]"))
        for into, earlier in ((first, True), (second, False)):
            known = read.tz_localize(zone, ambiguous=np.full(len(read), earlier), nonexistent="NaT")
            into[part] = _milliseconds(known.tz_convert(None))
    skipped = first == _NOT_A_TIME
    faults.add(lines[skipped], "this time did not happen: the clocks went forward")
    result = first.copy()
    places = np.flatnonzero((first != second) & ~skipped)
    for block in np.split(places, np.flatnonzero(np.diff(places) > 1) + 1) if places.size else ():
        back = np.flatnonzero(np.diff(first[block]) < 0)
        if back.size == 1:
            later = block[back[0] + 1 :]
            result[later] = second[later]
        else:
            result[block] = _NOT_A_TIME
            faults.add(lines[block], "this hour happened twice (clocks went back) and the file does not tell which")
    return result
