"""The simulated incubator against the balance it stands for, and its own step."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from stathmis.core.psychrometrics import saturation_vapor_pressure
from stathmis.devices.simulated_incubator import (
    ML_PER_HPA_L,
    Machine,
    SimulatedIncubator,
    SimulatedSensor,
    record,
)


@settings(max_examples=12, deadline=None)
@given(st.floats(0, 300), st.floats(0.1, 1.0), st.floats(15, 28), st.floats(25, 70), st.sampled_from([0, 20, 200]))
def test_it_settles_where_the_balance_says(
    surface: float, vent: float, room_c: float, room_rh: float, eggs: int
) -> None:
    """Steady vapor: (q p_room + k A ps(T_water) + E ps) / (q + k A + E), the balance of a box of air (common practice);
    an egg gives 10.8 mg/(d hPa) (Ar and Rahn, from memory), a liter of vapor at 1 hPa and 37.5 °C is 0.697 mg."""
    machine = Machine(water_cm2=surface, vent=vent, eggs=eggs, room_c=room_c, room_rh=room_rh, room_swing_k=0.0)
    box = SimulatedIncubator(machine)
    box.state.egg_c = box.state.air_c = box.state.shell_c = 37.4
    box.step(12 * 3600.0)
    flow = machine.leak_l_s + vent * machine.vent_l_s
    wet = machine.evaporation_l_s_cm2 * surface / 10.0
    room = float(saturation_vapor_pressure(room_c)) * room_rh / 100.0
    mean_c = machine.set_point_c
    water = float(saturation_vapor_pressure(mean_c - machine.water_cooling_k))
    most = float(saturation_vapor_pressure(mean_c))
    by_eggs = eggs * 10.8 / 86_400.0 / 0.697
    expected = (flow * room + wet * water + by_eggs * most) / (flow + wet + by_eggs)
    assert box.state.vapor_hpa == pytest.approx(min(expected, most), rel=0.03)
    saturated = float(saturation_vapor_pressure(box.state.air_c))
    assert box.rh == pytest.approx(min(100.0, 100.0 * box.state.vapor_hpa / saturated), rel=0.005)


@pytest.mark.parametrize("air", ["forced", "still"])
def test_longer_steps_change_little(air: str) -> None:
    runs = []
    for step in (5.0, 15.0):
        box = SimulatedIncubator(Machine(air=air, air_j_per_k=6000.0), 8.0, step)
        runs.append(record(box, 8 * 60, [(300.0, lambda b: b.open_lid(120.0))]))
    late = slice(180, None)
    assert np.abs(runs[0].egg_c - runs[1].egg_c)[late].max() < 0.4
    assert abs(runs[0].air_c[late].mean() - runs[1].air_c[late].mean()) < 0.1
    assert np.abs(runs[0].rh[late].mean() - runs[1].rh[late].mean()) < 1.0


@pytest.mark.parametrize("step", [5.0, 20.0, 60.0])
def test_an_open_lid_never_leaves_less_than_nothing(step: float) -> None:
    box = SimulatedIncubator(Machine(volume_l=20.0, room_rh=20.0), 8.0, step)
    box.step(3 * 3600.0)
    found = record(box, 60, [(5.0, lambda b: b.open_lid(600.0))])
    assert (found.rh > 0).all() and (found.rh <= 100).all()
    inside = found.rh[12] / 100.0 * float(saturation_vapor_pressure(found.air_c[12]))
    assert inside == pytest.approx(box.room_vapor_hpa, rel=0.1), "the air inside is the room's after minutes"


def test_a_trough_runs_dry_by_what_it_evaporates() -> None:
    machine = Machine(water_cm2=200.0, trough_ml=60.0, eggs=0, room_swing_k=0.0)
    box = SimulatedIncubator(machine)
    box.step(6 * 3600.0)
    before = box.state.water_ml
    wet = machine.evaporation_l_s_cm2 * machine.water_cm2 / 10.0
    water = float(saturation_vapor_pressure(machine.set_point_c - machine.water_cooling_k))
    rate = wet * (water - box.state.vapor_hpa) * ML_PER_HPA_L
    box.step(3600.0)
    assert before - box.state.water_ml == pytest.approx(3600.0 * rate, rel=0.1)
    seen = []
    for _ in range(8):
        box.step(12 * 3600.0)
        seen.append((box.state.water_ml, box.rh))
    assert all(a[0] >= b[0] for a, b in pairwise(seen)) and seen[-1][0] < 0.15 * machine.trough_ml
    assert seen[-1][1] < seen[0][1] - 5.0
    box.fill()
    box.step(4 * 3600.0)
    assert box.rh > seen[-1][1] + 5.0 and box.state.water_ml > 0.8 * machine.trough_ml


def test_what_happens_is_recorded_when_it_does() -> None:
    box = SimulatedIncubator(Machine(eggs=0))
    box.step(6 * 3600.0)

    def eggs_in(b: SimulatedIncubator) -> None:
        b.machine.eggs = 24
        b.set_eggs(20.0)

    found = record(box, 240, [(60.0, eggs_in), (180.0, lambda b: b.cut_power(1800.0))])
    assert found.egg_c[61] < 24.0 < found.egg_c[170], "cold eggs warm up"
    assert found.air_c[62:80].min() < found.air_c[30:59].min(), "and cool the air"
    assert found.air_c[209] < found.air_c[175] - 1.0, "no power, no heat"
    np.testing.assert_allclose(np.diff(found.seconds), 60.0)


def test_a_sensor_drifts_sticks_and_drops_out() -> None:
    rng = np.random.default_rng(4)
    true = np.full(2880, 37.5)
    drifting = SimulatedSensor(drift_per_day=0.5, lag_s=0.0).series(true, 60.0, rng)
    assert drifting[-1] - drifting[0] == pytest.approx(1.0, abs=0.02)
    stuck = SimulatedSensor(stuck_from_s=600.0, lag_s=0.0)
    shown = [stuck.read(37.0 + i / 100, 60.0, 60.0 * i, rng) for i in range(60)]
    assert len(set(shown[11:])) == 1 and len(set(shown[:9])) == 9
    lossy = SimulatedSensor(dropout=0.3)
    missing = sum(lossy.read(37.5, 1.0, float(i), rng) is None for i in range(2000))
    assert 500 < missing < 700


@pytest.mark.parametrize("lag_s", [0.0, 0.5, 60.0])
def test_a_sensor_follows_as_it_lags_at_once_or_one_by_one(lag_s: float) -> None:
    true = np.concatenate([np.full(5, 20.0), np.full(60, 37.5)])
    sensor = SimulatedSensor(noise=0.0, resolution=1e-6, lag_s=lag_s)
    rng = np.random.default_rng(1)
    one_by_one = [sensor.read(t, 1.0, float(i), rng) for i, t in enumerate(true)]
    since = np.arange(1.0, 61.0)
    left = 17.5 * np.exp(-since / lag_s) if lag_s else 0.0 * since
    for shown in (
        np.array(one_by_one, dtype=float),
        SimulatedSensor(noise=0.0, resolution=1e-6, lag_s=lag_s).series(true, 1.0, rng),
    ):
        np.testing.assert_allclose(shown[5:], 37.5 - left, atol=1e-5)


def test_the_room_is_warmest_in_the_afternoon() -> None:
    warmth = {h: SimulatedIncubator(Machine(room_c=20.0, room_swing_k=2.0), start_hour=h).room_c for h in range(24)}
    assert max(warmth, key=lambda h: warmth[h]) == 15 and min(warmth, key=lambda h: warmth[h]) == 3
    assert (warmth[15], warmth[3], warmth[9]) == pytest.approx((22.0, 18.0, 20.0))
    # a month of days later it is as warm at the same hour
    box = SimulatedIncubator(Machine(room_c=20.0, room_swing_k=2.0), start_hour=8.0)
    before = box.room_c
    box.state.seconds = 30 * 86_400.0
    assert box.room_c == pytest.approx(before, abs=1e-9)


@pytest.mark.parametrize("air", ["forced", "still"])
def test_what_heats_goes_through_the_shell_and_out_with_the_air(air: str) -> None:
    """Once all is settled the heater's mean makes up for both, at 1.2 J/(l K) of air."""
    machine = Machine(air=air, room_c=15.0, room_swing_k=0.0, eggs=0)
    box = SimulatedIncubator(machine)
    box.step(12 * 3600.0)
    heat, away = [], []
    for _ in range(4 * 720):
        box.step(5.0)
        heat.append(box.state.heater_w)
        flow = machine.leak_l_s + machine.vent * machine.vent_l_s
        away.append(1.4 * (box.state.shell_c - box.room_c) + 1.2 * flow * (box.state.air_c - box.room_c))
    assert np.mean(heat) == pytest.approx(np.mean(away), rel=0.01)
