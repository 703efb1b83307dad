"""Air carried on: right where it is as taken, and unsure where a thermostat swings."""

from __future__ import annotations

import numpy as np
import pytest

from stathmis.core.course.forecast import LEAST, going_on

MINUTES = np.arange(41.0) * 60.0
RESPONSES = (1200.0, 5400.0)


@pytest.mark.parametrize("response_s", RESPONSES)
def test_the_response_that_fits_is_found(response_s: float) -> None:
    def way(t: np.ndarray) -> np.ndarray:
        return 38.5 - 1.5 * np.exp(-t / response_s)

    ahead = going_on(MINUTES, way(MINUTES), RESPONSES, 3600.0)
    assert ahead.times_s[[0, 1, -1]] == pytest.approx([2400.0, 2700.0, 6000.0])
    assert ahead.values == pytest.approx(way(ahead.times_s), abs=1e-6)
    assert ahead.rate == pytest.approx(1.5 / response_s * np.exp(-2400.0 / response_s))


@pytest.mark.parametrize(("swing", "noise"), [(0.0, 0.1), (0.3, 0.02), (0.6, 0.02)])
def test_what_comes_lies_within_what_is_stated(swing: float, noise: float) -> None:
    """Of 300 drifts the air an hour on, without its swing, lies within 1.96 u in 93 % and more; u is of some use."""
    rng, inside, u = np.random.default_rng(5), 0, []
    for _ in range(300):
        rise, phase, period = rng.normal(0.0, 1.0), rng.uniform(0.0, 6.3), rng.uniform(600.0, 1500.0)

        def way(t: np.ndarray, rise: float = rise) -> np.ndarray:
            return 37.5 + rise * (1.0 - np.exp(-t / 5400.0))

        shown = way(MINUTES) + swing * np.sin(2.0 * np.pi * MINUTES / period + phase)
        ahead = going_on(MINUTES, shown + rng.normal(0.0, noise, MINUTES.size), (5400.0,), 3600.0)
        inside += abs(ahead.values[-1] - way(ahead.times_s[-1:])[0]) <= 1.96 * ahead.u[-1]
        u.append(float(ahead.u[-1]))
    assert inside >= 0.93 * 300
    assert np.median(u) <= 4.0 * (swing + noise)


def test_scatter_that_changes_sides_each_time_is_least_squares_own() -> None:
    """statsmodels: the standard error of what a straight fit predicts, where no reading follows the one before it; half
    as many changes of sides are half as many readings."""
    import statsmodels.api as sm

    for every, alike in ((1, 1.0), (2, 2.0)):
        noise = 0.1 * (-1.0) ** (np.arange(41) // every) * (1.0 + 0.1 * np.sin(np.arange(41)))
        shown = 37.5 + 1e-4 * MINUTES + noise
        ahead = going_on(MINUTES, shown, (5400.0,), 3600.0)

        def design(since: np.ndarray) -> np.ndarray:
            return np.column_stack([np.ones(since.size), 5400.0 * (1.0 - np.exp(-since / 5400.0))])

        fitted = sm.OLS(shown, design(MINUTES - MINUTES[-1])).fit()
        there = fitted.get_prediction(design(ahead.times_s - MINUTES[-1]))
        np.testing.assert_allclose(ahead.values, there.predicted_mean, rtol=1e-9)
        np.testing.assert_allclose(ahead.u, there.se_mean * np.sqrt(alike), rtol=0.03)


def test_what_cannot_be_carried_on_is_refused() -> None:
    few = np.arange(float(LEAST - 1))
    for asked in ((few, few, RESPONSES, 3600.0), (MINUTES, MINUTES, (), 3600.0), (MINUTES, MINUTES, RESPONSES, 0.0)):
        with pytest.raises(ValueError, match="needed"):
            going_on(*asked)
