"""Pairing two logs of instruments that hung side by side: the lag between them, and blocks of paired means."""

from __future__ import annotations

from dataclasses import dataclass
from math import sqrt

import numpy as np
from numpy.typing import ArrayLike, NDArray

Array = NDArray[np.float64]


@dataclass(frozen=True)
class Pairs:
    """Block means of two logs: shape (blocks,), the reference shifted by lag_s to meet the instrument.

    scatter: standard deviation of a block's difference about the blocks' straight line, with degrees_of_freedom;
    lag_s: how much later the instrument shows the same (negative: earlier).
    """

    times_s: Array
    reading: Array
    reference: Array
    scatter: float
    degrees_of_freedom: int
    lag_s: float


def lag_between(
    times_s: ArrayLike, values: ArrayLike, other_times_s: ArrayLike, other: ArrayLike, most_s: float
) -> float:
    """How much later one log shows what another shows, in seconds.

    times_s, values: the slower one, times rising; other_times_s, other: the quicker one; most_s: longest lag looked
    for, either way. The lag is where the two logs, without their means, are most alike; 0 where nothing moves.
    Raises ValueError where the logs overlap for less than three times most_s.
    Source: cross-correlation, common practice.

    >>> t = np.arange(0.0, 7200.0, 30.0)
    >>> round(lag_between(t, np.sin((t - 120.0) / 300.0), t, np.sin(t / 300.0), 600.0))
    120
    """
    t, v = np.asarray(times_s, dtype=np.float64), np.asarray(values, dtype=np.float64)
    s, w = np.asarray(other_times_s, dtype=np.float64), np.asarray(other, dtype=np.float64)
    start, stop = max(t[0], s[0]) + most_s, min(t[-1], s[-1]) - most_s
    if stop - start < most_s:
        raise ValueError("the two logs run side by side for too short a time")
    step = max(5.0, min(float(np.median(np.diff(t))), float(np.median(np.diff(s)))) / 2.0)
    grid = np.arange(start, stop, step)
    here = _steady(np.interp(grid, t, v))
    if not here.any():
        return 0.0
    shifts = np.arange(-most_s, most_s + step / 2, step)
    alike = np.array([_alike(here, _steady(np.interp(grid - shift, s, w))) for shift in shifts])
    best = int(np.argmax(alike))
    # a weak resemblance is chance, not a lag
    if alike[best] < 0.3:
        return 0.0
    if 0 < best < shifts.size - 1:
        left, middle, right = alike[best - 1 : best + 2]
        curve = left - 2 * middle + right
        return float(shifts[best] + (0.5 * step * (left - right) / curve if curve < 0 else 0.0))
    return float(shifts[best])


def _steady(values: Array) -> Array:
    line = np.linspace(-1.0, 1.0, values.size)
    centered = values - values.mean()
    return np.asarray(centered - line * (line @ centered) / (line @ line))


def _alike(a: Array, b: Array) -> float:
    size = sqrt(float(a @ a) * float(b @ b))
    return float(a @ b) / size if size > 0 else 0.0


def pair_blocks(
    times_s: ArrayLike,
    values: ArrayLike,
    other_times_s: ArrayLike,
    other: ArrayLike,
    block_s: float,
    lag_s: float,
    max_gap_s: float,
) -> Pairs:
    """Block means of an instrument's log and of the reference's, where both have readings throughout.

    times_s, values: the instrument's, times rising; other_times_s, other: the reference's; block_s: length of a block,
    many response times long, so that blocks are independent; lag_s: from lag_between; max_gap_s: a longer silence of
    either spoils its block. Raises ValueError where fewer than two blocks are whole.
    Source: averaging over blocks longer than the correlation time, common practice.

    >>> t = np.arange(0.0, 36000.0, 60.0)
    >>> pairs = pair_blocks(t, np.full(600, 37.0), t, np.full(600, 37.4), 3600.0, 0.0, 300.0)
    >>> pairs.reading.size, round(float((pairs.reference - pairs.reading)[0]), 3)
    (9, 0.4)
    """
    t, v = np.asarray(times_s, dtype=np.float64), np.asarray(values, dtype=np.float64)
    s, w = np.asarray(other_times_s, dtype=np.float64) + lag_s, np.asarray(other, dtype=np.float64)
    start, stop = max(t[0], s[0]), min(t[-1], s[-1])
    rows = []
    for begin in np.arange(start, stop - block_s + 1e-6, block_s):
        end = begin + block_s
        one, two = (t >= begin) & (t < end), (s >= begin) & (s < end)
        if _whole(t[one], begin, end, max_gap_s) and _whole(s[two], begin, end, max_gap_s):
            rows.append((0.5 * (begin + end), float(v[one].mean()), float(w[two].mean())))
    if len(rows) < 2:
        raise ValueError("too few stretches have readings of both")
    middle, reading, reference = (np.array(column) for column in zip(*rows, strict=True))
    difference = reference - reading
    degrees = 2 if np.ptp(reading) > 0 and len(rows) > 2 else 1
    smooth = np.polynomial.polynomial.polyfit(reading - reading.mean(), difference, degrees - 1)
    left = difference - np.polynomial.polynomial.polyval(reading - reading.mean(), smooth)
    freedom = len(rows) - degrees
    return Pairs(middle, reading, reference, sqrt(float((left**2).sum()) / freedom), freedom, lag_s)


def _whole(times: Array, begin: float, end: float, max_gap_s: float) -> bool:
    edges = np.concatenate([[begin], times, [end]])
    return times.size > 0 and float(np.diff(edges).max()) <= max_gap_s
