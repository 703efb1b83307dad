"""A step's time constant from a log, with an uncertainty that holds; and the state it comes to."""

from __future__ import annotations

import numpy as np
import pytest

from stathmis.core.checks.steady import BY_HAND_FROM_S, U_BY_HAND, steady_part, time_constant


@pytest.mark.parametrize("tau", [300.0, 1200.0])
def test_a_time_constant_holds_the_truth_and_is_no_wider_than_it_must_be(tau: float) -> None:
    rng = np.random.default_rng(4)
    t = np.arange(0.0, 6 * tau, 20.0)
    found = [time_constant(t, 50.0 - 10.0 * np.exp(-t / tau) + rng.normal(0, 1.5, t.size)) for _ in range(200)]
    off = np.array([np.log(value / tau) for value, _ in found])
    u = np.array([u for _, u in found])
    assert np.mean(np.abs(off) <= 2.0 * u) >= 0.95
    # not wider than a least square of 1 + 4/30 asks for; one seen without noise is known to 15 %, the least there is
    assert 0.18 < np.median(u) < 0.30
    assert time_constant(t, 50.0 - 10.0 * np.exp(-t / tau))[1] == pytest.approx(0.15)


def test_no_step_has_no_time_constant() -> None:
    t = np.arange(0.0, 7200.0, 60.0)
    assert np.isnan(time_constant(t, np.random.default_rng(1).normal(50.0, 1.0, t.size))).all()
    assert np.isnan(time_constant(t[:9], np.linspace(40.0, 50.0, 9))).all()
    with pytest.raises(ValueError, match="one value"):
        time_constant(t, t[:-1])


def test_the_state_begins_when_the_step_is_over_and_ends_before_the_trough_runs_dry() -> None:
    t = np.arange(0.0, 12 * 3600.0, 60.0)
    humid = 60.0 - 20.0 * np.exp(-t / 2400.0) - 5.0 * np.clip((t - 8 * 3600.0) / 3600.0, 0.0, None)
    found = steady_part(t, humid)
    assert found is not None
    assert found.start_s == pytest.approx(3.0 * 2400.0, rel=0.1) and found.stop_s < 8 * 3600.0
    assert found.mean == pytest.approx(60.0, abs=0.6) and found.tau_s == pytest.approx(2400.0, rel=0.15)
    # drifting throughout: no state
    assert steady_part(t, 40.0 + t / 1800.0) is None


def test_readings_by_hand_count_from_two_hours_to_a_day_after() -> None:
    t = np.array([600.0, BY_HAND_FROM_S, 5 * 3600.0, 23 * 3600.0, 30 * 3600.0])
    found = steady_part(t, np.array([20.0, 50.0, 51.0, 49.0, 90.0]), by_hand=True)
    assert found is not None and found.mean == pytest.approx(50.0)
    assert (found.start_s, found.stop_s) == (BY_HAND_FROM_S, 23 * 3600.0)
    assert found.u == pytest.approx(U_BY_HAND / np.sqrt(3))
    assert steady_part(t[:1], np.array([50.0]), by_hand=True) is None
    # six readings are no more than four by themselves; where they scatter more than usual, by that
    six = np.linspace(BY_HAND_FROM_S, 20 * 3600.0, 6)
    for values, own in ((np.full(6, 50.0), U_BY_HAND), (50.0 + 4.0 * np.array([1.0, -1.0] * 3), 4.0)):
        many = steady_part(six, values, by_hand=True)
        assert many is not None and many.u == pytest.approx(own / 2.0)


def test_a_state_is_known_as_well_as_its_scatter_and_drift_let_it() -> None:
    t = np.arange(0.0, 4 * 3600.0, 60.0)
    noisy = steady_part(t, 50.0 + np.random.default_rng(3).normal(0.0, 1.2, t.size))
    # readings of a log follow each other: twelve of them count
    assert noisy is not None and noisy.u == pytest.approx(1.2 / np.sqrt(12.0), rel=0.15)
    drifting = steady_part(t, 50.0 + t / 7200.0)
    assert drifting is not None
    spread = 1.25 / np.sqrt(12.0)
    assert drifting.u == pytest.approx(np.hypot(spread, spread / np.sqrt(12.0)), rel=0.02)
