"""What disturbs the air: lid openings and how fast they recover, and the thermostat's own cycling."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import ArrayLike, NDArray

from stathmis.core.series import median

Array = NDArray[np.float64]

SHARP_K = 1.0
WITHIN_S = 360.0
"""A drop of this much within this time is an opened lid or a lost heater. Source: common practice."""
BACK_K = 0.3
"""Recovered: this near to where it was before. Source: common practice."""
GIVE_UP_S = 4 * 3600.0


@dataclass(frozen=True)
class Drop:
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


def sudden_drops(times_s: ArrayLike, values: ArrayLike) -> tuple[Drop, ...]:
    """Sharp drops of the air and their recovery.

    times_s: shape (n,), s, rising, readings a few minutes apart or nearer; values: °C, without nan. Returns them in
    order of time. Raises ValueError for shapes that differ. Source: common practice (an open lid drops the air by
    several degrees within minutes; a fault drifts).

    >>> t = np.arange(0.0, 7200.0, 60.0)
    >>> air = 37.5 - 5.0 * np.exp(-np.maximum(t - 1800.0, 0.0) / 500.0) * (t >= 1800.0)
    >>> [(o.start_s, round(o.lowest, 1)) for o in sudden_drops(t, air)]
    [(1740.0, 32.5)]
    """
    t, v = np.asarray(times_s, dtype=np.float64), np.asarray(values, dtype=np.float64)
    if t.shape != v.shape or t.ndim != 1:
        raise ValueError("one value is needed for each time")
    if t.size < 3:
        return ()
    earlier = np.searchsorted(t, t - WITHIN_S, "left")
    sharp = np.flatnonzero((v[earlier] - v >= SHARP_K) & (earlier < np.arange(t.size)))
    found: list[Drop] = []
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
            Drop(float(t[begin]), before, float(v[lowest]), float(t[lowest]), float(t[end]) if back.size else None)
        )
        free_from = float(t[end])
    return tuple(found)


def disturbed(values: ArrayLike, far: float, near: float) -> NDArray[np.bool_]:
    """Which readings are of air that was thrown off: from where it left its usual level until it was back there.

    values: shape (n,), °C, in order of time, without nan; far: further from the median than this it was thrown off;
    near: as near as this it is at its usual level, both K. Source: our own; an open lid or a power cut takes the air
    far off, and its way there and back says as little about the thermostat.

    >>> disturbed([37.5, 37.5, 37.0, 33.0, 36.0, 37.1, 37.4, 37.5, 37.5, 37.5], 1.5, 0.3).astype(int).tolist()
    [0, 0, 1, 1, 1, 1, 0, 0, 0, 0]
    """
    v = np.asarray(values, dtype=np.float64)
    off = np.abs(v - median(v)) if v.size else v
    away = off > near
    group = np.cumsum(np.diff(away, prepend=False)) * away
    return away & np.isin(group, group[off > far])


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
    step = median(np.diff(t))
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
    usual = median(periods)
    if usual < 3.0 * step or float(np.quantile(periods, 0.75) - np.quantile(periods, 0.25)) > 0.5 * usual:
        return None
    swings = [0.5 * float(np.ptp(off[a:b])) for a, b in pairwise(turns.tolist())]
    return Cycling(usual, median(swings), int(turns.size - 1))


@dataclass(frozen=True)
class CycleMean:
    """A mean over whole cycles of a thermostat: value and its own standard uncertainty (the values' unit), how many
    cycles were seen, and the stretch it is of, s."""

    value: float
    u: float
    cycles: int
    span_s: float


def cycle_mean(times_s: ArrayLike, values: ArrayLike, noise: float = 0.02) -> CycleMean:
    """Mean of the air over whole cycles, so that where in a swing it begins and ends does not matter.

    times_s, values: as for openings; noise: as for cycling. With fewer than two whole cycles the whole stretch is
    taken, as unsure as half a swing leaves it. A mean that moves from the first half to the second is as unsure as
    that. Raises ValueError for fewer than two values or shapes that differ. Source: our own; the mean of a function
    over whole periods does not depend on the phase.

    >>> t = np.arange(0.0, 10800.0, 60.0)
    >>> found = cycle_mean(t, 37.5 + 0.6 * np.sin(2 * np.pi * t / 1500.0))
    >>> round(found.value, 2), found.cycles
    (37.5, 6)
    """
    t, v = np.asarray(times_s, dtype=np.float64), np.asarray(values, dtype=np.float64)
    if t.shape != v.shape or t.ndim != 1 or t.size < 2:
        raise ValueError("two values or more are needed, one for each time")
    off = v - median(v)
    limit = max(noise, 0.25 * float(np.std(off)))
    side = np.where(off > limit, 1, np.where(off < -limit, -1, 0))
    seen = np.flatnonzero(side)
    turns = seen[1:][(side[seen[1:]] == 1) & (side[seen[:-1]] == -1)]
    cycles = max(0, int(turns.size) - 1)
    first, last = (int(turns[0]), int(turns[-1])) if cycles >= 2 else (0, t.size - 1)
    t, v = t[first : last + 1], v[first : last + 1]
    span = float(t[-1] - t[0])
    mean = float(np.trapezoid(v, t) / span)
    if cycles >= 2:
        parts = [
            float(np.trapezoid(v[a:b], t[a:b]) / (t[b - 1] - t[a])) for a, b in pairwise(turns - first) if b - a > 2
        ]
        own = float(np.std(parts)) / np.sqrt(len(parts)) if parts else float(np.std(v))
    else:
        own = float(np.std(v)) / np.sqrt(2.0)
    half = max(2, t.size // 2)
    moved = abs(float(v[:half].mean() - v[-half:].mean())) / np.sqrt(12.0) if cycles < 4 else 0.0
    return CycleMean(mean, float(np.hypot(own, moved)), cycles, span)
