"""Settled states of an incubator's humidity, found in its log after everything done to its water and vents."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from stathmis.core.airbox import Evaporated, SteadyState
from stathmis.core.checks.side_by_side import at_times
from stathmis.core.checks.steady import steady_part
from stathmis.core.moisture import term_conductance
from stathmis.core.psychrometrics import saturation_vapor_pressure
from stathmis.core.units import Quantity
from stathmis.logbook.records import DroppedState, Event, Incubator
from stathmis.services.batch.batches import course_by_id, lying_in
from stathmis.services.batch.species import species_of
from stathmis.services.book import Book
from stathmis.services.clock import DAY_MS, HOUR_MS
from stathmis.services.findings.runs import HAND_GAP_S, Run, recorded
from stathmis.services.moisture.water import Setting, events_of, setting_at
from stathmis.words import findings as say
from stathmis.words.catalogue import _

Array = NDArray[np.float64]

REMEMBERED_MS = 60 * DAY_MS
"""States older than this say little of the box as it stands now. Source: our own."""
MOST_STATES = 60
DISTURBING = ("water", "vent", "lid", "set_point", "cool", "power")
USUAL_ROOM = (21.0, 50.0)
U_USUAL_ROOM_HPA = 3.5
"""Where the room is not read: its usual air, and how far off that may be (standard uncertainty). Source: common
practice."""
ROOM_GAP_S = 30 * 3600.0
"""The vapor of a room moves slowly: readings a day apart still say what lies between. Source: common practice."""
LATELY_MS = HOUR_MS
SAME_CM2 = 0.05
"""Surfaces that differ by less are the same."""
REFILL_FROM_MS, REFILL_TO_MS = HOUR_MS, 7 * DAY_MS
U_POURED = 0.15
"""Relative standard uncertainty of an amount poured until it looked full. Source: common practice."""


@dataclass(frozen=True)
class FoundState:
    """A stretch of the log after something was done (UTC ms): what was set, and the state it settled to.

    problem: why it cannot be used, empty where it can; used: neither a problem nor dropped by the keeper;
    dropped_id: the record of that.
    """

    since_ms: int
    until_ms: int
    setting: Setting
    state: SteadyState | None
    problem: str
    dropped_id: int | None = None

    @property
    def used(self) -> bool:
        """Whether the box is fitted to it."""
        return self.state is not None and self.dropped_id is None and not self.problem


@dataclass(frozen=True)
class Air:
    """What is read inside and in the room; the uncertainties every reading of an instrument shares."""

    warm: Run | None
    moist: Run | None
    room_warm: Run | None
    room_moist: Run | None
    usual_c: float

    @property
    def u_instrument_rh(self) -> float:
        """Standard uncertainty of the humidity inside, percent."""
        return max(0.2, float(np.median(self.moist.u))) if self.moist is not None else 3.0

    @property
    def u_room_hpa(self) -> float:
        """Standard uncertainty of the room's vapor pressure, hPa."""
        if self.room_moist is None or self.room_warm is None:
            return U_USUAL_ROOM_HPA
        saturated = float(saturation_vapor_pressure(float(np.median(self.room_warm.corrected))))
        return max(0.1, saturated * float(np.median(self.room_moist.u)) / 100.0)

    def inside_c(self, at_ms: float) -> float:
        """Temperature inside at a time, °C; the usual where it was not read."""
        return _near(self.warm, at_ms, self.usual_c)

    def room(self, at_ms: float) -> tuple[float, float] | None:
        """Room at a time, °C and %, None where it was not read near it."""
        if self.room_warm is None or self.room_moist is None:
            return None
        warm, moist = _near(self.room_warm, at_ms, np.nan), _near(self.room_moist, at_ms, np.nan)
        return (warm, moist) if np.isfinite(warm) and np.isfinite(moist) else None


def _near(run: Run | None, at_ms: float, otherwise: float) -> float:
    if run is None:
        return otherwise
    gap = max(run.max_gap_s, ROOM_GAP_S)
    found = at_times(np.array([at_ms / 1000.0]), run.times_ms / 1000.0, run.corrected, gap)[0]
    if not np.isfinite(found) and 0 <= at_ms - run.times_ms[-1] <= ROOM_GAP_S * 1000.0:
        found = run.corrected[-1]
    return float(found) if np.isfinite(found) else otherwise


def air_of(book: Book, incubator: Incubator, start_ms: int, stop_ms: int) -> Air:
    """What was read inside an incubator and in the room over a stretch (UTC ms)."""

    def one(place: Incubator | None, quantity: Quantity) -> Run | None:
        if place is None:
            return None
        return recorded(book, [(place, start_ms, stop_ms)], quantity, start_ms).judged

    room = book.room()
    here = lying_in(book, incubator)
    course = course_by_id(book, here[-1][0].id) if here else None
    usual = course.held_c(stop_ms) if course is not None else incubator.set_point_c or 37.5
    return Air(
        one(incubator, "temperature"),
        one(incubator, "humidity"),
        one(room, "temperature"),
        one(room, "humidity"),
        usual,
    )


def eggs_conductance(book: Book, incubator: Incubator, at_ms: int) -> float:
    """Conductance of all eggs in an incubator at a time, mg/(d hPa), from species and count."""
    total = 0.0
    for batch, since, until in lying_in(book, incubator):
        if since <= at_ms and (until is None or at_ms < until):
            species = species_of(book, batch.species)
            if species.kind == "bird":
                total += batch.eggs * term_conductance(species.egg_g, species.days, book.pressure_hpa)
    return total


