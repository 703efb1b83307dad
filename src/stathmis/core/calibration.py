"""Correction curves: what to add to a reading, fitted to comparisons with errors in both axes.

Correction = reference - reading. A curve is the average over what an instrument may be like (core.averaged) or, where
the keeper asks for it, an offset, a straight line or a quadratic in (reading - pivot), with the full covariance of its
coefficients. Every labelled influence is propagated through the fit, so that the budget at any
reading is exact to first order, shared causes included. Outside the readings it was checked at, u grows.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
from numpy.typing import ArrayLike, NDArray

from stathmis.core.averaged import Prior, average, unknown_make
from stathmis.core.checks.influences import Influence
from stathmis.core.checks.straight_line import FitError, checked_points, widening, york_line
from stathmis.core.uncertainty import NORMAL_95, Budget, Component

Array = NDArray[np.float64]
Model = Literal["offset", "line", "quadratic", "averaged"]
Choice = Literal["auto", "offset", "line", "quadratic"]


DEGREE: dict[Model, int] = {"offset": 0, "line": 1, "quadratic": 2}

FLATTEST, NEAR = 0.1, 50.0
"""No instrument follows less than a tenth of a change: a flatter curve is taken for this steep. Source: our own."""

LIKELY_ODD, RESIDUAL_LIMIT = 0.5, 3.0
"""A point that is odd more likely than not is named. Source: Bayes' theorem; the limit is for the drawing."""

BEYOND = "Slope nobody checked beyond the points"
DISAGREEMENT = "Disagreement of the points"
UNSEEN = "Shape left open"
ODD_POINT = "Odd point"


@dataclass(frozen=True)
class Correction:
    """What to add to a reading: coefficients[i] (reading - pivot)^i, in the reading's unit.

    covariance: of the coefficients; domain: lowest and highest reading checked; chi_square, degrees_of_freedom: of
    the fit; coverage_factor: k for 95 %; slope_allowance: standard uncertainty per unit beyond the domain, for the
    slope nobody checked there, which wanders rather than runs off: beyond slope_reach (same unit) it hardly grows;
    widened: factor by which u was raised because the points disagree.
    """

    model: Model
    coefficients: Array
    covariance: Array
    pivot: float
    domain: tuple[float, float]
    chi_square: float
    degrees_of_freedom: int
    coverage_factor: float = NORMAL_95
    slope_allowance: float = 0.0
    widened: float = 1.0
    slope_reach: float = np.inf

    def beyond_u(self, reading: ArrayLike) -> Any:
        """Standard uncertainty for the slope nobody checked, in the reading's unit; 0 inside the domain."""
        array = np.asarray(reading, dtype=np.float64)
        beyond = np.maximum(np.maximum(self.domain[0] - array, array - self.domain[1]), 0.0)
        return self.slope_allowance * beyond / np.sqrt(1.0 + (beyond / self.slope_reach) ** 2)

    def basis_at(self, reading: ArrayLike) -> list[Array]:
        """What each coefficient is multiplied by, an array for each: powers of (reading - pivot).

        The bend of a quadratic is followed only as far as it was checked; beyond the domain the curve goes straight
        on. Source: our own: a quadratic turns round somewhere, which no instrument does.
        """
        array = np.asarray(reading, dtype=np.float64)
        count = len(self.coefficients)
        inside = np.clip(array, *self.domain) if self.model == "quadratic" else array
        step, beyond = inside - self.pivot, array - inside
        rows = [np.ones_like(step)]
        for power in range(1, count):
            rows.append(step**power + beyond * power * step ** (power - 1))
        return rows

    def slope_at(self, reading: ArrayLike) -> Any:
        """Change of the corrected value per unit of reading, a pure number."""
        array = np.asarray(reading, dtype=np.float64)
        step = (np.clip(array, *self.domain) if self.model == "quadratic" else array) - self.pivot
        slope: Any = np.ones_like(step)
        for power in range(1, len(self.coefficients)):
            slope = slope + power * self.coefficients[power] * step ** (power - 1)
        return slope

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
        count = len(self.coefficients)
        value: Any = array + self.coefficients[0]
        variance: Any = self.covariance[0, 0] + np.square(u_reading) * (
            1.0 if count == 1 else self.slope_at(array) ** 2
        )
        if count > 1:
            basis = self.basis_at(array)
            for i in range(1, count):
                value = value + self.coefficients[i] * basis[i]
                variance = variance + 2.0 * self.covariance[0, i] * basis[i]
                for j in range(1, count):
                    variance = variance + self.covariance[i, j] * basis[i] * basis[j]
        if self.slope_allowance:
            variance = variance + self.beyond_u(array) ** 2
        u = np.sqrt(variance)
        if array.shape == () and np.shape(u) == ():
            return float(value), float(u)
        return value, np.broadcast_to(u, value.shape)

    def reading_for(self, value: float) -> float:
        """The reading whose corrected value is this, in the reading's unit; always a number.

        Where the curve turns round within what was checked (an instrument does not: the points are bad), the reading
        nearest to it.
        """
        if self.model == "averaged":
            found = value
            for _ in range(40):
                slope = max(FLATTEST, float(self.slope_at(found)))
                found -= min(NEAR, max(-NEAR, (float(self.apply(found)[0]) - value) / slope))
            return found
        if not self.coefficients[2:].any():
            # straight, whatever its covariance allows for
            slope = float(self.slope_at(self.pivot))
            at_pivot = float(self.apply(self.pivot)[0])
            return self.pivot + (value - at_pivot) / (slope if abs(slope) > FLATTEST else FLATTEST)
        low, high = self.domain
        turn = self.pivot - (1.0 + float(self.coefficients[1])) / (2.0 * float(self.coefficients[2]))
        if low < turn < high:
            # only where it rises can an instrument have been
            low, high = (low, turn) if self.coefficients[2] < 0.0 else (turn, high)
        for edge, outward in ((low, -1.0), (high, 1.0)):
            there = float(self.apply(edge)[0])
            if (value - there) * outward >= 0.0:
                return edge + (value - there) / max(FLATTEST, float(self.slope_at(edge)))
        for _ in range(60):
            middle = 0.5 * (low + high)
            low, high = (middle, high) if float(self.apply(middle)[0]) < value else (low, middle)
        return 0.5 * (low + high)


