"""Many boxes at once, stepped through what is done to them: air, walls, egg core, vapor and water left.

The air and the walls are two lumps of heat, held by a controller that gives what is needed and no more than it has; a
thermostat's swing is left out. Vapor is the balance of core.airbox in time. Each box of an ensemble has parameters of
its own, so that what is unsure of a machine spreads into what comes of it.
Source: lumped balances of heat and vapor, common practice.
"""

from __future__ import annotations

from dataclasses import dataclass, fields, replace
from typing import NamedTuple

import numpy as np
from numpy.typing import ArrayLike, NDArray

from stathmis.core import airbox
from stathmis.core.egg_heat import WARMTH_Q10, core_modes
from stathmis.core.psychrometrics import saturation_vapor_pressure

Array = NDArray[np.float64]

STEP_S = 300.0
"""A step of time: shorter than anything that settles here but a lid's first minutes."""
HEAT_PRIOR: dict[str, tuple[float, float]] = {
    "quick share": (-1.0, 0.6),
    "ln quick": (float(np.log(500.0)), 0.7),
    "ln lift": (float(np.log(45.0)), 0.4),
    "follow": (0.03, 0.04),
    "ln lid": (float(np.log(1.0 / 400.0)), 0.8),
    "offset": (0.0, 0.5),
}
"""Mean and standard deviation before anything is known: share of the way to the room that the air falls quickly with
the heater off (logit: 0.1 to 0.55), and how quickly (s); how far over the room full heat holds it (K: 20 to
100); how
far the held air follows each degree of the room; how quickly an open lid lets the room in (1/s); the held air over what
the controller is set to (K). Source: common practice for small boxes, approximate."""
SLOW_FACTOR = 0.25
"""Standard uncertainty of the logarithm of how quickly the walls cool (batch.power_cut gives the middle)."""
LID_L_S = (np.log(3.0), 0.5)
"""Exchange of air through an open lid, ln of l/s: mean and standard deviation. Source: common practice, approximate."""
SHALLOW = (0.02, 0.45)
"""A trough begins to fall dry at its edges with a share of its water left from here to there, each alike. Source:
common practice."""
EDGES = (0.4, 1.0)
"""The surface that is left goes as the water left over its edges to a power from here to there: 0.5 for a flat tray
that is not level. Source: geometry of a wedge; the range is our own."""
_GRID_C = np.arange(-20.0, 100.0, 0.05)
_GRID_HPA = np.asarray(saturation_vapor_pressure(_GRID_C))


def _saturated(celsius: Array) -> Array:
    """Saturation vapor pressure, hPa, from a table of core.psychrometrics: within 0.001 %, and ten times as quick."""
    made: Array = np.interp(celsius, _GRID_C, _GRID_HPA)
    return made


@dataclass(frozen=True)
class Boxes:
    """Parameters of n boxes, each of shape (n,) but theta (n, 8), as core.airbox has them.

    slow_s: response time of the walls, s; share, quick_s: see HEAT_PRIOR; lift_k: over the room at full heat, K;
    offset_k: of the held air over what the controller is set to, K; follow: of the held air, K per K of the room; lid:
    1/s; lid_l_s: exchange with the lid open, l/s; shallow: share of water at which a surface begins to shrink; edge:
    see EDGES.
    """

    slow_s: Array
    share: Array
    quick_s: Array
    lift_k: Array
    offset_k: Array
    follow: Array
    lid: Array
    lid_l_s: Array
    shallow: Array
    edge: Array
    theta: Array

    @property
    def count(self) -> int:
        """How many."""
        return self.slow_s.size

    def picked(self, heat: NDArray[np.int64], vapor: NDArray[np.int64]) -> Boxes:
        """Boxes with the heat of some and the moisture of others, by their numbers."""
        moist = ("lid_l_s", "shallow", "edge", "theta")
        return Boxes(**{f.name: getattr(self, f.name)[vapor if f.name in moist else heat] for f in fields(self)})

    def wet(self, water: Array) -> Array:
        """Share of a wetted surface that is left with a share of its water, shape (..., n) as that."""
        made: Array = np.minimum(1.0, water / self.shallow) ** self.edge
        return made


