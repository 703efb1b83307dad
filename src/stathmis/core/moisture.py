"""The water eggs lose: conductance of the shell from weighings, and the humidity the days left ask for.

Loss is conductance times the vapor-pressure deficit of the air, added up over time: a straight line of mass against
the accumulated deficit. Units: mass g, deficit hPa, accumulated deficit hPa d, conductance mg/(d hPa).
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import ArrayLike, NDArray

from stathmis.core.psychrometrics import STANDARD_PRESSURE_HPA, saturation_vapor_pressure

Array = NDArray[np.float64]

HPA_PER_TORR = 1.333223684
"""Source: definition, 101325/760 Pa."""
TERM_SPREAD = 0.2
"""Relative standard uncertainty of term_conductance for one flock. Source: common practice."""
HIGHEST_RH = 85.0
"""More than this is hardly reached in a box without streaming windows. Source: common practice."""
WEIGHT_OF_BAND_EDGE = 1.0
"""The band of humidities is drawn in by so many standard uncertainties at both ends."""


def term_conductance(egg_mass_g: float, days: float, pressure_hpa: float = STANDARD_PRESSURE_HPA) -> float:
    """Conductance of a species' shell to be expected from egg mass and incubation time, good to about 20 %.

    egg_mass_g: g; days: to the hatch; pressure_hpa: hPa; all above 0. Returns mg/(d hPa). Raises ValueError for values
    not above 0. Source: Ar & Rahn (1978), from memory: G I/m is about 5.13 mg/(Torr g) over bird species.

    >>> round(term_conductance(60.0, 21.0), 1)
    11.0
    """
    if not min(egg_mass_g, days, pressure_hpa) > 0:
        raise ValueError("mass, days and pressure are above 0")
    return 5.13 / HPA_PER_TORR * egg_mass_g / days * STANDARD_PRESSURE_HPA / pressure_hpa


def fresh_mass(length_cm: ArrayLike, breadth_cm: ArrayLike) -> Any:
    """Mass of an egg when laid, from its length and breadth: for eggs of unknown age.

    length_cm, breadth_cm: cm, above 0, broadcast. Returns g. Raises ValueError for values not above 0.
    Source: D. F. Hoyt, Auk 96 (1979) 73: m = 0.548 L B², to about 2 %.

    >>> round(fresh_mass(5.7, 4.3), 1)
    57.8
    """
    length, breadth = np.asarray(length_cm, dtype=np.float64), np.asarray(breadth_cm, dtype=np.float64)
    if not (length > 0).all() or not (breadth > 0).all():
        raise ValueError("length and breadth are above 0 cm")
    found = 0.548 * length * breadth**2
    return float(found) if found.ndim == 0 else found


AIR_CELL_U = 0.25
"""Relative standard uncertainty of a loss from the air cell's depth, as shells differ in shape. Source: our own."""
LENGTH_OVER_BREADTH = 1.33
"""Of usual birds' eggs. Source: common practice."""


def loss_from_air_cell(
    depth_mm: float, egg_mass_g: float, breadth_mm: float | None = None, u_depth_mm: float = 1.0
) -> tuple[float, float]:
    """Water lost since the egg was laid, from the depth of its air cell: a coarse second source.

    depth_mm: from the blunt end to the air cell's edge, by candling; egg_mass_g: when fresh; breadth_mm: None for that
    of a usual shape. Returns percent of the fresh mass and its standard uncertainty. Raises ValueError for values not
    above 0, or an air cell deeper than half the egg is broad. Source: the blunt end as a sphere of the egg's breadth,
    the air cell as its cap, 1 g of water a cm³ (geometry, our own).

    >>> loss, u = loss_from_air_cell(12.0, 60.0)
    >>> round(loss), round(u)
    (13, 4)
    """
    if not min(depth_mm, egg_mass_g, u_depth_mm) > 0 or (breadth_mm is not None and not breadth_mm > 0):
        raise ValueError("depth, mass and breadth are above 0")
    broad = breadth_mm / 10.0 if breadth_mm is not None else (egg_mass_g / (0.548 * LENGTH_OVER_BREADTH)) ** (1 / 3)
    r, h = 0.5 * broad, depth_mm / 10.0
    if h > r:
        raise ValueError("the air cell is deeper than half the egg is broad")
    loss = 100.0 * np.pi * h**2 * (3.0 * r - h) / 3.0 / egg_mass_g
    by_depth = 100.0 * np.pi * h * (2.0 * r - h) / egg_mass_g * u_depth_mm / 10.0
    return float(loss), float(np.hypot(AIR_CELL_U * loss, by_depth))


