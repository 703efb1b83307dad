"""How a logger's file is laid out, found from the whole of it: several readings of it are scored, the best is offered.

Where two are near each other, both stand in the layout for the keeper to choose; nothing is guessed on its own.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import pairwise
from pathlib import Path
from typing import Literal

import numpy as np

from stathmis.core.units import Unit
from stathmis.exchange.csv_text import SEPARATORS, CsvError, Cut, sampled
from stathmis.exchange.csv_times import (
    DATE_ORDERS,
    DateOrder,
    Parts,
    epochs,
    likelihood,
    parts_of,
    said_offset,
    stamps,
    together,
)
from stathmis.words import tables_read as say

__all__ = ["DATE_ORDERS", "FILE_UNITS", "Column", "CsvError", "DateOrder", "FileUnit", "Layout", "find_layout"]

FileUnit = Unit | Literal["of 1"]
"""The unit of a column; humidity may be written as a fraction of one."""
FILE_UNITS: tuple[FileUnit, ...] = ("°C", "°F", "%", "of 1")
NEAR = 0.15
"""Two readings of a file whose scores differ by less are both shown."""
_UNIT = r"((°|deg\.?)?\s*[CcFf]|%(\s*[rR]\.?\s*[hHfFlL]\.?)?)"
UNIT_IN_CELL = rf"\s*{_UNIT}$"
"""A unit behind a number (a pattern)."""
_NUMBER = re.compile(rf"\s*[+\-−]?(\d+([.,]\d+)?|[.,]\d+)([eE][+-]?\d+)?\s*(?P<unit>{_UNIT})?\s*")


@dataclass(frozen=True)
class Column:
    """A column: its place, heading, values, what it looks like, and in what unit; doubt: the unit it may be in as well,
    where that cannot be told."""

    index: int
    heading: str
    sample: tuple[str, ...]
    looks_like: Literal["time", "date", "clock", "temperature", "humidity", "other"]
    unit: FileUnit = "°C"
    doubt: FileUnit | None = None


@dataclass(frozen=True)
class Layout:
    """The file's layout. skip: lines before the first row of data; time_columns: one, or a date and a clock;
    offset_min: minutes east of UTC its heading tells, None where it tells none; aware: its cells tell their own;
    or_paired: whether commas may be decimal signs as well as ends of cells; or_order: the order its dates may be in as
    well."""

    encoding: str
    cut: Cut
    decimal: str
    skip: int
    width: int
    columns: tuple[Column, ...]
    time_columns: tuple[int, ...]
    date_order: DateOrder
    or_order: DateOrder | None = None
    or_paired: bool = False
    offset_min: int | None = None
    aware: bool = False
    score: float = 0.0

    @property
    def order_is_sure(self) -> bool:
        """Whether only one order of day and month fits."""
        return self.or_order is None

    @property
    def separator(self) -> str:
        """What stands between its cells."""
        return self.cut.separator


@dataclass(frozen=True)
class Question:
    """What the keeper has to say before anything of a file is taken in, for it fits in two ways: its decimal sign, the
    order of its dates (with the first day each gives, local ms), or a column's unit (with its first value)."""

    about: Literal["decimal sign", "order", "unit"]
    first_days_ms: tuple[float, ...] = ()
    column: str = ""
    first_value: str = ""
    units: tuple[FileUnit, ...] = ()


def find_layout(path: Path, now_ms: int | None = None, decimal: str | None = None) -> Layout:
    """Look at a whole file. now_ms: the time now (UTC ms): no reading is from later; decimal: its decimal sign, where
    it is known.

    Raises CsvError for a file that is missing, empty, too large, not text, or without a time and a number column.
    """
    lines, encoding = sampled(path)
    rows = [(i, line) for i, line in lines if line.strip()]
    if not any(separator in line for _, line in rows for separator in SEPARATORS):
        raise CsvError(*say.PATH_HAS_ONLY_ONE_COLUMN(path=path.name))
    quoted = any('"' in line for _, line in rows)
    found = []
    for separator in SEPARATORS:
        held = re.compile(f'(^|{re.escape(separator)})"[^"]*{re.escape(separator)}[^"]*"({re.escape(separator)}|$)')
        holding = quoted and any(line.count('"') % 2 == 0 and held.search(line) for _, line in rows)
        cuts = [Cut(separator, quoted, holding=holding)]
        if separator == ",":
            cuts.append(Cut(separator, quoted, paired=True))
        found += [layout for cut in cuts if (layout := _read(rows, cut, encoding, now_ms)) is not None]
    if not found:
        raise CsvError(*say.NO_ROW_OF_PATH_HAS(path=path.name))
    if decimal is not None:
        known = [layout for layout in found if layout.decimal == decimal]
        return replace(max(known or found, key=lambda layout: layout.score), decimal=decimal)
    best, *others = sorted(found, key=lambda layout: -layout.score)
    paired = [o for o in others if o.cut.paired != best.cut.paired and o.separator == best.separator]
    return replace(best, or_paired=any(best.score - o.score < NEAR for o in paired))


