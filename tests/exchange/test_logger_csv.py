"""Loggers' files in all their ways, good and bad."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from pathlib import Path
from zoneinfo import ZoneInfo

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from making import cases
from stathmis.exchange.csv_layout import CsvError, find_layout
from stathmis.exchange.csv_times import DateOrder, parts_of, stamps
from stathmis.exchange.local_times import either
from stathmis.exchange.logger_csv import CancelledError, _by_form, read_table

FORMS = ("%d.%m.%Y %H:%M", "%m/%d/%Y %H:%M:%S", "%Y-%m-%dT%H:%M:%S.%f", "%y-%m-%d %H.%M", "%d-%m-%y %H:%M:%S")


def write(tmp_path: Path, text: str, encoding: str = "utf-8") -> Path:
    path = tmp_path / "log.csv"
    path.write_bytes(text.encode(encoding))
    return path


def read(path: Path, zone: str | None = None):  # type: ignore[no-untyped-def]
    layout = find_layout(path)
    values = tuple(c.index for c in layout.columns if c.looks_like in ("temperature", "humidity"))
    return layout, read_table(path, layout, layout.time_columns, values, layout.date_order, zone)


def ms(*parts: int) -> int:
    return int(datetime(*parts, tzinfo=UTC).timestamp() * 1000)  # type: ignore[misc, arg-type]


@pytest.mark.parametrize("encoding", ["utf-8", "utf-8-sig", "utf-16", "cp1252"])
@pytest.mark.parametrize(
    ("text", "first"),
    [
        ("time,temp °C,humidity %\n2026-05-01 10:00:00,37.5,48\n2026-05-01 10:01:00,37.6,49\n", (37.5, 48.0)),
        ("Zeit;Temperatur (°C);Feuchte\n01.05.2026 10:00:00;37,5;48\n13.05.2026 10:01:00;37,6;49\n", (37.5, 48.0)),
        ("Date\tTime\tTemp (°F)\tRH\n5/1/2026\t10:00\t99.5\t48\n5/13/2026\t10:01\t99.6\t49\n", (99.5, 48.0)),
        (
            "Made by a logger\n\ntime,temp °C,rh\n2026-05-01T10:00:00Z,37.5,48\n2026-05-01T10:01:00Z,37.6,\n",
            (37.5, 48.0),
        ),
        ("epoch,temp °C,rh\n1777629600,37.5,48\n1777629660,37.6,49\n", (37.5, 48.0)),
    ],
)
def test_ways_of_writing(tmp_path: Path, encoding: str, text: str, first: tuple[float, float]) -> None:
    _, table = read(write(tmp_path, text, encoding))
    assert table.faults.total == 0
    assert int(table.times_ms[0]) == ms(2026, 5, 1, 10)
    assert tuple(float(v[0]) for v in table.values.values()) == first
    assert table.times_ms.size == 2


def test_fahrenheit_is_recognised_by_heading_and_by_size(tmp_path: Path) -> None:
    layout, _ = read(write(tmp_path, "time,temperature\n2026-05-01 10:00,99.4\n2026-05-01 10:05,99.6\n"))
    assert layout.columns[1].unit == "°F"
    layout, _ = read(write(tmp_path, "time,temp [°C]\n2026-05-01 10:00,37.4\n2026-05-01 10:05,37.6\n"))
    assert layout.columns[1].unit == "°C"


def test_names_and_units_in_two_rows(tmp_path: Path) -> None:
    text = "station 7;;\nTime;Air;Air\n;°F;% RH\n2026-05-01 10:00;99,4;48\n2026-05-01 10:05;99,6;49\n"
    layout, table = read(write(tmp_path, text))
    assert [(c.looks_like, c.unit) for c in layout.columns[1:]] == [("temperature", "°F"), ("humidity", "%")]
    assert table.lines.tolist() == [4, 5]


def test_dates_that_fit_both_orders_are_asked_about(tmp_path: Path) -> None:
    assert not find_layout(write(tmp_path, "t,temp\n03/04/2026 10:00,37.5\n04/04/2026 10:00,37.5\n")).order_is_sure
    sure = find_layout(write(tmp_path, "t,temp\n03/14/2026 10:00,37.5\n03/15/2026 10:00,37.5\n"))
    assert (sure.date_order, sure.order_is_sure) == ("month first", True)


def test_every_faulty_row_is_named_with_its_reason(tmp_path: Path) -> None:
    rows = [
        "time,temp °C,rh",
        "2026-05-01 10:00:00,37.5,48",
        "2026-05-01 10:01:00,hot,48",  # line 3
        "someday,37.5,48",  # line 4
        "2026-05-01 10:03:00,,",  # line 5
        "2026-05-01 10:04:00,37.5,48,7,9",  # line 6
        "2026-05-01 10:05:00;37.5;48",  # line 7: another separator
        "",
        "2026-05-01 10:06:00,37.6,49",
    ]
    _, table = read(write(tmp_path, "\n".join(rows) + "\n"))
    assert dict(table.faults.named) == {
        4: "no time in this row",
        5: "no value in this row",
        6: "more columns than the others",
        7: "no time in this row",
    }
    assert table.lines.tolist() == [2, 3, 9] and table.blank == 1
    # a bad value costs that value, not its row
    assert table.values_out.named == [(3, "a value is not a number")]
    assert np.isnan(table.values[1]).tolist() == [False, True, False] and table.values[2].tolist() == [48, 48, 49]


def test_autumn_clock_change_is_told_apart_by_the_step_back(tmp_path: Path) -> None:
    # in this zone the clocks go back from 03:00 to 02:00 on 25 October 2026
    stamps = ["01:30", "02:00", "02:30", "02:00", "02:30", "03:00"]
    text = "time,temp °C\n" + "".join(f"2026-10-25 {s}:00,37.5\n" for s in stamps)
    _, table = read(write(tmp_path, text), "Europe/Berlin")
    assert table.faults.total == 0
    assert np.diff(table.times_ms).tolist() == [1_800_000] * 5
    assert int(table.times_ms[0]) == ms(2026, 10, 24, 23, 30)


def test_an_hour_that_happened_twice_without_a_step_back_is_not_guessed(tmp_path: Path) -> None:
    text = "time,temp °C\n" + "".join(f"2026-10-25 {s}:00,37.5\n" for s in ("01:30", "02:10", "02:40", "03:10"))
    _, table = read(write(tmp_path, text), "Europe/Berlin")
    assert table.lines.tolist() == [2, 5]
    assert "twice" in next(iter(table.faults.counts))


def test_spring_clock_change_has_an_hour_that_did_not_happen(tmp_path: Path) -> None:
    text = "time,temp °C\n" + "".join(f"2026-03-29 {s}:00,37.5\n" for s in ("01:30", "02:30", "03:30"))
    _, table = read(write(tmp_path, text), "Europe/Berlin")
    assert [int(t) for t in table.times_ms] == [ms(2026, 3, 29, 0, 30), ms(2026, 3, 29, 1, 30)]
    assert table.faults.named == [(3, "this time did not happen: the clocks went forward")]


@pytest.mark.parametrize(
    ("content", "says"),
    [
        (b"", "empty"),
        (b"\x89PNG\x00\x00\x01\x02" * 20, "not a text file"),
        (b"one column\n1\n2\n3\n", "only one column"),
        (b"name,color\nhen,red\ncock,black\n", "both a time and a number"),
        (b"a,b\n1,2\n3,4\n", "both a time and a number"),
    ],
)
def test_files_that_are_no_readings(tmp_path: Path, content: bytes, says: str) -> None:
    path = tmp_path / "odd.csv"
    path.write_bytes(content)
    with pytest.raises(CsvError, match=says):
        find_layout(path)


def test_a_file_of_2_gb_is_refused_without_reading_it(tmp_path: Path) -> None:
    path = tmp_path / "huge.csv"
    with path.open("wb") as file:
        file.write(b"time,temp\n2026-05-01 10:00,37.5\n")
        file.truncate(2 * 2**30)  # a hole: takes no room
    with pytest.raises(CsvError, match=r"2,048 MB.*64 MB.*shorter stretch"):
        find_layout(path)


def test_missing_and_vanished_files(tmp_path: Path) -> None:
    for name in ("nowhere.csv", "a\x00b.csv"):
        with pytest.raises(CsvError, match="cannot be read"):
            find_layout(tmp_path / name)
    path = write(tmp_path, "time,temp °C\n2026-05-01 10:00,37.5\n2026-05-01 10:05,37.5\n")
    layout = find_layout(path)
    path.unlink()
    with pytest.raises(CsvError, match="still there"):
        read_table(path, layout, (0,), (1,), layout.date_order, None)


def test_reading_can_be_stopped(tmp_path: Path) -> None:
    path = write(tmp_path, "time,temp °C\n" + "2026-05-01 10:00:00,37.5\n" * 10)
    layout = find_layout(path)
    with pytest.raises(CancelledError):
        read_table(path, layout, (0,), (1,), layout.date_order, None, cancelled=lambda: True)


@given(
    st.lists(st.tuples(st.datetimes(datetime(1971, 1, 1), datetime(2199, 1, 1)), st.sampled_from(FORMS)), min_size=1),
    st.sampled_from(["day first", "month first", "year first"]),
)
def test_many_at_once_are_read_like_one_by_one(times: list[tuple[datetime, str]], order: DateOrder) -> None:
    """Whatever the quick way reads is what the careful way reads; nothing is read otherwise."""
    cells = [at.strftime(form) for at, form in times] + ["99/99/2026 10:00", "2026-05-10 25:00", "no time", ""]
    quick = _by_form(np.array([c.encode() for c in cells], dtype="S40"), order)
    careful = stamps(parts_of(cells), order)
    read = np.isfinite(quick)
    np.testing.assert_array_equal(quick[read], careful[read])
    assert not read[-4:].any()


@cases(30)
@given(
    st.sampled_from(
        ["Europe/Berlin", "America/St_Johns", "Australia/Lord_Howe", "Asia/Kathmandu", "Africa/Casablanca"]
    ),
    st.lists(st.datetimes(datetime(2001, 1, 1), datetime(2030, 1, 1)), min_size=1, max_size=20),
    st.integers(-90, 90),
)
def test_local_times_of_any_zone(zone: str, times: list[datetime], near_min: int) -> None:
    """Against the standard library one by one, also around the night the clocks change."""
    there = ZoneInfo(zone)
    times = [*times, datetime(2026, 3, 29, 2) + timedelta(minutes=near_min), datetime(2026, 10, 25, 2, 30)]
    local = np.array([round((t - datetime(1970, 1, 1)).total_seconds() * 1000) for t in times], dtype=np.int64)
    first, second = either(local, zone, -1)
    for i, t in enumerate(times):
        wanted = []
        for fold in (0, 1):
            utc = t.replace(tzinfo=there, fold=fold).astimezone(UTC)
            happened = utc.astimezone(there).replace(tzinfo=None) == t
            wanted.append(round(utc.timestamp() * 1000) if happened else -1)
        assert [first[i], second[i]] == wanted, t


@pytest.mark.parametrize(
    ("odd", "reason"),
    [
        ("2026-13-44 10:00:00", "no time in this row"),
        ("2026-02-29 10:00:00", "no time in this row"),
        ("2026-05-10 25:00:00", "no time in this row"),
        ("2026-05-10T10:00:00+02:00", ""),
        ("2026-05-10 10:00", ""),
        ("2026-05-10 10:00:00.5", ""),
    ],
)
def test_one_odd_time_in_a_long_file_costs_its_row_at_most(tmp_path: Path, odd: str, reason: str) -> None:
    """Long: what reads many at once must not end the process at one that it cannot read."""
    lines = [f"2026-05-{1 + i // 1440:02d} {i // 60 % 24:02d}:{i % 60:02d}:00,37.5" for i in range(3000)]
    path = tmp_path / "log.csv"
    path.write_text("\n".join(["time,temp °C", *lines[:2000], f"{odd},37.0", *lines[2000:]]) + "\n", encoding="utf-8")
    layout = find_layout(path)
    table = read_table(path, layout, (0,), (1,), layout.date_order, None)
    assert table.times_ms.size == 3000 + (not reason) and table.faults.counts == ({reason: 1} if reason else {})
    whole = np.arange(3000) * 60_000 + 1_777_593_600_000
    assert set(whole.tolist()) <= set(table.times_ms.tolist())
    if odd.endswith("+02:00"):
        assert table.times_ms[2000] == 1_778_400_000_000
