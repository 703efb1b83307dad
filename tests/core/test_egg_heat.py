"""The egg behind the air, held against solutions by hand and by a general solver; drops and cycles found again."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.integrate import solve_ivp
from scipy.optimize import brentq

from stathmis.core import egg_heat
from stathmis.core.course.upsets import cycling, sudden_drops
from stathmis.core.egg_heat import (
    UNSURE,
    core_modes,
    egg_temperature,
    egg_time_constant,
    hatch_shift,
    own_heat,
    shell_cooling,
)


@pytest.mark.parametrize(
    ("mass", "forced", "minutes"), [(60, False, 45), (60, True, 18), (30, False, 36), (30, True, 14)]
)
def test_time_constants(mass: float, forced: bool, minutes: float) -> None:
    # c m/(h A) worked out independently (see docs/methods.md)
    assert egg_time_constant(mass, forced) / 60 == pytest.approx(minutes, rel=0.03)


def _conducted(
    t: np.ndarray, air: np.ndarray, mass: float, forced: bool, start: float, watts: float = 0.0
) -> np.ndarray:
    """The middle of a sphere of shells that pass heat to each other, by a general solver: the equation of heat itself,
    not its series. Conductivity 0.5 W/(m K), 3.31 J/(g K), 1.05 g/cm3, 25 or 10 W/(m2 K)."""
    n = 40
    radius = (3e-6 * mass / 1.05 / (4 * np.pi)) ** (1 / 3)
    edges = np.linspace(0.0, radius, n + 1)
    volume = 4 / 3 * np.pi * np.diff(edges**3)
    between = 0.5 * 4 * np.pi * edges[1:-1] ** 2 / (radius / n)
    surface = 4 * np.pi * radius**2
    out = 1.0 / (1.0 / ((25.0 if forced else 10.0) * surface) + radius / n / 2 / (0.5 * surface))

    def change(s: float, y: np.ndarray) -> np.ndarray:
        flow = between * np.diff(y)
        gain = watts * volume / volume.sum()
        gain[:-1] += flow
        gain[1:] -= flow
        gain[-1] += out * (np.interp(s, t, air) - y[-1])
        return gain / (volume * 1.05e6 * 3.31)

    solved = solve_ivp(change, (t[0], t[-1]), np.full(n, start), t_eval=t, max_step=60.0, method="LSODA", rtol=1e-6)
    return np.asarray(solved.y[0])


@pytest.mark.parametrize(("mass", "most"), [(20.0, 0.5), (60.0, 0.8), (150.0, 1.2)])
@pytest.mark.parametrize("forced", [True, False])
def test_the_core_against_conduction_through_the_egg(mass: float, most: float, forced: bool) -> None:
    # three hours without power: the air falls to a room of 20 °C within minutes, or with the box
    t = np.arange(0.0, 4 * 3600.0, 60.0)
    for minutes in (3.0, 60.0):
        air = 20.0 + 17.5 * np.exp(-t / (60.0 * minutes))
        off = egg_temperature(t, air, mass, forced, start_c=37.5) - _conducted(t, air, mass, forced, 37.5)
        assert np.abs(off).max() < most / 4
    # what single lags made of it was 1 to 3 K off
    late = _conducted(t, np.full(t.size, 37.5), mass, forced, 37.5, watts=0.1)
    made = own_heat(mass, 0.9, forced)
    drying = 0.13 * mass / (0.86 * 12.03 * mass**0.217) * 2410.0 / 86400.0
    watts = 28.9 * mass**0.714 * 19.7 / 86400.0
    settled = 37.5 + (late[-1] - 37.5) * watts / 0.1
    # drying cools at the surface; the area of an egg is not quite that of a ball
    cooled = drying / ((25.0 if forced else 10.0) * 4.835e-4 * mass**0.662)
    assert 37.5 + float(made.core_k) == pytest.approx(settled - cooled, abs=0.12)


@settings(max_examples=10)
@given(seed=st.integers(0, 50), mass=st.floats(8, 160))
def test_against_a_general_solver(seed: int, mass: float) -> None:
    rng = np.random.default_rng(seed)
    t = np.cumsum(rng.uniform(60, 900, 20))
    air = 37.5 + rng.normal(0, 2, 20)
    made = egg_temperature(t, air, mass, start_c=20.0)
    after = t > t[0] + 600.0
    np.testing.assert_allclose(made[after], _conducted(t, air, mass, True, 20.0)[after], atol=0.25)


@given(mass=st.floats(1.0, 200.0), forced=st.booleans())
def test_the_modes_are_the_spheres_first_three(mass: float, forced: bool) -> None:
    """Carslaw and Jaeger's roots by SciPy's solver; the weights of all modes make one."""
    radius = (3e-6 * mass / 1.05 / (4 * np.pi)) ** (1 / 3)
    biot = (25.0 if forced else 10.0) * radius / 0.5
    left = 1.0
    for n, (tau, weight) in enumerate(core_modes(mass, forced)):
        z = brentq(lambda z: 1.0 - z / np.tan(z) - biot, n * np.pi + 1e-9, (n + 1) * np.pi - 1e-9)
        assert tau == pytest.approx(radius**2 * 1.05e6 * 3.31 / (0.5 * z**2), rel=1e-6)
        if n < 2:
            assert weight == pytest.approx(4.0 * (np.sin(z) - z * np.cos(z)) / (2.0 * z - np.sin(2.0 * z)), rel=1e-6)
            left -= weight
        else:
            assert weight == pytest.approx(left, rel=1e-9)


@settings(max_examples=25)
@given(st.integers(0, 10**6), st.booleans())
def test_a_long_run_in_parts_is_the_core_step_by_step(seed: int, holes: bool) -> None:
    """Each mode's lag solved exactly from reading to reading, for steps of a second to a day and repeated times."""
    rng = np.random.default_rng(seed)
    t = np.cumsum(np.exp(rng.uniform(0.0, 11.0, 300)) * (rng.random(300) > 0.05))
    air = 37.5 + rng.normal(0.0, 3.0, 300)
    if holes:
        air[rng.random(300) < 0.1] = np.nan
    read = np.isfinite(air)
    cores = []
    for tau, weight in core_modes(40.0):
        core = [20.0]
        for i in range(1, int(read.sum())):
            step = float(np.diff(t[read])[i - 1])
            before, now = air[read][i - 1 : i + 1]
            # the answer to a ramp: it runs a lag behind
            lag = (now - before) * tau / step if step > 0 else 0.0
            core.append(float(now - lag + (core[-1] - before + lag) * np.exp(-step / tau)) if step > 0 else core[-1])
        cores.append(weight * np.array(core))
    expected = np.full(t.shape, np.nan)
    expected[read] = sum(cores)
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(egg_heat, "_AT_ONCE", 37)
        found = egg_temperature(t, air, 40.0, start_c=20.0)
    np.testing.assert_allclose(found, expected, atol=1e-6)


