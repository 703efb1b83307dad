"""Several instruments in one place over time: what they say together, and where one of them disagrees.

As in consensus, nothing is outvoted: each weighs by its uncertainty, and who disagrees is named.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import ArrayLike, NDArray

from stathmis.core.consensus import combine

Array = NDArray[np.float64]

_AT_ONCE = 262_144
BLOCK_S = 1800.0
"""Disagreement is judged on medians over this long: a thermostat's cycle and a lid opening are seen at different speed
by different sensors. Source: common practice (sensors settle in 5-15 min)."""
LASTING_S = 2 * 3600.0
"""A disagreement shorter than this is passed over. Source: common practice."""


class Disagreement(NamedTuple):
    """A stretch (s) in which one instrument (its row) differs from the others beyond their uncertainties.

    difference: how much more it reads than the others, median, in the values' unit; U: of that difference, 95 %.
    """

    row: int
    start_s: float
    end_s: float
    difference: float
    U: float


def at_times(times_s: ArrayLike, own_times_s: ArrayLike, values: ArrayLike, max_gap_s: float) -> Array:
    """Readings of one instrument at the times of another: straight between neighbors no further apart than a gap.

    times_s: shape (n,), s; own_times_s, values: shape (m,), s and any unit, times rising; max_gap_s: s; a lone reading
    counts a quarter of that to either side. Returns shape (n,), nan where nothing is known. Raises ValueError for
    shapes that differ. Source: linear interpolation.

    >>> at_times([0.0, 50.0, 500.0], [0.0, 100.0, 1000.0], [1.0, 2.0, 3.0], 200.0).tolist()
    [1.0, 1.5, nan]
    """
    at = np.asarray(times_s, dtype=np.float64)
    t, v = np.asarray(own_times_s, dtype=np.float64), np.asarray(values, dtype=np.float64)
    if t.shape != v.shape or t.ndim != 1:
        raise ValueError("one value is needed for each time")
    if not t.size:
        return np.full(at.shape, np.nan)
    after = np.clip(np.searchsorted(t, at, "left"), 0, t.size - 1)
    before = np.clip(np.searchsorted(t, at, "right") - 1, 0, t.size - 1)
    found = np.interp(at, t, v)
    between = (t[after] - t[before] <= max_gap_s) & (t[before] <= at) & (at <= t[after])
    near = np.minimum(np.abs(t[after] - at), np.abs(at - t[before])) <= 0.25 * max_gap_s
    return np.where(between | near, found, np.nan)


def together(values: Array, u: Array, groups: Sequence[int] = (), u_group: Sequence[float] = ()) -> tuple[Array, Array]:
    """What several instruments say together at each time.

    values, u: shape (k, n), one row an instrument, one unit, standard uncertainties above 0; nan where a row knows
    nothing; groups, u_group: as for consensus.combine, a row each. Returns value and standard uncertainty, shape (n,),
    nan where no row knows anything. Raises ValueError for shapes that differ.
    Source: weighted mean, JCGM 100; widening after R. Birge, Phys. Rev. 40 (1932) 207.

    >>> v, s = together(np.array([[37.5], [37.7]]), np.array([[0.1], [0.1]]))
    >>> float(v[0].round(3)), float(s[0].round(3))
    (37.6, 0.1)
    """
    if values.shape != u.shape or values.ndim != 2:
        raise ValueError("one uncertainty is needed for each value")
    mean, wide = np.full(values.shape[1], np.nan), np.full(values.shape[1], np.nan)
    for begin in range(0, values.shape[1], _AT_ONCE):
        part = slice(begin, begin + _AT_ONCE)
        x = values[:, part]
        known = np.isfinite(x)
        weight = np.where(known, 1.0 / u[:, part] ** 2, 0.0)
        total = weight.sum(axis=0)
        x = np.where(known, x, 0.0)
        with np.errstate(divide="ignore", invalid="ignore"):
            middle = (weight * x).sum(axis=0) / total
            rows_known = known.sum(axis=0)
            spread = np.where(known, weight * (x - middle) ** 2, 0.0).sum(axis=0) / np.maximum(rows_known - 1, 1)
            square = np.where((rows_known > 1) & (spread > 1.0), spread, 1.0) / total
            share = weight / total
        for number, shared in enumerate(u_group):
            rows = [i for i, g in enumerate(groups) if g == number]
            own = share[rows]
            # what the rows have in common adds up instead of averaging
            square = square + shared**2 * (own.sum(axis=0) ** 2 - (own**2).sum(axis=0))
        mean[part], wide[part] = middle, np.sqrt(square)
    return mean, wide


def disagreements(times_s: Array, values: Array, u: Array) -> tuple[Disagreement, ...]:
    """Lasting stretches in which an instrument differs from the others beyond their uncertainties, |E_n| above 1.

    times_s: shape (n,), s, rising; values, u: as for together. Of two that differ the less sure one is named, both
    where they are equally sure. Returns them in order of row and time. Raises ValueError for shapes that differ.
    Source: normalized error, ISO/IEC 17043.

    >>> t = np.arange(0.0, 40_000.0, 60.0)
    >>> x = np.vstack([np.full(t.size, 37.5), np.where(t > 20_000.0, 38.5, 37.5)])
    >>> found = disagreements(t, x, np.array([[0.05] * t.size, [0.2] * t.size]))
    >>> [(d.row, round(d.difference, 1)) for d in found]
    [(1, 1.0)]
    """
    if values.shape != u.shape or values.shape[1] != times_s.size:
        raise ValueError("one value and uncertainty is needed for each time")
    if values.shape[0] < 2 or not times_s.size:
        return ()
    edges = np.arange(times_s[0], times_s[-1] + BLOCK_S, BLOCK_S)
    starts = np.searchsorted(times_s, edges)
    rows: list[list[Disagreement]] = [[] for _ in range(values.shape[0])]
    for begin, end, from_s in zip(starts, np.append(starts[1:], times_s.size), edges, strict=True):
        if end <= begin:
            continue
        x, s = values[:, begin:end], u[:, begin:end]
        known = np.isfinite(x).sum(axis=1) * 2 > end - begin
        who = np.flatnonzero(known)
        if who.size < 2:
            continue
        middle, wide = np.nanmedian(x[who], axis=1), np.nanmedian(s[who], axis=1)
        for i in combine(middle, wide).suspects:
            rest = np.arange(who.size) != i
            weight = 1.0 / wide[rest] ** 2
            other = float((weight * middle[rest]).sum() / weight.sum())
            U = 2.0 * float(np.sqrt(wide[i] ** 2 + 1.0 / weight.sum()))
            rows[who[i]].append(Disagreement(int(who[i]), from_s, from_s + BLOCK_S, float(middle[i] - other), U))
    return tuple(found for row in rows for found in _joined(row))


def _joined(blocks: list[Disagreement]) -> list[Disagreement]:
    """Neighboring blocks in one stretch; a block or two between them may be in doubt."""
    found: list[list[Disagreement]] = []
    for block in blocks:
        if found and block.start_s - found[-1][-1].end_s <= 2 * BLOCK_S:
            found[-1].append(block)
        else:
            found.append([block])
    return [
        Disagreement(
            group[0].row,
            group[0].start_s,
            group[-1].end_s,
            float(np.median([b.difference for b in group])),
            float(np.median([b.U for b in group])),
        )
        for group in found
        if group[-1].end_s - group[0].start_s >= LASTING_S
    ]
