"""Advice on heat: never dangerous after something known happened, never from one moment of a swing, one for all."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

import making
from making import batch_with_log, instrument, reference
from stathmis.core.course.upsets import cycle_mean
from stathmis.core.uncertainty import NORMAL_95
from stathmis.logbook.records import Event
from stathmis.services import rounds, setting_up
from stathmis.services.advice import heat
from stathmis.services.clock import DAY_MS
from stathmis.services.desk import Desk
from stathmis.services.reading_field import interpret

MINUTE_MS = 60_000


def logged(desk: Desk, kind: str, minutes_ago: float, incubator_id: int = 1, **more: object) -> None:
    at = desk.now_ms - round(minutes_ago * MINUTE_MS)
    desk.add(kind, [(Event, {"incubator_id": incubator_id, "time_ms": at, "kind": kind, "note": "", **more})])


@pytest.mark.parametrize("kind", ["cool", "power", "lid", "water", "vent", "set_point"])
@pytest.mark.parametrize("minutes", [14, 100, 175])
def test_after_what_was_logged_it_waits(desk: Desk, kind: str, minutes: int) -> None:
    air = np.full(1440, 37.5)
    air[-minutes:] = np.linspace(31.0, 36.9, minutes)
    course, _ = batch_with_log(desk, air)
    logged(desk, kind, minutes)
    advice = heat.advise(desk.book, course.incubator)
    assert advice.kind == "wait" and advice.step_k == 0.0
    assert making.set_point_words(desk, course.incubator).startswith("Wait. ")


def test_a_long_power_cut_settles_from_its_end_on(desk: Desk) -> None:
    air = np.full(1440, 37.5)
    air[-295:-55] = np.linspace(37.0, 27.0, 240)
    air[-55:] = np.linspace(27.0, 36.0, 55)
    course, _ = batch_with_log(desk, air)
    logged(desk, "power", 300, minutes=240.0)
    assert heat.advise(desk.book, course.incubator).kind == "wait"


def test_air_far_off_without_a_reason_asks_for_a_look_not_for_a_step(desk: Desk) -> None:
    air = np.full(1440, 37.5)
    air[-60:] = 31.0
    course, _ = batch_with_log(desk, air)
    advice = heat.advise(desk.book, course.incubator)
    assert advice.kind == "look" and advice.step_k == 0.0
    assert "thermometer first" in making.set_point_words(desk, course.incubator)


@pytest.mark.parametrize(
    ("off", "hours", "step", "says"),
    [
        (-2.0, 5.5, 0.0, "explain that."),
        (-2.0, 7.0, 1.0, "raise the set point by 1.0 °C"),
        (2.0, 7.0, -1.0, "lower the set point by 1.0 °C"),
    ],
)
def test_air_far_off_for_hours_may_be_moved_a_step_all_the_same(
    desk: Desk, off: float, hours: float, step: float, says: str
) -> None:
    # logged since so long ago only
    air = np.full(1440, np.nan)
    air[-round(60 * hours) :] = 37.5 + off
    course, _ = batch_with_log(desk, air)
    advice = heat.advise(desk.book, course.incubator)
    assert (advice.kind, advice.step_k) == ("look", step)
    said = making.said(desk.book, advice)
    assert "thermometer first" in said.text and says in said.note


@settings(max_examples=60, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(off=st.floats(-8, 8), hours=st.floats(0.2, 30), swing=st.floats(0, 0.7), seed=st.integers(0, 99))
def test_no_step_is_ever_large(tmp_path_factory, off: float, hours: float, swing: float, seed: int) -> None:  # type: ignore[no-untyped-def]
    from stathmis.logbook.opening import create_logbook
    from stathmis.services.clock import FixedClock

    logbook = create_logbook(tmp_path_factory.mktemp("l") / "l.stathmis", {"time_zone": "UTC"})
    try:
        desk = Desk(logbook, FixedClock(1_779_093_600_000))
        minutes = np.arange(2880)
        air = 37.5 + swing * np.sin(2 * np.pi * (minutes + seed) / 25.0)
        air[-round(hours * 60) :] += off
        course, _ = batch_with_log(desk, air)
        advice = heat.advise(desk.book, course.incubator)
        logged_hours = advice.mean.hours if advice.mean is not None and advice.mean.dense else 0.0
        assert abs(advice.step_k) <= (1.0 if logged_hours >= 3.0 else 0.5) + 1e-9
        assert advice.step_k * off <= 1e-9 or advice.kind == "center", "never further the wrong way"
    finally:
        logbook.close()


@pytest.mark.parametrize("swing", [0.3, 0.45, 0.6])
def test_a_thermostat_that_swings_round_the_right_mean_is_left_alone(desk: Desk, swing: float) -> None:
    """Mean 37.5 ± 0.08: of 60 looks at any moment none says to move it (8, 40 and 59 % did)."""
    rng = np.random.default_rng(round(swing * 100))
    minutes = np.arange(3 * 1440)
    air = 37.5 + rng.normal(0, 0.08) + swing * np.sin(2 * np.pi * minutes / rng.uniform(9, 40))
    course, _ = batch_with_log(desk, air + rng.normal(0, 0.02, minutes.size))
    end = desk.now_ms
    moved = 0
    for back in rng.uniform(0, 1440, 60):
        desk.clock.at_ms = end - round(back) * MINUTE_MS  # type: ignore[attr-defined]
        moved += heat.advise(desk.book, course.incubator).pressing
    assert moved == 0


def test_a_loggers_last_day_counts_and_not_the_days_before(desk: Desk) -> None:
    course, _ = batch_with_log(desk, np.concatenate([np.full(3 * 1440, 36.5), np.full(1500, 37.5)]))
    advice = heat.advise(desk.book, course.incubator)
    assert advice.mean is not None and advice.mean.value.value == pytest.approx(37.5, abs=0.02)
    assert advice.mean.hours == pytest.approx(24.0, abs=0.2) and advice.step_k == 0.0


def test_one_reading_by_hand_is_a_moment_of_the_swing(desk: Desk) -> None:
    made = setting_up.add_incubator(desk, "Box", "forced", 37.5)
    lab = reference(desk, points=[(0.0, 0.0, 0.04), (45.0, 0.0, 0.04)])
    stick = instrument(desk, "Stick", incubator_id=made)
    making.put_to_use(desk, making.typed(desk, stick, [("37.5 37.5 37.5", "37.50")], against=lab), 0)
    box = desk.book.incubators()[0]
    setting_up.set_batch(desk, box, "", "chicken", "steady", 6, desk.now_ms - 5 * DAY_MS)
    rounds.log_round(desk, {stick.id: interpret("37.0", stick)}, desk.now_ms)
    sheet = rounds.sheet(desk.book, box)
    verdict = sheet.verdict("temperature")
    assert verdict is not None and verdict.decision == "outside", "the air is low now"
    assert heat.advise(desk.book, box).kind == "sample", "but that may be the swing"


def test_the_mean_over_whole_cycles_does_not_depend_on_where_it_begins() -> None:
    """The mean of a sine over whole periods is its middle, wherever it begins (calculus)."""
    rng = np.random.default_rng(3)
    seen, inside = [], 0
    for _ in range(300):
        period, swing, phase = rng.uniform(500, 3000), rng.uniform(0.1, 0.7), rng.uniform(0, 6.3)
        t = np.arange(0.0, 10_800.0, 60.0)
        v = 37.5 + swing * np.sin(2 * np.pi * t / period + phase) + rng.normal(0, 0.02, t.size)
        found = cycle_mean(t, v)
        seen.append(abs(found.value - 37.5))
        inside += abs(found.value - 37.5) <= NORMAL_95 * found.u + 0.01
    assert max(seen) < 0.12 and float(np.median(seen)) < 0.02
    assert inside >= 270


def test_round_column_and_controller_say_the_same(demo: Desk) -> None:
    from stathmis.services.advice import now as adviser
    from stathmis.words.advice import said, short

    for incubator in demo.book.incubators():
        sheet = rounds.sheet(demo.book, incubator)
        if sheet.course is None:
            continue
        of_round = adviser.advise(demo.book, sheet, sheet.verdict("temperature"), sheet.verdict("humidity"))
        for advice in of_round:
            if isinstance(advice, heat.HeatAdvice):
                assert said(demo.book, advice) == said(demo.book, heat.advise(demo.book, incubator))
            assert short(demo.book, advice)


def opened(minutes_back: float, day: int = 1440) -> np.ndarray:
    """Two days of air in which the lid was opened six times, each time back after so many minutes."""
    air = np.full(2 * day, 37.5)
    for begin in range(200, 2 * day - 400, 450):
        since = np.arange(int(3 * minutes_back))
        air[begin : begin + since.size] -= 4.0 * np.exp(-since / (minutes_back / 2.6))
    return air


@pytest.mark.parametrize("minutes_back", [12.0, 40.0])
def test_how_long_to_wait_comes_from_the_machines_own_log(desk: Desk, minutes_back: float) -> None:
    air = opened(minutes_back)
    air[-5:] = 33.0
    course, _ = batch_with_log(desk, air)
    logged(desk, "lid", 10)
    advice = heat.advise(desk.book, course.incubator)
    assert advice.kind == "wait" and advice.upset is not None
    back = (advice.upset.back_ms - advice.upset.time_ms) / MINUTE_MS
    assert back == pytest.approx(minutes_back, rel=0.25)
    assert advice.upset.until_ms - advice.upset.time_ms == 180 * MINUTE_MS, "no step for three hours"
    assert "let it settle until about" in making.set_point_words(desk, course.incubator)


@pytest.mark.parametrize(
    ("ends_at", "kind", "says"), [(30.5, "look", "power, heater, lid"), (36.2, "wait", "still on its way back")]
)
def test_air_that_does_not_come_back_after_a_lid_asks_for_a_look(
    desk: Desk, ends_at: float, kind: str, says: str
) -> None:
    """The heater died while the lid was open: to wait three hours would cost the eggs."""
    air = opened(15.0)
    air[-60:] = np.linspace(33.0, ends_at, 60)
    course, _ = batch_with_log(desk, air)
    logged(desk, "lid", 65)
    advice = heat.advise(desk.book, course.incubator)
    assert (advice.kind, advice.step_k) == (kind, 0.0)
    assert says in making.set_point_words(desk, course.incubator)


@pytest.mark.parametrize(("day", "late"), [(6.0, False), (17.0, True)])
def test_late_eggs_heat_the_box_themselves(desk: Desk, day: float, late: bool) -> None:
    course, _ = batch_with_log(desk, np.full(round(day * 1440), 38.1))
    advice = heat.advise(desk.book, course.incubator)
    assert advice.kind == "move" and advice.step_k < 0
    sheet = rounds.sheet(desk.book, course.incubator)
    (said,) = making.told(desk, sheet, sheet.verdict("temperature"), None)
    assert said.text.startswith("Lower the set point") and ("heat the box themselves" in said.note) == late
