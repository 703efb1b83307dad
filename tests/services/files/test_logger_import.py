"""A logger's file into the log: counted, repeatable, undoable, and out again."""

from __future__ import annotations

import csv
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

import making
from stathmis.core.errors import UserError
from stathmis.exchange.logger_csv import CancelledError
from stathmis.logbook import edits, readings
from stathmis.logbook.records import Channel
from stathmis.services import setting_up
from stathmis.services.batch import batches
from stathmis.services.desk import Desk
from stathmis.services.files import logger_import, readings_export
from stathmis.services.files.logger_import import examine, propose, store
from stathmis.services.findings import trace
from stathmis.services.setting_up import NewChannel
from stathmis.words.logger_files import asked


@pytest.fixture
def logger(desk: Desk) -> list[Channel]:
    """A logger for both quantities."""
    setting_up.add_instrument(
        desk, "Logger", "logger", [NewChannel("temperature", "°C", 0.01, 0.5), NewChannel("humidity", "%", 0.1, 3.0)]
    )
    return desk.book.records(Channel)


def rows(path: Path, *lines: str) -> Path:
    path.write_text("time,temp °C,humidity %\n" + "\n".join(lines) + "\n", encoding="utf-8")
    return path


def test_take_in_again_undo_and_redo(desk: Desk, logger: list[Channel], tmp_path: Path) -> None:
    path = rows(tmp_path / "a.csv", *(f"2026-05-01 10:{m:02d}:00,37.{m:02d},4{m % 10}.5" for m in range(60)))
    first = examine(desk.book, propose(desk.book, path))
    assert (first.good, first.duplicate, first.faults.total) == (60, 0, 0)
    store(desk, first)
    again = examine(desk.book, propose(desk.book, path))
    assert (again.good, again.duplicate) == (0, 60)
    with pytest.raises(UserError, match="nothing new"):
        store(desk, again)
    longer = rows(
        tmp_path / "b.csv",
        *(f"2026-05-01 10:{m:02d}:00,37.{m:02d},4{m % 10}.5" for m in range(50, 60)),
        "2026-05-01 11:00:00,37.5,48",
    )
    more = examine(desk.book, propose(desk.book, longer))
    assert (more.good, more.duplicate) == (1, 10)
    assert desk.undo() == "60 rows from a.csv brought in"
    assert readings.series(desk.book.snapshot, logger[0], 0, desk.now_ms).times_ms.size == 0
    desk.redo()
    found = readings.series(desk.book.snapshot, logger[0], 0, desk.now_ms)
    assert found.shown.tolist() == pytest.approx([37 + m / 100 for m in range(60)])


def test_what_is_left_out_and_why(desk: Desk, logger: list[Channel], tmp_path: Path) -> None:
    before = rows(tmp_path / "a.csv", "2026-05-01 10:00:00,37.5,48", "2026-05-01 10:01:00,37.5,48")
    one = examine(desk.book, propose(desk.book, before))
    store(desk, one)
    path = rows(
        tmp_path / "b.csv",
        "2026-05-01 10:00:00,37.9,48",  # line 2: the log has 37.5
        "2026-05-01 10:02:00,371,48",  # line 3: out of range
        "2026-05-01 10:03:00,37.6,48",  # line 4: good
        "2026-05-01 10:03:00,37.6,48",  # line 5: twice in the file
        "2026-05-01 10:04:00,37.6,",  # line 6: good, temperature only
        "2027-05-01 10:00:00,37.6,48",  # line 7: not yet
        "2026-05-01 10:03:00,37.7,48",  # line 8: contradicts line 4
    )
    found = examine(desk.book, propose(desk.book, path))
    # each row is one of three: new, there already, or bad; a bad value costs no row
    assert (found.good, found.duplicate, found.faults.total) == (3, 3, 1)
    assert [line for line, _ in found.faults.named] == [7]
    assert {line: why.split(" ")[0] for line, why in found.values_out.named} == {3: "a", 2: "the", 8: "the"}
    assert found.series[logger[0].id].times_ms.size == 2
    assert found.series[logger[1].id].times_ms.size == 2