def uncorrected(standard_uncertainty: float) -> Correction:
    """The correction of an instrument nobody checked: none, with the uncertainty its maker states.

    standard_uncertainty: in the instrument's unit. Raises FitError when it is negative. Source: JCGM 100, 4.3.

    >>> uncorrected(0.5).apply(37.0)
    (37.0, 0.5)
    """
    if not standard_uncertainty >= 0:
        raise FitError("An uncertainty is a number from 0 up")
    return Correction("offset", np.zeros(1), np.array([[standard_uncertainty**2]]), 0.0, (-np.inf, np.inf), 0.0, 0)


@dataclass(frozen=True)
class Fit:
    """A fitted correction with all it rests on.

    gain: shape (coefficients, n), change of each coefficient per unit of each reference value; slope: shape (n,),
    change of the corrected value per unit of each reading; residuals: normalized, pure numbers, 0 where a point has
    no freedom; suspects: places of the points beyond residual_limit; allowed: what the points cannot tell, by its
    label: the covariance of the coefficients it makes.
    """

    correction: Correction
    influences: tuple[Influence, ...]
    gain: Array
    slope: Array
    residuals: Array
    residual_limit: float
    suspects: tuple[int, ...]
    allowed: tuple[tuple[str, Array], ...] = ()

    def budget_at(self, reading: float, in_use: Sequence[Component] = ()) -> Budget:
        """Influences on a corrected reading, in the channel's unit; in_use: those of the reading itself, when used.

        Raises FitError where an influence has no finite effect. Source: JCGM 100, 5.1 and 5.2; each sensitivity is
        taken through the fit.
        """
        c = self.correction
        rows = np.array(c.basis_at(reading))
        basis = rows[: len(self.gain)] @ self.gain
        components, fresh = [], 0.0
        for influence in self.influences:
            effect = basis * (influence.on_reference - self.slope * influence.on_reading)
            sensitivity = abs(effect.sum()) if influence.shared else float(np.sqrt((effect**2).sum()))
            made = Component(
                influence.label,
                influence.standard_uncertainty,
                influence.distribution,
                influence.degrees_of_freedom,
                float(sensitivity),
                influence.unit,
            )
            components.append(made)
            fresh += 0.0 if influence.shared else made.contribution**2
        if c.widened > 1.0:
            extra = float(np.sqrt(fresh * (c.widened**2 - 1.0)))
            components.append(Component(DISAGREEMENT, extra, "normal", max(1, c.degrees_of_freedom)))
        for label, made_by in self.allowed:
            components.append(Component(label, max(0.0, float(rows @ made_by @ rows)) ** 0.5, "normal"))
        beyond = max(c.domain[0] - reading, reading - c.domain[1], 0.0)
        if c.slope_allowance and beyond:
            each = float(c.beyond_u(reading)) / beyond
            components.append(Component(BEYOND, each, "normal", sensitivity=beyond))
        if not np.isfinite([x.contribution for x in components]).all():
            raise FitError("These points carry no uncertainty at this reading")
        return Budget(tuple(x for x in (*components, *in_use) if x.contribution > 0))


