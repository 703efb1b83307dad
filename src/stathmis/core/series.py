"""Long runs of readings: what one picture of them needs."""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike, NDArray

Array = NDArray[np.float64]
Times = NDArray[np.int64]


def median(values: ArrayLike) -> float:
    """The middle value, any unit; nan of none, and where one is nan.

    NumPy's own loads its masked arrays when first asked, which the first picture would wait for. Source: definition.

    >>> median([3.0, 1.0, 2.0]), median([1.0, 2.0])
    (2.0, 1.5)
    """
    ordered = np.sort(np.asarray(values, dtype=np.float64), axis=None)
    if not ordered.size or np.isnan(ordered[-1]):
        return float("nan")
    return float(0.5 * (ordered[(ordered.size - 1) // 2] + ordered[ordered.size // 2]))


def envelope(times_ms: Times, values: Array, start_ms: float, end_ms: float, columns: int) -> tuple[Times, Array]:
    """Least and most value in each pixel column, in order of time: what a picture columns wide can show.

    times_ms: shape (n,), UTC ms, rising; values: shape (n,), any unit, no nan; start_ms, end_ms: the stretch in view,
    ms; columns: 1 or more. Returns times and values of at most 2 columns + 2 points; one neighbor beyond each edge is
    kept so that lines run to the border. Raises ValueError for columns below 1. Source: peak-preserving decimation.

    >>> t, v = envelope(np.arange(6), np.array([0.0, 5, 1, 1, -3, 0]), 0, 5, 1)
    >>> v.tolist()
    [-3.0, 5.0]
    """
    if columns < 1:
        raise ValueError("a picture is at least one column wide")
    first = max(0, int(np.searchsorted(times_ms, start_ms, "left")) - 1)
    last = min(times_ms.size, int(np.searchsorted(times_ms, end_ms, "right")) + 1)
    t, v = times_ms[first:last], values[first:last]
    if t.size <= 2 * columns + 2:
        return t, v
    starts, stops = _columns(t, start_ms, end_ms, columns)
    return _extremes(t, v, starts, stops)


class Pyramid:
    """A long run with the least and most of every STEP readings worked out once, so that any stretch of it is drawn
    from about as many numbers as the picture has columns.

    times_ms: shape (n,), UTC ms, rising; values: shape (n,), any unit, no nan. Source: peak-preserving decimation.

    >>> t = np.arange(100_000)
    >>> p = Pyramid(t, np.sin(t / 50.0))
    >>> times, values = p.envelope(0, 100_000, 500)
    >>> times.size <= 1002, round(float(values.max()), 3)
    (True, 1.0)
    """

    STEP = 64

    def __init__(self, times_ms: Times, values: Array) -> None:
        self.times_ms, self.values = times_ms, values
        starts = np.arange(0, times_ms.size, self.STEP)
        self._first = times_ms[starts]
        self._last = times_ms[np.minimum(starts + self.STEP, times_ms.size) - 1] if times_ms.size else self._first
        self._least = np.minimum.reduceat(values, starts) if values.size else values
        self._most = np.maximum.reduceat(values, starts) if values.size else values
        # the least and most of all; without any readings 0 and 1
        self.low = float(self._least.min()) if values.size else 0.0
        self.high = float(self._most.max()) if values.size else 1.0

    def envelope(self, start_ms: float, end_ms: float, columns: int) -> tuple[Times, Array]:
        """As the function envelope, and as exact to one column; raises ValueError for columns below 1."""
        first = max(0, int(np.searchsorted(self._last, start_ms, "left")) - 1)
        last = min(self._first.size, int(np.searchsorted(self._first, end_ms, "right")) + 1)
        if columns < 1 or last - first < 2 * columns:
            return envelope(self.times_ms, self.values, start_ms, end_ms, columns)
        t, least, most = self._first[first:last], self._least[first:last], self._most[first:last]
        starts, stops = _columns(t, start_ms, end_ms, columns)
        low, high = np.minimum.reduceat(least, starts), np.maximum.reduceat(most, starts)
        rising = most[stops - 1] >= most[starts]
        return _interleaved(t[starts], self._last[first:last][stops - 1], low, high, rising)


def _columns(t: Times, start_ms: float, end_ms: float, columns: int) -> tuple[NDArray[np.intp], NDArray[np.intp]]:
    """Where each filled pixel column begins and ends among the times."""
    edges = np.linspace(start_ms, end_ms, columns + 1)[1:-1]
    starts = np.concatenate([[0], np.searchsorted(t, edges)])
    stops = np.concatenate([starts[1:], [t.size]])
    filled = starts < stops
    return starts[filled], stops[filled]


def _interleaved(first: Times, last: Times, low: Array, high: Array, rising: NDArray[np.bool_]) -> tuple[Times, Array]:
    """Two points a column; rising columns take the least first so that the line does not zigzag."""
    out_v = np.empty(2 * low.size)
    out_v[0::2] = np.where(rising, low, high)
    out_v[1::2] = np.where(rising, high, low)
    out_t = np.empty(2 * low.size, dtype=np.int64)
    out_t[0::2], out_t[1::2] = first, last
    return out_t, out_v


def _extremes(t: Times, v: Array, starts: NDArray[np.intp], stops: NDArray[np.intp]) -> tuple[Times, Array]:
    least = np.minimum.reduceat(v, starts)
    most = np.maximum.reduceat(v, starts)
    # order within a column hardly shows
    return _interleaved(t[starts], t[stops - 1], least, most, v[stops - 1] >= v[starts])


def gaps(times_ms: Times, max_gap_ms: float) -> NDArray[np.bool_]:
    """Whether each reading is near enough to the next to be joined to it, shape (n - 1,).

    times_ms: UTC ms, rising; max_gap_ms: ms. Source: definition.
    """
    return np.asarray(np.diff(times_ms) <= max_gap_ms)


def observed_mean(times_s: ArrayLike, values: ArrayLike, kept: ArrayLike, max_gap_s: float) -> tuple[float, float]:
    """Time-weighted mean over the time that was really observed, and how long that was, s.

    times_s, values: shape (n,), s, rising, any unit; kept: which readings are of the state that is asked about;
    max_gap_s: two readings further apart say nothing of the time between. What was left out is a gap and is never
    bridged. Returns (nan, 0) where nothing was observed. Source: trapezoid rule over each unbroken stretch.

    >>> observed_mean([0, 60, 120, 180, 240], [37.5, 37.5, 20.0, 36.0, 36.0], [True, True, False, True, True], 90)
    (36.75, 120.0)
    """
    t, v, use = np.asarray(times_s, dtype=np.float64), np.asarray(values, dtype=np.float64), np.asarray(kept)
    steps = np.diff(t)
    steps = np.where(use[1:] & use[:-1] & (steps <= max_gap_s), steps, 0.0)
    observed = float(steps.sum())
    if not observed:
        return float("nan"), 0.0
    return float((steps * 0.5 * (v[1:] + v[:-1])).sum() / observed), observed
