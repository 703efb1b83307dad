"""How long a run of readings was inside a band, outside, can't tell, or unknown; its mean; and its excursions.

Between two readings no further apart than max_gap_s the value is taken to run straight from one to the other. A
longer gap is unknown: never counted as good, never as bad.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike, NDArray

from stathmis.core.conformity import decision_limits

Array = NDArray[np.float64]

_BLOCK = 16384
"""So many readings at once stay in the processor's cache."""


@dataclass(frozen=True)
class Excursion:
    """A stretch decided outside: start and end in s, the furthest value, its time, and the side ("low" or "high")."""

    start_s: float
    end_s: float
    peak: float
    peak_s: float
    side: str


@dataclass(frozen=True)
class Adherence:
    """Times in s; mean in the values' unit over the known time (nan where nothing is known)."""

    inside_s: float
    outside_s: float
    undecided_s: float
    unknown_s: float
    mean: float
    excursions: tuple[Excursion, ...]

    @property
    def known_s(self) -> float:
        """Time between readings near enough to each other, s."""
        return self.inside_s + self.outside_s + self.undecided_s


def judge(
    times_s: ArrayLike,
    values: ArrayLike,
    low: ArrayLike,
    high: ArrayLike,
    max_gap_s: float,
    u: ArrayLike | None = None,
    *,
    span_s: tuple[float, float] | None = None,
    confidence: float = 0.95,
) -> Adherence:
    """Judge a run of readings against a band.

    times_s: shape (n,), s, rising; values: shape (n,), nan where a reading is missing; low, high: the band, numbers
    or one per reading (a stretch is judged by its first reading's band); max_gap_s: s, above 0; u: standard
    uncertainty, number or one per reading, None for exact values; span_s: count unknown time from and to here, s.
    Raises ValueError for times that do not rise, for shapes that differ and for a gap not above 0.
    Source: time-weighted means over irregular readings, linear between them; decisions after JCGM 106:2012.

    >>> a = judge([0, 60, 120], [37.5, 37.5, 38.5], 37.2, 38.0, 300)
    >>> a.inside_s, a.outside_s
    (90.0, 30.0)
    """
    t = np.asarray(times_s, dtype=np.float64)
    v = np.asarray(values, dtype=np.float64)
    if t.shape != v.shape or t.ndim != 1:
        raise ValueError("one value is needed for each time")
    if not max_gap_s > 0:
        raise ValueError("the longest gap is above 0 s")
    step = np.diff(t)
    if (step < 0).any():
        raise ValueError("times must rise")
    bounds = _Bounds(0.0 if u is None else u, low, high, confidence, t.shape)
    known = (step <= max_gap_s) & np.isfinite(v[:-1]) & np.isfinite(v[1:])
    side = np.zeros(t.shape, dtype=np.int8)
    inside = outside = total = area = 0.0
    for begin in range(0, t.size, _BLOCK):
        # one reading over into the next block: a stretch is judged by its first reading's band
        end = min(begin + _BLOCK, t.size)
        thresholds = bounds.between(begin, end)
        side[begin:end] = (v[begin:end] > thresholds[3]).astype(np.int8) - (v[begin:end] < thresholds[2])
        part = slice(begin, min(end, step.size))
        # what is not known weighs nothing, but must not be nan
        first, last = (np.where(known[part], ends, 0.0) for ends in (v[part], v[1:][part]))
        weight = np.where(known[part], step[part], 0.0)
        # a value on an edge is inside: below the low limits strictly, below the high ones or on them
        below = [
            _fraction_below(first, last, limit[: first.size], on_it=i in (1, 3)) for i, limit in enumerate(thresholds)
        ]
        inside += float((weight * np.maximum(below[1] - below[0], 0.0)).sum())
        outside += float((weight * np.minimum(below[2] + 1.0 - below[3], 1.0)).sum())
        total += float(weight.sum())
        area += float((weight * 0.5 * (first + last)).sum())
    whole = float(t[-1] - t[0]) if t.size else 0.0
    if span_s is not None:
        whole = max(whole, span_s[1] - span_s[0])
    return Adherence(
        inside_s=inside,
        outside_s=outside,
        undecided_s=max(0.0, total - inside - outside),
        unknown_s=max(0.0, whole - total),
        mean=area / total if total > 0 else float("nan"),
        excursions=_excursions(t, v, side, bounds, known),
    )