def fit(
    reading: ArrayLike,
    reference: ArrayLike,
    influences: Sequence[Influence],
    model: Choice = "auto",
    *,
    slope_allowance: float = 0.0,
    slope_reach: float = np.inf,
    prior: Prior | None = None,
) -> Fit:
    """Fit what must be added to a reading, and carry every influence through the fit.

    reading, reference: shape (n,), the instrument's and the reference's (already corrected) values, in one unit.
    influences: what makes them uncertain; those not shared weigh the points, the shared ones move the whole curve.
    Where no curve is asked for, offset, slope, bend and odd points are averaged over (core.averaged); prior: what is
    known of such an instrument, by default what its points allow. slope_allowance, slope_reach: see Correction; for a
    curve that is asked for. Of such a curve, where the points disagree more than the influences allow (chi-square
    beyond its 95 % limit), the unshared part is widened until they agree. The coverage factor is left at the normal
    one; take it from the budget where the curve is used.
    Raises FitError for no points, for a curve the points cannot carry, and where no influence tells the points apart.
    Source: JCGM 100; York et al. (2004).

    >>> noise = Influence("scatter", "°C", 0.05, np.ones(2), np.zeros(2))
    >>> fit([36.8, 20.1], [37.4, 20.2], [noise], "line").correction.model
    'line'
    """
    n = np.size(reading)
    own = [i for i in influences if not i.shared]
    u_x = np.sqrt(sum((i.u_reading**2 for i in own), np.zeros(n)))
    u_y = np.sqrt(sum((i.u_reference**2 for i in own), np.zeros(n)))
    xs, ys, uxs, uys = (np.atleast_1d(a) for a in checked_points(reading, reference, u_x, u_y))
    if xs.ndim != 1 or xs.size == 0:
        raise FitError("A correction needs one point or more")
    if model == "auto":
        return _averaged(xs, ys, uxs, uys, tuple(influences), prior or unknown_make(xs, np.hypot(uxs, uys)))
    solved = _solve(xs, ys, uxs, uys, DEGREE[model])
    widened = widening(solved.chi_square, n - DEGREE[model] - 1)
    covariance = np.zeros((len(solved.gain), len(solved.gain)))
    for influence in influences:
        effect = solved.gain * (influence.on_reference - solved.slope * influence.on_reading)
        effect = effect * influence.standard_uncertainty
        moved = effect.sum(axis=1)
        covariance += np.outer(moved, moved) if influence.shared else effect @ effect.T * widened**2
    residuals, limit, suspects = _residuals(xs, solved, uxs, uys)
    coefficients = solved.coefficients.copy()
    coefficients[0] -= solved.pivot
    if len(coefficients) > 1:
        coefficients[1] -= 1.0
    correction = Correction(
        model=model,
        coefficients=coefficients,
        covariance=covariance,
        pivot=solved.pivot,
        domain=(float(xs.min()), float(xs.max())),
        chi_square=solved.chi_square,
        degrees_of_freedom=n - DEGREE[model] - 1,
        slope_allowance=slope_allowance,
        widened=widened,
        slope_reach=slope_reach,
    )
    return Fit(correction, tuple(influences), solved.gain, solved.slope, residuals, limit, suspects)


