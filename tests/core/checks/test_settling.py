"""Readings as they come: a slow sensor is waited for, a steady one is not."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.stats import linregress

from stathmis.core.checks.settling import settling


@given(tau=st.floats(60, 900), step=st.floats(1, 15), way=st.sampled_from([-1, 1]), since=st.floats(0, 8))
def test_what_it_calls_settled_is_near_the_end(tau: float, step: float, way: int, since: float) -> None:
    """A first-order sensor on its way: whenever it is called settled, it has less than about the limit to go."""
    times = np.linspace(since * tau, (since + 1.5) * tau, 6)
    values = 37.5 - way * step * np.exp(-times / tau)
    found = settling(times, values, tau, 0.05)
    truly_left = step * np.exp(-times[-1] / tau)
    if found.settled:
        assert truly_left < 0.06
    else:
        assert truly_left > 0.03
        # after the wait it names, it is there within a fifth of a response time
        assert step * np.exp(-(times[-1] + found.wait_s + 0.2 * tau) / tau) < 0.05


def test_noise_alone_counts_as_steady() -> None:
    rng = np.random.default_rng(0)
    found = settling(np.arange(12) * 30.0, 37.5 + rng.normal(0, 0.02, 12), 120.0, 0.05)
    assert found.settled
    assert found.mean == pytest.approx(37.5, abs=0.03)
    assert found.deviation == pytest.approx(0.02, abs=0.012)


def test_the_slope_and_its_uncertainty_are_a_straight_lines() -> None:
    rng = np.random.default_rng(2)
    t = np.arange(20) * 30.0
    v = 37.5 + 1e-3 * t + rng.normal(0, 0.05, t.size)
    found = settling(t, v, 400.0, 0.05)
    line = linregress(t, v)
    assert (found.slope_per_s, found.u_slope_per_s) == pytest.approx((line.slope, line.stderr))
    # a display's step hides what is smaller
    flat = settling(t, np.full(t.size, 37.5), 400.0, 0.05, step=0.1)
    assert flat.u_slope_per_s == pytest.approx(0.1 / np.sqrt(12.0) / np.sqrt(((t - t.mean()) ** 2).sum()))


def test_too_short_to_tell() -> None:
    two = settling([0, 300], [37.5, 37.5], 120.0, 0.05)
    assert not two.settled and two.to_go == np.inf
    quick = settling([0, 10, 20], [37.5, 37.5, 37.5], 120.0, 0.05)
    assert not quick.settled and quick.wait_s == pytest.approx(100.0)
    with pytest.raises(ValueError, match="needs readings"):
        settling([], [], 120.0, 0.05)
    with pytest.raises(ValueError, match="above 0"):
        settling([0], [1], 0.0, 0.05)


@pytest.mark.parametrize(
    ("times", "wait"), [([0.0, 60.0], 140.0), ([0.0], 200.0), ([0.0, 0.0, 0.0], 200.0), ([0.0, 250.0], 0.0)]
)
def test_too_few_readings_wait_for_the_response_time(times: list[float], wait: float) -> None:
    found = settling(times, [37.0] * len(times), 200.0, 0.05)
    assert (found.settled, found.wait_s) == (False, wait)


def test_readings_without_their_times_are_refused() -> None:
    for times, values in (([], []), ([0.0, 60.0], [37.0]), ([0.0], [37.0, 37.1])):
        with pytest.raises(ValueError, match="each with its time"):
            settling(times, values, 60.0, 0.05)
