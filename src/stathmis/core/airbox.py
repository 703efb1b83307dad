"""The box of air: what humidity water surface, vents and the room's air settle to, learned from steady states.

Vapor comes from the wetted surface and the eggs and is exchanged with the room through leaks and vents. In the steady
state, with p in hPa and flows in liters per second,

    p_in = (q p_room + k A ps(T_water) + E ps(T)) / (q + k A + E),   q = leak + vent_flow · opening^shape.

All parameters have wide priors, so that even the first state says something; every further one narrows them.
Source: lumped vapor balance, common practice; fitted as a maximum a posteriori estimate with its normal approximation.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import ArrayLike, NDArray

from stathmis.core.psychrometrics import saturation_vapor_pressure
from stathmis.core.uncertainty import NORMAL_95

Array = NDArray[np.float64]

PRIOR = {
    "ln k": (float(np.log(2.5e-4)), 0.8),
    "ln leak": (float(np.log(0.025)), 1.1),
    "ln vent": (float(np.log(0.15)), 1.0),
    "ln shape": (0.0, 0.15),
    "cooling": (3.0, 0.7),
    "ln volume": (float(np.log(50.0)), 0.9),
}
"""Mean and standard deviation before anything is known: k, l/(s cm²), is a mass transfer coefficient of 1 to 6 mm/s
over small basins (from memory); flows, l/s, and volume, l, are those of tabletop to cabinet machines; an evaporating
surface is a few K cooler than the air (common practice)."""
U_MODEL_RH = 0.5
"""What a box does besides the model, percent: layers, drops, the place of the instrument. Source: common practice."""
ML_PER_HPA_L = 7.0e-4
"""Water, ml, in a liter of vapor at 1 hPa and 37 °C. Source: ideal gas, 461.5 J/(kg K)."""
DRAWS = 400
_K, _LEAK, _VENT, _SHAPE, _COOLING, _VOLUME, _OFFSET, _ROOM = range(8)


class SteadyState(NamedTuple):
    """Humidity that had settled: wetted surface cm², vent opening 0 to 1, room °C and %, inside °C and %.

    u_rh: standard uncertainty of its mean without what the instrument is off by all along, percent; eggs_mg_d_hpa:
    conductance of all eggs together, mg/(d hPa); tau_s: time constant with which it settled, s, nan where not seen, and
    the relative standard uncertainty of that.
    """

    surface_cm2: float
    vent: float
    room_c: float
    room_rh: float
    inside_c: float
    rh: float
    u_rh: float = 0.5
    eggs_mg_d_hpa: float = 0.0
    tau_s: float = float("nan")
    u_ln_tau: float = 0.3


class Evaporated(NamedTuple):
    """Water that went: ml/h with its standard uncertainty, from a surface in cm², at °C and percent inside."""

    surface_cm2: float
    inside_c: float
    rh: float
    ml_per_h: float
    u_ml_per_h: float


@dataclass(frozen=True)
class Box:
    """A fitted box. mean, covariance: of the parameters, shape (8,) and (8, 8); states: how many steady states it rests
    on; chi_square: of those."""

    mean: Array
    covariance: Array
    states: int
    chi_square: float

    def predict(
        self,
        surface_cm2: ArrayLike,
        vent: ArrayLike,
        room_c: ArrayLike,
        room_rh: ArrayLike,
        inside_c: ArrayLike,
        eggs_mg_d_hpa: ArrayLike = 0.0,
    ) -> tuple[Any, Any]:
        """Humidity of combinations of water and vent, and its standard uncertainty, percent.

        Arguments broadcast: cm², opening 0 to 1, room °C and %, inside °C, conductance of all eggs mg/(d hPa). Raises
        ValueError for a negative surface or an opening outside 0 to 1. Source: law of propagation of uncertainty; the
        mean of draws would lie off where flows are known only together, even at what was measured.
        """
        conditions = (surface_cm2, vent, room_c, room_rh, inside_c, eggs_mg_d_hpa)
        arrays = np.broadcast_arrays(*(np.asarray(c, dtype=np.float64) for c in conditions))
        if (arrays[0] < 0).any() or (arrays[1] < 0).any() or (arrays[1] > 1).any():
            raise ValueError("a surface is not below 0 cm², an opening lies from 0 to 1")
        flat = [a.ravel() for a in arrays]
        value, gradient = _humidity(self.mean[None, :], *flat)[0], _gradients(self, flat)
        u = np.sqrt(((gradient @ self.covariance) * gradient).sum(axis=1) + U_MODEL_RH**2)
        shape = arrays[0].shape
        return (float(value[0]), float(u[0])) if shape == () else (value.reshape(shape), u.reshape(shape))

    @cached_property
    def draws(self) -> Array:
        # fixed draws: the same box always says the same
        normal = np.random.default_rng(8).standard_normal((DRAWS, self.mean.size))
        normal = np.concatenate([normal, -normal])
        values, vectors = np.linalg.eigh(self.covariance)
        made: Array = self.mean + normal @ (vectors * np.sqrt(np.maximum(values, 0.0))).T
        return made

    def settling_s(self, surface_cm2: float, vent: float, eggs_mg_d_hpa: float = 0.0) -> tuple[float, float]:
        """Time constant with which the air settles (63 % of a step), s, and its relative standard uncertainty."""
        found = np.log(_time_constant(self.draws, np.array([surface_cm2]), np.array([vent]), eggs_mg_d_hpa))
        return float(np.exp(found.mean())), float(found.std())

    def evaporation_ml_h(self, surface_cm2: float, inside_c: float, rh: float) -> tuple[float, float]:
        """Water that goes from a surface at °C and % inside, ml/h, and its relative standard uncertainty."""
        drawn = np.maximum(_evaporation(self.draws, np.array([surface_cm2]), inside_c, rh), 1e-9)
        found = np.log(drawn)
        return float(np.exp(found.mean())), float(found.std())

    @property
    def offset(self) -> tuple[float, float]:
        """What the instrument inside seems to be off by, percent, and its standard uncertainty."""
        return float(self.mean[_OFFSET]), float(np.sqrt(self.covariance[_OFFSET, _OFFSET]))


def eggs_l_s(eggs_mg_d_hpa: ArrayLike) -> Any:
    """Conductance of eggs, mg/(d hPa), as a flow of vapor, l/s at 37 °C. Source: ideal gas, ML_PER_HPA_L."""
    return np.asarray(eggs_mg_d_hpa, dtype=np.float64) / 86400.0 * 1e-3 / ML_PER_HPA_L


def _parts(theta: Array, surface: Array, vent: Array) -> tuple[Array, Array]:
    """Exchange with the room and evaporation, l/s, shape (draws, conditions)."""
    t = theta[:, :, None]
    with np.errstate(divide="ignore"):
        flow = np.exp(t[:, _LEAK]) + np.exp(t[:, _VENT] + np.exp(t[:, _SHAPE]) * np.log(vent)[None, :])
    return flow, np.exp(t[:, _K]) * surface[None, :]


def _humidity(
    theta: Array,
    surface: Array,
    vent: Array,
    room_c: Array,
    room_rh: Array,
    inside_c: Array,
    eggs: Array,
    *,
    wet_share: ArrayLike = 1.0,
    more_flow_l_s: ArrayLike = 0.0,
    source_hpa_l_s: ArrayLike = 0.0,
) -> Array:
    """True steady humidity, percent, shape (draws, conditions); wet_share: how much of the surface is still wet,
    more_flow_l_s: exchange besides leaks and vents, source_hpa_l_s: vapor from elsewhere; these broadcast too."""
    flow, wet = _parts(theta, surface, vent)
    flow, wet = flow + np.asarray(more_flow_l_s), wet * np.asarray(wet_share)
    e = eggs_l_s(eggs)
    saturated = np.asarray(saturation_vapor_pressure(inside_c))
    at_water = np.asarray(saturation_vapor_pressure(np.clip(inside_c[None, :] - theta[:, [_COOLING]], 0.0, 99.0)))
    room = np.asarray(saturation_vapor_pressure(room_c)) * room_rh / 100.0 + theta[:, [_ROOM]]
    inside = (flow * room + wet * at_water + e * saturated + np.asarray(source_hpa_l_s)) / (flow + wet + e)
    made: Array = np.clip(100.0 * inside / saturated, 0.0, 100.0)
    return made


def _time_constant(theta: Array, surface: Array, vent: Array, eggs: ArrayLike) -> Array:
    flow, wet = _parts(theta, surface, vent)
    made: Array = np.exp(theta[:, [_VOLUME]]) / (flow + wet + eggs_l_s(eggs))
    return made


def _evaporation(theta: Array, surface: Array, inside_c: ArrayLike, rh: ArrayLike) -> Array:
    at_water = np.asarray(saturation_vapor_pressure(np.asarray(inside_c) - theta[:, [_COOLING]]))
    inside = np.asarray(saturation_vapor_pressure(inside_c)) * np.asarray(rh) / 100.0
    made: Array = np.exp(theta[:, [_K]]) * surface[None, :] * (at_water - inside) * ML_PER_HPA_L * 3600.0
    return made


def least_squares(
    left: Callable[[Array], Array], start: Array, scale: Array, rounds: int = 80
) -> tuple[Array, Array, Array]:
    """Levenberg and Marquardt's least squares for residuals that take many parameter sets at once.

    left: from shape (sets, parameters) to (sets, residuals); scale: of each parameter, for the differences. Returns the
    parameters, the Jacobian and the residuals there. Source: Marquardt (1963); all differences in one call, which makes
    it some ten times as quick here as a general solver, and needs no import at the first look. Held against SciPy's.
    """
    x: Array = start.copy()
    damping = 1e-3
    steps = 1e-4 * np.diag(scale)
    residual = left(x[None, :])[0]
    jacobian = np.empty((residual.size, x.size))
    for _ in range(rounds):
        both = left(np.concatenate([x + steps, x - steps]))
        jacobian = ((both[: x.size] - both[x.size :]) / (2e-4 * scale[:, None])).T
        normal, slope = jacobian.T @ jacobian, jacobian.T @ residual
        while damping < 1e12:
            step = np.linalg.solve(normal + damping * np.diag(np.diag(normal)), -slope)
            tried = left((x + step)[None, :])[0]
            if np.isfinite(tried).all() and (tried**2).sum() <= (residual**2).sum():
                break
            damping *= 4.0
        else:
            break
        gained = float((residual**2).sum() - (tried**2).sum())
        x, residual, damping = x + step, tried, max(damping / 8.0, 1e-12)
        if gained <= 1e-12 * (1.0 + float((residual**2).sum())):
            break
    return x, jacobian, residual


def fit_box(
    states: Sequence[SteadyState],
    u_instrument_rh: float = 2.0,
    u_room_hpa: float = 0.5,
    evaporated: Sequence[Evaporated] = (),
) -> Box:
    """Learn a box from steady states, however few.

    u_instrument_rh: what the instrument inside may be off by all along (standard uncertainty, percent); u_room_hpa:
    likewise of the room's vapor pressure; evaporated: amounts of water that went, which give the absolute scale.
    Raises ValueError for a negative surface, an opening outside 0 to 1, or an uncertainty not above 0.
    Source: see the module. Where the states scatter more than their uncertainties allow, the result is as unsure as
    they show.
    """
    columns = np.array([tuple(s) for s in states], dtype=np.float64).reshape(-1, len(SteadyState._fields)).T
    surface, vent, room_c, room_rh, inside_c, rh, u_rh, eggs, tau, u_tau = columns
    if (surface < 0).any() or (vent < 0).any() or (vent > 1).any():
        raise ValueError("a surface is not below 0 cm², an opening lies from 0 to 1")
    if (u_rh <= 0).any() or not (u_instrument_rh > 0 and u_room_hpa > 0):
        raise ValueError("uncertainties are above 0")
    priors = [*PRIOR.values(), (0.0, u_instrument_rh), (0.0, u_room_hpa)]
    middle, spread = np.array(priors, dtype=np.float64).T
    u = np.hypot(u_rh, U_MODEL_RH)
    timed = np.isfinite(tau)
    water = np.array([tuple(e) for e in evaporated], dtype=np.float64).reshape(-1, 5).T

    def left(t: Array) -> Array:
        wet = (_humidity(t, surface, vent, room_c, room_rh, inside_c, eggs) + t[:, [_OFFSET]] - rh) / u
        slow = np.log(_time_constant(t, surface[timed], vent[timed], eggs[timed]) / tau[timed]) / u_tau[timed]
        gone = (_evaporation(t, water[0], water[1], water[2]) - water[3]) / water[4]
        return np.concatenate([wet, slow, gone, (t - middle) / spread], axis=1)

    theta, jacobian, residual = least_squares(left, middle, spread)
    covariance = np.asarray(np.linalg.inv(jacobian.T @ jacobian), dtype=np.float64)
    data = residual[: -middle.size]
    chi_square = float((data**2).sum())
    if data.size and chi_square > data.size:
        covariance = covariance * chi_square / data.size
    return Box(theta, covariance, len(states), float((data[: len(states)] ** 2).sum()))


class Odd(NamedTuple):
    """A state that contradicts the others: its number, how far it lies off what they say (seen less predicted,
    percent), and the standard uncertainty of that."""

    at: int
    difference: float
    u: float


def odd_state(
    box: Box,
    states: Sequence[SteadyState],
    u_instrument_rh: float = 2.0,
    u_room_hpa: float = 0.5,
    evaporated: Sequence[Evaporated] = (),
) -> Odd | None:
    """The state that fits least, where states contradict each other beyond chance; None where they do not, or are too
    few to tell which: what was wet, or how far a vent stood open, was logged otherwise than it was.

    box: fitted to all of them; the rest as fit_box. Source: chi square of all (from ODD_BELOW on), then each held
    against a box fitted without it.
    """
    # SciPy is read in only where a box is worked out
    from scipy.special import gammaincc

    if len(states) < ODD_FROM or float(gammaincc(len(states) / 2.0, box.chi_square / 2.0)) >= ODD_BELOW:
        return None
    found = []
    for i, state in enumerate(states):
        others = [*states[:i], *states[i + 1 :]]
        off = misfit(fit_box(others, u_instrument_rh, u_room_hpa, evaporated), [state])
        found.append(Odd(i, off.difference, off.u))
    return max(found, key=lambda odd: abs(odd.difference) / odd.u)


def _gradients(box: Box, conditions: Sequence[Array]) -> Array:
    """How the humidity of conditions moves with each parameter, shape (conditions, 8)."""
    step = 1e-4
    moved = np.concatenate([box.mean + step * np.eye(box.mean.size), box.mean - step * np.eye(box.mean.size)])
    found = _humidity(moved, *conditions)
    made: Array = ((found[: box.mean.size] - found[box.mean.size :]) / (2.0 * step)).T
    return made


def best_trial(box: Box, candidates: Sequence[SteadyState], wanted: Sequence[SteadyState]) -> tuple[int, Array]:
    """Which single combination, tried next, would teach most about the combinations that are wanted.

    candidates, wanted: their humidity is not used. Returns the candidate's number, and the mean standard uncertainty of
    the wanted ones to be expected after each candidate, percent. Raises ValueError where either is empty.
    Source: expected posterior variance of the linearized model (Bayesian A-optimal design).
    """
    if not candidates or not wanted:
        raise ValueError("combinations to try and combinations wanted are needed")
    tried, aims = (_gradients(box, _conditions(rows)) for rows in (candidates, wanted))
    seen = tried.copy()
    seen[:, _OFFSET] = 1.0
    u2 = np.array([c.u_rh for c in candidates]) ** 2 + U_MODEL_RH**2
    gain = box.covariance @ seen.T
    learned = (aims @ gain) ** 2 / ((seen * gain.T).sum(axis=1) + u2)
    before = ((aims @ box.covariance) * aims).sum(axis=1)
    expected = np.sqrt(np.maximum(before[:, None] - learned, 0.0) + U_MODEL_RH**2).mean(axis=0)
    return int(np.argmin(expected)), expected


def _conditions(states: Sequence[SteadyState]) -> list[Array]:
    rows = np.array([(*s[:5], s.eggs_mg_d_hpa) for s in states], dtype=np.float64)
    return list(rows.T)


CAUSES = ("leak", "dry", "hygrometer", "source")
ODD_FROM, ODD_BELOW = 4, 1e-3
"""From so many states on it can be told which is odd; and how unlikely the states' scatter is by chance where one is.
Source: our own; in 40 simulated boxes with six states none is called odd, and of those with one surface logged 2.5
times too large or too small 70 % are, always the right one."""


class Cause(NamedTuple):
    """Something that would explain states that do not fit: "leak", "dry", "hygrometer" or "source" (of vapor).

    weight: its share among the causes that would; size: how large it must be (exchange besides, l/s; share of the
    surface that is dry; percent RH; hPa l/s).
    """

    name: str
    weight: float
    size: float


class Misfit(NamedTuple):
    """How states lie against a box: mean difference (percent, seen less predicted) and its standard uncertainty; the
    probable causes, likeliest first, none where they fit."""

    difference: float
    u: float
    causes: tuple[Cause, ...]


def misfit(
    box: Box, states: Sequence[SteadyState], *, chicks: bool = False, before: Mapping[str, float] | None = None
) -> Misfit:
    """Whether later states fit a box, and what would explain it where they do not.

    box: fitted without these states; chicks: whether wet chicks may give vapor; before: how likely each cause of CAUSES
    is beforehand, in any scale (alike by default). A difference counts beyond two standard uncertainties. Raises
    ValueError for no states. Source: likelihood of each cause at its best size.
    """
    if not states:
        raise ValueError("states are needed")
    conditions = _conditions(states)
    seen = np.array([s.rh for s in states])
    gradient = _gradients(box, conditions)
    gradient[:, _OFFSET] = 1.0
    own = np.diag([s.u_rh**2 + U_MODEL_RH**2 for s in states])
    inverse = np.linalg.inv(gradient @ box.covariance @ gradient.T + own)
    plain = _humidity(box.mean[None, :], *conditions)[0] + box.mean[_OFFSET]
    ones = np.ones(len(states))
    weight = float(ones @ inverse @ ones)
    difference, u = float(ones @ inverse @ (seen - plain)) / weight, weight**-0.5
    if abs(difference) <= NORMAL_95 * u:
        return Misfit(difference, u, ())
    sizes = np.linspace(0.0, 1.0, 101)[1:]
    mean = box.mean[None, :]

    def altered(**change: Array) -> Array:
        """Shape (sizes, states): what the instrument would show with a change of each size."""
        made: Array = _humidity(mean, *conditions, **change) + box.mean[_OFFSET]
        return made

    tried: dict[str, tuple[Array, Array]] = {}
    shift = 60.0 * sizes - 30.0
    tried["hygrometer"] = (shift, plain[None, :] + shift[:, None])
    if difference < 0:
        more = 2.0 * float(np.exp(box.mean[_LEAK]) + np.exp(box.mean[_VENT])) * sizes
        tried["leak"] = (more, altered(more_flow_l_s=more[:, None]))
        tried["dry"] = (sizes, altered(wet_share=1.0 - sizes[:, None]))
    if difference > 0 and chicks:
        tried["source"] = (10.0 * sizes, altered(source_hpa_l_s=10.0 * sizes[:, None]))
    causes = []
    for name, (grid, shown) in tried.items():
        off = seen[None, :] - shown
        chi = ((off @ inverse) * off).sum(axis=1)
        best = int(np.argmin(chi))
        prior = (before or {}).get(name, 1.0)
        causes.append((name, prior * float(np.exp(-0.5 * min(chi[best], 700.0))), float(grid[best])))
    total = sum(c[1] for c in causes)
    found = [Cause(name, w / total, size) for name, w, size in causes]
    return Misfit(difference, u, tuple(sorted(found, key=lambda c: -c.weight)))
