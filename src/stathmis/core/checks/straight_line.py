"""Straight lines through points with errors in both axes, one set of points or a whole batch at once."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import ArrayLike, NDArray

from stathmis.core.errors import NumbersError

Array = NDArray[np.float64]

_CHI_SQUARE_TAIL = 0.05


class FitError(NumbersError):
    """The comparison cannot be turned into a correction; the sentence says why."""


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


def checked_points(x: ArrayLike, y: ArrayLike, u_x: ArrayLike, u_y: ArrayLike) -> tuple[Array, Array, Array, Array]:
    """Points and their uncertainties, broadcast to one shape.

    x, y: numbers in one unit; u_x, u_y: standard uncertainties, same unit. Raises FitError for a missing number and for
    uncertainties that are negative or both 0. Source: common practice.

    >>> checked_points([1.0, 2.0], [1.1, 2.1], 0.1, 0.0)[3].tolist()
    [0.0, 0.0]
    """
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
    xs, ys, uxs, uys = checked_points(x, y, u_x, u_y)
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


def widening(chi_square: float, degrees_of_freedom: int) -> float:
    """Factor by which standard uncertainties are raised because points disagree, a pure number from 1 up.

    chi_square, degrees_of_freedom: of the fit. 1 while chi-square is within its 95 % limit, else the root of
    chi-square over its degrees of freedom. Source: R. Birge, Phys. Rev. 40 (1932) 207; the limit, common practice.

    >>> widening(3.0, 2), round(widening(18.0, 2), 1)
    (1.0, 3.0)
    """
    # the 95 % limit of chi-square is above its degrees of freedom, so below them nothing need be looked up
    if degrees_of_freedom < 1 or chi_square <= degrees_of_freedom:
        return 1.0
    from scipy.special import chdtri

    limit = float(chdtri(degrees_of_freedom, _CHI_SQUARE_TAIL))
    return float(np.sqrt(chi_square / degrees_of_freedom)) if chi_square > limit else 1.0