def incubation_days(egg_mass_g: ArrayLike) -> Any:
    """Days to the hatch to be expected from an egg's mass alone.

    egg_mass_g: g, above 0. Returns days. Raises ValueError for a mass not above 0.
    Source: H. Rahn & A. Ar, Condor 76 (1974) 147: I = 12.03 m^0.217.

    >>> round(incubation_days(60.0), 1)
    29.2
    """
    mass = np.asarray(egg_mass_g, dtype=np.float64)
    if not (mass > 0).all():
        raise ValueError("an egg's mass is above 0 g")
    found = 12.03 * mass**0.217
    return float(found) if found.ndim == 0 else found


class Accumulated(NamedTuple):
    """Accumulated deficit (hPa d) at some times, its standard uncertainty from what had to be assumed, and the share
    of the time that was known."""

    deficit: Array
    u: Array
    known: Array


def accumulate(
    times_s: ArrayLike,
    deficit_hpa: ArrayLike,
    at_s: ArrayLike,
    start_s: float,
    max_gap_s: float,
    assumed_hpa: float,
    u_assumed_hpa: float,
) -> Accumulated:
    """Add up the deficit from a start to some times; gaps are filled by an assumption and carry its uncertainty.

    times_s: shape (n,), s, rising; deficit_hpa: hPa, same shape; at_s: shape (m,), s, not before start_s; max_gap_s:
    longer gaps, and the time before the first and after the last reading, take assumed_hpa ± u_assumed_hpa (hPa).
    Returns arrays of shape (m,). Raises ValueError for shapes that differ and times that do not rise.
    Source: trapezoid rule; one assumption for all gaps, so its error adds up in proportion to their length.

    >>> a = accumulate([0.0, 86400.0], [30.0, 30.0], [86400.0, 172800.0], 0.0, 1e6, 20.0, 5.0)
    >>> a.deficit.tolist(), a.u.tolist(), a.known.tolist()
    ([30.0, 50.0], [0.0, 5.0], [1.0, 0.5])
    """
    t, d = np.asarray(times_s, dtype=np.float64), np.asarray(deficit_hpa, dtype=np.float64)
    at = np.asarray(at_s, dtype=np.float64)
    if t.shape != d.shape or t.ndim != 1:
        raise ValueError("one deficit is needed for each time")
    if (np.diff(t) < 0).any():
        raise ValueError("times must rise")
    keep = (t >= start_s) & np.isfinite(d)
    t, d = t[keep], d[keep]
    step = np.diff(t)
    near = step <= max_gap_s
    known_s = np.concatenate([[0.0], np.cumsum(np.where(near, step, 0.0))])
    area = np.concatenate([[0.0], np.cumsum(np.where(near, step * 0.5 * (d[1:] + d[:-1]), 0.0))])
    if not t.size:
        known_at = area_at = np.zeros(at.shape)
    else:
        i = np.clip(np.searchsorted(t, at, "right") - 1, 0, t.size - 1)
        part = np.clip(at - t[i], 0.0, None)
        inside = (i + 1 < t.size) & (at >= t[0])
        following = np.minimum(i + 1, t.size - 1)
        joined = inside & (t[following] - t[i] <= max_gap_s)
        value = np.interp(at, t, d)
        known_at = np.where(at < t[0], 0.0, known_s[i] + np.where(joined, part, 0.0))
        area_at = np.where(at < t[0], 0.0, area[i] + np.where(joined, part * 0.5 * (d[i] + value), 0.0))
    span = at - start_s
    missing = np.clip(span - known_at, 0.0, None) / 86400.0
    share = np.where(span > 0, known_at / np.where(span > 0, span, 1.0), 1.0)
    return Accumulated(area_at / 86400.0 + missing * assumed_hpa, missing * u_assumed_hpa, share)


