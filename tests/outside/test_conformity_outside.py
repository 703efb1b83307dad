"""Decisions against a probability computed another way (JCGM 106)."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.stats import norm

from stathmis.core.conformity import decide, decision_limits


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
    assert decide(np.nan, 0.1, 37.2, 37.8) == "undecided"
    assert decide([37.5, 40.0], [0.05, 0.05], 37.2, 37.8).tolist() == ["inside", "outside"]
    with pytest.raises(ValueError, match="low to high"):
        decide(1.0, 0.1, 2.0, 1.0)
