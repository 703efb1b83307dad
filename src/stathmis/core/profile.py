"""The profile of a batch: its phases from the set instant, and each phase's temperature and humidity band.

Day counts are days of 86,400 s elapsed since the set instant, so that clock changes do not move them.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import ArrayLike, NDArray

Air = Literal["forced", "still"]

DAY_S = 86400.0
WARM_UP_DAYS = 2.0
"""Empty running before the eggs go in: a day dry and a day with water. Source: common practice."""
DRY_DAYS = 1.0
"""Chicks stay in until dry and fluffy. Source: common practice."""
STILL_AIR_OFFSET_K = 1.1
"""Still air is run warmer at egg-top height, 38.3-38.9 °C for 37.5, so that the egg's middle is right.
Source: common practice."""


@dataclass(frozen=True)
class Band:
    """A target range, low to high, in °C or percent."""

    low: float
    high: float

    def __post_init__(self) -> None:
        if not self.low < self.high:
            raise ValueError(f"a band runs from low to high, not {self.low:g} to {self.high:g}")

    @property
    def middle(self) -> float:
        """Middle of the band, in its unit."""
        return 0.5 * (self.low + self.high)


@dataclass(frozen=True)
class Species:
    """A species' defaults. Days count from setting; temperature °C in moving air; humidity percent; loss percent;
    egg_g: usual mass of a fresh egg.

    stop_turning_day is None for eggs that are never turned; they have no lockdown and lockdown_rh is None.
    """

    key: str
    name: str
    kind: Literal["bird", "reptile"]
    days: float
    days_low: float
    days_high: float
    stop_turning_day: float | None
    set_c: float
    half_band_k: float
    setting_rh: Band
    lockdown_rh: Band | None
    loss_percent: float | None
    note: str = ""
    egg_g: float = 50.0


@dataclass(frozen=True)
class Regime:
    """A humidity school. Bands None: the species' own. until_day: where the setting band changes to then_rh."""

    key: str
    name: str
    setting_rh: Band | None
    lockdown_rh: Band | None
    why: str
    until_day: float | None = None
    then_rh: Band | None = None


@dataclass(frozen=True)
class Phase:
    """A stretch of the course: days from setting (start to end), with its bands (None: nothing to hold)."""

    name: str
    start_day: float
    end_day: float
    temperature_c: Band
    humidity: Band | None


def phases(species: Species, regime: Regime, air: Air) -> tuple[Phase, ...]:
    """The phases of a batch, in order and without gaps, from warm-up to take-off.

    air: "forced" (fan) or "still" (read at egg-top height; birds then run 1.1 K warmer). Days are elapsed days.
    Raises ValueError where the regime asks a reptile clutch for anything but its own humidity.
    Source: common practice.
    """
    if species.kind == "reptile" and regime.setting_rh is not None:
        raise ValueError(f"{species.name} eggs keep their own box humidity; choose the regime that follows the species")
    centre = species.set_c + (STILL_AIR_OFFSET_K if air == "still" and species.kind == "bird" else 0.0)
    heat = Band(centre - species.half_band_k, centre + species.half_band_k)
    setting = regime.setting_rh or species.setting_rh
    late = regime.lockdown_rh if regime.lockdown_rh and species.lockdown_rh else species.lockdown_rh
    course = [Phase("warm-up", -WARM_UP_DAYS, 0.0, heat, setting)]
    stop = species.stop_turning_day
    if stop is None:
        course.append(Phase("incubation", 0.0, species.days_low, heat, setting))
    else:
        if regime.until_day is not None and regime.then_rh is not None and regime.until_day < stop:
            course.append(Phase("setting", 0.0, regime.until_day, heat, setting))
            course.append(Phase("setting", regime.until_day, stop, heat, regime.then_rh))
        else:
            course.append(Phase("setting", 0.0, stop, heat, setting))
        course.append(Phase("lockdown", stop, max(stop, species.days_low), heat, late))
    course.append(Phase("hatch", max(stop or 0.0, species.days_low), species.days_high, heat, late or setting))
    course.append(Phase("dry", species.days_high, species.days_high + DRY_DAYS, heat, None))
    return tuple(p for p in course if p.end_day > p.start_day)


def day_of(times_s: ArrayLike, set_s: float) -> NDArray[np.float64]:
    """Elapsed days since setting; the whole part is the day number (day 0 is the first 24 h).

    times_s, set_s: s since the same instant. Returns days. Source: common practice.

    >>> float(day_of(129600.0, 0.0))
    1.5
    """
    return np.asarray((np.asarray(times_s, dtype=np.float64) - set_s) / DAY_S)


def phase_at(course: tuple[Phase, ...], day: float) -> Phase | None:
    """The phase a day (elapsed days) falls in; None before warm-up and after take-off. Source: definition."""
    for phase in course:
        if phase.start_day <= day < phase.end_day:
            return phase
    return None


def band_edges(
    course: tuple[Phase, ...], days: ArrayLike, quantity: Literal["temperature", "humidity"]
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Low and high of the band at each day, °C or percent; -inf and inf where nothing is to be held.

    days: elapsed days, shape (n,). Source: definition.
    """
    at = np.asarray(days, dtype=np.float64)
    low, high = np.full(at.shape, -np.inf), np.full(at.shape, np.inf)
    for phase in course:
        band = phase.temperature_c if quantity == "temperature" else phase.humidity
        if band is not None:
            inside = (at >= phase.start_day) & (at < phase.end_day)
            low[inside], high[inside] = band.low, band.high
    return low, high