class Conductance(NamedTuple):
    """A fitted line: conductance G in mg/(d hPa) and u; mass at setting, g (of the newest group of the same eggs).

    covariance: of (mass at setting in g, G); chi_square, degrees_of_freedom: of the fit.
    """

    value: float
    u: float
    mass_g: float
    covariance: Array
    chi_square: float
    degrees_of_freedom: int


def fit_conductance(
    accumulated_deficit_hpa_d: ArrayLike,
    mass_g: ArrayLike,
    u_mass_g: ArrayLike,
    prior: tuple[float, float] | None = None,
    groups: Sequence[int] = (),
) -> Conductance:
    """Fit the straight line of mass against accumulated deficit, by weighted least squares.

    accumulated_deficit_hpa_d: shape (n,), hPa d; mass_g: g; u_mass_g: standard uncertainty of each, g, above 0;
    prior: what is known of G before (value, standard uncertainty), mg/(d hPa): needed for a single weighing, overtaken
    by more; groups: for each weighing the number of its group of the same eggs (0, 1, …): each has its own mass at
    setting, all share G. Raises ValueError for shapes that differ, an uncertainty not above 0, or too little to fit.
    Source: Ar & Rahn (1974 on): loss = G ∫ deficit dt; weighted least squares, prior as one more observation.

    >>> found = fit_conductance([0.0, 100.0, 200.0], [60.0, 59.0, 58.0], [0.1, 0.1, 0.1])
    >>> round(found.value, 6), round(found.mass_g, 6)
    (10.0, 60.0)
    """
    x, m = np.asarray(accumulated_deficit_hpa_d, dtype=np.float64), np.asarray(mass_g, dtype=np.float64)
    u = np.broadcast_to(np.asarray(u_mass_g, dtype=np.float64), m.shape)
    if x.shape != m.shape or m.ndim != 1 or not m.size:
        raise ValueError("one accumulated deficit is needed for each mass")
    if not (u > 0).all():
        raise ValueError("an uncertainty above 0 is needed for each mass")
    group = np.asarray(groups if len(groups) else np.zeros(m.size), dtype=int)
    if group.shape != m.shape:
        raise ValueError("one group is needed for each mass")
    numbers = np.unique(group)
    design = np.zeros((m.size + (prior is not None), numbers.size + 1))
    design[: m.size, : numbers.size] = group[:, None] == numbers[None, :]
    design[: m.size, -1] = -x / 1000.0
    target, weight = np.zeros(design.shape[0]), np.ones(design.shape[0])
    target[: m.size], weight[: m.size] = m, 1.0 / u
    if prior is not None:
        design[-1, -1], target[-1], weight[-1] = 1.0, prior[0], 1.0 / prior[1]
    if np.linalg.matrix_rank(design) < design.shape[1]:
        raise ValueError("two weighings of the same eggs with some days between them are needed")
    scaled = design * weight[:, None]
    # columns of very different size: scaled so that the normal equations stay sound
    size = np.sqrt((scaled**2).sum(axis=0))
    inverse = np.linalg.inv((scaled / size).T @ (scaled / size)) / np.outer(size, size)
    found = inverse @ (scaled.T @ (target * weight))
    chi_square = float((((design @ found - target) * weight) ** 2).sum())
    newest = int(np.searchsorted(numbers, group[-1]))
    pair = np.ix_([newest, numbers.size], [newest, numbers.size])
    return Conductance(
        float(found[-1]),
        float(np.sqrt(inverse[-1, -1])),
        float(found[newest]),
        inverse[pair],
        chi_square,
        design.shape[0] - design.shape[1],
    )


ODD_U, ODD_SHARE = 4.0, 0.002
"""A weighing is likely wrong where it lies so many standard uncertainties, and at least this share of the mass, off the
line of the others. Source: our own, cautious."""


