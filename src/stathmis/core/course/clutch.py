"""Clutches: water for their substrate, eggs laid again, and how warm makes which sex."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise
from math import sqrt

SUBSTRATES = {"perlite": (0.8, 1.0), "vermiculite": (0.8, 1.0), "sand and peat": (0.1, 0.2)}
"""Water for a dry substrate, g for each g, from and to. Source: common practice, approximate."""
HOT_C = 33.0
"""Leopard geckos held above this give females that are often barren and fierce, and poorer eggs. Source: common
practice."""
NEXT_CLUTCH_DAYS = (16.0, 22.0)
"""Geckos lay again after so long. Source: common practice."""
LAYING_U_DAYS = 3.0
"""One interval of a female differs from the next by about this, standard deviation. Source: common practice."""
LAID_WITHIN_DAYS = (8.0, 60.0)
"""What lies between two clutches of one season."""


def water_for(substrate: str, dry_g: float) -> tuple[float, float]:
    """Water to mix into a dry substrate, g, from and to; dry_g: its mass, above 0.

    Raises KeyError for one that is not in SUBSTRATES, ValueError for no mass. Source: SUBSTRATES.

    >>> water_for("perlite", 250.0)
    (200.0, 250.0)
    """
    if not dry_g > 0:
        raise ValueError("a substrate has a mass")
    low, high = SUBSTRATES[substrate]
    return low * dry_g, high * dry_g


def first_clutch(paired_day: float, usual: tuple[float, float], own_days: Sequence[float] = ()) -> tuple[float, float]:
    """When a female lays after she was paired, days from and to, on the scale of paired_day.

    usual: days from pairing to laying, from and to; own_days: of this female, after earlier pairings: then by their
    mean, with what one may be off. Source: common practice; LAYING_U_DAYS, common statistics.

    >>> first_clutch(0.0, (21.0, 35.0)), [round(d) for d in first_clutch(0.0, (21.0, 35.0), [30.0, 32.0])]
    ((21.0, 35.0), [23, 39])
    """
    if not own_days:
        return paired_day + usual[0], paired_day + usual[1]
    mean = sum(own_days) / len(own_days)
    # a pairing that took is not told from the one before it: twice as unsure as from clutch to clutch
    u = 2.0 * LAYING_U_DAYS * sqrt(1.0 + 1.0 / len(own_days))
    return paired_day + mean - 1.12 * u, paired_day + mean + 1.12 * u


def next_clutch(laid_days: Sequence[float]) -> tuple[float, float]:
    """When a female lays next, days from and to; laid_days: when she laid before, rising, one scale.

    By her own rhythm where she has one: the mean of her intervals of a season, with what one may be off. Raises
    ValueError without a day. Source: NEXT_CLUTCH_DAYS, LAYING_U_DAYS; common statistics.

    >>> next_clutch([0.0]), [round(d) for d in next_clutch([0.0, 18.0, 35.0])]
    ((16.0, 22.0), [48, 57])
    """
    if not laid_days:
        raise ValueError("she has not laid yet")
    low, high = LAID_WITHIN_DAYS
    own = [b - a for a, b in pairwise(laid_days) if low <= b - a <= high]
    last = laid_days[-1]
    if not own:
        return last + NEXT_CLUTCH_DAYS[0], last + NEXT_CLUTCH_DAYS[1]
    mean, u = sum(own) / len(own), LAYING_U_DAYS * sqrt(1.0 + 1.0 / len(own))
    return last + mean - 1.25 * u, last + mean + 1.25 * u
