"""Times as loggers write them: their parts, what order of day and month may mean, and what they say of their zone."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]

DateOrder = Literal["year first", "day first", "month first", "seconds since 1970"]
DATE_ORDERS: tuple[DateOrder, ...] = ("year first", "day first", "month first", "seconds since 1970")
EARLIEST_YEAR, LATEST_YEAR = 1970, 2200
EARLIEST_MS, LATEST_MS = 0, 7_289_654_399_999
"""The same, UTC ms."""
YEAR_MS = 365.25 * 86_400_000
EPOCH_S = (1e9, 4.2e9)
"""Seconds from 2001 to 2103; a thousand times that is milliseconds."""

_MONTHS = ("jan", "feb", "m[aär]r|mrz", "apr", "ma[yi]", "jun", "jul", "aug", "sep", "o[ck]t", "nov", "de[cz]")
_DATE = r"(?P<a>\d{1,4})(?P<s>[-./])(?P<b>\d{1,2})(?P=s)(?P<c>\d{1,4})(?![\d])"
_NAMED = r"(?P<d>\d{1,2})[-. ]+(?P<mon>[^\W\d_]{3,9})\.?[-, ]+(?P<y>\d{4}|\d{2})(?!\d)"
_NAMED_FIRST = r"(?P<mon2>[^\W\d_]{3,9})\.?[- ]+(?P<d2>\d{1,2})[-, ]+(?P<y2>\d{4})(?!\d)"
_BASIC = r"(?P<basic>(?:19|20|21)\d{6})(?=[T ]|$)"
_CLOCK = (
    r"(?P<h>\d{1,2})(?P<p>[:.hH]?)(?P<mi>\d{2})(?:(?P=p)(?P<se>\d{2})(?:[.,](?P<fr>\d+))?)?"
    r"\s*(?P<half>[aApP]\.?[mM]\.?)?"
)
_ZONE = r"(?P<zone>Z|(?:UTC|GMT)?\s*[+\-−]\d{1,2}(?::?\d{2})?|UTC|GMT)?"
WHEN = re.compile(rf"(?:(?:{_DATE}|{_NAMED}|{_NAMED_FIRST}|{_BASIC})(?=[T ,]|$)[T ,]*)?(?:{_CLOCK})?\s*{_ZONE}")
_SAID = re.compile(r"\b(?:UTC|GMT)\s*(?:([+\-−])\s*(\d{1,2})(?::?(\d{2}))?)?(?![^\W_])", re.IGNORECASE)


@dataclass(frozen=True)
class Parts:
    """What stands in the cells of times, one entry each: three numbers of a date (nan where none is), how long the
    first is written, seconds of the day (nan where there is no clock), minutes east of UTC (nan where not said), and
    whether the day's order is beyond doubt (a month's name)."""

    first: Array
    second: Array
    third: Array
    long_first: NDArray[np.bool_]
    seconds: Array
    offset_min: Array
    named: NDArray[np.bool_]

    @property
    def dated(self) -> NDArray[np.bool_]:
        """Which have a date."""
        return np.isfinite(self.first)

    @property
    def clocked(self) -> NDArray[np.bool_]:
        """Which have a time of the day."""
        return np.isfinite(self.seconds)


def parts_of(cells: Sequence[str]) -> Parts:
    """The parts of some cells."""
    rows = np.full((len(cells), 5), np.nan)
    flags = np.zeros((len(cells), 2), dtype=bool)
    for i, cell in enumerate(cells):
        found = WHEN.fullmatch(cell.strip()) if 0 < len(cell) <= 60 else None
        if found is not None:
            rows[i], flags[i] = _row(found)
    return Parts(rows[:, 0], rows[:, 1], rows[:, 2], flags[:, 0], rows[:, 3], rows[:, 4], flags[:, 1])


def _row(found: re.Match[str]) -> tuple[tuple[float, ...], tuple[bool, bool]]:
    nothing, g = float("nan"), found.groupdict()
    date, long_first, named = (nothing, nothing, nothing), False, False
    if g["a"]:
        date, long_first = (float(g["a"]), float(g["b"]), float(g["c"])), len(g["a"]) > 2
    elif g["basic"]:
        date, long_first = (float(g["basic"][:4]), float(g["basic"][4:6]), float(g["basic"][6:])), True
    elif g["mon"] or g["mon2"]:
        word = (g["mon"] or g["mon2"]).lower()
        month = next((m for m, form in enumerate(_MONTHS, start=1) if re.match(form, word)), 0)
        if month:
            year, day = float(g["y"] or g["y2"]), float(g["d"] or g["d2"])
            date, long_first, named = (year, float(month), day), True, True
    return (*date, _seconds(g), _offset(g["zone"])), (long_first, named)


def _seconds(g: dict[str, str | None]) -> float:
    if g["h"] is None or (not g["p"] and g["basic"] is None):
        return float("nan")
    hour, minute, second = int(g["h"]), int(g["mi"] or 0), int(g["se"] or 0)
    if g["half"]:
        if not 1 <= hour <= 12:
            return float("nan")
        hour = hour % 12 + 12 * (g["half"][0] in "pP")
    if hour > 23 or minute > 59 or second > 59:
        return float("nan")
    return hour * 3600.0 + minute * 60.0 + second + float(f"0.{g['fr'] or 0}")


def _offset(zone: str | None) -> float:
    if not zone:
        return float("nan")
    if zone in ("Z", "UTC", "GMT"):
        return 0.0
    sign, digits = (-1.0 if zone.strip("UTCGM ")[0] in "-−" else 1.0), re.sub(r"\D", "", zone)
    hours, minutes = (digits[:-2], digits[-2:]) if len(digits) > 2 else (digits, "0")
    found = sign * (60.0 * int(hours) + int(minutes))
    return found if abs(found) <= 14 * 60 else float("nan")


def said_offset(words: str) -> int | None:
    """Minutes east of UTC that a heading tells ("Time (UTC+2)", "GMT-05:30", "UTC"); None where it tells none."""
    found = _SAID.search(words)
    if found is None:
        return None
    minutes = 60 * int(found[2] or 0) + int(found[3] or 0)
    return (-minutes if found[1] in ("-", "−") else minutes) if minutes <= 14 * 60 else None


def stamps(parts: Parts, order: DateOrder) -> Array:
    """Local ms since 1970 of dates in this order with their clock (midnight where none is written); nan where they are
    no day from 1970 to 2200."""
    a, b, c = parts.first, parts.second, parts.third
    year = np.where(parts.long_first, a, a if order == "year first" else c)
    month = np.where(parts.long_first, b, a if order == "month first" else b)
    day = np.where(parts.long_first, c, {"year first": c, "day first": a}.get(order, b))
    year = np.where(year < 100, year + 2000, year)
    good = (year >= EARLIEST_YEAR) & (year <= LATEST_YEAR) & (month >= 1) & (month <= 12) & (day >= 1) & (day <= 31)
    whole = [np.where(good, v, fallback).astype(np.int64) for v, fallback in ((year, 1970), (month, 1), (day, 1))]
    months = ((whole[0] - 1970) * 12 + whole[1] - 1).astype("datetime64[M]")
    days = months.astype("datetime64[D]") + (whole[2] - 1)
    good &= days.astype("datetime64[M]") == months
    ms = days.astype("datetime64[ms]").astype(np.int64) + np.nan_to_num(parts.seconds) * 1000.0
    return np.where(good, ms, np.nan)


def together(dates: Parts, clocks: Parts) -> Parts:
    """Dates of one column with the clocks of another."""
    offset = np.where(np.isfinite(clocks.offset_min), clocks.offset_min, dates.offset_min)
    return Parts(dates.first, dates.second, dates.third, dates.long_first, clocks.seconds, offset, dates.named)


def epochs(cells: Sequence[str]) -> Array:
    """UTC ms of cells that hold seconds or milliseconds since 1970, also as 1.7791E9; nan where they do not."""
    values = np.full(len(cells), np.nan)
    for i, cell in enumerate(cells):
        text = cell.strip().replace(",", ".")
        if re.fullmatch(r"\d{9,13}(\.\d+)?|\d\.\d+[eE]\+?(9|09|12)", text):
            values[i] = float(text)
    return epoch_ms(values)


def epoch_ms(values: Array) -> Array:
    """UTC ms of seconds or milliseconds since 1970; nan where they lie outside the years of a logger."""
    low, high = EPOCH_S
    seconds = np.where(values > high, values / 1000.0, values)
    return np.where((seconds >= low) & (seconds <= high), np.round(seconds * 1000.0), np.nan)


def likelihood(ms: Array, now_ms: int | None = None) -> float:
    """How likely times were meant so: they are days there are, none still to come, each later than the last, and most
    of them equally far apart, as a logger's are. 0 to 1.5."""
    known = ms[np.isfinite(ms)]
    if not ms.size or not known.size:
        return 0.0
    score = known.size / ms.size
    if now_ms is not None:
        # a clock may be some hours off
        score -= float((known > now_ms + 86_400_000).mean())
        # what is brought in was mostly read lately
        score -= 0.02 * min(10.0, max(0.0, (now_ms - float(known.max())) / YEAR_MS))
    steps = np.round(np.diff(known) / 1000.0)
    if steps.size:
        score -= 0.5 * float((steps < 0).mean())
        rising = steps[steps > 0]
        if rising.size > 1:
            values, counts = np.unique(rising, return_counts=True)
            usual = values[counts.argmax()]
            score += 0.5 * float((np.abs(rising - usual) <= max(2.0, 0.02 * usual)).sum()) / steps.size
    return score