def odd_weighing(
    accumulated_deficit_hpa_d: ArrayLike,
    mass_g: ArrayLike,
    u_mass_g: ArrayLike,
    prior: tuple[float, float],
    groups: Sequence[int] = (),
) -> tuple[int, float] | None:
    """The weighing that lies furthest off the line of the others, where that is likely a slip, and by how much, g.

    Arguments and errors as for fit_conductance. None for fewer than three of its group, or where none stands out: the
    others' own scatter counts, and two that are off cannot be told from two that are not. Raises ValueError as
    fit_conductance. Source: residual of one left out, over its standard uncertainty.

    >>> days = np.array([0.0, 4.0, 8.0, 12.0]) * 32.0
    >>> masses = 60.0 - 0.011 * days + np.array([0.0, 0.0, 0.9, 0.0])
    >>> place, off = odd_weighing(days, masses, 0.02, (11.0, 2.0))
    >>> place, round(off, 1)
    (2, 0.9)
    """
    x, m = np.asarray(accumulated_deficit_hpa_d, dtype=np.float64), np.asarray(mass_g, dtype=np.float64)
    u = np.broadcast_to(np.asarray(u_mass_g, dtype=np.float64), m.shape)
    group = np.asarray(groups if len(groups) else np.zeros(m.size), dtype=int)
    found: list[tuple[float, int, float]] = []
    for i in range(m.size):
        others = np.arange(m.size) != i
        if int((group[others] == group[i]).sum()) < 2:
            continue
        # the fit tells the mass of its last group: this one's comes last
        order = np.argsort(group[others] == group[i], kind="stable")
        masses, scales = m[others][order], u[others][order]
        line = fit_conductance(x[others][order], masses, scales, prior, group[others][order].tolist())
        scatter = max(1.0, line.chi_square / max(1, line.degrees_of_freedom))
        slope = -x[i] / 1000.0
        c = line.covariance
        u_line = c[0, 0] + 2.0 * slope * c[0, 1] + slope**2 * c[1, 1]
        off = float(m[i] - (line.mass_g + slope * line.value))
        found.append((abs(off) / float(np.sqrt(scatter * (u[i] ** 2 + u_line))), i, off))
    far, place, off = max(found, default=(0.0, 0, 0.0))
    return (place, off) if far > ODD_U and abs(off) > ODD_SHARE * float(m.max()) else None


def loss_percent(
    conductance: Conductance, accumulated_deficit_hpa_d: ArrayLike, u_deficit_hpa_d: ArrayLike = 0.0
) -> tuple[Array, Array]:
    """Loss in percent of the mass at setting at an accumulated deficit, and its standard uncertainty.

    accumulated_deficit_hpa_d, u_deficit_hpa_d: hPa d, broadcast. Source: as fit_conductance; first-order propagation.

    >>> fitted = Conductance(10.0, 0.0, 60.0, np.zeros((2, 2)), 0.0, 1)
    >>> float(loss_percent(fitted, 600.0)[0])
    10.0
    """
    x, u_x = np.broadcast_arrays(
        np.asarray(accumulated_deficit_hpa_d, dtype=np.float64), np.asarray(u_deficit_hpa_d, dtype=np.float64)
    )
    g, m = conductance.value, conductance.mass_g
    by_mass, by_g, by_x = -g * x / (10.0 * m**2), x / (10.0 * m), g / (10.0 * m)
    c = conductance.covariance
    variance = by_mass**2 * c[0, 0] + 2.0 * by_mass * by_g * c[0, 1] + by_g**2 * c[1, 1] + (by_x * u_x) ** 2
    return g * x / (10.0 * m), np.sqrt(np.maximum(variance, 0.0))


class HumidityTarget(NamedTuple):
    """Relative humidity for the days left, percent: the aim with its standard uncertainty, and the band low to high.

    reachable: "yes", "too dry" (the aim lies below the floor given) or "too moist" (above HIGHEST_RH).
    """

    rh: float
    u: float
    low: float
    high: float
    reachable: str