def _hatching(book: Book, incubator: Incubator, at_ms: int) -> bool:
    """Whether chicks may be out of their shells and wet."""
    for batch, since, until in lying_in(book, incubator):
        late = (at_ms - batch.set_ms) / DAY_MS >= species_of(book, batch.species).days_low - 1.0
        if late and since <= at_ms and (until is None or at_ms < until):
            return True
    return False


def find_states(book: Book, incubator: Incubator, air: Air, now_ms: int) -> tuple[FoundState, ...]:
    """Everything done to an incubator lately, and the state its humidity settled to after each, the newest last."""
    events = events_of(book, incubator, now_ms)
    done = _done(book, incubator, events, now_ms)
    dropped = {d.since_ms: d.id for d in book.records(DroppedState) if d.incubator_id == incubator.id}
    found = []
    for since, until in pairwise([*done, now_ms]):
        setting = setting_at(events, since)
        if setting.surface_cm2 is None and setting.opening is None:
            continue
        state, problem = _state(book, incubator, air, setting, since, until)
        if state is None and not problem:
            continue
        found.append(FoundState(since, until, setting, state, problem, dropped.get(since)))
    return tuple(found[-MOST_STATES:])


def _done(book: Book, incubator: Incubator, events: Sequence[Event], now_ms: int) -> list[int]:
    """When something was done that moves the humidity, and eggs set or taken out."""
    times = {e.time_ms for e in events if e.kind in DISTURBING}
    for _batch, since, until in lying_in(book, incubator):
        times |= {since} | ({until} if until is not None else set())
    return sorted(t for t in times if now_ms - REMEMBERED_MS <= t <= now_ms)


def _state(
    book: Book, incubator: Incubator, air: Air, setting: Setting, since: int, until: int
) -> tuple[SteadyState | None, str]:
    """The state a stretch settled to, or why there is none; neither where too little was read to speak of."""
    if air.moist is None:
        return None, ""
    run = air.moist
    inside = slice(*np.searchsorted(run.times_ms, [since, until]).tolist())
    seconds = (run.times_ms[inside] - since) / 1000.0
    steady = steady_part(seconds, run.corrected[inside], by_hand=not run.dense)
    if steady is None:
        return None, "" if seconds.size < 30 else say.IT_DID_NOT_SETTLE()
    if setting.surface_cm2 is None or setting.opening is None:
        missing = _("what was wet") if setting.surface_cm2 is None else say.HOW_FAR_THE_VENT_WAS()
        return None, _("{missing} is not known", missing=missing)
    middle = since + 500.0 * (steady.start_s + steady.stop_s)
    if _hatching(book, incubator, round(middle)):
        return None, say.CHICKS_MAY_HAVE_BEEN_WET()
    room = air.room(middle)
    inside_c = air.inside_c(middle)
    u = steady.u
    if room is None:
        u = float(np.hypot(u, 100.0 * U_USUAL_ROOM_HPA / float(saturation_vapor_pressure(inside_c))))
    state = SteadyState(
        setting.surface_cm2,
        setting.opening,
        *(room or USUAL_ROOM),
        inside_c,
        steady.mean,
        u,
        eggs_conductance(book, incubator, round(middle)),
        steady.tau_s,
        steady.u_ln_tau,
    )
    return state, ""


def lately(book: Book, incubator: Incubator, air: Air, now_ms: int) -> SteadyState | None:
    """The box as it is now, where nothing was done for an hour: mean of the newest hour; None where not read."""
    events = events_of(book, incubator, now_ms)
    setting = setting_at(events, now_ms)
    done = _done(book, incubator, events, now_ms)
    run = air.moist
    if run is None or setting.surface_cm2 is None or setting.opening is None:
        return None
    newest = int(run.times_ms[-1])
    longest = HOUR_MS if run.dense else round(HAND_GAP_S * 1000)
    if now_ms - newest > longest or (done and newest - done[-1] < 2 * HOUR_MS):
        return None
    kept = run.corrected[run.times_ms >= newest - LATELY_MS]
    u = float(kept.std()) / np.sqrt(min(kept.size, 12)) if run.dense else 1.5
    room = air.room(newest)
    inside_c = air.inside_c(newest)
    if room is None:
        u = float(np.hypot(u, 100.0 * U_USUAL_ROOM_HPA / float(saturation_vapor_pressure(inside_c))))
    eggs = eggs_conductance(book, incubator, now_ms)
    return SteadyState(
        setting.surface_cm2, setting.opening, *(room or USUAL_ROOM), inside_c, float(kept.mean()), max(u, 0.2), eggs
    )


def evaporated(book: Book, incubator: Incubator, air: Air, now_ms: int) -> tuple[Evaporated, ...]:
    """Water that went between two refills of the same surface, where the second was logged with its amount."""
    events = [e for e in events_of(book, incubator, now_ms) if e.time_ms >= now_ms - REMEMBERED_MS]
    water = [e for e in events if e.kind == "water"]
    if air.moist is None:
        return ()
    made = []
    for before, after in pairwise(water):
        surface = setting_at(events, before.time_ms).surface_cm2
        span = after.time_ms - before.time_ms
        if after.water_ml is None or not surface or not REFILL_FROM_MS <= span <= REFILL_TO_MS:
            continue
        # what a basin put in or taken out holds did not evaporate
        if abs((setting_at(events, after.time_ms).surface_cm2 or 0.0) - surface) > SAME_CM2:
            continue
        inside = (air.moist.times_ms >= before.time_ms) & (air.moist.times_ms < after.time_ms)
        if not inside.any():
            continue
        rate = after.water_ml / (span / HOUR_MS)
        rh = float(air.moist.corrected[inside].mean())
        middle = 0.5 * (before.time_ms + after.time_ms)
        made.append(Evaporated(surface, air.inside_c(middle), rh, rate, U_POURED * rate))
    return tuple(made)
