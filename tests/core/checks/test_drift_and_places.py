"""Drift over successive checks, warm and cold places, layers of still air, and centering a controller."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from stathmis.core.checks.drift import between, fit_drift, leaves_tolerance
from stathmis.core.checks.places import center, evenness, layers
from stathmis.core.checks.straight_line import FitError


def test_the_band_of_a_fitted_drift_holds_the_truth() -> None:
    """Simulated checks of an instrument that drifts evenly: the forecast's 95 % band holds the truth in 94-96 %."""
    rng = np.random.default_rng(2)
    days = np.array([0.0, 180, 370, 545, 730])
    held = 0
    for _ in range(4000):
        errors = 0.3 + 0.0005 * days + rng.normal(0, 0.04, 5)
        error, U = fit_drift(days, errors, 0.04, 0.001).at(1000.0)
        held += abs(float(error) - 0.8) <= float(U)
    assert 0.94 <= held / 4000 <= 0.965


def test_before_three_checks_a_usual_rate_stands_in() -> None:
    two = fit_drift([0.0, 200.0], [0.1, 0.4], 0.05, 0.0005)
    assert not two.fitted and not two.seen and two.rate == 0.0 and two.value == 0.4
    assert two.at(200.0)[1] == pytest.approx(1.96 * 0.05, rel=1e-3)
    assert two.at(600.0)[1] == pytest.approx(1.96 * np.hypot(0.05, 0.2), rel=1e-3)
    # three checks on two days are two
    assert not fit_drift([0.0, 0.0, 200.0], [0.1, 0.1, 0.4], 0.05, 0.0005).fitted


@pytest.mark.parametrize(
    ("scatter", "wide", "k"), [(0.9, 1.0, 1.96), (1.7, 1.0, 1.96), (1.8, 1.8, 4.30), (3.0, 3.0, 4.30)]
)
def test_scatter_beyond_chance_widens_and_is_known_no_better_than_by_these_checks(
    scatter: float, wide: float, k: float
) -> None:
    """Four checks about a line: widened by Birge's ratio beyond the 95 % limit of chi-square (5.99 for two degrees of
    freedom), and then with Student's t (JCGM 100, table G.2)."""
    days = np.array([0.0, 100.0, 200.0, 300.0])
    # at right angles to mean and slope: a chi-square of 2 at a scatter of 1
    errors = 0.001 * days + 0.02 * scatter * np.array([1.0, -1.0, -1.0, 1.0]) / np.sqrt(2.0)
    drift = fit_drift(days, errors, 0.02, 0.0)
    assert drift.u_value == pytest.approx(wide * 0.02 / 2.0)
    assert drift.u_rate == pytest.approx(wide * 0.02 / np.sqrt(5.0e4))
    assert drift.k == pytest.approx(k, abs=5e-3)


def test_what_all_checks_share_is_in_the_error_and_not_in_the_rate() -> None:
    days, errors = np.array([0.0, 100.0, 200.0]), np.array([0.1, 0.2, 0.3])
    alone, shared = fit_drift(days, errors, 0.02, 0.0), fit_drift(days, errors, 0.02, 0.0, u_shared=0.3)
    assert shared.u_rate == alone.u_rate == pytest.approx(0.02 / np.sqrt(2.0e4))
    for day in (100.0, 400.0):
        u = np.sqrt(0.02**2 / 3.0 + (shared.u_rate * (day - 100.0)) ** 2 + 0.3**2)
        assert float(shared.at(day)[1]) == pytest.approx(1.96 * u, rel=1e-4)


def test_leaving_the_tolerance() -> None:
    drift = fit_drift([0.0, 100.0, 200.0], [0.0, 0.1, 0.2], 0.001, 0.0)
    day = leaves_tolerance(drift, 0.5, 200.0)
    assert day == pytest.approx(498, abs=3)
    assert leaves_tolerance(drift, 0.1, 200.0) == 200.0
    still = fit_drift([0.0], [0.0], 0.001, 0.0)
    assert leaves_tolerance(still, 0.5, 0.0) is None
    with pytest.raises(FitError, match="above 0"):
        leaves_tolerance(drift, 0.0, 0.0)
    with pytest.raises(FitError, match="needs a check"):
        fit_drift([], [], 0.1, 0.1)
    with pytest.raises(FitError, match="above 0"):
        fit_drift([0.0], [0.0], 0.0, 0.1)


@given(share=st.floats(0, 1), a=st.floats(-2, 2), b=st.floats(-2, 2))
def test_between_two_checks(share: float, a: float, b: float) -> None:
    value, u = between(a, 0.1, b, 0.2, share)
    assert min(a, b) - 1e-9 <= float(value) <= max(a, b) + 1e-9
    assert 0.1 <= float(u) <= 0.2
    with pytest.raises(FitError):
        between(a, 0.1, b, 0.2, 1.5)


def test_one_instruments_error_cancels_between_places() -> None:
    one = evenness([37.2, 37.5, 37.8], 0.02, [0, 0, 0], [0.5])
    several = evenness([37.2, 37.5, 37.8], 0.02, [0, 1, 2], [0.5, 0.5, 0.5])
    assert one.spread == several.spread == pytest.approx(0.6)
    assert one.U_spread == pytest.approx(1.96 * np.sqrt(2) * 0.02, rel=1e-3)
    assert several.U_spread == pytest.approx(1.96 * np.sqrt(2) * np.hypot(0.02, 0.5), rel=1e-3)
    # of three places each is known less the mean of all: own readings by 1 - 1/3 of their variance, and what one
    # instrument shares with itself not at all (JCGM 100, 5.2)
    assert one.deviation == pytest.approx([-0.3, 0.0, 0.3]) and one.mean == pytest.approx(37.5)
    assert one.u == pytest.approx([0.02 * np.sqrt(2 / 3)] * 3)
    assert several.u == pytest.approx([np.hypot(0.02, 0.5) * np.sqrt(2 / 3)] * 3)
    assert one.seen and not several.seen
    assert (one.warmest, one.coldest) == (2, 0)
    with pytest.raises(FitError, match="two or more"):
        evenness([37.0], 0.1, [0], [0.1])


def test_layers_between_and_beyond() -> None:
    found = layers([2.0, 12.0], [36.0, 40.0], 0.02, 6.0, u_shared=0.1)
    assert found.at_egg_top == pytest.approx(37.6)
    assert found.gradient == pytest.approx(0.4)
    assert found.beyond_cm == 0.0 and 0.1 < found.u_at_egg_top < 0.4
    above = layers([2.0, 12.0], [36.0, 40.0], 0.02, 15.0)
    assert above.beyond_cm == 3.0
    assert above.u_at_egg_top > 0.4 * 3.0 / np.sqrt(3)
    with pytest.raises(FitError):
        layers([5.0, 5.0], [36.0, 37.0], 0.02, 5.0)


@given(mean=st.floats(35, 40), target=st.floats(36, 39))
def test_a_step_never_leaves_more_than_half_a_step(mean: float, target: float) -> None:
    found = center(37.5, mean, 0.05, target)
    assert abs(found.left) <= 0.05 + 1e-9
    assert found.change * 10 == pytest.approx(round(found.change * 10), abs=1e-6)
    assert found.certain == (abs(target - mean) > 0.05)
