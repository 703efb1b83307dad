"""When a female lays again, and how wet a substrate is made: by hand."""

from __future__ import annotations

from math import sqrt

import pytest

from stathmis.core.course.clutch import first_clutch, next_clutch, water_for


@pytest.mark.parametrize(
    ("laid", "mean", "intervals"),
    [
        ([0.0, 18.0, 35.0], 17.5, 2),
        ([100.0, 117.0], 17.0, 1),
        ([0.0, 17.0, 200.0, 219.0], 18.0, 2),
        ([0.0, 8.0, 68.0], 34.0, 2),
    ],
)
def test_by_her_own_rhythm(laid: list[float], mean: float, intervals: int) -> None:
    """The mean of her intervals of a season (8 to 60 days), give or take what one is off (3 days) and their mean."""
    off = 1.25 * 3.0 * sqrt(1.0 + 1.0 / intervals)
    assert next_clutch(laid) == pytest.approx((laid[-1] + mean - off, laid[-1] + mean + off))


def test_without_a_rhythm_by_the_usual() -> None:
    # geckos lay again after 16 to 22 days (common practice); a year between is no interval, nor is a week
    for laid in ([5.0], [0.0, 300.0], [0.0, 7.9], [0.0, 60.1]):
        assert next_clutch(laid) == (laid[-1] + 16.0, laid[-1] + 22.0)
    with pytest.raises(ValueError, match="not laid"):
        next_clutch([])


def test_after_pairing_by_her_own_days_or_the_usual() -> None:
    assert first_clutch(10.0, (21.0, 35.0)) == (31.0, 45.0)
    off = 1.12 * 2.0 * 3.0 * sqrt(1.5)
    assert first_clutch(10.0, (21.0, 35.0), [30.0, 34.0]) == pytest.approx((42.0 - off, 42.0 + off))


def test_water_by_weight() -> None:
    # common practice: perlite and vermiculite 0.8 to 1 by weight, sand and peat 0.1 to 0.2
    assert water_for("perlite", 200.0) == water_for("vermiculite", 200.0) == (160.0, 200.0)
    assert water_for("sand and peat", 0.5) == (0.05, 0.1)
    with pytest.raises(ValueError, match="mass"):
        water_for("perlite", 0.0)
    with pytest.raises(KeyError):
        water_for("moss", 10.0)
