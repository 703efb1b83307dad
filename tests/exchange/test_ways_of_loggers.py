"""Every way a logger writes its file that was ever misread, and many by chance: read rightly, or asked about."""

from __future__ import annotations

from datetime import UTC, datetime
from pathlib import Path

import hostile
import numpy as np
import pytest
from dialects import damage, make

from stathmis.exchange import logger_csv
from stathmis.exchange.csv_layout import Layout, _column, find_layout
from stathmis.exchange.logger_csv import Table, read_table


def looked_at(tmp_path: Path, text: str, zone: str | None = "Europe/Berlin") -> tuple[Layout, Table]:
    path = tmp_path / "log.csv"
    path.write_text(text, encoding="utf-8")
    layout = find_layout(path, round(datetime(2026, 5, 18, tzinfo=UTC).timestamp() * 1000))
    values = tuple(c.index for c in layout.columns if c.looks_like in ("temperature", "humidity"))
    own = None if layout.aware else zone if layout.offset_min is None else layout.offset_min
    return layout, read_table(path, layout, layout.time_columns, values, layout.date_order, own)


def ms(*parts: int) -> int:
    return int(datetime(*parts, tzinfo=UTC).timestamp() * 1000)  # type: ignore[misc, arg-type]


@pytest.mark.heavy("120 files, each damaged and read")
def test_many_files_by_chance_are_read_rightly_or_asked_about(tmp_path: Path) -> None:
    rng = np.random.default_rng(15)
    path = tmp_path / "log.csv"
    for _ in range(120):
        made = damage(make(rng, hostile.NOW), rng)
        assert hostile.outcome(made, path) in ("right", "asked"), made.name


@pytest.mark.parametrize(
    ("heading", "row", "first_ms"),
    [
        ("Date Time GMT+02:00;temp °C", "2026-05-10 10:00;37.5", ms(2026, 5, 10, 8)),
        ("time (UTC+2);temp °C", "2026-05-10 10:00;37.5", ms(2026, 5, 10, 8)),
        ("time;temp °C", "2026-05-10 10:00 -05:30;37.5", ms(2026, 5, 10, 15, 30)),
        ("Date;Time;temp °C", "14.05.2026;10:00;37.5", ms(2026, 5, 14, 8)),
        ("Date;Time;temp °C", "2026.05.14;10:00;37.5", ms(2026, 5, 14, 8)),
        ("Uhrzeit;Datum;temp °C", "10:00;14.05.2026;37.5", ms(2026, 5, 14, 8)),
        ("time;temp °C", "26-05-14 10:00;37.5", ms(2026, 5, 14, 8)),
        ("time;temp °C", "14-May-2026 10:00;37.5", ms(2026, 5, 14, 8)),
        ("time;temp °C", "20260514T100000;37.5", ms(2026, 5, 14, 8)),
        ("t;temp °C", "1.7787264E9;37.5", 1_778_726_400_000),
        ("t;temp °C", "1778726400000;37.5", 1_778_726_400_000),
    ],
)
def test_times(tmp_path: Path, heading: str, row: str, first_ms: int) -> None:
    _, table = looked_at(tmp_path, f"{heading}\n{row}\n")
    assert table.times_ms.tolist() == [first_ms]


@pytest.mark.parametrize(
    ("heading", "cells", "found"),
    [
        ("Temp", "37.5", ("temperature", "°C", None)),
        ("Temp", "99.5", ("temperature", "°F", None)),
        # 46 to 65 may be either
        ("Temp", "45.9", ("temperature", "°C", None)),
        ("Temp", "46.1", ("temperature", "°C", "°F")),
        ("Temp", "55.1", ("temperature", "°F", "°C")),
        ("Temp", "64.9", ("temperature", "°F", "°C")),
        ("Temp", "65.1", ("temperature", "°F", None)),
        ("Temp_F", "50", ("temperature", "°F", None)),
        ("Temp [°C]", "60", ("temperature", "°C", None)),
        ("Temp °C/°F", "50", ("temperature", "°F", "°C")),
        ("Temp", "55 °F", ("temperature", "°F", None)),
        ("Fühler 1 (deg C)", "50", ("temperature", "°C", None)),
        ("T", "37.5", ("temperature", "°C", None)),
        ("RH", "48", ("humidity", "%", None)),
        ("Feuchte", "0.48", ("humidity", "of 1", None)),
        ("Humidity %", "0.48", ("humidity", "of 1", "%")),
        ("Humidity", "0.48 %", ("humidity", "%", None)),
        ("r.F.", "1.0", ("humidity", "of 1", None)),
        ("Hygro", "1.1", ("humidity", "%", None)),
        ("Battery", "3.1", ("other", "°C", None)),
        ("Note", "door", ("other", "°C", None)),
        ("Uhrzeit", "07:05", ("clock", "°C", None)),
        ("when", "2026-05-14 07:05", ("time", "°C", None)),
        ("when", "2026-05-14", ("date", "°C", None)),
    ],
)
def test_a_column_by_its_heading_and_its_cells(heading: str, cells: str, found: tuple[object, ...]) -> None:
    column = _column(3, heading, [cells, cells, ""], ".")
    assert (column.index, column.heading) == (3, heading)
    assert (column.looks_like, column.unit, column.doubt) == found