def _averaged(xs: Array, ys: Array, uxs: Array, uys: Array, influences: tuple[Influence, ...], prior: Prior) -> Fit:
    try:
        made = average(xs, ys - xs, influences, prior)
    except np.linalg.LinAlgError:
        raise FitError("These points carry no uncertainty at this reading") from None
    step = xs - made.pivot
    basis = np.vander(step, 3, increasing=True)
    own = np.hypot(uxs, uys)
    misfit = (ys - xs) - basis @ made.coefficients
    # what a point has drawn the curve to itself is no misfit of its
    free = np.maximum(1.0 - np.einsum("ij,ji->i", basis, made.gain), 1e-9)
    residuals = np.where(free > 1e-3, misfit / (own * np.sqrt(free)), 0.0)
    correction = Correction(
        model="averaged",
        coefficients=made.coefficients,
        covariance=made.covariance,
        pivot=made.pivot,
        domain=(float(xs.min()), float(xs.max())),
        chi_square=float(((misfit / own) ** 2).sum()),
        degrees_of_freedom=max(0, xs.size - 1),
    )
    odd = tuple(int(i) for i in np.flatnonzero(made.odds > LIKELY_ODD))
    allowed = ((UNSEEN, made.unseen), (ODD_POINT, made.odd))
    return Fit(correction, influences, made.gain, np.ones(xs.size), residuals, RESIDUAL_LIMIT, odd, allowed)


def fit_correction(
    reading: ArrayLike,
    reference: ArrayLike,
    u_reading: ArrayLike,
    u_reference: ArrayLike,
    model: Choice = "auto",
    *,
    u_common: float = 0.0,
    slope_allowance: float = 0.0,
) -> Correction:
    """Fit what must be added to a reading, from plain standard uncertainties.

    reading, reference, model, slope_allowance: see fit; u_reading, u_reference: independent standard uncertainties,
    same unit, broadcast; u_common: standard uncertainty all reference values share, which shifts the whole curve.
    Raises FitError as fit does. Source: JCGM 100; York et al. (2004).

    >>> c = fit_correction([36.8, 20.1], [37.4, 20.2], 0.05, 0.03, "line")
    >>> c.model, round(c.apply(36.8)[0], 3)
    ('line', 37.4)
    """
    xs, ys, uxs, uys = (np.atleast_1d(a) for a in checked_points(reading, reference, u_reading, u_reference))
    if not u_common >= 0:
        raise FitError("An uncertainty is a number from 0 up")
    none, all_alike = np.zeros(xs.size), np.ones(xs.size)
    influences = (
        Influence("reading", "", 1.0, uxs, none),
        Influence("reference", "", 1.0, none, uys),
        Influence("common", "", u_common, none, all_alike, shared=True),
    )
    return fit(xs, ys, influences, model, slope_allowance=slope_allowance).correction


@dataclass(frozen=True)
class _Solved:
    """reference = sum of coefficients (reading - pivot)^i, with its gain and the points as adjusted."""

    coefficients: Array
    pivot: float
    gain: Array
    slope: Array
    basis: Array
    misfit: Array
    chi_square: float