def test_nothing_is_taken_in_before_the_keeper_chose(desk: Desk, logger: list[Channel], tmp_path: Path) -> None:
    path = tmp_path / "a.csv"
    path.write_text("time,temp,rh\n03/04/2026 10:00,55.2,48\n03/04/2026 10:10,55.4,48\n", encoding="utf-8")
    plan = propose(desk.book, path)
    assert [asked(q) for q in logger_import.questions(plan)] == [
        "Day or month first? Its first day is 3 Apr 2026 or 4 Mar 2026.",
        "temp: 55.2 °F or 55.2 °C? Both fit.",
    ]
    with pytest.raises(UserError, match="nothing is taken in before"):
        examine(desk.book, plan)
    assert [days for days, _ in logger_import.outcomes(plan).values()] == [1_775_210_400_000.0, 1_772_618_400_000.0]
    uses = tuple(replace(u, unit=u.unit or "°F") for u in plan.uses)
    store(desk, examine(desk.book, replace(plan, order="month first", uses=uses)))
    assert desk.book.snapshot.heads(logger[0].id)
    # files like it are read as this one was
    other = tmp_path / "b.csv"
    other.write_text("time,temp,rh\n03/05/2026 10:00,55.2,48\n", encoding="utf-8")
    again = propose(desk.book, other)
    assert (again.order, [u.unit for u in again.uses]) == ("month first", ["°F", "%"])
    desk.undo()
    assert propose(desk.book, other).order is None


def test_rows_out_of_order_are_stored_in_order(desk: Desk, logger: list[Channel], tmp_path: Path) -> None:
    path = rows(tmp_path / "a.csv", "2026-05-01 10:05:00,37.5,48", "2026-05-01 10:00:00,37.1,47")
    found = examine(desk.book, propose(desk.book, path))
    assert found.series[logger[0].id].shown.tolist() == [37.1, 37.5]


def test_fahrenheit_columns_into_a_celsius_instrument(desk: Desk, logger: list[Channel], tmp_path: Path) -> None:
    path = tmp_path / "f.csv"
    path.write_text("time;Temp (°F)\n01.05.2026 10:00;99,5\n13.05.2026 10:00;100,4\n", encoding="utf-8-sig")
    found = examine(desk.book, propose(desk.book, path))
    assert found.series[logger[0].id].shown.tolist() == pytest.approx([37.5, 38.0])


def test_plans_that_cannot_be_read(desk: Desk, logger: list[Channel], tmp_path: Path) -> None:
    from dataclasses import replace

    plan = propose(desk.book, rows(tmp_path / "a.csv", "2026-05-01 10:00:00,37.5,48", "2026-05-01 10:05:00,37.5,48"))
    with pytest.raises(UserError, match="marked as the time"):
        examine(desk.book, replace(plan, time_columns=()))
    with pytest.raises(UserError, match="goes to an instrument"):
        examine(desk.book, replace(plan, uses=()))
    with pytest.raises(UserError, match="same instrument"):
        examine(
            desk.book, replace(plan, uses=(plan.uses[0], replace(plan.uses[1], channel_id=plan.uses[0].channel_id)))
        )
    with pytest.raises(CancelledError):
        examine(desk.book, plan, cancelled=lambda: True)


def test_a_failing_store_leaves_nothing(desk: Desk, logger: list[Channel], tmp_path: Path, monkeypatch) -> None:  # type: ignore[no-untyped-def]
    found = examine(
        desk.book,
        propose(desk.book, rows(tmp_path / "a.csv", "2026-05-01 10:00:00,37.5,48", "2026-05-01 10:01:00,37.5,48")),
    )
    real, calls = readings.seal, []

    def fail_at_second(*args: object) -> None:
        calls.append(args)
        if len(calls) == 2:
            raise OSError("pulled plug")
        real(*args)  # type: ignore[arg-type]

    monkeypatch.setattr(edits, "seal", fail_at_second)
    with pytest.raises(OSError, match="pulled plug"):
        store(desk, found)
    monkeypatch.setattr(edits, "seal", real)
    assert desk.book.records(logger_import.LoggerImport) == ()
    assert readings.series(desk.book.snapshot, logger[0], 0, desk.now_ms).times_ms.size == 0


def test_export_holds_raw_and_corrected_and_no_formula(demo: Desk, tmp_path: Path) -> None:
    course = batches.running(demo.book, demo.book.incubators()[1])
    assert course is not None
    traced = trace.trace(demo.book, course)
    path = tmp_path / "out.csv"
    count = readings_export.export_readings(demo.book, traced, path)
    with path.open(encoding="utf-8-sig", newline="") as file:
        table = list(csv.DictReader(file))
    assert len(table) == count > 100
    probe = next(r for r in table if r["instrument"] == "Red probe")
    assert float(probe["corrected"]) - float(probe["shown"]) == pytest.approx(0.17, abs=0.06)
    assert probe["time (UTC)"].endswith("Z")
    assert readings_export.safe_cell("=1+1") == "'=1+1"
    assert readings_export.safe_cell("Probe") == "Probe"