def _read(rows: Sequence[tuple[int, str]], cut: Cut, encoding: str, now_ms: int | None) -> Layout | None:
    """The file cut in one way; None where it has no times or no numbers then."""
    cells = [(i, cut.cells(line)) for i, line in rows]
    widths = [len(c) for _, c in cells]
    width = max(set(widths), key=lambda w: (widths.count(w), w))
    if width < 2:
        return None
    first = next((at for at, (_, c) in enumerate(cells) if len(c) == width and _is_data(c)), None)
    if first is None:
        return None
    body = [c for _, c in cells[first:] if len(c) == width]
    if cut.paired:
        times = 1 + max((at for at, cell in enumerate(body[0]) if not _NUMBER.fullmatch(cell)), default=-1)
        joined = [cut.cells(line, times) for _, line in rows[first:]]
        body = [c for c in joined if len(c) == times + (width - times) // 2]
        if not body or 2 * len(body) < len(joined) or (width - times) % 2:
            return None
        width = len(body[0])
    heading = _heading([cut.cells(line) for _, line in rows[:first]], width)
    decimal = _decimal(body, cut)
    columns = tuple(_column(at, heading[at], [c[at] for c in body], decimal) for at in range(width))
    told = _times(columns, body, now_ms)
    if told is None:
        return None
    time_columns, order, or_order, aware, likely = told
    values = [c for c in columns if c.index not in time_columns]
    columns = tuple(
        c
        if c.index in time_columns or c.looks_like not in ("time", "date", "clock")
        else replace(c, looks_like="other")
        for c in _guessed(columns, time_columns)
    )
    numeric = [c.index for c in values if _share(c.sample, decimal) >= 0.5]
    if not numeric:
        return None
    whole = sum(any(_NUMBER.fullmatch(row[at]) for at in numeric) for row in body) / max(1, len(cells) - first)
    # a heading as wide as the rows below it, and numbers that are no halves of others, speak for a cut
    named = sum(bool(h) for h in heading) / width
    halves = cut.separator == "," and not cut.paired and _halves([[row[at] for at in numeric] for row in body])
    words = " ".join(heading[at] for at in time_columns)
    return Layout(
        encoding,
        cut,
        decimal,
        cells[first][0],
        width,
        columns,
        time_columns,
        order,
        or_order,
        offset_min=said_offset(words),
        aware=aware,
        score=whole + 0.3 * named + min(likely, 1.0) - 0.1 * halves,
    )


def _is_data(cells: Sequence[str]) -> bool:
    parts = parts_of(cells)
    dated = parts.dated.any() or np.isfinite(epochs(cells)).any()
    return bool(dated) and any(_NUMBER.fullmatch(cell) for cell in cells)


def _heading(rows: Sequence[Sequence[str]], width: int) -> list[str]:
    """The words above each column: often one row, sometimes names and beneath them units."""
    last = [row for row in rows if len(row) == width][-2:]
    return [" ".join(row[at].strip() for row in last if row[at].strip()) for at in range(width)]


def _decimal(body: Sequence[Sequence[str]], cut: Cut) -> str:
    if cut.paired:
        return ","
    numbers = [cell for row in body for cell in row if _NUMBER.fullmatch(cell)]
    return "," if sum("," in n for n in numbers) > sum("." in n for n in numbers) else "."


def _halves(rows: Sequence[Sequence[str]]) -> bool:
    """Whether the numbers may be halves of decimal numbers: none has a decimal sign, and they come in pairs."""
    return len(rows[0]) % 2 == 0 and not any("." in cell or "," in cell for row in rows for cell in row)


def _share(cells: Sequence[str], decimal: str) -> float:
    """The share of filled cells that are numbers."""
    filled = [c for c in cells if c.strip()]
    other = "." if decimal == "," else ","
    return sum(_NUMBER.fullmatch(c) is not None and other not in c for c in filled) / len(filled) if filled else 0.0


def _column(index: int, heading: str, cells: list[str], decimal: str) -> Column:
    filled = [c for c in cells if c.strip()]
    if not filled:
        return Column(index, heading, tuple(cells), "other")
    parts = parts_of(filled)
    dated, clocked = parts.dated.mean(), parts.clocked.mean()
    colons = sum(":" in c for c in filled) / len(filled)
    times = re.search(r"time|zeit|uhr|clock|heure|hora", heading.lower()) is not None
    if dated >= 0.5 and dated >= clocked * 0.5:
        return Column(index, heading, tuple(cells), "time" if clocked >= 0.5 else "date")
    if clocked >= 0.5 and (colons >= 0.5 or times):
        return Column(index, heading, tuple(cells), "clock")
    if np.isfinite(epochs(filled)).mean() >= 0.9:
        return Column(index, heading, tuple(cells), "time")
    if _share(filled, decimal) >= 0.5:
        return _number_column(index, heading, tuple(cells), filled, decimal)
    return Column(index, heading, tuple(cells), "other")


def _number_column(index: int, heading: str, sample: tuple[str, ...], filled: list[str], decimal: str) -> Column:
    found = [m for c in filled if (m := _NUMBER.fullmatch(c))]
    values = sorted(number_in(c, decimal) for c in filled if _NUMBER.fullmatch(c))
    middle = values[len(values) // 2]
    words = re.sub(r"[_\[\](){}/,;:]", " ", heading.lower())
    own = "".join(m["unit"] or "" for m in found).lower()
    if re.search(r"hum|feucht|\br\.?h\b|\br\.?f\b|%|hygro", words) or "%" in own:
        part = 0.0 < values[-1] <= 1.0
        # a heading with % over numbers up to 1: percents of a desert, or fractions
        doubt: FileUnit | None = "%" if part and "%" in words and "%" not in own else None
        return Column(index, heading, sample, "humidity", "of 1" if part and "%" not in own else "%", doubt)
    says_f = re.search(r"°\s*f|\bdeg\.?\s*f|fahr|\bf\b", words) is not None or "f" in own
    says_c = re.search(r"°\s*c|\bdeg\.?\s*c|cels|centi|\bc\b", words) is not None or "c" in own
    if says_f or says_c or re.search(r"temp|°|\bt\b|air|luft", words):
        unit: FileUnit = "°F" if says_f or (not says_c and middle > 55.0) else "°C"
        # 46 to 65: a cold shed in °F, or a box far too hot in °C
        sure = says_f != says_c or not 46.0 <= middle <= 65.0
        other: FileUnit = "°C" if unit == "°F" else "°F"
        return Column(index, heading, sample, "temperature", unit, None if sure else other)
    return Column(index, heading, sample, "other", "°F" if middle > 55.0 else "°C")


def number_in(cell: str, decimal: str) -> float:
    """The number in a cell that holds one, without its unit."""
    text = re.sub(r"[^\d.,+\-eE]", "", re.sub(r"(?<=\d)\s*(°|deg|[CcFf%]).*$", "", cell.replace("−", "-")))
    return float(text.replace(decimal, "."))


def _guessed(columns: tuple[Column, ...], time_columns: tuple[int, ...]) -> tuple[Column, ...]:
    """Columns without a heading, by their values: the first that may be warm air, and a humid one behind it."""
    if any(c.looks_like in ("temperature", "humidity") for c in columns):
        return columns
    found: list[Column] = []
    for c in columns:
        values = [number_in(s, "," if "," in s else ".") for s in c.sample if _NUMBER.fullmatch(s)]
        bare = c.looks_like == "other" and c.heading.strip().lower() in ("", "value", "values") and bool(values)
        counts_up = len(values) > 2 and sum(b - a == 1 for a, b in pairwise(values)) > 0.8 * (len(values) - 1)
        middle = sorted(values)[len(values) // 2] if values else 0.0
        taken = {f.looks_like for f in found}
        if bare and not counts_up and c.index not in time_columns:
            if "temperature" not in taken and (20.0 <= middle <= 42.0 or 68.0 <= middle <= 108.0):
                c = replace(c, looks_like="temperature", unit="°F" if middle > 55.0 else "°C")
            elif "temperature" in taken and "humidity" not in taken and 5.0 <= middle <= 100.0:
                c = replace(c, looks_like="humidity", unit="%")
        found.append(c)
    return tuple(found)


def _times(
    columns: Sequence[Column], body: Sequence[Sequence[str]], now_ms: int | None
) -> tuple[tuple[int, ...], DateOrder, DateOrder | None, bool, float] | None:
    """Which columns tell the time, the order of their dates and the one it may be as well, whether each cell tells its
    zone, and how likely that is; None where none does."""
    of = {kind: [c.index for c in columns if c.looks_like == kind] for kind in ("time", "date", "clock")}
    for at in of["time"]:
        known = epochs([row[at] for row in body])
        if np.isfinite(known).mean() >= 0.5:
            return (at,), "seconds since 1970", None, True, likelihood(known, now_ms)
    if of["date"] and of["clock"]:
        chosen: tuple[int, ...] = (of["date"][0], of["clock"][0])
    elif of["time"] or of["date"]:
        chosen = ((of["time"] or of["date"])[0],)
    else:
        return None
    parts = parts_at(body, chosen)
    aware = bool(np.isfinite(parts.offset_min).mean() >= 0.5)
    if (parts.long_first | ~parts.dated).all():
        orders: tuple[DateOrder, ...] = ("year first",)
    else:
        orders = ("day first", "month first", "year first")
    scored = sorted(((likelihood(stamps(parts, o), now_ms), -i, o) for i, o in enumerate(orders)), reverse=True)
    score, _, best = scored[0]
    near = [o for other, _, o in scored[1:] if score - other < NEAR and _differ(parts, best, o)]
    return chosen, best, near[0] if near else None, aware, score


def _differ(parts: Parts, one: DateOrder, other: DateOrder) -> bool:
    return not np.array_equal(stamps(parts, one), stamps(parts, other), equal_nan=True)


def parts_at(rows: Sequence[Sequence[str]], columns: tuple[int, ...]) -> Parts:
    """The parts of the times in one column, or of a date and a clock in two."""
    first = parts_of([row[columns[0]] for row in rows])
    return together(first, parts_of([row[columns[1]] for row in rows])) if len(columns) > 1 else first
