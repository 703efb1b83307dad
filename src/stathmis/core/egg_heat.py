"""The egg behind the air: its slow core, the embryo's own heat, a shell under an open lid, and what a mean off the mark
does to the hatch day.

The core is the middle of a sphere that conducts heat and takes it up at its surface.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import lru_cache
from itertools import pairwise
from math import cos, pi, sin, sqrt, tan

import numpy as np
from numpy.typing import ArrayLike, NDArray

Array = NDArray[np.float64]

HEAT_CAPACITY_J_PER_G_K = 3.31
"""Specific heat of an egg. Source: Romanoff & Romanoff, The Avian Egg (1949), from memory."""
TRANSFER_W_PER_M2_K = {True: 25.0, False: 10.0}
"""Heat transfer from the air, forced (True) and still. Source: common practice."""
CONDUCTIVITY_W_PER_M_K = 0.5
"""Heat conducted by what is in an egg, between white and yolk. Source: from memory (white 0.55, yolk 0.40)."""
DENSITY_G_PER_CM3 = 1.05
"""Of an egg in the middle of its term. Source: from memory (fresh 1.08, air cell grown 1.0)."""
MODES = 3
"""So many exponentials of the sphere's answer are followed; with them a step of the air is met within 3 % of it."""
OXYGEN_ML_PER_DAY = (28.9, 0.714)
"""Oxygen a bird's embryo takes before it pips, factor and power of the egg's mass in g. Source: Hoyt & Rahn (1980),
from memory."""
OXYGEN_J_PER_ML = 19.7
"""Heat from oxygen where fat is burnt. Source: textbook value, from memory."""
GROWTH = (0.70, 11.0)
PIPS = 0.9
"""The embryo's heat over the term: half of the most at this share of it, how steeply it rises there (logistic), and the
share at which it pips. Source: a hen's oxygen by day, from memory: 60, 230, 390, 530 ml on days 10, 14, 16, 18."""
EVAPORATION_J_PER_G = 2410.0
"""Heat of vaporization of water at 37 °C. Source: textbook value."""
WARMTH_Q10 = 2.0
"""The embryo's heat falls by half for each 10 K it is cooled. Source: common practice."""
OWN_U = 0.3
"""Standard uncertainty of the embryo's own heat, relative: eggs, drafts and their neighbours differ."""
BIOLOGICAL_ZERO_C = 25.0
"""Development is taken to run with the degrees above this. Source: rule of thumb, common practice."""

_BLOCK = 200.0
"""Response times taken at once; e to this power is still a number."""
_AT_ONCE = 16384
"""So many readings at once stay in the processor's cache."""
_FORGOTTEN = 50.0
"""After so many response times nothing is left of where the egg started."""
COLD_C = 30.0
"""Embryos stand cold better: below this for many hours it matters much. Source: common practice."""
UNSURE = 3.0
"""Response times after a gap during which the core is not known."""


def egg_time_constant(egg_mass_g: float, forced_air: bool = True) -> float:
    """Response time of an egg's core to the air, c m/(h A).

    egg_mass_g: g, above 0; forced_air: a fan, or still air. Returns seconds. Raises ValueError for a mass not above 0.
    Source: first-order lag; area A = 4.835 m^0.662 cm², Paganelli et al. (1974).

    >>> round(egg_time_constant(60.0) / 60), round(egg_time_constant(60.0, forced_air=False) / 60)
    (18, 46)
    """
    if not egg_mass_g > 0:
        raise ValueError("an egg's mass is above 0 g")
    area_m2 = 4.835e-4 * egg_mass_g**0.662
    return float(HEAT_CAPACITY_J_PER_G_K * egg_mass_g / (TRANSFER_W_PER_M2_K[forced_air] * area_m2))


@lru_cache(maxsize=256)
def core_modes(egg_mass_g: float, forced_air: bool = True) -> tuple[tuple[float, float], ...]:
    """Response times (s) and weights of an egg's core: it follows the air as their weighted sum of first-order lags.

    Arguments as for egg_time_constant. Raises ValueError for a mass not above 0. Source: center of a sphere with
    convection at its surface (Carslaw & Jaeger, Conduction of Heat in Solids): 1 - z cot z = h r/k.

    >>> [(round(tau / 60), round(weight, 2)) for tau, weight in core_modes(60.0)]
    [(23, 1.32), (3, -0.5), (1, 0.18)]
    """
    if not egg_mass_g > 0:
        raise ValueError("an egg's mass is above 0 g")
    radius, k = _radius_m(egg_mass_g), CONDUCTIVITY_W_PER_M_K
    biot = TRANSFER_W_PER_M2_K[forced_air] * radius / k
    capacity = 1e6 * DENSITY_G_PER_CM3 * HEAT_CAPACITY_J_PER_G_K
    found: list[tuple[float, float]] = []
    for n in range(MODES):
        low, high = n * pi + 1e-9, (n + 1) * pi - 1e-9
        for _ in range(60):
            z = 0.5 * (low + high)
            low, high = (z, high) if 1.0 - z / tan(z) < biot else (low, z)
        weight = 4.0 * (sin(z) - z * cos(z)) / (2.0 * z - sin(2.0 * z))
        found.append((radius**2 * capacity / (k * z * z), weight))
    rest = 1.0 - sum(weight for _, weight in found[:-1])
    return (*found[:-1], (found[-1][0], rest))


