"""What was done to a machine, step by step as its twin lives through it, and what a change would do instead."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from stathmis.core.psychrometrics import saturation_vapor_pressure
from stathmis.core.twin import box as boxes
from stathmis.core.twin.box import STEP_S, Doings
from stathmis.logbook.records import Incubator
from stathmis.services import rounds
from stathmis.services.batch.course import Course
from stathmis.services.book import Book
from stathmis.services.clock import DAY_MS, HOUR_MS
from stathmis.services.findings import states
from stathmis.services.moisture.water import events_of, setting_at

Array = NDArray[np.float64]
Times = NDArray[np.int64]

LID_MIN, POURED_MIN = 3.0, 1.0
"""A lid that was opened, or water poured, without a word how long. Source: common practice."""

What = Literal["set point", "water", "vent", "lid", "cool", "power", "night", "window"]


@dataclass(frozen=True)
class Change:
    """Something that might be done, or come, after so many minutes: see trying. amount: °C the controller is set to;
    cm² that are wet and full; opening, 0 to 1; minutes of a lid, a cooling, a cut; K the night is colder; °C outside
    the window; lasts_min: how long (a night: eight hours)."""

    what: What
    amount: float
    lasts_min: float = 0.0
    after_min: float = 0.0


def doings_of(
    book: Book,
    incubator: Incubator,
    course: Course | None,
    times: Times,
    room_c: Array,
    room_hpa: Array,
    usual_c: float,
) -> Doings:
    """What was done at every step (times: its beginning, UTC ms), as the log says; after its last entry nothing more,
    but that a cut not over goes on for its minutes. room_c, room_hpa: the room, (steps, ways); usual_c: what the
    controller is set to where nothing says."""
    steps, step_ms = times.size, round(1000.0 * STEP_S)
    events = events_of(book, incubator)
    first = rounds.set_point(book, incubator, int(times[0]))
    made = Doings(
        np.full(steps, usual_c if first is None else first),
        np.ones(steps),
        np.zeros(steps),
        np.zeros(steps),
        np.zeros(steps),
        np.zeros(steps, dtype=bool),
        np.zeros(steps),
        course.warmed_by(times).core_k if course is not None else np.zeros(steps),
        room_c,
        room_hpa,
    )
    made.eggs_mg_d_hpa[:] = _eggs(book, incubator, times)
    before = setting_at(events, int(times[0]))
    made.surface_cm2[:], made.opening[:] = before.surface_cm2 or 0.0, before.opening or 0.0
    cooled = course.way.cool_minutes if course is not None else 15.0
    lasting = {"lid": LID_MIN, "water": POURED_MIN, "cool": cooled}
    for event in events:
        if event.time_ms < times[0] - HOUR_MS or event.time_ms > times[-1]:
            continue
        i = max(0, int((event.time_ms - times[0]) // step_ms))
        if event.set_point_c is not None:
            made.point_c[i:] = event.set_point_c
        if event.kind in ("water", "vent"):
            setting = setting_at(events, event.time_ms)
            made.surface_cm2[i:], made.opening[i:] = setting.surface_cm2 or 0.0, setting.opening or 0.0
        if event.kind == "water":
            made.filled[i] = True
        minutes = event.minutes if event.minutes is not None else lasting.get(event.kind, 0.0)
        if event.kind in lasting or event.kind == "power":
            _during(made.power if event.kind == "power" else made.lid, i, minutes * 60.0 / STEP_S, event.kind)
    return made


def _during(row: Array, i: int, steps: float, kind: str) -> None:
    """A lid open, or no mains, for so many steps from one on."""
    whole = int(steps)
    part = row[i : i + whole + 1]
    share = np.concatenate([np.ones(whole), [steps - whole]])[: part.size]
    part[:] = np.minimum(part, 1.0 - share) if kind == "power" else np.maximum(part, share)


def _eggs(book: Book, incubator: Incubator, times: Times) -> Array:
    """Conductance of all eggs at the steps, mg/(d hPa): changed only when eggs come or go."""
    days, inverse = np.unique(times // (DAY_MS // 4), return_inverse=True)
    found = np.array([states.eggs_conductance(book, incubator, int(d) * (DAY_MS // 4)) for d in days])
    return found[inverse]


def changed(doings: Doings, changes: Sequence[Change]) -> Doings:
    """What is done from an instant on, with these changes made from there."""
    made = boxes.copied(doings)
    minutes = np.arange(made.point_c.size + 1, dtype=np.float64) * (STEP_S / 60.0)
    for change in changes:
        begin, end = change.after_min, change.after_min + change.lasts_min
        share = np.clip(np.minimum(minutes[1:], end) - np.maximum(minutes[:-1], begin), 0.0, None) * 60.0 / STEP_S
        later = minutes[:-1] >= begin - 1e-9
        if change.what == "set point":
            made.point_c[later] = change.amount
        elif change.what == "water":
            made.surface_cm2[later] = change.amount
            made.filled[np.argmax(later)] = True
            made.lid[np.argmax(later)] = min(1.0, 60.0 * POURED_MIN / STEP_S)
        elif change.what == "vent":
            made.opening[later] = change.amount
        elif change.what in ("lid", "cool"):
            np.maximum(made.lid, np.minimum(share, 1.0), out=made.lid)
        elif change.what == "power":
            made.power[:] = np.minimum(made.power, 1.0 - np.minimum(share, 1.0))
        else:
            _room_changed(made, change, minutes[:-1])
    return made


WINDOW_SHARE, AIRED_MIN, WARMED_MIN = 0.6, 20.0, 60.0
"""A room with its window open goes so far to the air outside, so quickly, and comes back so slowly. Source: common
practice, approximate."""
OUTSIDE_RH = 80.0


def _room_changed(made: Doings, change: Change, minutes: Array) -> None:
    """A colder night, or the window of the room open."""
    since, end = minutes - change.after_min, change.lasts_min
    if change.what == "night":
        # it comes and goes as nights do: coldest in its middle
        depth = np.where((since >= 0.0) & (since <= end), np.sin(np.pi * np.clip(since / max(end, 1.0), 0.0, 1.0)), 0.0)
        made.room_c[:] -= change.amount * depth[:, None]
        return
    aired = 1.0 - np.exp(-np.clip(since, 0.0, end) / AIRED_MIN)
    share = WINDOW_SHARE * np.where(since < 0.0, 0.0, aired * np.exp(-np.maximum(since - end, 0.0) / WARMED_MIN))
    outside = float(saturation_vapor_pressure(change.amount)) * OUTSIDE_RH / 100.0
    made.room_c[:] += share[:, None] * (change.amount - made.room_c)
    made.room_hpa[:] += share[:, None] * (outside - made.room_hpa)
