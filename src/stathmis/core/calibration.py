"""Correction curves: what to add to a reading, fitted to comparisons with errors in both axes.

Correction = reference - reading. A curve is an offset, a straight line or a quadratic in (reading - pivot), with the
full covariance of its coefficients. Every labelled influence is propagated through the fit, so that the budget at any
reading is exact to first order, shared causes included. Outside the readings it was checked at, u grows.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
from numpy.typing import ArrayLike, NDArray

from stathmis.core.checks.influences import Influence
from stathmis.core.checks.straight_line import FitError, checked_points, widening, york_line
from stathmis.core.uncertainty import NORMAL_95, Budget, Component

Array = NDArray[np.float64]
Model = Literal["offset", "line", "quadratic"]
Choice = Literal["auto", "offset", "line", "quadratic"]


DEGREE: dict[Model, int] = {"offset": 0, "line": 1, "quadratic": 2}

WELL_APART = 10.0
"""A straight line wants points this many standard uncertainties apart; nearer, the slope would be noise.
Source: common practice."""

BEND_SEEN = 3.0
"""A quadratic is taken where its bend is at least this many times its own standard uncertainty.
Source: common practice."""

BEND_TOLERANCE = 1e-5
QUADRATIC_POINTS = 4
"""Three points always lie on a quadratic: a fourth is needed to see that it is one. Source: common practice."""

FLATTEST = 0.1
"""No instrument follows less than a tenth of a change: a flatter curve is taken for this steep. Source: our own."""

BEYOND = "Slope nobody checked beyond the points"
DISAGREEMENT = "Disagreement of the points"
UNSEEN_BEND = "Bend not seen"
ODD_POINT = "Odd point"

ODD_SHARE, ODD_SHARE_OF_FEW, ODD_SIZE = 0.25, 0.55, 4.0
"""How likely a point of a check is off for a reason nobody wrote down, beforehand (more where one point more than the
curve needs cannot say which), and by how many of its standard uncertainties. Source: our own, so that one point in
three to eight that is off by 3 to 5 is allowed for (bench/truth.py)."""
BEND_FACTOR = 1.6
"""What line and quadratic differ by counts so often as variance: the bend found may be less than the true one. Source:
our own, simulated (bench/truth.py)."""


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

        A bend is followed only as far as it was checked; beyond the domain the curve goes straight on. Source: our
        own: a quadratic turns round somewhere, which no instrument does.
        """
        array = np.asarray(reading, dtype=np.float64)
        count = len(self.coefficients)
        inside = np.clip(array, *self.domain) if count > 2 else array
        step, beyond = inside - self.pivot, array - inside
        rows = [np.ones_like(step)]
        for power in range(1, count):
            rows.append(step**power + beyond * power * step ** (power - 1))
        return rows

    def slope_at(self, reading: ArrayLike) -> Any:
        """Change of the corrected value per unit of reading, a pure number."""
        array = np.asarray(reading, dtype=np.float64)
        step = (np.clip(array, *self.domain) if len(self.coefficients) > 2 else array) - self.pivot
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
class Considered:
    """A curve that was weighed: whether the points allow it, and the figure that decided.

    reason: "alone" (one value asks for nothing more), "few" (too few points; figure: how many there are), "close"
    (too close together; figure: span over u), "apart" (well apart; figure: span over u), "straight" (no bend to see;
    figure: bend over its u), "bent" (a bend; same figure), "asked" (the keeper's own choice).
    """

    model: Model
    chosen: bool
    reason: str
    figure: float


