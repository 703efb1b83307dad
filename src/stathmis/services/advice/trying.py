"""Try it first: what a change would do over the next two days, beside what comes without it.

Both futures are run in the same boxes (findings.twin), in the same room, with the same wandering: what is unsure of the
machine is the same in both, and their difference is surer than either.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import partial
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from stathmis.core.egg_heat import BIOLOGICAL_ZERO_C, COLD_C
from stathmis.core.moisture import term_conductance
from stathmis.core.psychrometrics import saturation_vapor_pressure
from stathmis.core.twin.box import STEP_S, Ways
from stathmis.core.units import Quantity
from stathmis.logbook.records import Incubator
from stathmis.services.advice.heat import DANGER_C
from stathmis.services.batch.course import Course
from stathmis.services.book import Book, finding
from stathmis.services.findings import ahead, twin
from stathmis.services.findings.ahead import Ahead, Fan, Leaving, When
from stathmis.services.findings.doings import Change
from stathmis.services.findings.twin import RESTS_ON, Twin
from stathmis.services.moisture.water import surfaces
from stathmis.services.plan import lockdown, planning

Array = NDArray[np.float64]

U_SHELL = 0.2
"""Standard uncertainty of the conductance of shells from their species alone, relative. Source: common practice."""
SHIFT_U = 1.0 / 3.0
"""The rule that shifts the hatch is off by a third of the shift. Source: as core.egg_heat.hatch_shift."""
MODEL_SHARE = 0.15
MODEL_U: dict[Quantity, float] = {"temperature": 0.04, "humidity": 0.5}
"""What a difference of two futures is off by besides what is unsure of the machine: a share of it, and so much (K, %),
standard uncertainties. Source: our own, from boxes of other equations."""
DOABLE = ("set point", "water", "vent", "lid", "cool", "power")
"""What a keeper does, or notes as done; nights come by themselves."""

Cost = Literal["coldest", "warmest", "cold hours", "heat out", "moisture out", "loss", "hatch"]


@dataclass(frozen=True)
class Figure:
    """A cost of both futures and their difference, each with U (95 %): coldest and warmest core °C; hours below 30 °C;
    hours with the air out of its band; loss in points of the set weight; hatch later by hours."""

    cost: Cost
    as_is: float
    tried: float
    difference: float
    U: float


@dataclass(frozen=True, eq=False)
class Tried:
    """Both futures of a machine from an instant on: fans, what leaves its band, when the water is dry, what it costs.

    apart: by quantity how far the tried air is from the other at each time, with the ends of its 95 %; danger: share of
    the tried ways in which an egg passes DANGER_C.
    """

    changes: tuple[Change, ...]
    as_is: Ahead
    fans: dict[Quantity, Fan]
    apart: dict[Quantity, Fan]
    leaving: tuple[Leaving, ...]
    dry: When | None
    figures: tuple[Figure, ...]
    danger: float


@finding(*RESTS_ON, each_minute=True, most=8)
def tried(book: Book, incubator: Incubator, course: Course | None, changes: tuple[Change, ...]) -> Tried | None:
    """What changes made from now on would do; None where too little was read of the machine."""
    as_is = ahead.ahead(book, incubator, course)
    found = twin.twin(book, incubator, course, book.now_ms // ahead.ROUNDED_MS * ahead.ROUNDED_MS)
    if as_is is None or found is None:
        return None
    one, other = twin.go_on(found), twin.go_on(found, changes)
    quantities = tuple(found.off)
    fans = {q: ahead.fan(found, _of(other, q), q) for q in quantities}
    apart = {q: difference(found, one, other, q) for q in quantities}
    core_known = course is not None and "temperature" in found.off
    late = core_known and course is not None and course.batch.set_ms <= book.now_ms
    figures = _figures(book, found, course, one, other) if late and course is not None else ()
    danger = float((other.core_c.max(axis=0) >= DANGER_C).mean()) if late else 0.0
    return Tried(
        changes, as_is, fans, apart, ahead.leaving(found, course, other), ahead.dry(found, other), figures, danger
    )


def for_lockdown(book: Book, incubator: Incubator, course: Course | None) -> Tried | None:
    """What all the water there is, filled in now, would give, where the lockdown is due; None where it is not."""
    own = surfaces(book, incubator)
    plan = planning.plan_of(book, course.batch) if course is not None else None
    if plan is None or not own or not lockdown.due(book, plan):
        return None
    return tried(book, incubator, course, (Change("water", sum(s.surface_cm2 for s in own)),))


def _of(ways: Ways, quantity: Quantity) -> Array:
    return ways.air_c if quantity == "temperature" else ways.rh


def difference(found: Twin, one: Ways, other: Ways, quantity: Quantity) -> Fan:
    """How far the tried air is from the other, K or %, with the ends of its 95 % interval."""
    apart = (_of(other, quantity) - _of(one, quantity))[ahead.EVERY - 1 :: ahead.EVERY]
    middle = apart.mean(axis=1)
    # a thermostat finds its swing anew after anything that is done
    half = _wide(apart, middle, float(np.hypot(MODEL_U[quantity], found.hourly[quantity])))
    return Fan(found.times_ms[ahead.EVERY - 1 :: ahead.EVERY], middle - half, middle, middle + half)


def _wide(apart: Array, middle: Array, least: float) -> Array:
    """Half of the 95 % interval of a difference; nothing is apart before the change is made."""
    changed = np.maximum.accumulate(np.abs(apart).max(axis=1) > 1e-9)
    if not changed.any():
        # what changes nothing in the boxes still makes a thermostat find its swing anew
        changed[:] = True
    model = np.hypot(MODEL_SHARE * np.abs(middle), least)
    made: Array = np.where(changed, 1.96 * np.hypot(apart.std(axis=1), model), 0.0)
    return made


def _figures(book: Book, found: Twin, course: Course, one: Ways, other: Ways) -> tuple[Figure, ...]:
    made = []
    for cost, measure, model in _measures(book, found, course):
        as_is, tried_ = measure(one), measure(other)
        apart = tried_ - as_is
        middle = float(apart.mean())
        u = float(np.hypot(apart.std(), model * abs(middle)))
        made.append(Figure(cost, float(as_is.mean()), float(tried_.mean()), middle, 1.96 * u))
    return tuple(made)


def _measures(book: Book, found: Twin, course: Course) -> Iterator[tuple[Cost, Callable[[Ways], Array], float]]:
    """What is counted of a future, one number for each way, and what the counting is off by, relative."""
    hours, species = STEP_S / 3600.0, course.species
    yield "coldest", lambda w: w.core_c.min(axis=0), MODEL_SHARE
    yield "warmest", lambda w: w.core_c.max(axis=0), MODEL_SHARE
    yield "cold hours", lambda w: (w.core_c < COLD_C).sum(axis=0) * hours, MODEL_SHARE
    yield "heat out", partial(_hours_out, found, course, "temperature"), MODEL_SHARE
    if "humidity" in found.off:
        yield "moisture out", partial(_hours_out, found, course, "humidity"), MODEL_SHARE
    if species.kind != "bird":
        return
    if "humidity" in found.off:
        # mg a day and hPa, of so many g: percent
        per_hpa = term_conductance(species.egg_g, species.days, book.pressure_hpa) / species.egg_g / 10.0

        def lost(ways: Ways) -> Array:
            saturated = np.asarray(saturation_vapor_pressure(ways.core_c))
            air = np.asarray(saturation_vapor_pressure(ways.air_c)) * ways.rh / 100.0
            total: Array = per_hpa * (saturated - air).sum(axis=0) * hours / 24.0
            return total

        yield "loss", lost, U_SHELL

    held = course.held_c(found.at_ms)

    def later(ways: Ways) -> Array:
        rate = np.maximum(ways.core_c - found.doings.own_k[:, None] - BIOLOGICAL_ZERO_C, 0.0)
        behind: Array = (1.0 - rate / (held - BIOLOGICAL_ZERO_C)).sum(axis=0) * hours
        return behind

    yield "hatch", later, SHIFT_U


def _hours_out(found: Twin, course: Course, quantity: Quantity, ways: Ways) -> Array:
    """Hours with the air out of its band, for each way."""
    bands = [course.band(quantity, int(t)) for t in found.times_ms[::12]]
    low = np.repeat([b.low if b is not None else -np.inf for b in bands], 12)[: found.times_ms.size, None]
    high = np.repeat([b.high if b is not None else np.inf for b in bands], 12)[: found.times_ms.size, None]
    air = _of(ways, quantity)
    made: Array = ((air < low) | (air > high)).sum(axis=0) * STEP_S / 3600.0
    return made