class Doings(NamedTuple):
    """What a machine stands in and what is done to it, for each step: arrays of shape (steps,), the room's (steps, n).

    point_c: what the controller is set to, °C; power, lid: share of the step with mains, with the lid open;
    surface_cm2, opening: wetted surface and vents, 0 to 1; filled: whether the water is full at its beginning;
    eggs_mg_d_hpa: conductance of all eggs; own_k: how much the embryos warm the core over the air, K; room_c,
    room_hpa: °C, hPa.
    """

    point_c: Array
    power: Array
    lid: Array
    surface_cm2: Array
    opening: Array
    filled: NDArray[np.bool_]
    eggs_mg_d_hpa: Array
    own_k: Array
    room_c: Array
    room_hpa: Array


def part(doings: Doings, begin: int | None, end: int | None) -> Doings:
    """What is done in some of the steps, from begin up to end. Source: see the module."""
    return Doings(*(row[begin:end] for row in doings))  # type: ignore[arg-type]


def copied(doings: Doings) -> Doings:
    """The same, to be changed. Source: see the module."""
    return Doings(*(row.copy() for row in doings))  # type: ignore[arg-type]


class Ways(NamedTuple):
    """What comes of it, shape (steps, n): air and egg core °C, humidity %, share of the water left."""

    air_c: Array
    core_c: Array
    rh: Array
    water: Array


@dataclass
class Standing:
    """How n boxes stand: air and walls °C, vapor hPa, share of the water left, each (n,); core: the egg's modes, °C,
    shape (modes, n)."""

    air_c: Array
    wall_c: Array
    vapor_hpa: Array
    water: Array
    core: Array


def likely(off: Array, u: ArrayLike, level: float, keep: int, seed: int = 9) -> NDArray[np.int64]:
    """Boxes that fit a log best, so many numbers of them, some more than once.

    off: what was read less what each box does, shape (readings, boxes); u: how far a good box is off at a reading,
    (readings,), and level: at all of them alike, standard uncertainties. No more is believed than leaves one in SPARED
    boxes: the model is not the machine. Source: importance sampling, tempered (effective sample size).
    """
    middle = np.median(off, axis=0)
    chi = (((off - middle) / np.asarray(u)[:, None]) ** 2).clip(0.0, 25.0).sum(axis=0)
    apart = (middle / level) ** 2
    chi, apart = chi - chi.min(), apart - apart.min()
    low, high = 0.0, 1.0
    for _ in range(40):
        trust = 0.5 * (low + high)
        w = np.exp(-0.5 * (trust * chi + apart))
        low, high = (trust, high) if w.sum() ** 2 / (w**2).sum() > chi.size / SPARED else (low, trust)
    w = np.exp(-0.5 * (low * chi + apart))
    rng = np.random.default_rng(seed)
    picked = np.searchsorted(np.cumsum(w) / w.sum(), (np.arange(keep) + rng.random()) / keep)
    made: NDArray[np.int64] = rng.permutation(np.minimum(picked, chi.size - 1))
    return made


LEAST_SHARE = 0.3
"""No log makes what a box is like surer than this share of what it was before. Source: our own."""
SPARED = 8.0
"""At least one in so many boxes is kept."""


def settled(boxes: Boxes, doings: Doings, air_c: Array, rh: Array, water: Array, modes: int) -> Standing:
    """Boxes that have held an air (°C, %) for long, with so much water left, in the room of the first step.
    Source: see the module."""
    wall = air_c - boxes.share * (air_c - doings.room_c[0])
    vapor = np.asarray(saturation_vapor_pressure(air_c)) * rh / 100.0
    return Standing(air_c.copy(), wall, vapor, water.copy(), np.repeat(air_c[None, :], modes, axis=0))


def run(
    boxes: Boxes,
    standing: Standing,
    doings: Doings,
    depth_ml_cm2: float | None,
    egg_g: float,
    *,
    forced_air: bool = True,
    step_s: float = STEP_S,
) -> Ways:
    """Step boxes through what is done; standing is carried on.

    depth_ml_cm2: water over a wetted surface when it is full, ml/cm², None where it never runs dry; egg_g: mass of an
    egg, g. Returns the state at the end of every step. Raises ValueError for steps not above 0.
    Source: see the module; air and walls by one implicit step, vapor exactly.
    """
    if not step_s > 0:
        raise ValueError("steps are above 0 s")
    made_c = air(boxes, standing, doings, step_s)
    core_c = cores(standing, doings, made_c, egg_g, forced_air=forced_air, step_s=step_s)
    rh, water = moisture(boxes, standing, doings, made_c, depth_ml_cm2, step_s)
    return Ways(made_c, core_c, rh, water)