def _solve(xs: Array, ys: Array, uxs: Array, uys: Array, degree: int, tolerance: float = 1e-11) -> _Solved:
    if degree == 0:
        pivot, slope = 0.0, np.ones(xs.size)
        weight = 1.0 / (uxs**2 + uys**2)
        adjusted = xs
        pivot = float((weight * xs).sum() / weight.sum())
        coefficients = np.array([pivot + float((weight * (ys - xs)).sum() / weight.sum())])
        misfit = ys - xs - (coefficients[0] - pivot)
    elif degree == 1:
        line = york_line(xs, ys, uxs, uys)
        pivot, coefficients = float(line.pivot), np.array([float(line.value), float(line.slope)])
        slope = np.full(xs.size, float(line.slope))
        weight = 1.0 / (uys**2 + slope**2 * uxs**2)
        misfit = ys - line.at(xs)[0]
        adjusted = xs + uxs**2 * slope * weight * misfit
    else:
        pivot, coefficients, adjusted, slope, weight = _bent(xs, ys, uxs, uys, tolerance)
        misfit = ys - np.polynomial.polynomial.polyval(adjusted - pivot, coefficients) - slope * (xs - adjusted)
    basis = np.vander(adjusted - pivot, degree + 1, increasing=True)
    gain = np.asarray(np.linalg.solve((basis.T * weight) @ basis, basis.T * weight), dtype=np.float64)
    return _Solved(coefficients, pivot, gain, slope, basis, misfit, float((weight * misfit**2).sum()))


def _bent(xs: Array, ys: Array, uxs: Array, uys: Array, tolerance: float) -> tuple[float, Array, Array, Array, Array]:
    """A quadratic with errors in both axes, by Gauss–Newton steps on the curve and on where each point sits on it."""
    if np.unique(xs).size < 3:
        raise FitError("A quadratic needs 3 different readings or more")
    pivot = float(xs.mean())
    adjusted = xs.copy()
    coefficients: Array = np.array([ys.mean(), 1.0, 0.0])
    slope: Array = np.ones(xs.size)
    weight: Array = np.ones(xs.size)
    for _ in range(100):
        step = adjusted - pivot
        slope = coefficients[1] + 2.0 * coefficients[2] * step
        weight = 1.0 / (uys**2 + slope**2 * uxs**2)
        basis = np.stack([np.ones_like(step), step, step * step], axis=1)
        target = ys - slope * (xs - adjusted)
        try:
            new = np.asarray(np.linalg.solve((basis.T * weight) @ basis, (basis.T * weight) @ target), dtype=np.float64)
        except np.linalg.LinAlgError:
            raise FitError("No quadratic fits these points") from None
        if not np.isfinite(new).all():
            raise FitError("No quadratic fits these points")
        misfit = target - basis @ new
        moved = xs + uxs**2 * slope * weight * misfit
        change = max(np.abs(new - coefficients).max(), np.abs(moved - adjusted).max())
        coefficients, adjusted = new, moved
        if change < tolerance * max(1.0, float(np.abs(coefficients).max())):
            break
    return pivot, coefficients, adjusted, slope, weight


def _residuals(xs: Array, solved: _Solved, uxs: Array, uys: Array) -> tuple[Array, float, tuple[int, ...]]:
    """Each point's distance from the curve over its own uncertainty, the limit, and the points beyond it.

    The limit is passed by chance by one set of points in twenty. With one degree of freedom all points lie off the
    curve alike and none can be named.
    """
    n, p = xs.size, len(solved.coefficients)
    if n <= p:
        return np.zeros(n), np.inf, ()
    from scipy.special import ndtri

    own = uys**2 + solved.slope**2 * uxs**2
    used = np.einsum("ij,ji->i", solved.basis, solved.gain) * own
    left = own - used
    free = left > 1e-9 * own
    residuals = np.where(free, solved.misfit / np.sqrt(np.where(free, left, 1.0)), 0.0)
    limit = float(ndtri(1.0 - 0.025 / n))
    suspects = tuple(int(i) for i in np.flatnonzero(np.abs(residuals) > limit)) if n > p + 1 else ()
    return residuals, limit, suspects
