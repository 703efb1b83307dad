"""Several instruments side by side: do they agree, and what do they say together.

Not a vote: the combined value leans on the smallest uncertainty, and an instrument that disagrees is named.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import ArrayLike

from stathmis.core.uncertainty import NORMAL_95


def normalized_error(x1: ArrayLike, U1: ArrayLike, x2: ArrayLike, U2: ArrayLike) -> Any:
    """E_n = (x1 - x2)/√(U1² + U2²), a pure number; |E_n| up to 1 agrees.

    x1, x2: values; U1, U2: their expanded uncertainties (k = 2), one unit. Raises ValueError where both U are 0.
    Source: ISO/IEC 17043:2023, annex B.

    >>> normalized_error(37.9, 0.3, 37.4, 0.4)
    1.0
    """
    scale = np.hypot(U1, U2)
    if np.any(scale == 0):
        raise ValueError("normalized error needs an uncertainty above 0")
    result = np.round(np.subtract(x1, x2) / scale, 12)
    return float(result) if np.shape(result) == () else result


_TRIED = 10
"""So many of the surest instruments are tried in every grouping."""


class Consensus(NamedTuple):
    """Combined value and standard uncertainty (the values' unit), chi-square, and the places of the suspects."""

    value: float
    u: float
    chi_square: float
    suspects: tuple[int, ...]


def combine(
    values: ArrayLike,
    standard_uncertainties: ArrayLike,
    groups: Sequence[int] = (),
    u_group: Sequence[float] = (),
) -> Consensus:
    """Combine what independent instruments say about one quantity.

    values, standard_uncertainties: shape (n,), one unit, uncertainties above 0. Trusted is the weightiest group (by
    1/u²) whose members all agree with each other (|E_n| up to 1); the others are suspects: a sure one is not outvoted.
    groups: for each value the number of the reference its instrument was checked against, -1 for none; u_group: the
    standard uncertainty each reference left in all its instruments alike, part of theirs: it does not average out.
    Where the values scatter more than their uncertainties allow, u is widened by √(chi-square/(n - 1)).
    Raises ValueError for no values or an uncertainty not above 0.
    Source: weighted mean, JCGM 100; widening after R. Birge, Phys. Rev. 40 (1932) 207.

    >>> c = combine([37.5, 37.6, 38.9], [0.05, 0.1, 0.1])
    >>> c.suspects
    (2,)
    """
    x = np.asarray(values, dtype=np.float64)
    u = np.asarray(standard_uncertainties, dtype=np.float64)
    if x.size == 0 or x.shape != u.shape:
        raise ValueError("combining needs one value or more, each with its uncertainty")
    if not (u > 0).all():
        raise ValueError("an uncertainty above 0 is needed for each value")
    weight = 1.0 / u**2
    mean = float((weight * x).sum() / weight.sum())
    u_mean = float(1.0 / np.sqrt(weight.sum()))
    chi_square = float((weight * (x - mean) ** 2).sum())
    if x.size > 1 and chi_square > x.size - 1:
        u_mean *= float(np.sqrt(chi_square / (x.size - 1)))
    if groups:
        share = weight / weight.sum()
        for number, shared in enumerate(u_group):
            part = share[[g == number for g in groups]]
            # what the members have in common adds up instead of averaging
            u_mean = float(np.sqrt(u_mean**2 + shared**2 * (part.sum() ** 2 - (part**2).sum())))
    return Consensus(mean, u_mean, chi_square, _suspects(x, u))


def _suspects(x: Any, u: Any) -> tuple[int, ...]:
    """Those outside the weightiest group whose members all agree; where two groups weigh alike, all that differ."""
    weight = 1.0 / u**2
    everyone = np.ones((1, x.size), dtype=bool)
    if _agree(x, weight, everyone)[0]:
        return ()
    groups = _groups(u)
    total = np.where(_agree(x, weight, groups), groups @ weight, 0.0)
    kept = groups[total >= total.max() * (1.0 - 1e-9)]
    return tuple(np.flatnonzero(~kept.all(axis=0)).tolist())


def _groups(u: Any) -> Any:
    """Every group of the surest few, a row of true and false each; the less sure ones join only all together."""
    order = np.argsort(u, kind="stable")
    few = min(u.size, _TRIED)
    chosen = np.arange(1, 2**few)[:, None] >> np.arange(few) & 1 > 0
    groups = np.zeros((u.size - few + 1, len(chosen), u.size), dtype=bool)
    groups[:, :, order[:few]] = chosen
    for more in range(1, len(groups)):
        groups[more][:, order[few : few + more]] = True
    return groups.reshape(-1, u.size)


def _agree(x: Any, weight: Any, groups: Any) -> Any:
    """For each group whether each of its members agrees with the others of it together, |E_n| up to 1."""
    total, middle = groups @ weight, groups @ (weight * x)
    with np.errstate(divide="ignore", invalid="ignore"):
        rest = total[:, None] - weight
        others = (middle[:, None] - weight * x) / rest
        # who is alone differs from nobody
        near = np.abs(x - others) <= NORMAL_95 * np.sqrt(1.0 / weight + 1.0 / rest)
    alone = groups.sum(axis=1) < 2
    return alone | (near | ~groups).all(axis=1)
