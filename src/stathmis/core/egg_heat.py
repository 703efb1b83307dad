"""The egg behind the air: its slow core temperature, and what a mean off the mark does to the hatch day.

The egg follows the air as a first-order lag; its own heat of the last days is not modelled.
"""

from __future__ import annotations

from collections.abc import Iterator
from itertools import pairwise

import numpy as np
from numpy.typing import ArrayLike, NDArray

Array = NDArray[np.float64]

HEAT_CAPACITY_J_PER_G_K = 3.31
"""Specific heat of an egg. Source: Romanoff & Romanoff, The Avian Egg (1949), from memory."""
TRANSFER_W_PER_M2_K = {True: 25.0, False: 10.0}
"""Heat transfer from the air, forced (True) and still. Source: common practice."""
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


def egg_temperature(
    times_s: ArrayLike,
    air_c: ArrayLike,
    egg_mass_g: float,
    forced_air: bool = True,
    start_c: float | None = None,
    max_gap_s: float | None = None,
) -> Array:
    """Core temperature of an egg from the air's, exact for air that runs straight between readings.

    times_s: shape (n,), s, rising; air_c: °C, same shape, nan where missing; egg_mass_g, forced_air: see
    egg_time_constant; start_c: core at the first reading, °C, the air's by default; max_gap_s: after a longer gap the
    core is unknown (nan) for UNSURE response times. Returns °C, same shape. Raises ValueError for times that do not
    rise and a mass not above 0. Source: first-order lag, common practice.

    >>> core = egg_temperature([0.0, 1e9], [30.0, 30.0], 60.0, start_c=20.0)
    >>> core.round(6).tolist()
    [20.0, 30.0]
    """
    t, air = np.asarray(times_s, dtype=np.float64), np.asarray(air_c, dtype=np.float64)
    if (np.diff(t) < 0).any():
        raise ValueError("times must rise")
    tau = egg_time_constant(egg_mass_g, forced_air)
    core = np.full(t.shape, np.nan)
    whole = bool(np.isfinite(air).all())
    read = np.arange(0) if whole else np.flatnonzero(np.isfinite(air))
    first = True
    for piece in _pieces(t if whole else t[read], max_gap_s):
        # most runs miss nothing: then no copy of them is made
        index: slice | NDArray[np.intp] = piece if whole else read[piece]
        start = start_c if first and start_c is not None else float(air[index][0])
        core[index] = _follow(t[index], air[index], tau, start)
        if not first:
            part = core[index]
            part[t[index] < t[index][0] + UNSURE * tau] = np.nan
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
        step = np.minimum(np.diff(t[begin : end + 1]) / tau, _FORGOTTEN)
        run = np.cumsum(step)
        taken = max(1, int(np.searchsorted(run, _BLOCK, "right")))
        step, run, end = step[:taken], run[:taken], begin + taken
        decay = np.exp(-step)
        with np.errstate(divide="ignore", invalid="ignore"):
            lead = np.where(step > 0, np.diff(air[begin : end + 1]) / step, 0.0)
        gain = air[begin + 1 : end + 1] - lead - decay * (air[begin:end] - lead)
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
