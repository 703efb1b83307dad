"""Two logs side by side: the lag between them is found, and blocks pair what belongs together."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.signal import lfilter

from stathmis.core.checks.pairing import lag_between, pair_blocks


def two_logs(tau_s: float, seed: int = 0) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """A day at one a minute: a wandering air, and the same through a sensor that lags by tau."""
    rng = np.random.default_rng(seed)
    t = np.arange(0.0, 86400.0, 60.0)
    air = 37.5 + 0.3 * np.sin(2 * np.pi * t / 1500.0) + np.cumsum(rng.normal(0, 0.01, t.size))
    share = 1 - np.exp(-60.0 / tau_s)
    slow, _ = lfilter([share], [1, share - 1], air, zi=[air[0] * (1 - share)])
    return t, air, np.asarray(slow)


@pytest.mark.parametrize("tau", [90.0, 200.0, 400.0])
def test_a_lagging_sensor_is_found_out(tau: float) -> None:
    t, air, slow = two_logs(tau)
    # at this swing a first-order sensor runs late by atan(w tau)/w
    omega = 2 * np.pi / 1500.0
    late = np.arctan(omega * tau) / omega
    assert lag_between(t, slow, t, air, 1200.0) == pytest.approx(late, abs=45.0)
    assert lag_between(t, air, t, slow, 1200.0) == pytest.approx(-late, abs=45.0)


@pytest.mark.parametrize("lag", [-97.0, 3.0, 97.0])
def test_a_lag_between_two_steps_is_told_to_a_second(lag: float) -> None:
    t = np.arange(0.0, 7200.0, 30.0)
    assert lag_between(t, np.sin((t - lag) / 300.0), t, np.sin(t / 300.0), 600.0) == pytest.approx(lag, abs=1.0)


def test_no_lag_is_read_into_noise() -> None:
    rng = np.random.default_rng(3)
    t = np.arange(0.0, 36000.0, 60.0)
    assert lag_between(t, rng.normal(0, 1, t.size), t, rng.normal(0, 1, t.size), 600.0) == 0.0
    assert lag_between(t, np.full(t.size, 37.0), t, np.full(t.size, 37.5), 600.0) == 0.0
    with pytest.raises(ValueError, match="too short a time"):
        lag_between(t[:5], t[:5], t[:5], t[:5], 600.0)


def test_blocks_carry_the_difference_and_its_scatter() -> None:
    rng = np.random.default_rng(1)
    t, air, _ = two_logs(60.0)
    shown = air - 0.42 + rng.normal(0, 0.05, t.size)
    pairs = pair_blocks(t, shown, t, air, 3600.0, 0.0, 300.0)
    assert pairs.times_s.tolist() == [1800.0 + 3600.0 * i for i in range(23)], "the middle of each block"
    assert (pairs.reference - pairs.reading).mean() == pytest.approx(0.42, abs=0.01)
    # sixty readings a block: 0.05/√60
    assert pairs.scatter == pytest.approx(0.05 / np.sqrt(60), rel=0.5)


def test_a_slope_between_the_two_is_no_scatter() -> None:
    t = np.arange(0.0, 24 * 3600.0, 60.0)
    air = 37.0 + t / 86_400.0
    pairs = pair_blocks(t, 37.0 + 1.2 * (air - 37.0), t, air, 3600.0, 0.0, 300.0)
    assert pairs.scatter == pytest.approx(0.0, abs=1e-9) and pairs.degrees_of_freedom == pairs.reading.size - 2
    two = pair_blocks(t[:130], 1.2 * air[:130], t[:130], air[:130], 3600.0, 0.0, 300.0)
    assert two.reading.size == 2 and two.degrees_of_freedom == 1
    assert two.scatter == pytest.approx(np.ptp(two.reference - two.reading) / np.sqrt(2))


def test_a_hole_spoils_its_block_only() -> None:
    t, air, _ = two_logs(60.0)
    whole = (t < 20_000) | (t > 24_000)
    pairs = pair_blocks(t[whole], air[whole], t, air, 3600.0, 0.0, 300.0)
    assert pairs.reading.size == 21
    with pytest.raises(ValueError, match="too few"):
        pair_blocks(t[:70], air[:70], t, air, 3600.0, 0.0, 300.0)
