"""Several instruments side by side: do they agree, and what do they say together.

Not a vote: the combined value leans on the smallest uncertainty, and an instrument that disagrees is named.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import combinations
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
    best, kept = 0.0, [frozenset[int]()]
    for group in _groups(x.size, u):
        total = float(weight[list(group)].sum())
        if total < best * (1.0 - 1e-9) or not _agree(x[list(group)], u[list(group)]):
            continue
        if total > best * (1.0 + 1e-9):
            best, kept = total, []
        kept.append(frozenset(group))
    trusted = frozenset.intersection(*kept)
    return tuple(i for i in range(x.size) if i not in trusted)


def _groups(count: int, u: Any) -> Iterator[tuple[int, ...]]:
    """Every group of the surest few; beyond that the less sure ones join only all together with the others."""
    order = [int(i) for i in np.argsort(u, kind="stable")]
    tried, rest = order[:_TRIED], order[_TRIED:]
    for size in range(1, len(tried) + 1):
        for group in combinations(tried, size):
            yield group
            for more in range(len(rest)):
                yield (*group, *rest[: more + 1])


def _agree(x: Any, u: Any) -> bool:
    """Whether each agrees with the others together, |E_n| up to 1."""
    if x.size < 2:
        return True
    weight = 1.0 / u**2
    rest = weight.sum() - weight
    others = ((weight * x).sum() - weight * x) / rest
    return bool((np.abs(x - others) <= NORMAL_95 * np.sqrt(u**2 + 1.0 / rest)).all())
