"""How the air of a box goes on from here if nothing is done, for what must be told before it is so."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import ArrayLike, NDArray

Array = NDArray[np.float64]

LEAST = 8
ALIKE = 1.1
"""Fits whose squares are so near to the least fit alike. Source: our own."""


class Forecast(NamedTuple):
    """Values ahead with their standard uncertainty, at times_s; rate: how fast it goes now, a second."""

    times_s: Array
    values: Array
    u: Array
    rate: float


def going_on(
    times_s: ArrayLike, values: ArrayLike, responses_s: Sequence[float], ahead_s: float, step_s: float = 300.0
) -> Forecast:
    """Carry on what the last readings do: what drives them away stays as it is, and a box comes to rest with it.

    times_s, values: shape (n,), s, rising, the stretch that is carried on, without nan; responses_s: response times
    the box may have, s: the one that fits, the longest where several fit alike; ahead_s, step_s: how far and how
    densely, s, from the last reading on. Least squares of a first-order way to a new rest, linear in where it is and
    how fast it goes; the scatter counts as often as it changes sides, so that a thermostat's swing is no drift. Raises
    ValueError for fewer than eight readings, shapes that differ, or times not above 0.
    Source: first-order response (Newton's cooling); covariance of least squares, JCGM 100 H.3.

    >>> t = np.arange(0.0, 2400.0, 60.0)
    >>> ahead = going_on(t, 37.5 + 1.0 * (1.0 - np.exp(-t / 5400.0)), [1200.0, 5400.0], 3600.0)
    >>> round(float(ahead.values[-1]), 2), round(float(ahead.u[-1]), 2)
    (38.17, 0.0)
    """
    t, v = np.asarray(times_s, dtype=np.float64), np.asarray(values, dtype=np.float64)
    if t.shape != v.shape or t.ndim != 1 or t.size < LEAST:
        raise ValueError("eight readings or more are needed, one for each time")
    if not responses_s or not min(*responses_s, ahead_s, step_s) > 0.0:
        raise ValueError("times above 0 are needed")
    ahead = np.arange(0.0, ahead_s + 0.5 * step_s, step_s)
    tried = []
    for response in sorted(responses_s):
        design = _basis(t - t[-1], response)
        inverse = np.linalg.pinv(design.T @ design)
        found = inverse @ design.T @ v
        tried.append((response, inverse, found, v - design @ found))
    least = min(float(left @ left) for *_fit, left in tried)
    response, inverse, found, left = next(f for f in reversed(tried) if float(f[3] @ f[3]) <= ALIKE * least + 1e-12)
    there = _basis(ahead, response)
    changes = int((np.diff(np.sign(left)) != 0).sum())
    alike = t.size / max(2.0, min(float(t.size), changes + 1.0))
    variance = float(left @ left) / (t.size - 2) * alike
    u = np.sqrt(np.maximum(variance * np.einsum("ij,jk,ik->i", there, inverse, there), 0.0))
    return Forecast(t[-1] + ahead, there @ found, u, float(found[1]))


def _basis(since_s: Array, response_s: float) -> Array:
    return np.column_stack([np.ones_like(since_s), -response_s * np.expm1(-since_s / response_s)])
