"""The demo logbook: the same for the same time, mid-way at any time and in any zone, its instruments as told."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import making
from stathmis.demo.drawer import CABINET
from stathmis.demo.scenario import build
from stathmis.devices.simulated_incubator import SimulatedSensor
from stathmis.logbook.opening import open_logbook
from stathmis.logbook.records import Channel
from stathmis.services import rounds
from stathmis.services.batch import batches
from stathmis.services.clock import FixedClock
from stathmis.services.desk import Desk
from stathmis.services.files import logger_import
from stathmis.services.findings import trace
from stathmis.words import verdicts

HOUR = 3_600_000


@pytest.mark.heavy("the demo logbook is built anew at other times")
@settings(max_examples=3)
@given(
    now=st.integers(1_700_000_000_000, 1_900_000_000_000),
    zone=st.sampled_from(["UTC", "Europe/Berlin", "America/St_Johns", "Pacific/Auckland", "Asia/Kathmandu"]),
)
def test_a_batch_is_always_mid_way(tmp_path_factory: pytest.TempPathFactory, now: int, zone: str) -> None:
    path = tmp_path_factory.mktemp("demo") / "d.stathmis"
    build(path, now, zone)
    logbook = open_logbook(path)
    desk = Desk(logbook, FixedClock(now))
    cabinet, still, spare = desk.book.incubators()
    course, late = batches.running(desk.book, cabinet), batches.running(desk.book, still)
    assert course is not None and late is not None
    assert 13 <= course.day(now) < 15 and course.phase(now) is not None
    assert 22.9 <= late.day(now) < 25.1
    assert batches.running(desk.book, spare) is None
    # the last reading is never in the future, and never long ago
    verdict = rounds.sheet(desk.book, cabinet).verdict("temperature")
    assert verdict is not None and 0 <= now - verdict.time_ms < HOUR
    assert verdicts.sentence(desk.book, verdict)
    logbook.close()


def test_the_same_time_gives_the_same_readings(demo_file: Path, tmp_path: Path) -> None:
    again = tmp_path / "again.stathmis"
    build(again, 1_779_093_600_000, "UTC")
    found = []
    for path in (demo_file, again):
        copy = tmp_path / f"copy{len(found)}.stathmis"
        copy.write_bytes(path.read_bytes())
        logbook = open_logbook(copy)
        with logbook.reading() as connection:
            hand = connection.execute("SELECT channel_id, time_ms, typed FROM reading ORDER BY id").fetchall()
            dense = connection.execute("SELECT shown FROM chunk ORDER BY id").fetchall()
        logbook.close()
        found.append((hand, dense))
    assert found[0] == found[1]


def test_the_drawer_disagrees_as_told(demo: Desk) -> None:
    """Lid display low by about half a degree, hygrometer about 8 % high with a slope, one certified reference."""
    sensors = {(f.name, q): s for f in CABINET for q, s, _ in f.channels}
    lid, hygro = sensors["Lid display", "temperature"], sensors["Round hygrometer", "humidity"]
    assert lid.offset + (lid.slope - 1) * 37.5 == pytest.approx(-0.51, abs=0.02)
    assert hygro.offset + (hygro.slope - 1) * 42.0 == pytest.approx(8.0, abs=0.1)
    assert sensors["Long stick", "temperature"].lag_s > 300


def test_a_slow_sensor_lags_and_a_display_has_steps() -> None:
    rng = np.random.default_rng(0)
    step = np.concatenate([np.full(60, 30.0), np.full(240, 37.5)])
    shown = SimulatedSensor(resolution=0.5, lag_s=9 * 60.0).series(step, 60.0, rng)
    assert set(np.round(shown * 2) / 2) == set(shown)
    # 63 % of the step after one time constant
    assert shown[60 + 9] == pytest.approx(30 + 0.63 * 7.5, abs=0.6)
    assert shown[-1] == 37.5
    one_by_one = SimulatedSensor(resolution=0.5, lag_s=9 * 60.0)
    again = [one_by_one.read(float(v), 60.0, 60.0 * i, rng) for i, v in enumerate(step)]
    assert np.abs(np.array(again, dtype=float) - shown).max() <= 0.5, "read one by one or all at once"


def test_the_demos_air_is_the_simulated_incubators(demo: Desk) -> None:
    """What the logger shows, corrected, is what the box truly was: in the mean, and as the water goes."""
    course = batches.running(demo.book, demo.book.incubators()[0])
    assert course is not None
    run = trace.trace(demo.book, course).temperature.judged
    assert run is not None
    settled = run.corrected[run.times_ms > course.at_ms(10.5)]
    assert settled.mean() == pytest.approx(37.5, abs=0.06)
    moist = trace.trace(demo.book, course).humidity.judged
    assert moist is not None
    dry, filled = (float(moist.corrected[np.searchsorted(moist.times_ms, course.at_ms(d))]) for d in (13.8, 10.5))
    assert filled - dry > 8.0, "the trough runs low"


def test_reptile_clutches_follow_their_own_rules(desk: Desk) -> None:
    from stathmis.logbook.records import Incubator
    from stathmis.services import setting_up
    from stathmis.services.reading_field import interpret
    from stathmis.services.setting_up import NewChannel

    made = setting_up.add_incubator(desk, "Clutch box", "still")
    setting_up.add_instrument(
        desk, "Probe", "probe", [NewChannel("humidity", "%", 0.1, 2.0)], incubator_id=made, from_ms=0
    )
    incubator = desk.book.one(Incubator, made)
    setting_up.set_batch(desk, incubator, "", "corn_snake", "steady", 11, desk.now_ms - 31 * 86_400_000)
    course = batches.running(desk.book, incubator)
    assert course is not None
    assert course.day_text(desk.now_ms) == "day 31 of about 62"
    assert [p.name for p in course.phases] == ["warm-up", "incubation", "hatch", "dry"]
    # still air does not raise a clutch's temperature: the box is measured where the eggs are
    band = course.band("temperature", desk.now_ms)
    assert band is not None and band.middle == pytest.approx(28.0)
    channel = desk.book.records(Channel)[0]
    rounds.log_round(desk, {channel.id: interpret("70", channel)}, desk.now_ms)
    sheet = rounds.sheet(desk.book, incubator)
    (action,) = making.told(desk, sheet, None, sheet.verdict("humidity"))
    assert action.text.startswith("Moisten the substrate: 70.0 % RH now, 90–100 % RH wanted")


def test_readings_of_an_instrument_that_was_moved_count_where_it_hung(desk: Desk) -> None:
    from stathmis.logbook.records import Incubator, Placement
    from stathmis.logbook.snapshot import Series
    from stathmis.services import setting_up
    from stathmis.services.setting_up import NewChannel

    first = setting_up.add_incubator(desk, "One", "forced")
    second = setting_up.add_incubator(desk, "Two", "forced")
    moved = desk.now_ms - 24 * HOUR
    made = setting_up.add_instrument(
        desk, "Logger", "logger", [NewChannel("temperature", "°C", 0.1, 0.5)], incubator_id=first
    )
    placed = desk.book.records(Placement)[0]
    making.mend(desk, Placement, placed.id, to_ms=moved)
    again = {"place": "at the egg tops", "at_egg_top": True, "from_ms": moved, "to_ms": None}
    desk.add("hung", [(Placement, {"instrument_id": made, "incubator_id": second, **again})])
    channel = desk.book.records(Channel)[0]
    times = desk.now_ms - np.arange(48 * 60, 0, -1, dtype=np.int64) * 60_000
    logger_import.keep_series(desk, "a.csv", {channel.id: Series(times, np.full(times.size, 37.5))})
    counted = []
    for incubator_id in (first, second):
        incubator = desk.book.one(Incubator, incubator_id)
        setting_up.set_batch(desk, incubator, "", "chicken", "steady", 6, desk.now_ms - 72 * HOUR)
        course = batches.running(desk.book, incubator)
        assert course is not None
        counted.append(trace.trace(desk.book, course).temperature.runs[0].times_ms.size)
    assert counted == [24 * 60, 24 * 60]
    assert desk.book.hanging_in(first, desk.now_ms) == []