@dataclass(frozen=True)
class Fit:
    """A fitted correction with all it rests on.

    gain: shape (coefficients, n), change of each coefficient per unit of each reference value; slope: shape (n,),
    change of the corrected value per unit of each reading; residuals: normalized, pure numbers, 0 where a point has
    no freedom; suspects: places of the points beyond residual_limit; allowed: what the points cannot tell, by its
    label: one standard uncertainty of it, as coefficients.
    """

    correction: Correction
    influences: tuple[Influence, ...]
    gain: Array
    slope: Array
    residuals: Array
    residual_limit: float
    suspects: tuple[int, ...]
    considered: tuple[Considered, ...]
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
        for label in dict.fromkeys(label for label, _effect in self.allowed):
            own = [float(rows[: effect.size] @ effect) for name, effect in self.allowed if name == label]
            components.append(Component(label, float(np.sqrt(np.square(own).sum())), "normal"))
        beyond = max(c.domain[0] - reading, reading - c.domain[1], 0.0)
        if c.slope_allowance and beyond:
            each = float(c.beyond_u(reading)) / beyond
            components.append(Component(BEYOND, each, "normal", sensitivity=beyond))
        if not np.isfinite([x.contribution for x in components]).all():
            raise FitError("These points carry no uncertainty at this reading")
        return Budget(tuple(x for x in (*components, *in_use) if x.contribution > 0))


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


def fit(
    reading: ArrayLike,
    reference: ArrayLike,
    influences: Sequence[Influence],
    model: Choice = "auto",
    *,
    slope_allowance: float = 0.0,
    slope_reach: float = np.inf,
    bend_allowance: float = 0.0,
) -> Fit:
    """Fit what must be added to a reading, and carry every influence through the fit.

    reading, reference: shape (n,), the instrument's and the reference's (already corrected) values, in one unit.
    influences: what makes them uncertain; those not shared weigh the points, the shared ones move the whole curve.
    slope_allowance, slope_reach: see Correction; bend_allowance: standard uncertainty of the bend of such an
    instrument, per square of the unit, where two points cannot show any. Where the curve is chosen by itself, u has in
    it what line and quadratic differ by, and that a point may be off more than the influences allow. Where the points
    disagree more than the influences allow (chi-square beyond its 95 % limit), the unshared part is widened until they
    agree. The coverage factor is left at the normal one; take it from the budget where the curve is used.
    Raises FitError for no points, for a curve the points cannot carry, and where no influence tells the points apart.
    Source: JCGM 100; York et al. (2004).

    >>> noise = Influence("scatter", "°C", 0.05, np.ones(2), np.zeros(2))
    >>> fit([36.8, 20.1], [37.4, 20.2], [noise]).correction.model
    'line'
    """
    n = np.size(reading)
    own = [i for i in influences if not i.shared]
    u_x = np.sqrt(sum((i.u_reading**2 for i in own), np.zeros(n)))
    u_y = np.sqrt(sum((i.u_reference**2 for i in own), np.zeros(n)))
    xs, ys, uxs, uys = (np.atleast_1d(a) for a in checked_points(reading, reference, u_x, u_y))
    if xs.ndim != 1 or xs.size == 0:
        raise FitError("A correction needs one point or more")
    considered = _weigh(xs, ys, uxs, uys, model)
    chosen = next(c.model for c in considered if c.chosen)
    solved = _solve(xs, ys, uxs, uys, DEGREE[chosen])
    widened = widening(solved.chi_square, n - DEGREE[chosen] - 1)
    covariance = np.zeros((len(solved.gain), len(solved.gain)))
    for influence in influences:
        effect = solved.gain * (influence.on_reference - solved.slope * influence.on_reading)
        effect = effect * influence.standard_uncertainty
        moved = effect.sum(axis=1)
        covariance += np.outer(moved, moved) if influence.shared else effect @ effect.T * widened**2
    residuals, limit, suspects = _residuals(xs, solved, uxs, uys)
    allowed: tuple[tuple[str, Array], ...] = ()
    if model == "auto":
        bend = _unseen_bend(xs, ys, uxs, uys, solved, bend_allowance) if chosen == "line" else []
        allowed = (*bend, *_odd_points(solved, uxs, uys))
        size = max([len(covariance), *(effect.size for _label, effect in allowed)])
        covariance = np.pad(covariance, (0, size - len(covariance)))
        for _label, effect in allowed:
            covariance[: effect.size, : effect.size] += np.outer(effect, effect)
    coefficients = solved.coefficients.copy()
    coefficients[0] -= solved.pivot
    if len(coefficients) > 1:
        coefficients[1] -= 1.0
    correction = Correction(
        model=chosen,
        coefficients=np.pad(coefficients, (0, len(covariance) - len(coefficients))),
        covariance=covariance,
        pivot=solved.pivot,
        domain=(float(xs.min()), float(xs.max())),
        chi_square=solved.chi_square,
        degrees_of_freedom=n - DEGREE[chosen] - 1,
        slope_allowance=slope_allowance,
        widened=widened,
        slope_reach=slope_reach,
    )
    found = (solved.gain, solved.slope, residuals, limit, suspects, considered, allowed)
    return Fit(correction, tuple(influences), *found)


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

    >>> c = fit_correction([36.8, 20.1], [37.4, 20.2], 0.05, 0.03)
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


