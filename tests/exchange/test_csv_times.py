"""Times as loggers write them: each part for itself, and what lies outside of a logger's years."""

from __future__ import annotations

from datetime import UTC, datetime

import numpy as np
import pytest

from stathmis.exchange.csv_times import (
    EARLIEST_MS,
    LATEST_MS,
    DateOrder,
    epochs,
    likelihood,
    parts_of,
    said_offset,
    stamps,
)


def ms(year: int, month: int, day: int, hour: int = 0, minute: int = 0, second: int = 0) -> float:
    return datetime(year, month, day, hour, minute, second, tzinfo=UTC).timestamp() * 1000.0


@pytest.mark.parametrize(
    ("cell", "order", "expected"),
    [
        ("1970-01-01 00:00", "year first", 0.0),
        ("2200-12-31 23:59:59", "year first", LATEST_MS - 999.0),
        ("1969-12-31 23:59", "year first", None),
        ("2201-01-01 00:00", "year first", None),
        ("2024-02-29 12:00", "year first", ms(2024, 2, 29, 12)),
        ("2023-02-29 12:00", "year first", None),
        ("31.04.2024 12:00", "day first", None),
        ("13/12/2024 12:00", "month first", None),
        ("12/13/2024 12:00", "month first", ms(2024, 12, 13, 12)),
        ("5/1/24 7:05 am", "month first", ms(2024, 5, 1, 7, 5)),
        ("5/1/24 12:05 am", "day first", ms(2024, 1, 5, 0, 5)),
        ("5/1/24 12:05 pm", "day first", ms(2024, 1, 5, 12, 5)),
        ("20240229 1205", "year first", ms(2024, 2, 29, 12, 5)),
        ("5 Mai 2024, 07:05:09", "day first", ms(2024, 5, 5, 7, 5, 9)),
        ("Mar 5, 2024 07:05", "day first", ms(2024, 3, 5, 7, 5)),
        ("05.01.2024 24:00", "day first", ms(2024, 1, 5)),
        ("2024-01-05 07:05:09.25", "year first", ms(2024, 1, 5, 7, 5, 9) + 250.0),
    ],
)
def test_a_time(cell: str, order: DateOrder, expected: float | None) -> None:
    (found,) = stamps(parts_of([cell]), order)
    clock_is_none = cell.endswith("24:00")
    assert (found == expected) if expected is not None else np.isnan(found)
    assert not (clock_is_none and parts_of([cell]).clocked.any()), "a clock that does not exist is none"


@pytest.mark.parametrize(
    ("cell", "minutes"),
    [
        ("2024-01-05T07:05Z", 0.0), ("2024-01-05T07:05+02:00", 120.0), ("2024-01-05 07:05 -0530", -330.0),
        ("2024-01-05 07:05 UTC+2", 120.0), ("2024-01-05 07:05 −3", -180.0), ("2024-01-05 07:05 +14:00", 840.0),
        ("2024-01-05 07:05 +5:30", 330.0), ("2024-01-05 07:05 +15:00", None), ("2024-01-05 07:05", None),
    ],
)  # fmt: skip
def test_its_own_offset(cell: str, minutes: float | None) -> None:
    (found,) = parts_of([cell]).offset_min
    assert (found == minutes) if minutes is not None else np.isnan(found)


@pytest.mark.parametrize(
    ("heading", "minutes"),
    [
        ("Time (UTC+2)", 120), ("GMT-05:30", -330), ("Zeit UTC", 0), ("time utc −3", -180), ("UTC+14", 840),
        ("UTC+15", None), ("Time", None), ("UTCB", None),
    ],
)  # fmt: skip
def test_an_offset_in_a_heading(heading: str, minutes: int | None) -> None:
    assert said_offset(heading) == minutes


@pytest.mark.parametrize(
    ("cell", "expected"),
    [
        ("1700000000", 1.7e12), ("1700000000000", 1.7e12), ("1700000000.5", 1.7e12 + 500.0), ("1.7E9", 1.7e12),
        ("1,7e+12", 1.7e12), ("1000000000", 1e12), ("999999999", None), ("4200000000", 4.2e12), ("4200000001", None),
        ("17000000000000", None), ("17e8", None), ("", None),
    ],
)  # fmt: skip
def test_seconds_or_milliseconds_since_1970(cell: str, expected: float | None) -> None:
    (found,) = epochs([cell])
    assert (found == expected) if expected is not None else np.isnan(found)


def test_the_years_of_a_logger() -> None:
    assert (ms(1970, 1, 1), ms(2201, 1, 1) - 1) == (EARLIEST_MS, LATEST_MS)


def test_what_a_logger_writes_is_likelier_than_what_it_does_not() -> None:
    ten = 600_000.0
    even = ms(2026, 5, 10) + ten * np.arange(50)
    now = round(ms(2026, 5, 18))
    assert likelihood(even, now) == pytest.approx(1.5, abs=0.01)
    # steps that wander a second or two are a logger's all the same; others are not
    assert likelihood(even + 900.0 * (np.arange(50) % 2), now) == pytest.approx(1.5, abs=0.01)
    ragged = even + np.cumsum(np.random.default_rng(1).uniform(0, 3 * ten, 50))
    assert likelihood(ragged, now) < 1.15
    # half of them backward, half still to come, half no times at all, or last read five years ago
    assert likelihood(even[::-1], now) == pytest.approx(0.5, abs=0.01)
    assert likelihood(even, round(ms(2026, 5, 1))) == pytest.approx(0.5, abs=0.01)
    assert likelihood(np.where(np.arange(50) % 2, even, np.nan), now) == pytest.approx(1.0, abs=0.02)
    assert likelihood(even, round(ms(2031, 5, 10))) == pytest.approx(1.4, abs=0.01)
    assert likelihood(np.full(3, np.nan), now) == likelihood(np.array([]), now) == 0.0


@pytest.mark.parametrize(
    ("minutes", "now", "likely"),
    [
        ([0], None, 1.0),
        # one step says nothing of a logger's own
        ([0, 10], None, 1.0),
        ([0, 10, 20], None, 1.5),
        ([0, 10, 20, 30.3], None, 1.0 + 0.5 * 2 / 3),
        # within two in a hundred a step is the usual one
        ([0, 10, 20, 30.2], None, 1.5),
        ([0, 10, 20, 0], None, 1.0 - 0.5 / 3 + 0.5 * 2 / 3),
        ([0, 10, 20, None], None, 0.75 + 0.5),
        ([None, None], None, 0.0),
        ([], None, 0.0),
        # a clock may be a day off; what is still to come is not
        ([0, 10, 20], 20 - 1440, 1.5),
        ([0, 10, 20], 19 - 1440, 1.5 - 1 / 3),
        # two hundredths for each year that it is old, ten at the most
        ([0, 10, 20], 20 + 2 * 525_960, 1.46),
        ([0, 10, 20], 20 + 30 * 525_960, 1.3),
    ],
)
def test_how_likely_times_were_meant_so(minutes: list[float | None], now: float | None, likely: float) -> None:
    shown = np.array([np.nan if m is None else m * 60_000.0 for m in minutes])
    assert likelihood(shown, None if now is None else round(now * 60_000)) == pytest.approx(likely)
