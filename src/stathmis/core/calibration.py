"""Correction curves: what to add to a reading, fitted to comparisons with errors in both axes.

Correction = reference - reading. A curve is an offset or a straight line in (reading - pivot), with the full
covariance of its coefficients. Outside the readings it was checked at, the uncertainty grows.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any, Literal

import numpy as np
from numpy.typing import ArrayLike, NDArray

Array = NDArray[np.float64]
Model = Literal["offset", "line"]

WELL_APART = 10.0
"""A straight line wants points this many standard uncertainties apart; nearer, the slope would be noise.
Source: common practice."""

_CHI_SQUARE_TAIL = 0.05


class FitError(ValueError):
    """The comparison cannot be turned into a correction; the message says why."""


@dataclass(frozen=True)
class Line:
    """A straight line y = value + slope (x - pivot), value and slope uncorrelated at the pivot.

    Fields are arrays over the batch, or 0-d. u_value, u_slope: standard uncertainties; chi_square: pure number.
    """

    pivot: Array
    value: Array
    slope: Array
    u_value: Array
    u_slope: Array
    chi_square: Array
    degrees_of_freedom: int

    @property
    def intercept(self) -> Array:
        """y at x = 0."""
        return self.value - self.slope * self.pivot

    @property
    def u_intercept(self) -> Array:
        """Standard uncertainty of y at x = 0."""
        return np.hypot(self.u_value, self.u_slope * self.pivot)

    def at(self, x: ArrayLike) -> tuple[Array, Array]:
        """y and its standard uncertainty at x, in the units of y."""
        step = np.asarray(x, dtype=np.float64) - self.pivot
        return self.value + self.slope * step, np.hypot(self.u_value, self.u_slope * step)


def _inputs(x: ArrayLike, y: ArrayLike, u_x: ArrayLike, u_y: ArrayLike) -> tuple[Array, Array, Array, Array]:
    xs, ys, uxs, uys = np.broadcast_arrays(*(np.asarray(v, dtype=np.float64) for v in (x, y, u_x, u_y)))
    if not (np.isfinite(xs).all() and np.isfinite(ys).all()):
        raise FitError("Every point needs both readings")
    if not (np.isfinite(uxs).all() and np.isfinite(uys).all()) or (uxs < 0).any() or (uys < 0).any():
        raise FitError("An uncertainty is a number from 0 up")
    if ((uxs == 0) & (uys == 0)).any():
        raise FitError("A point with no uncertainty at all would outweigh every other: give it one")
    return xs, ys, uxs, uys


def york_line(x: ArrayLike, y: ArrayLike, u_x: ArrayLike, u_y: ArrayLike, steps: int = 50) -> Line:
    """Straight line with independent errors in both axes, for one set of points or a batch.

    x, y: shape (..., n), n of 2 or more; u_x, u_y: standard uncertainties in the units of x and y, broadcast.
    Returns a Line with fields of the batch's shape. Raises FitError for too few points, for points all at one x, and
    for uncertainties that are negative or both 0.
    Source: D. York et al., Am. J. Phys. 72 (2004) 367, eqs. 13-15, uncorrelated errors.

    >>> line = york_line([0.0, 1.0, 2.0], [0.0, 1.0, 2.0], 0.1, 0.1)
    >>> round(float(line.slope), 6)
    1.0
    """
    xs, ys, uxs, uys = _inputs(x, y, u_x, u_y)
    if xs.ndim == 0 or xs.shape[-1] < 2:
        raise FitError("A straight line needs two points or more")
    if (np.ptp(xs, axis=-1) == 0).any():
        raise FitError("All points are at one reading; a straight line needs two that differ")
    vx, vy = uxs**2, uys**2
    weight = 1.0 / (vy + vx)
    x_mean, y_mean = _mean(xs, weight), _mean(ys, weight)
    dx, dy = xs - x_mean, ys - y_mean
    slope = ((weight * dx * dy).sum(-1) / (weight * dx * dx).sum(-1))[..., None]
    beta = dx
    for _ in range(steps):
        weight = 1.0 / (vy + slope * slope * vx)
        x_mean, y_mean = _mean(xs, weight), _mean(ys, weight)
        dx, dy = xs - x_mean, ys - y_mean
        beta = weight * (dx * vy + slope * dy * vx)
        denominator = (weight * beta * dx).sum(-1)
        if (denominator == 0).any():
            raise FitError("The points are too close together, for their uncertainty, to carry a straight line")
        new = ((weight * beta * dy).sum(-1) / denominator)[..., None]
        change = np.abs(new - slope).max(initial=0.0)
        slope = new
        if change <= 1e-14 * max(1.0, np.abs(slope).max(initial=0.0)):
            break
    adjusted = x_mean + beta
    pivot = _mean(adjusted, weight)
    spread = (weight * (adjusted - pivot) ** 2).sum(-1)
    residual = dy - slope * dx
    flat_slope, flat_pivot = slope[..., 0], pivot[..., 0]
    return Line(
        pivot=flat_pivot,
        value=y_mean[..., 0] + flat_slope * (flat_pivot - x_mean[..., 0]),
        slope=flat_slope,
        u_value=np.sqrt(1.0 / weight.sum(-1)),
        u_slope=np.sqrt(1.0 / spread),
        chi_square=(weight * residual**2).sum(-1),
        degrees_of_freedom=xs.shape[-1] - 2,
    )


def _mean(values: Array, weight: Array) -> Array:
    return np.asarray((weight * values).sum(-1, keepdims=True) / weight.sum(-1, keepdims=True))


def scatter_line(x: ArrayLike, y: ArrayLike) -> Line:
    """Straight line through points of unknown but equal uncertainty in y, which their own scatter then gives.

    x, y: shape (n,), n of 3 or more. Returns a Line whose uncertainties have n - 2 degrees of freedom.
    Raises FitError for fewer than three points. Source: JCGM 100, annex H.3 (ordinary least squares).

    >>> round(float(scatter_line([0, 1, 2, 3], [0.0, 1.1, 1.9, 3.0]).slope), 2)
    0.98
    """
    count = np.size(x)
    if count < 3:
        raise FitError("Scatter about a straight line needs three points or more")
    line = york_line(x, y, 0.0, 1.0)
    deviation = np.sqrt(line.chi_square / (count - 2))
    return replace(
        line,
        u_value=line.u_value * deviation,
        u_slope=line.u_slope * deviation,
        chi_square=np.asarray(count - 2.0),
    )


@dataclass(frozen=True)
class Correction:
    """What to add to a reading: coefficients[i] (reading - pivot)^i, in the reading's unit.

    covariance: of the coefficients; domain: lowest and highest reading checked; chi_square, degrees_of_freedom: of
    the fit; coverage_factor: k for 95 %; slope_allowance: standard uncertainty per unit beyond the domain, for the
    slope nobody checked there; widened: factor by which u was raised because the points disagree.
    """

    model: Model
    coefficients: Array
    covariance: Array
    pivot: float
    domain: tuple[float, float]
    chi_square: float
    degrees_of_freedom: int
    coverage_factor: float = 1.959963984540054
    slope_allowance: float = 0.0
    widened: float = 1.0

    def apply(self, reading: ArrayLike, u_reading: ArrayLike = 0.0) -> tuple[Any, Any]:
        """Corrected value and its standard uncertainty.

        reading: in the instrument's unit; u_reading: standard uncertainty of this reading itself (resolution,
        flicker), same unit. Returns (value, standard uncertainty), floats for a number. nan passes through.
        Source: JCGM 100, 5.2.2 for the covariance.

        >>> c = Correction("offset", np.array([0.5]), np.array([[0.01]]), 37.0, (37.0, 37.0), 0.0, 0)
        >>> value, u = c.apply(37.0)
        >>> value, round(u, 3)
        (37.5, 0.1)
        """
        array = np.asarray(reading, dtype=np.float64)
        step = array - self.pivot
        slope = self.coefficients[1] if self.model == "line" else 0.0
        value = array + self.coefficients[0] + slope * step
        variance: Any = self.covariance[0, 0] + np.square(u_reading) * (1.0 + slope) ** 2
        if self.model == "line":
            variance = variance + step * (2.0 * self.covariance[0, 1] + step * self.covariance[1, 1])
        if self.slope_allowance:
            beyond = np.maximum(np.maximum(self.domain[0] - array, array - self.domain[1]), 0.0)
            variance = variance + (self.slope_allowance * beyond) ** 2
        u = np.sqrt(variance)
        if array.shape == () and np.shape(u) == ():
            return float(value), float(u)
        return value, np.broadcast_to(u, value.shape)


def uncorrected(standard_uncertainty: float) -> Correction:
    """The correction of an instrument nobody checked: none, with the uncertainty its maker states.

    standard_uncertainty: in the instrument's unit. Raises FitError when it is negative. Source: JCGM 100, 4.3.

    >>> uncorrected(0.5).apply(37.0)
    (37.0, 0.5)
    """
    if not standard_uncertainty >= 0:
        raise FitError("An uncertainty is a number from 0 up")
    return Correction("offset", np.zeros(1), np.array([[standard_uncertainty**2]]), 0.0, (-np.inf, np.inf), 0.0, 0)


def choose_model(reading: ArrayLike, u_point: ArrayLike) -> Model:
    """Offset or straight line, by the number and spread of the readings.

    reading: shape (n,); u_point: standard uncertainty of each difference, same unit. Returns "line" when the readings
    span at least WELL_APART times the median uncertainty, else "offset". Source: common practice.

    >>> choose_model([20.0, 37.5], 0.1), choose_model([37.4, 37.6], 0.1)
    ('line', 'offset')
    """
    readings = np.atleast_1d(np.asarray(reading, dtype=np.float64))
    span = float(np.ptp(readings)) if readings.size else 0.0
    return "line" if readings.size >= 2 and span >= WELL_APART * float(np.median(np.asarray(u_point))) else "offset"


def fit_correction(
    reading: ArrayLike,
    reference: ArrayLike,
    u_reading: ArrayLike,
    u_reference: ArrayLike,
    model: Literal["auto", "offset", "line"] = "auto",
    *,
    u_common: float = 0.0,
    slope_allowance: float = 0.0,
    coverage_factor: float | None = None,
) -> Correction:
    """Fit what must be added to a reading.

    reading, reference: shape (n,), the instrument's and the reference's (already corrected) values, in one unit;
    u_reading, u_reference: independent standard uncertainties, same unit, broadcast; u_common: standard uncertainty
    all reference values share (its certificate), which shifts the whole curve. slope_allowance: see Correction.
    coverage_factor: k where the inputs have few degrees of freedom; None for the normal distribution.
    Where the points disagree more than their uncertainties allow (chi-square beyond its 95 % limit), u is widened
    until they agree. Raises FitError for no points, for a line through points at one reading, and for uncertainties
    that are negative or both 0. Source: JCGM 100; York et al. (2004).

    >>> c = fit_correction([36.8, 20.1], [37.4, 20.2], 0.05, 0.03)
    >>> c.model, round(c.apply(36.8)[0], 3)
    ('line', 37.4)
    """
    xs, ys, uxs, uys = (np.atleast_1d(a) for a in _inputs(reading, reference, u_reading, u_reference))
    if xs.ndim != 1 or xs.size == 0:
        raise FitError("A correction needs one point or more")
    if not u_common >= 0:
        raise FitError("An uncertainty is a number from 0 up")
    chosen = choose_model(xs, np.hypot(uxs, uys)) if model == "auto" else model
    if chosen == "line":
        line = york_line(xs, ys, uxs, uys)
        pivot, dof, chi_square = float(line.pivot), line.degrees_of_freedom, float(line.chi_square)
        coefficients = np.array([float(line.value) - pivot, float(line.slope) - 1.0])
        covariance = np.diag([float(line.u_value) ** 2, float(line.u_slope) ** 2])
    else:
        weight = 1.0 / (uxs**2 + uys**2)
        mean = float((weight * (ys - xs)).sum() / weight.sum())
        pivot, dof = float((weight * xs).sum() / weight.sum()), xs.size - 1
        chi_square = float((weight * (ys - xs - mean) ** 2).sum())
        coefficients, covariance = np.array([mean]), np.array([[1.0 / weight.sum()]])
    widened = _widening(chi_square, dof)
    covariance = covariance * widened**2
    covariance[0, 0] += u_common**2
    return Correction(
        model=chosen,
        coefficients=coefficients,
        covariance=covariance,
        pivot=pivot,
        domain=(float(xs.min()), float(xs.max())),
        chi_square=chi_square,
        degrees_of_freedom=dof,
        coverage_factor=1.959963984540054 if coverage_factor is None else coverage_factor,
        slope_allowance=slope_allowance,
        widened=widened,
    )


def _widening(chi_square: float, degrees_of_freedom: int) -> float:
    if degrees_of_freedom < 1:
        return 1.0
    from scipy.special import chdtri

    limit = float(chdtri(degrees_of_freedom, _CHI_SQUARE_TAIL))
    return float(np.sqrt(chi_square / degrees_of_freedom)) if chi_square > limit else 1.0