def _weigh(xs: Array, ys: Array, uxs: Array, uys: Array, model: Choice) -> tuple[Considered, ...]:
    """Which curve, and why not the others."""
    if model != "auto":
        return (Considered(model, True, "asked", 0.0),)
    u_typical = float(np.median(np.hypot(uxs, uys)))
    ratio = float(np.ptp(xs)) / u_typical
    if choose_model(xs, np.hypot(uxs, uys)) == "offset":
        few = xs.size < 2
        against = Considered("line", False, "few" if few else "close", float(xs.size) if few else ratio)
        return (Considered("offset", True, "alone", ratio), against)
    offset = Considered("offset", False, "apart", ratio)
    if np.unique(xs).size < QUADRATIC_POINTS:
        few_points = Considered("quadratic", False, "few", float(xs.size))
        return (offset, Considered("line", True, "apart", ratio), few_points)
    try:
        # near enough to see a bend; where there is one it is solved to the last digit
        bent = _solve(xs, ys, uxs, uys, 2, BEND_TOLERANCE)
        own = bent.gain[2] * np.hypot(uys, bent.slope * uxs)
        # points that scatter more than they should would show a bend by chance
        bend = abs(bent.coefficients[2]) / (np.sqrt((own**2).sum()) * widening(bent.chi_square, xs.size - 3))
    except FitError:
        bend = 0.0
    seen = bool(bend >= BEND_SEEN)
    return (
        offset,
        Considered("line", not seen, "apart", ratio),
        Considered("quadratic", seen, "bent" if seen else "straight", float(bend)),
    )


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


def _unseen_bend(
    xs: Array, ys: Array, uxs: Array, uys: Array, line: _Solved, bend_allowance: float
) -> list[tuple[str, Array]]:
    """What a straight line may be off by where its points would allow a quadratic, or are too few to show one."""
    if np.unique(xs).size < 3:
        if not bend_allowance:
            return []
        low, high = float(xs.min()) - line.pivot, float(xs.max()) - line.pivot
        # nothing at the two points, most in their middle
        return [(UNSEEN_BEND, bend_allowance * np.array([low * high, -(low + high), 1.0]))]
    try:
        bent = _solve(xs, ys, uxs, uys, 2, BEND_TOLERANCE)
    except FitError:
        return []
    a, b, c = bent.coefficients
    moved = line.pivot - bent.pivot
    same = np.array([a + b * moved + c * moved**2, b + 2.0 * c * moved, c])
    same[:2] -= line.coefficients
    return [(UNSEEN_BEND, float(np.sqrt(BEND_FACTOR)) * same)]


def _odd_points(solved: _Solved, uxs: Array, uys: Array) -> list[tuple[str, Array]]:
    """What leaving out each point would change, by how likely it is off: the further from the others, the likelier."""
    n, p = uxs.size, len(solved.coefficients)
    if n < 3 or n <= p:
        return []
    own = uys**2 + solved.slope**2 * uxs**2
    before = ODD_SHARE if n > p + 1 else ODD_SHARE_OF_FEW
    made = []
    for i, taken in enumerate(np.einsum("ij,ji->i", solved.basis, solved.gain).tolist()):
        if taken > 1.0 - 1e-6:
            continue
        off = float(solved.misfit[i]) / (1.0 - taken)
        expected = float(own[i]) / (1.0 - taken)
        odd = expected + ODD_SIZE**2 * float(own[i])
        odds = before * np.sqrt(expected / odd) * np.exp(min(0.5 * off**2 * (1.0 / expected - 1.0 / odd), 100.0))
        share = float(odds / (1.0 - before + odds))
        made.append((ODD_POINT, np.sqrt(share) * off * solved.gain[:, i]))
    return made


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