def test_a_long_stretch_tells_day_and_month_apart(tmp_path: Path) -> None:
    """Read every ten minutes over ten days, 1/5 to 1/14 would leave months out: a logger does not."""
    rows = [f"1/{d}/2026 {h:02d}:{m}0,37.5" for d in range(2, 11) for h in range(24) for m in range(6)]
    layout, table = looked_at(tmp_path, "time,temp °C\n" + "\n".join(rows) + "\n")
    assert (layout.date_order, layout.order_is_sure) == ("month first", True)
    assert table.times_ms[0] == ms(2026, 1, 1, 23)
    layout, _ = looked_at(tmp_path, "time,temp °C\n1/5/2026 10:00,37.5\n1/5/2026 10:10,37.5\n")
    assert {layout.date_order, layout.or_order} == {"day first", "month first"}, "one day may be either: it is asked"
    layout, _ = looked_at(tmp_path, "time,temp °C\n1/6/2026 10:00,37.5\n1/6/2026 10:10,37.5\n")
    assert (layout.date_order, layout.or_order) == ("month first", None), "1 June is still to come"


@pytest.mark.parametrize(
    ("text", "values"),
    [
        ('time,temp °C,rh\n"2026-05-10 10:00","37,5","48,0"\n"2026-05-10 10:10","37,6","48,1"\n', (37.5, 48.0)),
        ("time,temp °C,rh\n2026-05-10 10:00,37,5,48,0\n2026-05-10 10:10,37,6,48,1\n", (37.5, 48.0)),
        ("time;Temp_F;rh\n2026-05-10 10:00;55.2;48.0\n", (55.2, 48.0)),
        ("time;Air [F];Air [%RH]\n2026-05-10 10:00;55.2;48.0\n", (55.2, 48.0)),
        ("time;T degF;rh\n2026-05-10 10:00;55.2;48.0\n", (55.2, 48.0)),
        ("time;temp;rh\n2026-05-10 10:00;55 °F;48 %\n", (55.0, 48.0)),
        ("time;temp °C;humidity\n2026-05-10 10:00;37.5;0.48\n2026-05-10 10:10;37.5;0.49\n", (37.5, 0.48)),
        ("2026-05-10 10:00;37.5;48.0\n2026-05-10 10:10;37.6;48.1\n", (37.5, 48.0)),
        ("made by\x0ca\u2028logger\ntime;temp °C;rh\n2026-05-10 10:00;37.5;48.0\n", (37.5, 48.0)),
    ],
)
def test_values(tmp_path: Path, text: str, values: tuple[float, float]) -> None:
    layout, table = looked_at(tmp_path, text)
    assert tuple(float(v[0]) for v in table.values.values()) == values
    assert table.faults.total == 0 and not layout.or_paired
    heat, moist = (c for c in layout.columns if c.looks_like in ("temperature", "humidity"))
    assert heat.unit == ("°F" if values[0] > 50 else "°C") and moist.unit == ("of 1" if values[1] < 1 else "%")
    assert heat.doubt is None and moist.doubt is None


def test_what_cannot_be_told_is_left_open(tmp_path: Path) -> None:
    layout, _ = looked_at(tmp_path, "time;temp\n2026-05-10 10:00;55.2\n2026-05-10 10:10;55.4\n")
    assert {layout.columns[1].unit, layout.columns[1].doubt} == {"°C", "°F"}
    layout, _ = looked_at(tmp_path, "2026-05-10 10:00,37,5,48,0\n2026-05-10 10:10,37,6,48,1\n")
    assert layout.or_paired, "without a heading, 37,5 may be two numbers or one"


def test_stray_quotes_swallow_no_rows(tmp_path: Path) -> None:
    rows = [f"2026-05-10 10:{m:02d},37.5,48" for m in range(60)]
    rows[5], rows[50] = rows[5].replace("37", '"37'), rows[50].replace("48", '4"8')
    _, table = looked_at(tmp_path, "time,temp °C,rh\n" + "\n".join(rows) + "\n")
    assert table.lines.size == 60 and table.faults.total == 0


def test_a_number_broken_off_in_its_quotes_is_not_two(tmp_path: Path) -> None:
    rows = [f'"2026-05-10 10:{m:02d}","37,{m % 10}","0,4{m % 10}"' for m in range(60)]
    rows[30] = '"2026-05-10 10:30","37,4'
    _, table = looked_at(tmp_path, "Time,T,RH\n" + "\n".join(rows) + "\n")
    assert np.nanmax(table.values[2]) <= 0.49, "not 4"
    assert table.lines.size + table.faults.total == 60