def air(boxes: Boxes, standing: Standing, doings: Doings, step_s: float = STEP_S) -> Array:
    """The air alone, °C, shape (steps, n): see run. Source: one implicit step of two lumps."""
    a = 1.0 / boxes.quick_s
    # from how the air falls to what passes between the lumps
    ratio = boxes.share / (1.0 - boxes.share)
    c = 1.0 / np.maximum(boxes.slow_s * ratio - boxes.quick_s, 0.2 * boxes.slow_s * ratio)
    d = c * ratio
    most = step_s * a * boxes.share * boxes.lift_k
    wall_off = 1.0 + step_s * (c + d)
    gain, wall_d = step_s * c / wall_off, step_s * d / wall_off
    held = 1.0 + step_s * a * (1.0 - gain)
    wanted = doings.point_c[:, None] + boxes.offset_k + boxes.follow * (doings.room_c - doings.room_c.mean(axis=0))
    now, wall = standing.air_c, standing.wall_c
    made = np.empty(wanted.shape)
    lids, powers = doings.lid.tolist(), doings.power.tolist()
    for i in range(wanted.shape[0]):
        room = doings.room_c[i]
        rest = wall / wall_off + wall_d * room
        base, least = now + step_s * a * rest, held
        if lids[i]:
            out = step_s * lids[i] * boxes.lid
            base, least = base + out * room, held + out
        # what heat brings the air to where it is held in this step, were there enough of it
        heat = np.minimum(np.maximum(wanted[i] * least - base, 0.0), most)
        now = (base + (heat if powers[i] == 1.0 else heat * powers[i])) / least
        wall = rest + gain * now
        made[i] = now
    standing.air_c, standing.wall_c = now, wall
    return made


def cores(
    standing: Standing,
    doings: Doings,
    air_c: Array,
    egg_g: float,
    *,
    forced_air: bool = True,
    step_s: float = STEP_S,
) -> Array:
    """The middle of the eggs behind an air, with their own heat, °C, shape (steps, n); see run. Source:
    core.egg_heat."""
    modes = core_modes(egg_g, forced_air)
    fade = np.exp(-step_s / np.array([tau for tau, _ in modes]))[:, None]
    weight = np.array([w for _, w in modes])
    core, made = standing.core, np.empty(air_c.shape)
    for i in range(air_c.shape[0]):
        core = air_c[i] + (core - air_c[i]) * fade
        made[i] = weight @ core
    standing.core = core
    own: Array = made + doings.own_k[:, None] * WARMTH_Q10 ** (np.minimum(made - 37.0, 0.0) / 10.0)
    return own


def moisture(
    boxes: Boxes,
    standing: Standing,
    doings: Doings,
    air_c: Array,
    depth_ml_cm2: float | None,
    step_s: float = STEP_S,
) -> tuple[Array, Array]:
    """Humidity, %, and the share of the water left, each (steps, n), in an air of °C; see run. Source: core.airbox, in
    time."""
    saturated = _saturated(air_c)
    t = boxes.theta
    k, leak, vent, shape = (np.exp(t[:, i]) for i in range(4))
    per_liter = step_s / np.exp(t[:, 5])
    at_water, room = _saturated(air_c - t[:, 4]), doings.room_hpa + t[:, 7]
    eggs = airbox.eggs_l_s(doings.eggs_mg_d_hpa)
    opening = doings.opening[:, None]
    flow = leak + boxes.lid_l_s * doings.lid[:, None] + vent * np.maximum(opening, 1e-9) ** shape
    brought = flow * room + eggs[:, None] * saturated
    flow += eggs[:, None]
    wetted = k * doings.surface_cm2[:, None]
    empties = k * airbox.ML_PER_HPA_L * step_s / (depth_ml_cm2 or 1.0)
    vapor, water = standing.vapor_hpa, standing.water
    rh, left = np.empty(air_c.shape), np.empty(air_c.shape)
    for i in range(air_c.shape[0]):
        if doings.filled[i]:
            water = np.ones(water.shape)
        wet = boxes.wet(water) if depth_ml_cm2 is not None else 1.0
        kw = wetted[i] * wet
        rate = flow[i] + kw
        rest = (brought[i] + kw * at_water[i]) / rate
        steps = per_liter * rate
        share = -np.expm1(-steps)
        mean = rest + (vapor - rest) * share / steps
        vapor = np.minimum(vapor + (rest - vapor) * share, saturated[i])
        if depth_ml_cm2 is not None:
            # of each wetted cm², for the surface shrinks as it empties
            water = np.maximum(0.0, water - empties * wet * np.maximum(0.0, at_water[i] - mean))
        rh[i], left[i] = vapor, water
    standing.vapor_hpa, standing.water = vapor, water
    return 100.0 * rh / saturated, left


