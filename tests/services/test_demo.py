"""The demo logbook: the same for the same time, mid-way at any time and in any zone, its instruments as told."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from stathmis.demo.drawer import CABINET
from stathmis.demo.scenario import build
from stathmis.devices.simulated_incubator import SimulatedSensor
from stathmis.logbook import readings
from stathmis.logbook.opening import open_logbook
from stathmis.logbook.records import Channel
from stathmis.services import advice, batches, rounds, trace
from stathmis.services.clock import FixedClock
from stathmis.services.workbench import Workbench

HOUR = 3_600_000


@settings(max_examples=6)
@given(
    now=st.integers(1_700_000_000_000, 1_900_000_000_000),
    zone=st.sampled_from(["UTC", "Europe/Berlin", "America/St_Johns", "Pacific/Auckland", "Asia/Kathmandu"]),
)
def test_a_batch_is_always_mid_way(tmp_path_factory: pytest.TempPathFactory, now: int, zone: str) -> None:
    path = tmp_path_factory.mktemp("demo") / "d.stathmis"
    build(path, now, zone)
    logbook = open_logbook(path)
    bench = Workbench(logbook, FixedClock(now))
    cabinet, still, spare = bench.incubators()
    course, late = batches.running(bench, cabinet), batches.running(bench, still)
    assert course is not None and late is not None
    assert 13 <= course.day(now) < 15 and course.phase(now) is not None
    assert 22.9 <= late.day(now) < 25.1
    assert batches.running(bench, spare) is None
    # the last reading is never in the future, and never long ago
    verdict = rounds.sheet(bench, cabinet).verdict("temperature")
    assert verdict is not None and 0 <= now - verdict.time_ms < HOUR
    assert advice.sentence(bench, verdict)
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
            hand = connection.exec_driver_sql("SELECT channel_id, time_ms, typed FROM reading ORDER BY id").all()
            dense = connection.exec_driver_sql("SELECT shown FROM chunk ORDER BY id").all()
        logbook.close()
        found.append((hand, dense))
    assert found[0] == found[1]


def test_the_drawer_disagrees_as_told(demo: Workbench) -> None:
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


def test_the_demos_air_is_the_simulated_incubators(demo: Workbench) -> None:
    """What the logger shows, corrected, is what the box truly was: in the mean, and as the water goes."""
    course = batches.running(demo, demo.incubators()[0])
    assert course is not None
    run = trace.trace(demo, course).temperature.judged
    assert run is not None
    settled = run.corrected[run.times_ms > course.at_ms(10.5)]
    assert settled.mean() == pytest.approx(37.5, abs=0.06)
    moist = trace.trace(demo, course).humidity.judged
    assert moist is not None
    dry, filled = (float(moist.corrected[np.searchsorted(moist.times_ms, course.at_ms(d))]) for d in (13.8, 10.5))
    assert filled - dry > 8.0, "the trough runs low"


def test_reptile_clutches_follow_their_own_rules(bench: Workbench) -> None:
    from stathmis.logbook import keeping
    from stathmis.logbook.records import Incubator
    from stathmis.services import setting_up
    from stathmis.services.reading_field import interpret
    from stathmis.services.setting_up import NewChannel

    made = setting_up.add_incubator(bench, "Clutch box", "still")
    setting_up.add_instrument(
        bench, "Probe", "probe", [NewChannel("humidity", "%", 0.1, 2.0)], incubator_id=made, from_ms=0
    )
    incubator = keeping.one(bench.logbook, Incubator, made)
    setting_up.set_batch(bench, incubator, "", "corn_snake", "steady", 11, bench.now_ms - 31 * 86_400_000)
    course = batches.running(bench, incubator)
    assert course is not None
    assert course.day_text(bench.now_ms) == "day 31 of about 62"
    assert [p.name for p in course.phases] == ["warm-up", "incubation", "hatch", "dry"]
    # still air does not raise a clutch's temperature: the box is measured where the eggs are
    band = course.band("temperature", bench.now_ms)
    assert band is not None and band.middle == pytest.approx(28.0)
    channel = keeping.all_of(bench.logbook, Channel)[0]
    rounds.log_round(bench, {channel.id: interpret("70", channel)}, bench.now_ms)
    sheet = rounds.sheet(bench, incubator)
    (action,) = advice.advise(bench, sheet, None, sheet.verdict("humidity"))
    assert action.text.startswith("Moisten the substrate: 70.0 % RH now, 90–100 % RH wanted")


def test_readings_of_an_instrument_that_was_moved_count_where_it_hung(bench: Workbench) -> None:
    from stathmis.logbook import keeping
    from stathmis.logbook.readings import Series
    from stathmis.logbook.records import Incubator, Placement
    from stathmis.services import setting_up
    from stathmis.services.setting_up import NewChannel

    first = setting_up.add_incubator(bench, "One", "forced")
    second = setting_up.add_incubator(bench, "Two", "forced")
    moved = bench.now_ms - 24 * HOUR
    made = setting_up.add_instrument(
        bench, "Logger", "logger", [NewChannel("temperature", "°C", 0.1, 0.5)], incubator_id=first
    )
    placed = keeping.all_of(bench.logbook, Placement)[0]
    keeping.change(bench.logbook, Placement, placed.id, to_ms=moved)
    keeping.add(
        bench.logbook,
        Placement,
        instrument_id=made,
        incubator_id=second,
        place="at the egg tops",
        at_egg_top=True,
        from_ms=moved,
        to_ms=None,
    )
    channel = keeping.all_of(bench.logbook, Channel)[0]
    times = bench.now_ms - np.arange(48 * 60, 0, -1, dtype=np.int64) * 60_000
    readings.store_import(bench.logbook, "a.csv", 0, {channel.id: Series(times, np.full(times.size, 37.5))}, 0, 0)
    counted = []
    for incubator_id in (first, second):
        incubator = keeping.one(bench.logbook, Incubator, incubator_id)
        setting_up.set_batch(bench, incubator, "", "chicken", "steady", 6, bench.now_ms - 72 * HOUR)
        course = batches.running(bench, incubator)
        assert course is not None
        counted.append(trace.trace(bench, course).temperature.runs[0].times_ms.size)
    assert counted == [24 * 60, 24 * 60]
    assert bench.hanging_in(first, bench.now_ms) == []
