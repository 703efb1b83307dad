"""A steady state found in a log: after something was done to a box, when had its humidity settled, and to what.

A step answers as an exponential toward its end (first-order lag); the state is the mean of the first stretch after it
in which the humidity hardly drifts, so that a trough that runs dry later does not count.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import ArrayLike, NDArray

Array = NDArray[np.float64]

WAIT_S = 3600.0
"""Not before this after the change. Source: common practice (1-3 h)."""
STRETCH_S = 2.5 * 3600.0
STEP_S = 1800.0
LATEST_S = 14.0 * 3600.0
"""A state that has not settled by then belongs to the room's day, not to the change."""
MOST_DRIFT = 1.5
"""A stretch may drift by so much, percent RH."""
LEAST_READINGS = 5
TAUS_S = np.geomspace(60.0, 3.0 * 3600.0, 60)
INDEPENDENT = 30
"""Readings of a log a minute apart follow each other: no more than this count as independent."""
BY_HAND_FROM_S = 2.0 * 3600.0
BY_HAND_UNTIL_S = 24.0 * 3600.0
U_BY_HAND = 1.5
"""Standard uncertainty of a single reading as the mean of a state, percent. Source: common practice."""


class Steady(NamedTuple):
    """From when to when (s after the change), the mean and its standard uncertainty from scatter and drift, percent;
    the time constant of the way there, s, and its relative standard uncertainty (nan where there was no clear step)."""

    start_s: float
    stop_s: float
    mean: float
    u: float
    tau_s: float
    u_ln_tau: float


def time_constant(times_s: ArrayLike, values: ArrayLike) -> tuple[float, float]:
    """Time constant of a step's exponential answer, s, and its relative standard uncertainty; nan, nan where no step.

    times_s: s after the step, shape (n,); values: any unit. Raises ValueError for shapes that differ.
    Source: least squares, linear in start and end for each of many time constants; the range whose sum of squares is
    no more than 1 + 4/n of the least is ± 2 standard uncertainties.
    """
    t, v = np.asarray(times_s, dtype=np.float64), np.asarray(values, dtype=np.float64)
    if t.shape != v.shape or t.ndim != 1:
        raise ValueError("one value is needed for each time")
    if t.size < 2 * LEAST_READINGS:
        return float("nan"), float("nan")
    decay = np.exp(-t[None, :] / TAUS_S[:, None])
    centered, v0 = decay - decay.mean(axis=1, keepdims=True), v - v.mean()
    size = (centered**2).sum(axis=1)
    amplitude = (centered @ v0) / np.where(size > 0, size, 1.0)
    squares = np.maximum((v0**2).sum() - amplitude**2 * size, 1e-12)
    best = int(np.argmin(squares))
    independent = min(t.size, INDEPENDENT)
    noise = float(np.sqrt(squares[best] / t.size))
    at_edge = best in (0, TAUS_S.size - 1)
    if abs(amplitude[best]) < max(4.0 * noise, 1.0) or at_edge:
        return float("nan"), float("nan")
    near = TAUS_S[squares <= squares[best] * (1.0 + 4.0 / independent)]
    spread = float(np.log(near[-1] / near[0])) / 4.0
    return float(TAUS_S[best]), max(spread, 0.15)


def steady_part(times_s: ArrayLike, values: ArrayLike, *, by_hand: bool = False) -> Steady | None:
    """The steady state after a change, None where it did not settle or too little was read.

    times_s: s after the change until the next one, rising, shape (n,); values: corrected humidity, percent; by_hand:
    single readings instead of a log. Raises ValueError for shapes that differ. Source: see the module.

    >>> t = np.arange(0.0, 4 * 3600.0, 60.0)
    >>> found = steady_part(t, 50.0 - 10.0 * np.exp(-t / 900.0))
    >>> round(found.mean), round(found.tau_s / 900.0, 1)
    (50, 1.0)
    """
    t, v = np.asarray(times_s, dtype=np.float64), np.asarray(values, dtype=np.float64)
    if t.shape != v.shape or t.ndim != 1:
        raise ValueError("one value is needed for each time")
    if by_hand:
        kept = (t >= BY_HAND_FROM_S) & (t <= BY_HAND_UNTIL_S)
        if not kept.any():
            return None
        u = max(U_BY_HAND, float(v[kept].std())) / np.sqrt(min(int(kept.sum()), 4))
        return Steady(float(t[kept][0]), float(t[kept][-1]), float(v[kept].mean()), float(u), float("nan"), 0.3)
    first = t <= 6.0 * 3600.0
    tau, u_tau = time_constant(t[first], v[first])
    start = max(WAIT_S, 3.0 * tau) if np.isfinite(tau) else WAIT_S
    while start <= LATEST_S:
        inside = (t >= start) & (t <= start + STRETCH_S)
        count = int(inside.sum())
        span = float(np.ptp(t[inside])) if count else 0.0
        if count >= LEAST_READINGS and span >= STEP_S:
            slope, _ = np.polyfit(t[inside] - start, v[inside], 1)
            drift = abs(float(slope)) * span
            if drift <= MOST_DRIFT:
                scatter = float(v[inside].std()) / np.sqrt(min(count, 12))
                u = float(np.hypot(scatter, drift / np.sqrt(12.0)))
                stop = float(t[inside][-1])
                return Steady(float(start), stop, float(v[inside].mean()), max(u, 0.05), tau, u_tau)
        start += STEP_S
    return None