def _radius_m(egg_mass_g: float) -> float:
    """Radius of a sphere of an egg's volume."""
    return float((3e-6 * egg_mass_g / DENSITY_G_PER_CM3 / (4.0 * pi)) ** (1 / 3))


@dataclass(frozen=True)
class OwnHeat:
    """How much warmer than the air an egg is by itself, K: its shell, its core; below 0 where it loses more by drying
    than the embryo makes."""

    shell_k: Array
    core_k: Array


def own_heat(egg_mass_g: float, share: ArrayLike, forced_air: bool = True, core_c: ArrayLike = 38.0) -> OwnHeat:
    """How much a bird's embryo warms its egg over the air, when all has settled.

    egg_mass_g, forced_air: see egg_time_constant; share: of the term that has passed, 0 to 1; core_c: of an egg that
    has been cooled, °C. Arrays broadcast. The standard uncertainty is OWN_U of it. Raises ValueError for a mass not
    above 0. Source: OXYGEN_ML_PER_DAY, GROWTH, WARMTH_Q10; less what drying takes (13 % of the mass until lockdown, in
    a term of 12.03 m^0.217 d, Rahn & Ar 1974).

    >>> [round(float(own_heat(60.0, share, fan).core_k), 1) for share in (2 / 3, 0.9) for fan in (True, False)]
    [0.4, 0.8, 1.0, 2.0]
    """
    if not egg_mass_g > 0:
        raise ValueError("an egg's mass is above 0 g")
    passed = np.clip(np.asarray(share, dtype=np.float64), 0.0, 1.0)
    factor, power = OXYGEN_ML_PER_DAY
    most_w = factor * egg_mass_g**power * OXYGEN_J_PER_ML / 86400.0
    middle, slope = GROWTH
    cooled = WARMTH_Q10 ** (np.minimum(np.asarray(core_c, dtype=np.float64) - 38.0, 0.0) / 10.0)
    grown = (1.0 + np.exp(-slope * (PIPS - middle))) / (1.0 + np.exp(-slope * (passed - middle)))
    made_w = most_w * grown * cooled
    drying_w = 0.13 * egg_mass_g / (0.86 * 12.03 * egg_mass_g**0.217) * EVAPORATION_J_PER_G / 86400.0
    transfer = TRANSFER_W_PER_M2_K[forced_air] * 4.835e-4 * egg_mass_g**0.662
    shell = (made_w - drying_w) / transfer
    radius = _radius_m(egg_mass_g)
    # a ball with even sources is q r^2/(6 k) warmer in the middle
    inside = made_w / (4.0 / 3.0 * pi * radius**3) * radius**2 / (6.0 * CONDUCTIVITY_W_PER_M_K)
    return OwnHeat(shell, shell + inside)


def shell_cooling(times_s: ArrayLike, shell_c: float, around_c: float) -> Array:
    """How much a shell has cooled so long after the lid was lifted, K, 0 or more.

    times_s: since then, s; shell_c: before; around_c: what it then stands in, °C. Good for the first minutes. Source:
    a half-space losing a steady flux, 2 q sqrt(t/(pi k rho c)) (Carslaw & Jaeger), still air.

    >>> shell_cooling([0.0, 30.0], 37.5, 29.5).round(2).tolist()
    [0.0, 0.38]
    """
    flux = TRANSFER_W_PER_M2_K[False] * max(0.0, shell_c - around_c)
    effusivity = sqrt(CONDUCTIVITY_W_PER_M_K * 1e6 * DENSITY_G_PER_CM3 * HEAT_CAPACITY_J_PER_G_K)
    since = np.maximum(np.asarray(times_s, dtype=np.float64), 0.0)
    return np.asarray(2.0 * flux * np.sqrt(since / pi) / effusivity)


