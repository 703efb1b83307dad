"""The egg behind the air, held against solutions by hand and by a general solver; drops and cycles found again."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.integrate import solve_ivp

from stathmis.core.course.upsets import cycling, sudden_drops
from stathmis.core.egg_heat import UNSURE, egg_temperature, egg_time_constant, hatch_shift


@pytest.mark.parametrize(
    ("mass", "forced", "minutes"), [(60, False, 45), (60, True, 18), (30, False, 36), (30, True, 14)]
)
def test_time_constants(mass: float, forced: bool, minutes: float) -> None:
    # c m/(h A) worked out independently (see docs/methods.md)
    assert egg_time_constant(mass, forced) / 60 == pytest.approx(minutes, rel=0.03)


@settings(max_examples=25)
@given(seed=st.integers(0, 50), mass=st.floats(8, 160))
def test_against_a_general_solver(seed: int, mass: float) -> None:
    rng = np.random.default_rng(seed)
    t = np.cumsum(rng.uniform(1, 900, 40))
    air = 37.5 + rng.normal(0, 2, 40)
    tau = egg_time_constant(mass)
    solved = solve_ivp(
        lambda s, y: (np.interp(s, t, air) - y) / tau, (t[0], t[-1]), [20.0], t_eval=t, max_step=30.0, rtol=1e-8
    )
    np.testing.assert_allclose(egg_temperature(t, air, mass, start_c=20.0), solved.y[0], atol=2e-3)


def test_long_runs_and_missing_readings() -> None:
    t = np.arange(0.0, 40 * 86400.0, 30.0)
    air = np.full(t.size, 37.5)
    air[5000:5100] = np.nan
    core = egg_temperature(t, air, 60.0)
    assert np.isnan(core[5000:5100]).all() and np.nanmax(np.abs(core - 37.5)) < 1e-9
    core = egg_temperature(t, air, 60.0, max_gap_s=600.0)
    unsure = int(UNSURE * egg_time_constant(60.0) / 30.0)
    assert np.isnan(core[5100 : 5100 + unsure - 1]).all() and np.isfinite(core[5100 + unsure + 1])
    with pytest.raises(ValueError, match="must rise"):
        egg_temperature([1.0, 0.0], [1.0, 1.0], 60.0)
    with pytest.raises(ValueError, match="above 0"):
        egg_temperature([0.0], [37.0], 0.0)


def test_a_lid_opening_moves_the_egg_by_tenths() -> None:
    # common practice: the air drops 5 °C for minutes, the egg by tenths
    t = np.arange(0.0, 7200.0, 20.0)
    air = np.where((t > 1000) & (t < 1240), 32.5, 37.5)
    assert 36.3 < egg_temperature(t, air, 60.0).min() < 37.3
    assert 36.9 < egg_temperature(t, air, 60.0, forced_air=False).min() < 37.4


def test_hatch_shift() -> None:
    assert hatch_shift(37.5, 0.0, 37.5, 21.0) == (0.0, 0.0)
    assert hatch_shift(38.06, 0.05, 37.5, 21.0)[0] == pytest.approx(-0.9, abs=0.05)
    assert hatch_shift(37.5, 0.1, 37.5, 21.0)[1] == pytest.approx(21 * 0.1 / 12.5)
    with pytest.raises(ValueError, match="nothing develops"):
        hatch_shift(25.0, 0.1, 37.5, 21.0)


def test_openings_are_told_from_slow_drift() -> None:
    rng = np.random.default_rng(7)
    t = np.arange(0.0, 86400.0, 60.0)
    air = 37.5 + 0.1 * np.sin(2 * np.pi * t / 780) + rng.normal(0, 0.02, t.size) - 1.5 * t / 86400.0
    starts = (10_000.0, 40_000.0, 70_000.0)
    for start in starts:
        since = np.maximum(t - start, 0.0)
        air -= 5.0 * np.exp(-since / 480.0) * (1 - np.exp(-since / 60.0))
    found = sudden_drops(t, air)
    assert [o.start_s for o in found] == pytest.approx(starts, abs=180.0)
    assert all(o.recovery_s is not None and 900 < o.recovery_s < 2400 for o in found)
    assert sudden_drops(t, 37.5 - 6.0 * t / 86400.0) == ()
    assert sudden_drops([0.0, 1.0], [37.0, 30.0]) == ()


def test_cycling_through_noise() -> None:
    rng = np.random.default_rng(8)
    t = np.arange(0.0, 6 * 3600.0, 30.0)
    found = cycling(t, 37.5 + 0.25 * np.sin(2 * np.pi * t / 900.0) + rng.normal(0, 0.01, t.size))
    assert found is not None and found.period_s == pytest.approx(900, rel=0.05)
    assert found.swing == pytest.approx(0.26, abs=0.03)
    assert cycling(t, 37.5 + rng.normal(0, 0.05, t.size)) is None
    assert cycling(t, np.full(t.size, 37.5)) is None
