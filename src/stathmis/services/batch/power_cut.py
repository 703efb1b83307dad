"""A power cut: how the eggs cool in the closed box, what to do, and the note in the log."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from stathmis.core.egg_heat import COLD_C, egg_temperature, own_heat
from stathmis.core.errors import UserError
from stathmis.core.units import NotANumberError, from_inside, parse_typed, to_inside
from stathmis.logbook.records import Event, Incubator
from stathmis.services.batch import batches
from stathmis.services.batch.course import Course
from stathmis.services.book import Book
from stathmis.services.desk import Desk
from stathmis.words.numbers import number

Array = NDArray[np.float64]

BOX_HOURS = {"forced": 1.5, "still": 1.0}
"""Response time of a closed, unheated small incubator, h. Source: common practice; boxes differ by half or double."""
BOX_FACTOR = 1.6
"""How far that response time may be off, either way."""
USUAL_G = 58.0
LONGEST_H = 72.0


@dataclass(frozen=True)
class PowerCut:
    """A cut of some hours in a room (°C): air and egg over time (h, °C), the egg at its end, soonest and latest guess.

    cold_h: when the eggs pass COLD_C, None where they do not.
    """

    hours: float
    room_c: float
    times_h: NDArray[np.float64]
    air_c: NDArray[np.float64]
    egg_c: NDArray[np.float64]
    low_c: float
    high_c: float
    cold_h: float | None

    @property
    def end_c(self) -> float:
        """The eggs at the end of the cut, °C."""
        return float(self.egg_c[-1])


def cool_down(book: Book, incubator: Incubator, hours: str, room: str) -> PowerCut:
    """How eggs cool over a cut. hours, room: as typed (room in the keeper's unit). Raises UserError.

    The lid stays shut, so the air cools with the box and the eggs behind it, as in still air; embryos that have grown
    keep themselves warmer for a while.
    """
    try:
        length = parse_typed(hours).value
    except NotANumberError:
        raise UserError("How long was or will it be?", "Hours, such as 2.5.") from None
    try:
        typed = parse_typed(room)
    except NotANumberError:
        raise UserError("How warm is the room?", "A temperature such as 18 or 64F.") from None
    room_c = float(to_inside(typed.value, typed.unit or book.temperature_unit))
    if not 0.0 < length <= LONGEST_H:
        raise UserError(f"{length:g} h is no power cut to reckon with.", f"From a few minutes to {LONGEST_H:.0f} h.")
    if not -20.0 <= room_c <= 36.0:
        shown = number(room_c, "temperature", book.temperature_unit)
        raise UserError(f"A room at {shown}?", "Write 64F for Fahrenheit or 18C for Celsius.")
    course = batches.running(book, incubator)
    mass = course.species.egg_g if course is not None else USUAL_G
    start = course.held_c(book.now_ms) if course is not None else 37.5
    times = np.linspace(0.0, length, 241)
    usual = BOX_HOURS[incubator.air]
    cores = {}
    for factor in (1.0, 1.0 / BOX_FACTOR, BOX_FACTOR):
        air = room_c + (start - room_c) * np.exp(-times / (usual * factor))
        cores[factor] = air, egg_cores(course, book.now_ms, times, air, mass)
    air, egg = cores[1.0]
    below = np.flatnonzero(egg < COLD_C)
    return PowerCut(
        length,
        room_c,
        times,
        air,
        egg,
        float(cores[1.0 / BOX_FACTOR][1][-1]),
        float(cores[BOX_FACTOR][1][-1]),
        float(times[below[0]]) if below.size else None,
    )


def egg_cores(course: Course | None, at_ms: int, times_h: Array, air: Array, mass: float) -> Array:
    """The eggs behind the air of a box without power, °C; times_h: h since it went, at a time (UTC ms)."""
    if course is None or course.species.kind != "bird":
        return egg_temperature(times_h * 3600.0, air, mass, forced_air=False, start_c=float(air[0]))
    start = float(air[0] + course.warmed_by(at_ms).core_k)
    share = course.day(at_ms) / course.species.days
    core = np.full(air.shape, start)
    for _ in range(2):
        # a cooler embryo makes less heat
        own = course.own_heat * own_heat(mass, share, forced_air=False, core_c=core).core_k
        core = egg_temperature(times_h * 3600.0, air + own, mass, forced_air=False, start_c=start)
    return core


def words(book: Book, found: PowerCut) -> tuple[str, str]:
    """How cold the eggs get, and what to do."""
    unit = book.temperature_unit
    egg = number(found.end_c, "temperature", unit)
    low, high = (f"{from_inside(v, unit):.0f}" for v in (found.low_c, found.high_c))
    said = (
        f"After {found.hours:g} h with the lid shut the eggs are at about {egg} (boxes differ: {low} to {high} {unit})."
    )
    if found.cold_h is not None:
        said += f" They pass {number(COLD_C, 'temperature', unit)} after {found.cold_h:.1f} h."
    if found.cold_h is None:
        do = "Leave the lid shut. Embryos stand this; expect the hatch a little later."
    elif found.hours - found.cold_h < 6.0:
        do = "Lid shut, a blanket round the box but not over the vents. When it lasts, warm bottles beside the eggs."
    else:
        do = "Warm them: bottles of warm water in the box, renewed, or another machine. Candle in a few days."
    return said, do + " When the power is back, do not raise the set point: 1-3 h to recover is normal."


def log_power_cut(desk: Desk, incubator: Incubator, found: PowerCut, at_ms: int) -> None:
    """Note a power cut in the log, from a time (UTC ms); undoable."""
    desk.add(
        "power cut logged",
        [
            (
                Event,
                {
                    "incubator_id": incubator.id,
                    "time_ms": at_ms,
                    "kind": "power",
                    "note": "",
                    "minutes": 60.0 * found.hours,
                    "room_c": found.room_c,
                },
            )
        ],
    )
