"""Long runs of readings: what one picture of them needs."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
Times = NDArray[np.int64]


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
    edges = np.linspace(start_ms, end_ms, columns + 1)[1:-1]
    starts = np.concatenate([[0], np.searchsorted(t, edges)])
    stops = np.concatenate([starts[1:], [t.size]])
    filled = starts < stops
    starts, stops = starts[filled], stops[filled]
    return _extremes(t, v, starts, stops)


def _extremes(t: Times, v: Array, starts: NDArray[np.intp], stops: NDArray[np.intp]) -> tuple[Times, Array]:
    least = np.minimum.reduceat(v, starts)
    most = np.maximum.reduceat(v, starts)
    # order within a column hardly shows; rising columns take the least first so that the line does not zigzag
    rising = v[stops - 1] >= v[starts]
    out_v = np.empty(2 * starts.size)
    out_v[0::2] = np.where(rising, least, most)
    out_v[1::2] = np.where(rising, most, least)
    out_t = np.empty(2 * starts.size, dtype=np.int64)
    out_t[0::2] = t[starts]
    out_t[1::2] = t[stops - 1]
    return out_t, out_v


def gaps(times_ms: Times, max_gap_ms: float) -> NDArray[np.bool_]:
    """Whether each reading is near enough to the next to be joined to it, shape (n - 1,).

    times_ms: UTC ms, rising; max_gap_ms: ms. Source: definition.
    """
    return np.asarray(np.diff(times_ms) <= max_gap_ms)