def humidity_for_loss(
    conductance: Conductance,
    accumulated_deficit_hpa_d: float,
    days_left: float,
    temperature_c: float,
    loss_low: float,
    loss_aim: float,
    loss_high: float,
    u_deficit_hpa_d: float = 0.0,
    floor_rh: float = 0.0,
) -> HumidityTarget:
    """The humidity that brings the loss at the end of the setting stage where it is wanted.

    accumulated_deficit_hpa_d: so far, with its standard uncertainty, hPa d; days_left: above 0; temperature_c: of the
    air; loss_low, loss_aim, loss_high: percent of the mass at setting, rising; floor_rh: what the room's own air gives
    inside, percent. The band comes from the range of loss, drawn in by one standard uncertainty at each end, but never
    narrower than ± 1 % about the aim. Raises ValueError for no days left or losses that do not rise.
    Source: RH = 100 (1 - needed deficit / ps(T)); needed deficit from the line of fit_conductance.

    >>> fitted = Conductance(12.0, 0.0, 60.0, np.zeros((2, 2)), 0.0, 1)
    >>> t = humidity_for_loss(fitted, 0.0, 18.0, 37.5, 11.0, 13.0, 15.0)
    >>> round(t.rh, 1), t.reachable
    (44.1, 'yes')
    """
    if not days_left > 0:
        raise ValueError("there are no days left")
    if not loss_low < loss_aim < loss_high:
        raise ValueError("losses run from low over the aim to high")
    saturated = float(saturation_vapor_pressure(temperature_c))
    g, m = conductance.value, conductance.mass_g

    def needed(loss: float) -> float:
        total = loss / 100.0 * m * 1000.0 / g
        return 100.0 * (1.0 - (total - accumulated_deficit_hpa_d) / (days_left * saturated))

    total = loss_aim / 100.0 * m * 1000.0 / g
    c = conductance.covariance
    relative = c[0, 0] / m**2 - 2.0 * c[0, 1] / (m * g) + c[1, 1] / g**2
    u_total = total * float(np.sqrt(max(0.0, relative)))
    u = 100.0 * float(np.hypot(u_total, u_deficit_hpa_d)) / (days_left * saturated)
    aim, driest, moistest = needed(loss_aim), needed(loss_high), needed(loss_low)
    low = min(driest + WEIGHT_OF_BAND_EDGE * u, aim - 1.0)
    high = max(moistest - WEIGHT_OF_BAND_EDGE * u, aim + 1.0)
    reachable = "too dry" if aim < floor_rh else "too moist" if aim > HIGHEST_RH else "yes"
    return HumidityTarget(aim, u, low, high, reachable)


def best_for_all(losses: Array, loss_low: float, loss_aim: float, loss_high: float) -> int:
    """Which of several humidities suits a tray of eggs best: most eggs in range, then nearest to the aim.

    losses: shape (humidities, eggs), percent at the end of the setting stage; loss_low, loss_aim, loss_high: percent.
    Returns the row. Raises ValueError for an empty table. Source: definition.

    >>> best_for_all(np.array([[12.0, 18.0], [10.5, 15.0], [8.0, 12.0]]), 11.0, 13.0, 15.0)
    1
    """
    if losses.ndim != 2 or not losses.size:
        raise ValueError("losses are a table of humidities and eggs")
    inside = ((losses >= loss_low) & (losses <= loss_high)).sum(axis=1)
    distance = np.square(losses - loss_aim).sum(axis=1)
    return int(np.lexsort((distance, -inside))[0])


def unlike(conductances: ArrayLike, u: ArrayLike) -> tuple[int, ...]:
    """Eggs whose shell differs from the rest of the tray: cracked or thin (high), thick (low).

    conductances, u: shape (n,), mg/(d hPa). An egg is named where it lies further from the median than three times
    the tray's own spread (from the median distance, at least a tenth of the median) and twice its own uncertainty.
    Returns their places. Raises ValueError for shapes that differ. Source: median absolute deviation; the natural
    spread between eggs of one flock is 10-20 % (common practice).

    >>> unlike([10.0, 10.5, 9.6, 10.2, 17.0], [0.3] * 5)
    (4,)
    """
    g, own = np.asarray(conductances, dtype=np.float64), np.asarray(u, dtype=np.float64)
    if g.shape != own.shape or g.ndim != 1:
        raise ValueError("one uncertainty is needed for each egg")
    if g.size < 4:
        return ()
    middle = float(np.median(g))
    spread = max(1.4826 * float(np.median(np.abs(g - middle))), 0.1 * middle)
    far = (np.abs(g - middle) > 3.0 * spread) & (np.abs(g - middle) > 2.0 * own)
    return tuple(int(i) for i in np.flatnonzero(far))
