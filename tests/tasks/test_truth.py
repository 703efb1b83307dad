"""Short forms of bench/truth.py: what is stated, held against a world that is not as the model assumes."""

from __future__ import annotations

import pytest
from truth import LOSS_VARIANTS, cut_inside, false_alarms, loss_inside, needless_steps, told_after


@pytest.mark.parametrize("variant", ["as it is assumed", "still air", "2,400 m", "humidity changed"])
def test_the_loss_forecast_holds_the_loss(variant: str) -> None:
    """Inside its U in nearly all batches; were it 80 %, this would fail in more than half of all draws."""
    inside, U = loss_inside(variant, 14, seed=5, **LOSS_VARIANTS[variant])  # type: ignore[arg-type]
    assert inside >= 12.5 / 14 and U < 0.8


def test_no_step_is_asked_for_where_the_mean_is_right() -> None:
    """A thermostat of ± 0.6 K, whose single readings are outside more often than not."""
    assert needless_steps(0.6, 15, seed=2) == 0.0


def test_a_cut_of_unknown_length_is_worked_back() -> None:
    """Beginning and lowest egg inside what is stated, for boxes of other equations: 95 % of 200 in the bench."""
    begun, lowest, hours, kelvin = cut_inside(40, seed=2)
    assert min(begun, lowest) >= 36 / 40 and hours < 3.0 and kelvin < 3.0


@pytest.mark.heavy("days of a log, with the alarms looked at every three minutes")
@pytest.mark.parametrize(("what", "days", "most"), [("21 lids", 2.0, 1), ("7 coolings", 3.0, 0), ("swings", 1.0, 0)])
def test_nobody_is_called_where_nothing_is_wrong(what: str, days: float, most: int) -> None:
    assert false_alarms(what, 3, days, every_s=180.0) <= most


@pytest.mark.parametrize(
    ("what", "minutes"),
    [
        ("power cut", 16.0),
        ("power cut, ducks", 16.0),
        ("runaway", 10.0),
        ("stuck sensor", 125.0),
        ("25 % RH in lockdown", 15.0),
        # it leaves its band after two hours
        ("dry trough", 115.0),
    ],
)
def test_a_fault_is_told_in_time_and_not_before(what: str, minutes: float) -> None:
    assert 0.0 < told_after(what, 4, every_s=120.0) <= minutes