class _Bounds:
    """The limits of decisions, worked out only where they are wanted: long runs would not fit in memory at once."""

    def __init__(
        self, u: ArrayLike, low: ArrayLike, high: ArrayLike, confidence: float, shape: tuple[int, ...]
    ) -> None:
        self._given = [np.broadcast_to(np.asarray(a, dtype=np.float64), shape) for a in (u, low, high)]
        self._plain = all(np.ndim(a) == 0 for a in (u, low, high))
        self._confidence = confidence
        self._first = self._limits(0, 1) if shape[0] else None

    def _limits(self, begin: int, end: int) -> tuple[Array, ...]:
        u, low, high = (a[begin:end] for a in self._given)
        limits = decision_limits(u, low, high, self._confidence)
        return limits.inside_low, limits.inside_high, limits.outside_low, limits.outside_high

    def between(self, begin: int, end: int) -> tuple[Array, ...]:
        """Inside low, inside high, outside low, outside high for some readings."""
        if self._plain and self._first is not None:
            return tuple(np.broadcast_to(a[0], (end - begin,)) for a in self._first)
        if all(a[begin] == a[end - 1] and (a[begin:end] == a[begin]).all() for a in self._given):
            return tuple(np.broadcast_to(a[0], (end - begin,)) for a in self._limits(begin, begin + 1))
        return self._limits(begin, end)

    def outside(self, at: NDArray[np.intp], which: NDArray[np.int8]) -> Array:
        """The outside limits at some readings; which below 0: the low one."""
        u, low, high = (a[at] for a in self._given)
        limits = decision_limits(u, low, high, self._confidence)
        return np.where(which < 0, limits.outside_low, limits.outside_high)


def _fraction_below(first: Array, last: Array, limit: Array, *, on_it: bool) -> Array:
    """Fraction of the time a straight run from first to last spends below limit (or on it)."""
    with np.errstate(divide="ignore", invalid="ignore", over="ignore"):
        span = np.abs(last - first)
        fraction = np.clip((limit - np.minimum(first, last)) / span, 0.0, 1.0)
        level = (first <= limit) if on_it else (first < limit)
    return np.where(span > 0, fraction, level)


def _excursions(
    t: Array, v: Array, side: NDArray[np.int8], bounds: _Bounds, known: NDArray[np.bool_]
) -> tuple[Excursion, ...]:
    if t.size == 0:
        return ()
    joined = known & (side[1:] == side[:-1])
    starts = np.flatnonzero(np.concatenate([[True], ~joined]))
    stops = np.concatenate([starts[1:], [t.size]]) - 1
    out = side[starts] != 0
    starts, stops = starts[out], stops[out]
    entered, left = bounds.outside(np.maximum(starts - 1, 0), side[starts]), bounds.outside(stops, side[starts])
    found = []
    for i, (start, stop) in enumerate(zip(starts.tolist(), stops.tolist(), strict=True)):
        which = int(side[start])
        begin, end = float(t[start]), float(t[stop])
        if start > 0 and known[start - 1]:
            begin = _crossing(t, v, start - 1, float(entered[i]))
        if stop + 1 < t.size and known[stop]:
            end = _crossing(t, v, stop, float(left[i]))
        peak = int(start + (np.argmin if which < 0 else np.argmax)(v[start : stop + 1]))
        found.append(Excursion(begin, end, float(v[peak]), float(t[peak]), "low" if which < 0 else "high"))
    return tuple(found)


def _crossing(t: Array, v: Array, i: int, limit: float) -> float:
    """When the run from reading i to the next crosses the limit (the band itself may have stepped there)."""
    if v[i + 1] == v[i]:
        return float(t[i + 1])
    fraction = min(1.0, max(0.0, (limit - float(v[i])) / float(v[i + 1] - v[i])))
    return float(t[i] + fraction * (t[i + 1] - t[i]))