def egg_temperature(
    times_s: ArrayLike,
    air_c: ArrayLike,
    egg_mass_g: float,
    forced_air: bool = True,
    start_c: float | None = None,
    max_gap_s: float | None = None,
) -> Array:
    """Core temperature of an egg from the air's, without the embryo's own heat, for air that runs straight between
    readings.

    times_s: shape (n,), s, rising; air_c: °C, same shape, nan where missing; egg_mass_g, forced_air: see
    egg_time_constant; start_c: core at the first reading, °C, the air's by default; max_gap_s: after a longer gap the
    core is unknown (nan) for UNSURE response times. Returns °C, same shape. Raises ValueError for times that do not
    rise and a mass not above 0. Source: core_modes.

    >>> core = egg_temperature([0.0, 1e9], [30.0, 30.0], 60.0, start_c=20.0)
    >>> core.round(6).tolist()
    [20.0, 30.0]
    """
    t, air = np.asarray(times_s, dtype=np.float64), np.asarray(air_c, dtype=np.float64)
    if (np.diff(t) < 0).any():
        raise ValueError("times must rise")
    modes = core_modes(egg_mass_g, forced_air)
    core = np.full(t.shape, np.nan)
    whole = bool(np.isfinite(air).all())
    read = np.arange(0) if whole else np.flatnonzero(np.isfinite(air))
    first = True
    for piece in _pieces(t if whole else t[read], max_gap_s):
        # most runs miss nothing: then no copy of them is made
        index: slice | NDArray[np.intp] = piece if whole else read[piece]
        start = start_c if first and start_c is not None else float(air[index][0])
        core[index] = sum(weight * _follow(t[index], air[index], tau, start) for tau, weight in modes)
        if not first:
            part = core[index]
            part[t[index] < t[index][0] + UNSURE * modes[0][0]] = np.nan
            core[index] = part
        first = False
    return core


def _pieces(t: Array, max_gap_s: float | None) -> Iterator[slice]:
    if not t.size:
        return
    cuts = np.flatnonzero(np.diff(t) > max_gap_s) + 1 if max_gap_s is not None else np.empty(0, dtype=np.int64)
    edges = [0, *cuts.tolist(), t.size]
    for begin, end in pairwise(edges):
        yield slice(begin, end)


def _follow(t: Array, air: Array, tau: float, start: float) -> Array:
    """The lag over readings without gaps: each step is core × decay + gain, summed up in blocks."""
    core = np.empty(t.size)
    core[0] = start
    if t.size == 1:
        return core
    begin = 0
    while begin < t.size - 1:
        end = min(begin + _AT_ONCE, t.size - 1)
        step = np.diff(t[begin : end + 1]) / tau
        run = np.cumsum(np.minimum(step, _FORGOTTEN))
        taken = max(1, int(np.searchsorted(run, _BLOCK, "right")))
        step, run, end = step[:taken], run[:taken], begin + taken
        decay = np.exp(-np.minimum(step, _FORGOTTEN))
        with np.errstate(divide="ignore", invalid="ignore"):
            lead = np.where(step > 0, np.diff(air[begin : end + 1]) / step, 0.0)
        # air that jumps within no time has not warmed anything yet
        gain = np.where(step > 0, air[begin + 1 : end + 1] - lead - decay * (air[begin:end] - lead), 0.0)
        grown = np.exp(run)
        core[begin + 1 : end + 1] = (core[begin] + np.cumsum(gain * grown)) / grown
        begin = end
    return core


def hatch_shift(mean_c: float, u_c: float, target_c: float, days: float) -> tuple[float, float]:
    """How much later the hatch comes for a mean temperature held over some days, approximately.

    mean_c, target_c: °C, above 26; u_c: standard uncertainty of the mean, K; days: of the term held so far.
    Returns days (negative: earlier) and its standard uncertainty, of which a third of the shift itself is the rule's.
    Raises ValueError for temperatures at which nothing develops.
    Source: rule of thumb, common practice: rate in proportion to T - 25 °C; 0.56 K low for 21 days is a day late.

    >>> late, u = hatch_shift(36.94, 0.05, 37.5, 21.0)
    >>> round(late, 2), round(u, 1)
    (0.98, 0.3)
    """
    if min(mean_c, target_c) <= BIOLOGICAL_ZERO_C + 1.0:
        raise ValueError("nothing develops at that temperature")
    above = mean_c - BIOLOGICAL_ZERO_C
    shift = days * ((target_c - BIOLOGICAL_ZERO_C) / above - 1.0)
    u_mean = days * (target_c - BIOLOGICAL_ZERO_C) / above**2 * u_c
    return shift, float(np.hypot(u_mean, shift / 3.0))