def test_the_embryo_warms_its_egg() -> None:
    # common practice: 60 g by some tenths at two thirds of the term and by 1 K and more in the last days; about 0.4 and
    # 1 K with a fan, 0.8 and 2 K in still air; larger eggs more; nothing to speak of before half of the term
    cores = {(share, fan): float(own_heat(60.0, share, fan).core_k) for share in (2 / 3, 0.9) for fan in (True, False)}
    wanted = {(2 / 3, True): 0.4, (2 / 3, False): 0.8, (0.9, True): 1.0, (0.9, False): 2.0}
    assert cores == pytest.approx(wanted, abs=0.1)
    masses = own_heat(np.float64(20.0).item(), [0.0, 0.3, 0.9]).core_k, own_heat(150.0, [0.0, 0.3, 0.9]).core_k
    assert (np.abs(masses[0][:2]) < 0.06).all() and masses[1][2] > masses[0][2] + 0.2
    # a hen's oxygen by day, from memory: a tenth, four tenths and two thirds of the last days' on days 10, 14, 16
    made = own_heat(60.0, np.array([10.0, 14.0, 16.0, 19.0]) / 21.0)
    oxygen = (made.core_k - made.shell_k) / (made.core_k - made.shell_k)[3]
    np.testing.assert_allclose(oxygen, [0.105, 0.41, 0.69, 1.0], atol=0.05)
    # an egg that was cooled by 10 K makes half
    cold, warm = own_heat(60.0, 0.9, core_c=28.0), own_heat(60.0, 0.9)
    assert float(cold.core_k - cold.shell_k) == pytest.approx(0.5 * float(warm.core_k - warm.shell_k))


def test_the_smallest_eggs_are_eggs_and_nothing_is_none() -> None:
    """Of 0.6 g: warmer by less than a hen's 1 K, and quicker to follow."""
    assert 0.3 < float(own_heat(0.6, 0.9).core_k) < 0.7 and core_modes(0.6)[0][0] < 300.0
    assert egg_time_constant(0.6) == pytest.approx(egg_time_constant(60.0) * 0.01**0.338)
    for wrong in (0.0, -1.0, float("nan")):
        for taken in (egg_time_constant, core_modes, lambda g: own_heat(g, 0.5)):
            with pytest.raises(ValueError, match="above 0 g"):
                taken(wrong)


def test_a_shell_under_an_open_lid() -> None:
    # the outermost shell of the conducted egg, whose air falls at once
    t = np.arange(0.0, 90.0, 5.0)
    assert shell_cooling(t, 38.0, 30.0)[-1] == pytest.approx(0.65, abs=0.05)
    assert (shell_cooling([-5.0, 0.0], 38.0, 30.0) == 0).all() and (shell_cooling([60.0], 30.0, 35.0) == 0).all()


def test_long_runs_and_missing_readings() -> None:
    t = np.arange(0.0, 40 * 86400.0, 30.0)
    air = np.full(t.size, 37.5)
    air[5000:5100] = np.nan
    core = egg_temperature(t, air, 60.0)
    assert np.isnan(core[5000:5100]).all() and np.nanmax(np.abs(core - 37.5)) < 1e-9
    core = egg_temperature(t, air, 60.0, max_gap_s=600.0)
    unsure = int(UNSURE * core_modes(60.0)[0][0] / 30.0)
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
