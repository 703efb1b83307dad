"""Decisions against a probability computed another way (JCGM 106)."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.stats import norm

from making import cases
from stathmis.core.conformity import chances, decide, decision_limits, probability_inside


@given(
    value=st.floats(36.0, 39.0),
    u=st.floats(0.01, 2.0),
    low=st.floats(36.5, 37.5),
    width=st.floats(0.05, 2.0),
)
def test_decision_follows_the_probability(value: float, u: float, low: float, width: float) -> None:
    high = low + width
    probability = norm.cdf(high, value, u) - norm.cdf(low, value, u)
    if min(abs(probability - 0.95), abs(probability - 0.05)) < 1e-3:
        return  # on the edge itself either word is right
    expected = "inside" if probability > 0.95 else "outside" if probability < 0.05 else "undecided"
    assert decide(value, u, low, high) == decide([value], u, low, high)[0] == expected


def test_one_sided_limits() -> None:
    # JCGM 106, one-sided tolerance: the guard band is 1.645 u at 95 %
    limits = decision_limits(0.2, -np.inf, 40.0)
    assert float(limits.inside_high) == pytest.approx(40.0 - 1.6449 * 0.2, abs=1e-4)
    assert float(limits.outside_high) == pytest.approx(40.0 + 1.6449 * 0.2, abs=1e-4)


def test_edges() -> None:
    assert decide(37.2, 0.0, 37.2, 37.8) == "inside"
    assert decide(37.1, 0.0, 37.2, 37.8) == "outside"
    assert decide([37.2, 37.8, 37.19, 37.81], 0.0, 37.2, 37.8).tolist() == ["inside", "inside", "outside", "outside"]
    assert decide(np.nan, 0.1, 37.2, 37.8) == "undecided"
    assert decide([37.5, 40.0], [0.05, 0.05], 37.2, 37.8).tolist() == ["inside", "outside"]
    with pytest.raises(ValueError, match="low to high"):
        decide(1.0, 0.1, 2.0, 1.0)


@pytest.mark.parametrize("many", [False, True])
@pytest.mark.parametrize(
    ("value", "u", "low", "high", "confidence"),
    [(1.0, 0.1, 2.0, 1.0, 0.95), (1.0, -0.1, 0.0, 2.0, 0.95), (1.0, 0.1, 0.0, 2.0, 0.5), (1.0, 0.1, 0.0, 2.0, 1.0)],
)
def test_what_cannot_be_decided_is_refused(
    value: float, u: float, low: float, high: float, confidence: float, many: bool
) -> None:
    with pytest.raises(ValueError, match=r"low to high|between 0\.5 and 1"):
        decide([value] if many else value, u, low, high, confidence)


@cases(40)
@given(value=st.floats(36.0, 39.0), u=st.floats(0.01, 2.0), confidence=st.floats(0.6, 0.99))
def test_any_confidence_is_kept_and_chances_are_a_normals(value: float, u: float, confidence: float) -> None:
    below, inside, above = chances(value, u, 37.2, 37.8)
    expected = norm.cdf(37.2, value, u), norm.cdf(37.8, value, u) - norm.cdf(37.2, value, u), norm.sf(37.8, value, u)
    assert (below, inside, above) == pytest.approx(expected, abs=1e-12)
    assert probability_inside(value, u, 37.2, 37.8) == pytest.approx(inside, abs=1e-12)
    if min(abs(inside - confidence), abs(inside - 1.0 + confidence)) > 1e-3:
        word = "inside" if inside > confidence else "outside" if inside < 1.0 - confidence else "undecided"
        assert decide(value, u, 37.2, 37.8, confidence) == decide([value], u, 37.2, 37.8, confidence)[0] == word


@given(u=st.floats(0.01, 1.0), width=st.floats(0.5, 20.0))
def test_limits_are_where_the_probability_is_the_confidence(u: float, width: float) -> None:
    """For bands of half to twenty standard uncertainties: on the limit itself P(inside) is 95 or 5 %."""
    low, high = 37.0, 37.0 + width * u
    limits = decision_limits(u, low, high)
    for at, share in (
        (limits.outside_low, 0.05),
        (limits.outside_high, 0.05),
        (limits.inside_low, 0.95),
        (limits.inside_high, 0.95),
    ):
        if np.isfinite(at):
            assert norm.cdf(high, at, u) - norm.cdf(low, at, u) == pytest.approx(share, abs=2e-5)
    # where even its middle is not sure, nothing is inside
    sure = norm.cdf(width / 2.0) - norm.cdf(-width / 2.0) >= 0.95
    assert bool(limits.inside_low <= limits.inside_high) == sure or abs(width - 3.92) < 0.01


def test_no_uncertainty_is_no_chance() -> None:
    with pytest.raises(ValueError, match="above 0"):
        chances(37.5, 0.0, 37.2, 37.8)