def draw(count: int, theta: Array, slow_s: float, heat: tuple[Array, Array] | None = None, seed: int = 5) -> Boxes:
    """Boxes as a machine may be: parameters of vapor in turn from theta, shape (draws, 8); of heat from their mean and
    covariance where a log taught them (fit_heat), else from HEAT_PRIOR and slow_s, s. The same for the same seed.
    Source: normal draws."""
    rng = np.random.default_rng(seed)
    mean, covariance = heat if heat is not None else prior(slow_s)
    drawn = mean + rng.standard_normal((count, mean.size)) @ np.linalg.cholesky(covariance).T
    lid_l_s, shallow = np.exp(rng.normal(*LID_L_S, count)), rng.uniform(*SHALLOW, count)
    picked = theta[rng.permutation(theta.shape[0])[np.arange(count) % theta.shape[0]]]
    edge = rng.uniform(*EDGES, count)
    return replace(_heated(drawn), lid_l_s=lid_l_s, shallow=shallow, edge=edge, theta=picked)


def prior(slow_s: float) -> tuple[Array, Array]:
    """Mean and covariance of the heat's parameters before anything is known of a machine whose walls cool so slowly, s.
    Source: HEAT_PRIOR."""
    rows = [*HEAT_PRIOR.values(), (float(np.log(slow_s)), SLOW_FACTOR)]
    mean, spread = np.array(rows).T
    return mean, np.diag(spread**2)


def _heated(theta: Array) -> Boxes:
    """Boxes of heat parameters, shape (n, 7): in the order of HEAT_PRIOR, then ln of the slow response."""
    none, one = np.zeros(theta.shape[0]), np.ones(theta.shape[0])
    share = 0.1 + 0.45 / (1.0 + np.exp(-theta[:, 0]))
    quick, lift, lid, slow = (np.exp(np.clip(theta[:, i], -12.0, 12.0)) for i in (1, 2, 4, 6))
    return Boxes(slow, share, quick, lift, theta[:, 5], theta[:, 3], lid, none, 0.2 * one, one, np.zeros((one.size, 8)))


def fit_heat(doings: Doings, air_c: Array, u_k: Array, slow_s: float, start_c: float) -> tuple[Array, Array]:
    """What a log of the air tells of the heat's parameters: their mean and covariance.

    doings: with one room, (steps, 1); air_c, u_k: what was read in each step, °C, nan where it was not, and its
    standard uncertainty, K; slow_s: see prior; start_c: the air before the first step. Where the air does not do what
    any box would, the result is as unsure as that shows. Raises ValueError for shapes that differ.
    Source: maximum a posteriori with its normal approximation, as core.airbox.
    """
    if air_c.shape != doings.point_c.shape or u_k.shape != air_c.shape:
        raise ValueError("one reading is needed for each step")
    middle, covariance = prior(slow_s)
    spread = np.sqrt(np.diag(covariance))
    known = np.isfinite(air_c)

    def left(theta: Array) -> Array:
        boxes = _heated(theta)
        n = boxes.count
        # one room, seen by each of the boxes that are tried
        seen = doings._replace(room_c=np.repeat(doings.room_c, n, axis=1))
        standing = settled(boxes, seen, np.full(n, start_c), np.full(n, 50.0), np.ones(n), 1)
        way = air(boxes, standing, seen)[known]
        off = (way - air_c[known][:, None]) / u_k[known][:, None]
        return np.concatenate([off.T, (theta - middle) / spread], axis=1)

    theta, jacobian, residual = airbox.least_squares(left, middle, spread, 20)
    found = np.asarray(np.linalg.inv(jacobian.T @ jacobian), dtype=np.float64)
    data = residual[: -middle.size]
    worse = max(1.0, float((data**2).sum()) / max(1, data.size))
    # a log of a few lids cannot tell more than so much of what a box is like
    return theta, found * worse + LEAST_SHARE**2 * covariance
