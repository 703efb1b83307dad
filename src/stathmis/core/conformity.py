"""Inside, outside, or can't tell: a value with an uncertainty against a band (JCGM 106:2012)."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from math import erf, sqrt
from statistics import NormalDist
from typing import Any

import numpy as np
from numpy.typing import ArrayLike, NDArray

Array = NDArray[np.float64]

INSIDE, OUTSIDE, UNDECIDED = "inside", "outside", "undecided"


@dataclass(frozen=True)
class Limits:
    """Where decisions change, in the value's unit: inside between inside_low and inside_high (empty where
    inside_low > inside_high), outside at or beyond outside_low and outside_high, can't tell in between."""

    inside_low: Array
    inside_high: Array
    outside_low: Array
    outside_high: Array


def _probability(distance: float, width: float) -> float:
    """P(inside) at a distance from the middle of a band of this width, both in standard uncertainties."""
    return 0.5 * (erf((width / 2 - distance) / sqrt(2.0)) - erf((-width / 2 - distance) / sqrt(2.0)))


def chances(value: float, standard_uncertainty: float, low: float, high: float) -> tuple[float, float, float]:
    """How likely the true value lies below, inside and above a band, shares of 1.

    value, standard_uncertainty (above 0), low, high: one unit. Raises ValueError for an uncertainty not above 0.
    Source: JCGM 106:2012, 7.2 (normal distribution).

    >>> [round(share, 2) for share in chances(37.8, 0.3, 37.2, 37.8)]
    [0.02, 0.48, 0.5]
    """
    if not standard_uncertainty > 0:
        raise ValueError("an uncertainty is above 0")
    below, above = (0.5 * (1.0 + erf((edge - value) / standard_uncertainty / sqrt(2.0))) for edge in (low, high))
    return below, above - below, 1.0 - above


@lru_cache(maxsize=8)
def _reach(probability: float) -> tuple[Array, Array]:
    """Distance from the middle at which P(inside) falls to probability, tabled against the band's width (in u).

    Stored less half the width, which turns constant for wide bands, so that straight interpolation is exact there.
    """
    widths = np.concatenate([np.linspace(0.0, 4.0, 1601), np.linspace(4.01, 14.0, 1000)])
    reach = np.empty_like(widths)
    for i, width in enumerate(widths):
        low, high = 0.0, width / 2 + 9.0
        if _probability(0.0, width) < probability:
            reach[i] = -np.inf
            continue
        for _ in range(48):
            middle = 0.5 * (low + high)
            if _probability(middle, width) >= probability:
                low = middle
            else:
                high = middle
        reach[i] = low - width / 2
    return widths, reach


def _distance(probability: float, width: Array) -> Array:
    widths, reach = _reach(probability)
    # np.interp between -inf and a number gives -inf or nan: either way "never", made -inf
    found = np.interp(width, widths, reach)
    return np.where(np.isnan(found), -np.inf, found) + width / 2


def decision_limits(
    standard_uncertainty: ArrayLike, low: ArrayLike, high: ArrayLike, confidence: float = 0.95
) -> Limits:
    """Limits for deciding at a confidence whether values lie in a band.

    standard_uncertainty: 0 or more, same unit as low and high; low, high: the band, -inf or inf where open;
    confidence: above 0.5, below 1. All broadcast. Raises ValueError for a negative uncertainty, a band upside down
    or a confidence out of range. Source: JCGM 106:2012, 7.3 and 8.3 (probability of conformity).

    >>> limits = decision_limits(0.1, 37.2, 37.8)
    >>> round(float(limits.inside_low), 3), round(float(limits.outside_low), 3)
    (37.364, 37.036)
    """
    if not 0.5 < confidence < 1.0:
        raise ValueError("confidence is between 0.5 and 1")
    u, lows, highs = np.broadcast_arrays(*(np.asarray(v, dtype=np.float64) for v in (standard_uncertainty, low, high)))
    if (u < 0).any() or (lows > highs).any():
        raise ValueError("an uncertainty is 0 or more, and a band runs from low to high")
    z = NormalDist().inv_cdf(confidence)
    with np.errstate(divide="ignore", invalid="ignore", over="ignore"):
        width = np.where(u > 0, (highs - lows) / u, np.inf)
        wide = ~(width < 14.0)
        clipped = np.where(wide, 14.0, width)
        inner, outer = _distance(confidence, clipped), _distance(1.0 - confidence, clipped)
        middle = 0.5 * (lows + highs)
        inside_low = np.where(wide, lows + z * u, middle - inner * u)
        inside_high = np.where(wide, highs - z * u, middle + inner * u)
        # a band so narrow that even its middle is "outside" has outer = -inf: everything is outside
        outside_low = np.where(wide, lows - z * u, middle - outer * u)
        outside_high = np.where(wide, highs + z * u, middle + outer * u)
    return Limits(inside_low, inside_high, outside_low, outside_high)


def probability_inside(value: float, standard_uncertainty: float, low: float, high: float) -> float:
    """How likely a value lies in a band. One unit; standard_uncertainty above 0. Source: JCGM 106:2012, 7.3.

    >>> round(probability_inside(50.0, 2.0, 45.0, 55.0), 3)
    0.988
    """
    spread = NormalDist(value, standard_uncertainty)
    return spread.cdf(high) - spread.cdf(low)


def decide(
    value: ArrayLike,
    standard_uncertainty: ArrayLike,
    low: ArrayLike,
    high: ArrayLike,
    confidence: float = 0.95,
) -> Any:
    """Whether a value is inside a band, outside it, or the uncertainty cannot tell.

    value, standard_uncertainty, low, high: one unit, broadcast. Returns "inside" where P(inside) is at least the
    confidence, "outside" where it is at most 1 - confidence, else "undecided" (also for nan); an array of such words
    for arrays. Raises ValueError as decision_limits. Source: JCGM 106:2012.

    >>> decide(37.5, 0.1, 37.2, 37.8), decide(38.2, 0.1, 37.2, 37.8), decide(37.7, 0.2, 37.2, 37.8)
    ('inside', 'outside', 'undecided')
    """
    if all(isinstance(v, float | int) for v in (value, standard_uncertainty, low, high)):
        return _decide_one(value, standard_uncertainty, low, high, confidence)  # type: ignore[arg-type]
    limits = decision_limits(standard_uncertainty, low, high, confidence)
    values = np.asarray(value, dtype=np.float64)
    inside = (values >= limits.inside_low) & (values <= limits.inside_high)
    outside = (values <= limits.outside_low) | (values >= limits.outside_high)
    exact = np.asarray(standard_uncertainty) == 0
    outside &= ~(exact & inside)
    words = np.where(inside, INSIDE, np.where(outside, OUTSIDE, UNDECIDED))
    return str(words) if words.shape == () else words


def _decide_one(value: float, u: float, low: float, high: float, confidence: float) -> str:
    """One value by the probability itself: the limits are for arrays, and for drawing."""
    if not 0.5 < confidence < 1.0 or u < 0 or low > high:
        decision_limits(u, low, high, confidence)
    if u == 0:
        inside = float(low <= value <= high) if value == value else 0.5
    else:
        inside = 0.5 * (erf((high - value) / u / sqrt(2.0)) - erf((low - value) / u / sqrt(2.0)))
    return INSIDE if inside >= confidence else OUTSIDE if inside <= 1.0 - confidence else UNDECIDED
