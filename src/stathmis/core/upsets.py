"""What disturbs the air: lid openings and how fast they recover, and the thermostat's own cycling."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import ArrayLike, NDArray

Array = NDArray[np.float64]

SHARP_K = 1.0
WITHIN_S = 360.0
"""A drop of this much within this time is an opened lid or a lost heater. Source: common practice."""
BACK_K = 0.3
"""Recovered: this near to where it was before. Source: common practice."""
GIVE_UP_S = 4 * 3600.0


@dataclass(frozen=True)
class Opening:
    """A sharp drop: when it began, its lowest value and time, when it was back (None: not within four hours)."""

    start_s: float
    before: float
    lowest: float
    lowest_s: float
    back_s: float | None

    @property
    def recovery_s(self) -> float | None:
        """From the lowest value to being back, s."""
        return None if self.back_s is None else self.back_s - self.lowest_s


def openings(times_s: ArrayLike, values: ArrayLike) -> tuple[Opening, ...]:
    """Sharp drops of the air and their recovery.

    times_s: shape (n,), s, rising, readings a few minutes apart or nearer; values: °C, without nan. Returns them in
    order of time. Raises ValueError for shapes that differ. Source: common practice (an open lid drops the air by
    several degrees within minutes; a fault drifts).

    >>> t = np.arange(0.0, 7200.0, 60.0)
    >>> air = 37.5 - 5.0 * np.exp(-np.maximum(t - 1800.0, 0.0) / 500.0) * (t >= 1800.0)
    >>> [(o.start_s, round(o.lowest, 1)) for o in openings(t, air)]
    [(1740.0, 32.5)]
    """
    t, v = np.asarray(times_s, dtype=np.float64), np.asarray(values, dtype=np.float64)
    if t.shape != v.shape or t.ndim != 1:
        raise ValueError("one value is needed for each time")
    if t.size < 3:
        return ()
    earlier = np.searchsorted(t, t - WITHIN_S, "left")
    sharp = np.flatnonzero((v[earlier] - v >= SHARP_K) & (earlier < np.arange(t.size)))
    found: list[Opening] = []
    free_from = -np.inf
    for i in sharp.tolist():
        if t[i] < free_from:
            continue
        # the last reading before it fell
        stretch = v[earlier[i] : i + 1]
        near_top = stretch >= stretch.max() - 0.25 * (stretch.max() - v[i])
        begin = int(earlier[i]) + int(np.flatnonzero(near_top)[-1])
        before = float(v[begin])
        stop = int(np.searchsorted(t, t[begin] + GIVE_UP_S, "right"))
        ahead = v[i:stop]
        back = np.flatnonzero(ahead >= before - BACK_K)
        end = i + int(back[0]) if back.size else stop - 1
        lowest = i + int(np.argmin(v[i : end + 1]))
        found.append(
            Opening(float(t[begin]), before, float(v[lowest]), float(t[lowest]), float(t[end]) if back.size else None)
        )
        free_from = float(t[end])
    return tuple(found)


@dataclass(frozen=True)
class Cycling:
    """The thermostat's cycle: period in s, swing as half of peak to peak (the values' unit), cycles it rests on."""

    period_s: float
    swing: float
    cycles: int


def cycling(times_s: ArrayLike, values: ArrayLike, noise: float = 0.02) -> Cycling | None:
    """Period and swing of a thermostat's cycling.

    times_s, values: as for openings; noise: what a turn must pass to count, in the values' unit. Returns None where
    fewer than four even cycles are seen. Raises ValueError for shapes that differ.
    Source: crossings of the running mean, common practice.

    >>> t = np.arange(0.0, 14400.0, 30.0)
    >>> found = cycling(t, 37.5 + 0.2 * np.sin(2 * np.pi * t / 780.0))
    >>> round(found.period_s), round(found.swing, 1)
    (780, 0.2)
    """
    t, v = np.asarray(times_s, dtype=np.float64), np.asarray(values, dtype=np.float64)
    if t.shape != v.shape or t.ndim != 1:
        raise ValueError("one value is needed for each time")
    if t.size < 32:
        return None
    step = float(np.median(np.diff(t)))
    half = max(2, round(1800.0 / step))
    sums = np.concatenate([[0.0], np.cumsum(v)])
    low, high = np.maximum(np.arange(t.size) - half, 0), np.minimum(np.arange(t.size) + half + 1, t.size)
    off = v - (sums[high] - sums[low]) / (high - low)
    side = np.where(off > noise, 1, np.where(off < -noise, -1, 0))
    seen = np.flatnonzero(side)
    turns = seen[1:][(side[seen[1:]] == 1) & (side[seen[:-1]] == -1)]
    if turns.size < 5:
        return None
    periods = np.diff(t[turns])
    usual = float(np.median(periods))
    if usual < 3.0 * step or float(np.quantile(periods, 0.75) - np.quantile(periods, 0.25)) > 0.5 * usual:
        return None
    swings = [0.5 * float(np.ptp(off[a:b])) for a, b in pairwise(turns.tolist())]
    return Cycling(usual, float(np.median(swings)), int(turns.size - 1))