def test_an_export_stopped_or_refused_leaves_no_file(demo: Desk, tmp_path: Path) -> None:
    course = batches.running(demo.book, demo.book.incubators()[0])
    assert course is not None
    traced = trace.trace(demo.book, course)
    with pytest.raises(CancelledError):
        readings_export.export_readings(demo.book, traced, tmp_path / "out.csv", cancelled=lambda: True)
    with pytest.raises(UserError, match="cannot be written"):
        readings_export.export_readings(demo.book, traced, tmp_path / "nowhere" / "out.csv")
    assert not [p for p in tmp_path.iterdir() if p.name.startswith("out")]


def test_trace_of_the_demo_adds_up(demo: Desk) -> None:
    course = batches.running(demo.book, demo.book.incubators()[0])
    assert course is not None
    traced = trace.trace(demo.book, course)
    assert traced.temperature.runs[0].instrument.name == "Shelf logger"
    assert {r.instrument.name for r in traced.temperature.runs} == {
        "Shelf logger",
        "Lid display",
        "Blue probe",
        "Long stick",
    }
    for found in (traced.temperature, traced.humidity):
        (share,) = found.shares
        a = share.adherence
        so_far = (demo.now_ms - course.batch.set_ms) / 1000
        assert a.known_s + a.unknown_s == pytest.approx(so_far, rel=1e-6)
        assert 800 < a.unknown_s < 1000, "since the logger was read out it is unknown, not good"
    # the planted cold night of 4 h and the power cut are among the few long excursions
    assert 2 <= trace.lasting(traced.temperature.shares[0].adherence) <= 9
    assert traced.temperature.shares[0].adherence.mean == pytest.approx(37.5, abs=0.1)


def test_the_demos_corrections_find_the_planted_truth(demo: Desk) -> None:
    """Instruments that disagree by degrees agree once corrected, within what they claim."""
    course = batches.running(demo.book, demo.book.incubators()[0])
    assert course is not None
    traced = trace.trace(demo.book, course)
    runs = {r.instrument.name: r for r in traced.temperature.runs}
    lid, blue = runs["Lid display"], runs["Blue probe"]
    assert abs(float((lid.shown - blue.shown).mean())) > 0.5
    difference = lid.corrected - blue.corrected
    agree = abs(difference) <= 2 * (lid.u**2 + blue.u**2) ** 0.5
    assert agree.mean() > 0.9


def test_still_air_off_the_egg_tops_counts_for_little_in_the_trace_too(demo: Desk) -> None:
    course = batches.running(demo.book, demo.book.incubators()[1])
    assert course is not None
    runs = {r.instrument.name: r for r in trace.trace(demo.book, course).temperature.runs}
    assert (runs["Box dial"].u > 1.0).all()
    assert (runs["Red probe"].u < 0.1).all()


def test_a_regime_that_changes_within_setting_is_counted_apart(desk: Desk, logger: list[Channel]) -> None:
    from stathmis.logbook.records import Incubator
    from stathmis.logbook.snapshot import Series

    made = setting_up.add_incubator(desk, "Box", "forced")
    incubator = desk.book.one(Incubator, made)
    setting_up.move_instrument(desk, logger[0].instrument_id, made, at_egg_top=True)
    placed = desk.book.records(setting_up.Placement)[0]
    making.mend(desk, setting_up.Placement, placed.id, from_ms=0)
    start = desk.now_ms - 10 * 86_400_000
    setting_up.set_batch(desk, incubator, "", "chicken", "falling", 6, start)
    times = np.arange(start, desk.now_ms, 600_000, dtype=np.int64)
    logger_import.keep_series(desk, "a", {logger[1].id: Series(times, np.full(times.size, 60.0))})
    course = batches.running(desk.book, incubator)
    assert course is not None
    first, then = trace.trace(desk.book, course).humidity.shares
    assert (first.phase, then.phase) == ("setting, day 0–7", "setting, day 7–18")
    assert first.adherence.inside_s > 6.9 * 86_400
    assert then.adherence.outside_s > 2.9 * 86_400
