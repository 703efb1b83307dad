"""Warm and cold places in one incubator, the layers of still air, and centering the controller."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from math import floor, sqrt

import numpy as np
from numpy.typing import ArrayLike, NDArray

from stathmis.core.checks.straight_line import FitError, york_line
from stathmis.core.uncertainty import NORMAL_95

Array = NDArray[np.float64]


@dataclass(frozen=True)
class Evenness:
    """How even an incubator is: each place less the mean of all (K or %), and the standard uncertainty of that.

    deviation, u: shape (n,); warmest, coldest: places; spread: between those two, with its expanded uncertainty U.
    """

    mean: float
    deviation: Array
    u: Array
    warmest: int
    coldest: int
    spread: float
    U_spread: float

    @property
    def seen(self) -> bool:
        """Whether the spread is more than its own uncertainty."""
        return self.spread > self.U_spread


def evenness(values: ArrayLike, u_own: ArrayLike, groups: Sequence[int], u_group: Sequence[float]) -> Evenness:
    """Compare places in one incubator.

    values: corrected readings, shape (n,), n of 2 or more; u_own: standard uncertainties of each place's reading by
    itself (scatter, display); groups: which instrument took each reading; u_group: standard uncertainty of each
    instrument's correction, shared by all places it was moved through: within one instrument it cancels.
    Raises FitError for fewer than two places. Source: JCGM 100, 5.2 (correlated inputs).

    >>> even = evenness([37.4, 37.5, 37.9], 0.03, [0, 0, 0], [0.2])
    >>> even.warmest, round(even.spread, 2), even.seen
    (2, 0.5, True)
    """
    x, own = np.broadcast_arrays(np.asarray(values, dtype=np.float64), np.asarray(u_own, dtype=np.float64))
    n = int(x.size)
    if n < 2:
        raise FitError("Comparing places needs two or more")
    members = np.array([[g == who for g in groups] for who in range(len(u_group))], dtype=np.float64)
    covariance = np.diag(own**2) + members.T @ np.diag(np.square(u_group)) @ members
    less_mean = np.eye(n) - 1.0 / n
    u = np.sqrt(np.clip(np.diag(less_mean @ covariance @ less_mean.T), 0.0, None))
    warm, cold = int(np.argmax(x)), int(np.argmin(x))
    between = covariance[warm, warm] + covariance[cold, cold] - 2.0 * covariance[warm, cold]
    return Evenness(
        float(x.mean()),
        x - x.mean(),
        u,
        warm,
        cold,
        float(x[warm] - x[cold]),
        NORMAL_95 * sqrt(max(0.0, float(between))),
    )


@dataclass(frozen=True)
class Layers:
    """Heat lying in layers: K per cm upward, and the temperature at egg-top height, with standard uncertainties (°C).

    beyond_cm: how far egg-top height lies outside the heights measured.
    """

    gradient: float
    u_gradient: float
    at_egg_top: float
    u_at_egg_top: float
    beyond_cm: float


def layers(
    heights_cm: ArrayLike, values_c: ArrayLike, u: ArrayLike, egg_top_cm: float, u_shared: float = 0.0
) -> Layers:
    """Temperature at egg-top height from readings at two heights or more, straight between them.

    heights_cm: over the floor, shape (n,), n of 2 or more; values_c: °C; u: standard uncertainties of each by itself,
    K; u_shared: of the instrument's correction, the same at every height. Beyond the measured heights each cm adds
    the gradient's whole change as uncertainty. Raises FitError for heights that are all the same.
    Source: straight-line interpolation, common practice; York et al. (2004).

    >>> found = layers([2.0, 12.0], [36.0, 40.0], 0.05, 5.0)
    >>> round(found.at_egg_top, 2), round(found.gradient, 2)
    (37.2, 0.4)
    """
    h, v = np.asarray(heights_cm, dtype=np.float64), np.asarray(values_c, dtype=np.float64)
    line = york_line(h, v, 0.0, u)
    value, own = line.at(egg_top_cm)
    beyond = float(max(h.min() - egg_top_cm, egg_top_cm - h.max(), 0.0))
    # a straight line through layers is a guess: half the way to the nearest reading may bend
    near = float(np.abs(h - egg_top_cm).min())
    bend = abs(float(line.slope)) * (beyond if beyond else 0.25 * near) / sqrt(3.0)
    u_at = sqrt(float(own) ** 2 + u_shared**2 + bend**2)
    return Layers(float(line.slope), float(line.u_slope), float(value), u_at, beyond)


@dataclass(frozen=True)
class Centering:
    """A set-point change, in the controller's unit: change (a whole number of steps), exact, and the new set point.

    left: how far from the middle it would still be; certain: whether the step is more than half the mean's U can hide.
    """

    exact: float
    change: float
    set_point: float
    left: float
    certain: bool


def center(set_point: float, mean: float, U: float, target: float, step: float = 0.1) -> Centering:
    """The set-point change that centers the true temperature, rounded to the controller's step.

    set_point: what the controller shows now; mean: corrected mean temperature over whole thermostat cycles, with its
    expanded uncertainty U; target: to be held; one unit throughout, U and step as differences. Raises FitError for a
    step not above 0. Source: common practice (the air follows the set point one to one).

    >>> found = center(37.5, 37.84, 0.1, 37.5)
    >>> round(found.change, 1), round(found.set_point, 1)
    (-0.3, 37.2)
    """
    if not step > 0:
        raise FitError("A controller's step is above 0")
    exact = target - mean
    steps = floor(abs(exact) / step + 0.5 + 1e-9) * (1 if exact >= 0 else -1)
    change = steps * step
    return Centering(exact, change, set_point + change, mean + change - target, abs(exact) > U)
