"""How a logger's CSV is laid out: encoding, separator, decimal mark, header, and which column is likely what.

Only the head of the file is read. Guesses are offered for the keeper to confirm, never applied on their own.
"""

from __future__ import annotations

import csv
import re
from dataclasses import dataclass
from itertools import pairwise
from pathlib import Path
from typing import Literal

from stathmis.core.errors import UserError
from stathmis.core.units import Unit

LARGEST_BYTES = 512 * 1024 * 1024
_HEAD_BYTES = 65536

DateOrder = Literal["year first", "day first", "month first", "seconds since 1970"]
DATE_ORDERS: tuple[DateOrder, ...] = ("year first", "day first", "month first", "seconds since 1970")


class CsvError(UserError):
    """The file cannot be read as a table of readings."""


@dataclass(frozen=True)
class Column:
    """A column: its place, heading, first values, and what it looks like."""

    index: int
    heading: str
    sample: tuple[str, ...]
    looks_like: Literal["time", "date", "temperature", "humidity", "other"]
    unit: Unit = "°C"


@dataclass(frozen=True)
class Layout:
    """The file's layout. skip: lines before the first row of data."""

    encoding: str
    separator: str
    decimal: str
    skip: int
    columns: tuple[Column, ...]
    date_order: DateOrder
    order_is_sure: bool
    says_utc: bool


def find_layout(path: Path) -> Layout:
    """Look at the head of a file.

    Raises CsvError for a file that is missing, empty, too large, not text, or without a time and a number column.
    """
    try:
        size = path.stat().st_size
        with path.open("rb") as file:
            head = file.read(_HEAD_BYTES)
    except OSError as error:
        raise CsvError(f"{path.name} cannot be read: {error.strerror}.", "Check the file and try again.") from error
    if not head:
        raise CsvError(f"{path.name} is empty.", "Export it from the logger again.")
    if size > LARGEST_BYTES:
        raise CsvError(
            f"{path.name} is {size / 2**30:.1f} GB; logger files are read up to {LARGEST_BYTES / 2**20:.0f} MB.",
            "Export a shorter stretch, or split the file by month.",
        )
    text, encoding = _decode(head, path, whole=size <= _HEAD_BYTES)
    lines = [line for line in text.splitlines() if line.strip()]
    if not lines:
        raise CsvError(f"{path.name} is empty.", "Export it from the logger again.")
    try:
        separator, width = _separator(lines, path)
        rows = list(csv.reader(lines, delimiter=separator))
    except csv.Error as error:
        raise CsvError(f"{path.name} is no table: {error}.", "Export it from the logger as CSV again.") from error
    first = _first_data_row(rows, width)
    if first is None:
        raise CsvError(
            f"No row of {path.name} has both a time and a number.",
            "A logger file has a column of times and a column of temperatures or humidities.",
        )
    decimal = _decimal(rows[first:], separator)
    heading = _heading([r for r in rows[:first] if len(r) >= width][-2:], width)
    columns = _columns(heading, [r for r in rows[first:] if len(r) == width][:200], decimal)
    order, sure = _date_order(columns)
    raw_lines = text.splitlines()
    skip = next(i for i, line in enumerate(raw_lines) if line.strip() and line == lines[first])
    times = [s for c in columns if c.looks_like == "time" for s in c.sample]
    utc = any("utc" in c.heading.lower() or "gmt" in c.heading.lower() for c in columns if c.looks_like == "time")
    utc = utc or any(re.search(r"(Z|[+-]\d\d:?\d\d)$", t.strip()) for t in times) or order == "seconds since 1970"
    return Layout(encoding, separator, decimal, skip, columns, order, sure, utc)


def _heading(rows: list[list[str]], width: int) -> list[str]:
    """The words above each column: often one row, sometimes names and beneath them units."""
    return [" ".join(row[i].strip() for row in rows if row[i].strip()) for i in range(width)]


def _decode(head: bytes, path: Path, *, whole: bool) -> tuple[str, str]:
    if head[:2] in (b"\xff\xfe", b"\xfe\xff"):
        encoding = "utf-16"
    elif b"\x00" in head:
        raise CsvError(f"{path.name} is not a text file.", "Export the readings from the logger as CSV.")
    else:
        encoding = "utf-8-sig"
    try:
        text = head.decode(encoding)
    except UnicodeDecodeError:
        if not whole and encoding == "utf-8-sig":
            try:
                text = head[: head.rfind(b"\n")].decode(encoding)
            except UnicodeDecodeError:
                text, encoding = head.decode("cp1252", errors="replace"), "cp1252"
        else:
            text, encoding = head.decode("cp1252", errors="replace"), "cp1252"
    # the last line of a long head is cut short
    return (text if whole else text[: text.rfind("\n") + 1]), encoding