def test_each_line_is_good_faulty_or_blank(tmp_path: Path) -> None:
    rows = ["2026-05-10 10:00,37.5,48", "", "nothing", "2026-05-10 10:01,err,48", "2026-05-10 10:02,1,2,3,4", ","]
    _, table = looked_at(tmp_path, "time,temp °C,rh\n" + "\n".join(rows) + "\n")
    assert table.lines.size + table.faults.total + table.blank == len(rows)
    assert table.values_out.total == 1


@pytest.mark.parametrize(
    ("heading", "cells", "found"),
    [
        (";", "37.4;48", ["temperature", "humidity"]),
        ("value;values", "99.4;48", ["temperature", "humidity"]),
        ("battery;level", "37.4;48", ["other", "other"]),
        (";", "12.1;48", ["other", "other"]),
        (";", "37.4;120", ["temperature", "other"]),
        ("temperature;", "37.4;48", ["temperature", "other"]),
    ],
)
def test_a_column_is_guessed_only_where_nothing_is_said(
    tmp_path: Path, heading: str, cells: str, found: list[str]
) -> None:
    rows = "".join(f"2026-05-10 10:{m:02d};{cells}\n" for m in range(12))
    layout, _ = looked_at(tmp_path, f"time;{heading}\n{rows}")
    assert [c.looks_like for c in layout.columns[1:]] == found


def test_a_file_read_in_parts_is_the_same_file(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Some letters and rows at once, with blank lines, too many columns and bad values across the cuts; what is done
    rises to the whole, and can be broken off."""
    rows = [
        f"2026-05-10 {h:02d}:{m:02d};{37 + m / 100:.2f};{48 + h / 10:.1f}" for h in range(10) for m in range(0, 60, 5)
    ]
    rows[7], rows[40], rows[41], rows[90] = "", rows[40] + ";9;9", "2026-05-10 03:25;warm;48", "  "
    path = tmp_path / "log.csv"
    path.write_text("time;temperature °C;humidity %\n" + "\n".join(rows) + "\n", encoding="utf-8")
    layout = find_layout(path, 1000 * ms(2026, 5, 18))
    asked = (path, layout, layout.time_columns, (1, 2), layout.date_order, "UTC")
    whole = read_table(*asked)
    done: list[float] = []
    with monkeypatch.context() as patch:
        patch.setattr(logger_csv, "_LETTERS_AT_ONCE", 150)
        parts = read_table(*asked, progress=done.append)
        assert len(done) > 10 and done == sorted(done) and 0.0 < done[0] < 0.2 and done[-1] == 1.0
        with pytest.raises(logger_csv.CancelledError):
            read_table(*asked, cancelled=lambda: True)
    assert parts.faults == whole.faults and whole.faults.total > 0
    np.testing.assert_array_equal(parts.lines, whole.lines)
    np.testing.assert_array_equal(parts.times_ms, whole.times_ms)
    for column in (1, 2):
        np.testing.assert_array_equal(parts.values[column], whole.values[column])


def test_headings_are_the_last_two_rows_above(tmp_path: Path) -> None:
    rows = "".join(f"2026-05-10 10:{m:02d};37.5;48.2\n" for m in range(12))
    layout, _ = looked_at(tmp_path, f"Logger 7;of the north;room\ntime;temp;rh\n;°C;%\n{rows}")
    assert [c.heading for c in layout.columns] == ["time", "temp °C", "rh %"] and not layout.or_paired


@pytest.mark.parametrize(("step", "found"), [(1, "other"), (2, "temperature"), (0.5, "temperature")])
def test_what_counts_up_one_by_one_is_no_temperature(tmp_path: Path, step: float, found: str) -> None:
    rows = "".join(f"2026-05-10 10:{m:02d};{24 + step * m:g}\n" for m in range(9))
    layout, _ = looked_at(tmp_path, "time;\n" + rows)
    assert layout.columns[1].looks_like == found


@pytest.mark.parametrize(
    ("end", "growing", "rows"), [("\n", False, 12), ("", False, 12), ("\n", True, 12), ("", True, 11)]
)
def test_only_of_a_file_that_grows_the_last_line_may_be_half(
    tmp_path: Path, end: str, growing: bool, rows: int
) -> None:
    path = tmp_path / "log.csv"
    path.write_text(
        "time;temp\n" + "\n".join(f"2026-05-10 23:{m:02d};37.5" for m in range(48, 60)) + end, encoding="utf-8"
    )
    layout = find_layout(path, 1000 * ms(2026, 5, 18))
    asked = (path, layout, layout.time_columns, (1,), layout.date_order, "UTC")
    found = read_table(*asked, growing=True) if growing else read_table(*asked)
    assert found.times_ms.size == rows and found.times_ms[0] == 1_778_456_880_000, "23:48 UTC"


def test_numbers_that_may_be_halves_of_others_speak_a_little_against_a_cut(tmp_path: Path) -> None:
    def score(cells: str) -> float:
        rows = "".join(f"2026-05-10 10:{m:02d},{cells}\n" for m in range(12))
        return looked_at(tmp_path, "time,temp °C,rh %\n" + rows)[0].score

    assert score("37.5,48.2") - score("37,48") == pytest.approx(0.1)
