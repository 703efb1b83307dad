"""A power cut: how the eggs cool in the closed box, what to do, and the note in the log."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from stathmis.core.cooling import WorkedBack, worked_back
from stathmis.core.egg_heat import COLD_C, egg_temperature, own_heat
from stathmis.core.errors import UserError
from stathmis.core.units import NotANumberError, from_inside, parse_typed, to_inside
from stathmis.logbook.records import Event, Incubator
from stathmis.services.batch import batches
from stathmis.services.batch.course import Course
from stathmis.services.book import Book
from stathmis.services.clock import HOUR_MS
from stathmis.services.desk import Desk
from stathmis.words import power as power_words
from stathmis.words.batch import course as say
from stathmis.words.catalogue import _, as_number
from stathmis.words.numbers import number

Array = NDArray[np.float64]

BOX_HOURS = {"forced": 1.5, "still": 1.0}
"""Response time of a closed, unheated small incubator, h. Source: common practice; boxes differ by half or double."""
BOX_FACTOR = 1.6
"""How far that response time may be off, either way (95 % of boxes)."""
AIR_U_K, SHELL_U_K = 0.5, 0.7
"""Standard uncertainty of air and egg as they are read by hand, beside the instrument's own. Source: our own."""
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
    length, room_c = _hours(hours, say.HOW_LONG()), _room_c(book, room)
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


def _hours(text: str, asked: tuple[str, str]) -> float:
    """Hours as typed; asked: what is said where they are no number."""
    try:
        length = parse_typed(text).value
    except NotANumberError:
        raise UserError(*asked) from None
    if not 0.0 < length <= LONGEST_H:
        raise UserError(*say.LENGTH_H_IS_NO_POWER(length=length, longest_h=LONGEST_H))
    return length


def _room_c(book: Book, text: str) -> float:
    try:
        typed = parse_typed(text)
    except NotANumberError:
        raise UserError(*say.HOW_WARM_IS_THE_ROOM()) from None
    room_c = float(to_inside(typed.value, typed.unit or book.temperature_unit))
    if not -20.0 <= room_c <= 36.0:
        shown = number(room_c, "temperature", book.temperature_unit)
        raise UserError(*say.A_ROOM_AT_SHOWN(shown=shown))
    return room_c


@dataclass(frozen=True)
class FoundOff:
    """A power cut that was found: worked back from what was read then; began, from and to: UTC ms; the cut as it would
    be logged, of its likeliest length."""

    back: WorkedBack
    begin_ms: tuple[int, int, int]
    cut: PowerCut


def found_off(book: Book, incubator: Incubator, seen: str, air: str, egg: str, room: str) -> FoundOff:
    """Work back a cut of unknown length: when it began, and how cold the eggs got.

    seen: hours since it was last seen well; air, egg: what they read now (one may be empty); room: as for cool_down.
    Raises UserError for what cannot be.
    """
    longest, room_c = _hours(seen, power_words.seen_when()), _room_c(book, room)
    course = batches.running(book, incubator)
    start = course.held_c(book.now_ms) if course is not None else 37.5
    core = start + (float(course.warmed_by(book.now_ms).core_k) if course is not None else 0.0)
    mass = course.species.egg_g if course is not None else USUAL_G
    reads = [_now_c(book, text, room_c, start) for text in (air, egg)]
    if reads[0] is None and reads[1] is None:
        raise UserError(*power_words.reads_what())
    if room_c >= start - 2.0:
        raise UserError(*power_words.too_warm_a_room())
    back = worked_back(
        room_c,
        start,
        core,
        mass,
        BOX_HOURS[incubator.air],
        BOX_FACTOR,
        longest,
        None if reads[0] is None else (reads[0], AIR_U_K),
        None if reads[1] is None else (reads[1], SHELL_U_K),
    )
    began = tuple(book.now_ms - round(h * HOUR_MS) for h in (back.hours.value, back.hours.high, back.hours.low))
    cut = cool_down(book, incubator, as_number(max(back.hours.value, 0.05), ".2f"), room)
    return FoundOff(back, began, cut)  # type: ignore[arg-type]


def _now_c(book: Book, text: str, room_c: float, start_c: float) -> float | None:
    """What is read now, °C; None where nothing was typed."""
    if not text.strip():
        return None
    try:
        typed = parse_typed(text)
    except NotANumberError:
        raise UserError(*power_words.no_reading(text)) from None
    celsius = float(to_inside(typed.value, typed.unit or book.temperature_unit))
    if not room_c - 5.0 <= celsius <= start_c + 5.0:
        raise UserError(*power_words.no_reading(text))
    return celsius


def egg_cores(course: Course | None, at_ms: int, times_h: Array, air: Array, mass: float) -> Array:
    """The eggs behind the air of a box without power, °C; times_h: h since it went, at a time (UTC ms)."""
    if course is None or course.species.kind != "bird":
        return egg_temperature(times_h * 3600.0, air, mass, forced_air=False, start_c=float(air[0]))
    start = float(air[0] + course.warmed_by(at_ms).core_k)
    share = course.day(at_ms) / course.species.days
    core = np.full(air.shape, start)
    for _again in range(2):
        # a cooler embryo makes less heat
        own = course.own_heat * own_heat(mass, share, forced_air=False, core_c=core).core_k
        core = egg_temperature(times_h * 3600.0, air + own, mass, forced_air=False, start_c=start)
    return core


def words(book: Book, found: PowerCut) -> tuple[str, str]:
    """How cold the eggs get, and what to do."""
    unit = book.temperature_unit
    egg = number(found.end_c, "temperature", unit)
    low, high = (as_number(from_inside(v, unit), ".0f") for v in (found.low_c, found.high_c))
    said = say.AFTER_HOURS_H_WITH_THE(hours=found.hours, egg=egg, low=low, high=high, unit=unit)
    if found.cold_h is not None:
        said += _(
            " They pass {cold_c} after {cold_h:.1f} h.", cold_c=number(COLD_C, "temperature", unit), cold_h=found.cold_h
        )
    if found.cold_h is None:
        do = say.LEAVE_THE_LID_SHUT_EMBRYOS()
    elif found.hours - found.cold_h < 6.0:
        do = say.LID_SHUT_A_BLANKET_ROUND()
    else:
        do = say.WARM_THEM_BOTTLES_OF_WARM()
    return said, do + say.WHEN_THE_POWER_IS_BACK()


def log_power_cut(desk: Desk, incubator: Incubator, found: PowerCut, at_ms: int) -> None:
    """Note a power cut in the log, from a time (UTC ms); undoable."""
    desk.add(
        _("power cut logged"),
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