def _separator(lines: list[str], path: Path) -> tuple[str, int]:
    best, best_score, best_width = "", 0, 0
    body = lines[:300]
    for candidate in (";", "\t", ",", "|"):
        widths = [len(row) for row in csv.reader(body, delimiter=candidate)]
        common = max(set(widths), key=lambda w: (widths.count(w), w))
        score = widths.count(common) if common > 1 else 0
        # a decimal comma cuts every number in two; a semicolon or tab that cuts as evenly is the real separator
        if score > best_score:
            best, best_score, best_width = candidate, score, common
    if not best:
        raise CsvError(f"{path.name} has only one column.", "A logger file has a column of times and one of values.")
    return best, best_width


_NUMBER = re.compile(r"^\s*[+\-−]?\d+([.,]\d+)?\s*(°?[CcFf]|%(\s*[rR][hH])?)?\s*$")
_CLOCK = re.compile(r"\d{1,2}[:.]\d{2}")
_DATE = re.compile(r"^\s*\d{1,4}[-./]\d{1,2}[-./]\d{1,4}")


def _is_time(cell: str) -> bool:
    return bool(_DATE.match(cell)) or (bool(_CLOCK.search(cell)) and not _NUMBER.match(cell)) or _is_epoch(cell)


def _is_epoch(cell: str) -> bool:
    return bool(re.match(r"^\s*1\d{9}(\d{3})?(\.\d+)?\s*$", cell))


def _first_data_row(rows: list[list[str]], width: int) -> int | None:
    for i, row in enumerate(rows):
        if len(row) == width and any(_is_time(c) for c in row) and any(_NUMBER.match(c) for c in row):
            return i
    return None


def _decimal(rows: list[list[str]], separator: str) -> str:
    if separator == ",":
        return "."
    numbers = [cell for row in rows[:200] for cell in row if _NUMBER.match(cell) and not _is_epoch(cell)]
    return "," if sum("," in n for n in numbers) > sum("." in n for n in numbers) else "."


def _columns(heading: list[str], rows: list[list[str]], decimal: str) -> tuple[Column, ...]:
    found: list[Column] = []
    for index in range(len(rows[0])):
        cells = [row[index] for row in rows]
        title = heading[index].strip() if index < len(heading) else ""
        sample = tuple(cells)
        filled = [c for c in cells if c.strip()]
        times = sum(_is_time(c) for c in filled)
        numbers = sum(bool(_NUMBER.match(c)) and not _is_epoch(c) for c in filled)
        if filled and times >= 0.5 * len(filled) and times > numbers:
            has_clock = any(_CLOCK.search(c) or _is_epoch(c) for c in filled)
            found.append(Column(index, title, sample, "time" if has_clock else "date"))
        elif filled and numbers >= 0.5 * len(filled):
            found.append(_number_column(index, title, sample, filled, decimal))
        else:
            found.append(Column(index, title, sample, "other"))
    return tuple(found)


def _number_column(index: int, title: str, sample: tuple[str, ...], filled: list[str], decimal: str) -> Column:
    values = sorted(
        float(re.sub(r"[^\d.+-]", "", c.replace("−", "-").replace(decimal, "."))) for c in filled if _NUMBER.match(c)
    )
    middle = values[len(values) // 2]
    words = title.lower()
    if re.search(r"hum|feucht|r\.?h|%|hygro", words):
        return Column(index, title, sample, "humidity", "%")
    if re.search(r"temp|°|celsius|fahr|\bt\b|\(c\)|\(f\)", words):
        says_f, says_c = re.search(r"°\s*f|fahr|\(f\)", words), re.search(r"°\s*c|cels|\(c\)", words)
        fahrenheit = bool(says_f) or (not says_c and middle > 60)
        return Column(index, title, sample, "temperature", "°F" if fahrenheit else "°C")
    counts_up = all(b - a == 1 for a, b in pairwise(values)) and len(values) > 2
    if words in ("", "value") and not counts_up and 20 <= middle <= 42:
        return Column(index, title, sample, "temperature", "°C")
    return Column(index, title, sample, "other")


def _date_order(columns: tuple[Column, ...]) -> tuple[DateOrder, bool]:
    cells = [c for column in columns if column.looks_like in ("time", "date") for c in column.sample]
    if any(_is_epoch(c) for c in cells):
        return "seconds since 1970", True
    dates = [re.split(r"[-./ T]", c.strip())[:3] for c in cells if _DATE.match(c)]
    if not dates:
        return "year first", False
    if all(len(d[0]) == 4 for d in dates):
        return "year first", True
    firsts = [int(d[0]) for d in dates if d[0].isdigit()]
    seconds = [int(d[1]) for d in dates if d[1].isdigit()]
    if max(firsts, default=0) > 12:
        return "day first", True
    if max(seconds, default=0) > 12:
        return "month first", True
    return "day first", False
