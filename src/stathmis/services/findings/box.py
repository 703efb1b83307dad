"""What water and vents give in an incubator: every combination, the one to choose, and the way there."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from statistics import NormalDist

import numpy as np
from numpy.typing import NDArray

from stathmis.core import airbox
from stathmis.core.airbox import Box, Misfit, Odd
from stathmis.core.psychrometrics import dew_point
from stathmis.logbook.records import DroppedState, EggFinding, Event, Incubator, WaterSurface
from stathmis.logbook.snapshot import SETTINGS
from stathmis.services.batch import vents
from stathmis.services.batch.batches import COURSES_REST_ON
from stathmis.services.batch.course import Course
from stathmis.services.book import Book, finding
from stathmis.services.clock import DAY_MS, HOUR_MS
from stathmis.services.findings import states
from stathmis.services.findings.combinations import Grid, Mixer, RampStep, Room, Trial, combinations_of, vent_openings
from stathmis.services.findings.runs import MOST_RUNS, READ
from stathmis.services.findings.states import USUAL_ROOM, Air, FoundState
from stathmis.services.moisture.water import Setting, events_of, setting_at, surfaces
from stathmis.words import findings as say
from stathmis.words.catalogue import Spoken

Array = NDArray[np.float64]

HINT = 4.0
"""A hint makes a cause so many times as likely. Source: our own."""
LEFT_FROM, LEFT_TO, SLOW_MS = 0.2, 0.8, 40 * 60_000
"""Air that took longer than this from a fifth to four fifths of a change lost its water as a trough does that sinks; a
lid left ajar takes minutes. Source: common practice, approximate."""
NIGHTS_MS = 3 * DAY_MS
PANE_SHARE = 0.5
"""A single pane is about midway between room and inside. Source: common practice, ± 2 K."""
U_PANE_K = 2.0
VENT_HABITS = Spoken(
    {
        "open": say.AS_OPEN_AS_THE_HUMIDITY,
        "narrow": say.NEARLY_CLOSED_LITTLE_WATER_HOLDS,
    }
)


@dataclass(frozen=True)
class BoxSheet:
    """All about water and vents of an incubator at a time (UTC ms).

    now: how it is set; grids by "now", "tonight", "lockdown" (those that apply); settling: time constant, s, and its
    relative standard uncertainty; lasts: hours a filling lasts, likewise; filled_ms: when water went in last; dry: the
    humidity without water at the most open and the narrowest vent; dew_c: dew point inside, fog: how likely the pane is
    below it; misfit: of the newest hour; ramp: the way from now to lockdown; odd: the state that contradicts the
    others, and by how much, where they contradict each other beyond chance.
    """

    incubator: Incubator
    course: Course | None
    at_ms: int
    surfaces: tuple[WaterSurface, ...]
    now: Setting
    states: tuple[FoundState, ...]
    box: Box
    room: Room | None
    inside_c: float
    grids: dict[str, Grid]
    trial: Trial | None
    settling: tuple[float, float] | None
    lasts: tuple[float, float] | None
    filled_ms: int | None
    dry: tuple[tuple[float, float], tuple[float, float]]
    dew_c: float | None
    fog: float | None
    misfit: Misfit | None
    ramp: tuple[RampStep, ...]
    vent_habit: str
    odd: tuple[FoundState, Odd] | None = None

    @property
    def used(self) -> int:
        """How many states the box rests on."""
        return sum(s.used for s in self.states)


@finding(
    *READ, Event, WaterSurface, DroppedState, EggFinding, *COURSES_REST_ON, SETTINGS, each_minute=True, most=MOST_RUNS
)
def box_sheet(book: Book, incubator: Incubator, course: Course | None) -> BoxSheet:
    """All about water and vents of an incubator now."""
    now_ms = book.now_ms
    # from a midnight (UTC) on: the same runs serve all day
    air = states.air_of(book, incubator, (now_ms - states.REMEMBERED_MS) // DAY_MS * DAY_MS, now_ms)
    found = states.find_states(book, incubator, air, now_ms)
    gone = states.evaporated(book, incubator, air, now_ms)
    used_states = [s for s in found if s.used and s.state is not None]
    used = [s.state for s in used_states if s.state is not None]
    box = airbox.fit_box(used, air.u_instrument_rh, air.u_room_hpa, gone)
    own, events = surfaces(book, incubator), events_of(book, incubator, now_ms)
    now = setting_at(events, now_ms)
    eggs = states.eggs_conductance(book, incubator, now_ms)
    read = air.room(now_ms)
    room = Room(*(read or USUAL_ROOM))
    inside_c = air.inside_c(now_ms)
    kept = vents.wanted(book, course, now_ms) if course is not None else None
    openings = vent_openings(now, kept, vents.at_lockdown(course) if course is not None else None)
    maker = Mixer(box, combinations_of(own, now), openings, inside_c, eggs, now, vent_habit(book))
    grids = _grids(maker, air, course, now_ms, room, kept)
    water = [e for e in events if e.kind == "water"]
    newest = states.lately(book, incubator, air, now_ms)
    before = [s.state for s in found if s.used and s.state is not None and s.until_ms < now_ms]
    misfit, odd = None, airbox.odd_state(box, used, air.u_instrument_rh, air.u_room_hpa, gone)
    rh_now = newest.rh if newest is not None else None
    dew = float(dew_point(inside_c, rh_now)) if rh_now is not None and rh_now > 1.0 else None
    dry = maker.dry(room)
    # just after a change nothing has settled yet: what it will settle to is the better guess then
    expected = rh_now if rh_now is not None else maker.expected(room)
    lasts = _lasts(box, own, now, inside_c, expected)
    if newest is not None and before:
        chicks = course is not None and course.day(now_ms) >= course.species.days_low - 1.0
        known = airbox.fit_box(before, air.u_instrument_rh, air.u_room_hpa, gone)
        emptied = (now_ms - water[-1].time_ms) / HOUR_MS / lasts[0] if water and lasts is not None else 0.0
        misfit = airbox.misfit(known, [newest], chicks=chicks, before=hints(found, air, now_ms, emptied))
    return BoxSheet(
        incubator,
        course,
        now_ms,
        tuple(own),
        now,
        found,
        box,
        Room(*read) if read is not None else None,
        inside_c,
        grids,
        maker.trial(room) if own else None,
        box.settling_s(now.surface_cm2, now.opening, eggs)
        if now.surface_cm2 is not None and now.opening is not None
        else None,
        lasts,
        water[-1].time_ms if water else None,
        dry,
        dew,
        _fog(dew, inside_c, room) if dew is not None else None,
        misfit,
        maker.ramp(grids, room),
        maker.habit,
        (used_states[odd.at], odd) if odd is not None else None,
    )


def _grids(
    maker: Mixer, air: Air, course: Course | None, now_ms: int, room: Room, opening: float | None
) -> dict[str, Grid]:
    band = course.band("humidity", now_ms) if course is not None else None
    made = {"now": maker.grid("now", room, band, opening=opening)}
    cold = _coldest(air, now_ms)
    if cold is not None:
        made["tonight"] = maker.grid("tonight", cold, band, opening=opening)
    if course is not None and course.lockdown_day is not None and course.day(now_ms) < course.species.days_high:
        late = next((p.humidity for p in course.phases if p.name == "lockdown"), None)
        if late is not None:
            made["lockdown"] = maker.grid("lockdown", room, late, late=True, opening=vents.at_lockdown(course))
    return made


def _coldest(air: Air, now_ms: int) -> Room | None:
    """The coldest the room was in the last nights, with its own air then; None where it is read too seldom."""
    warm = air.room_warm
    if warm is None:
        return None
    recent = warm.times_ms >= now_ms - NIGHTS_MS
    if int(recent.sum()) < 3:
        return None
    times, values = warm.times_ms[recent], warm.corrected[recent]
    at = int(times[int(np.argmin(values))])
    read = air.room(at)
    return Room(*read) if read is not None else None


def hints(found: Sequence[FoundState], air: Air, now_ms: int, emptied: float) -> dict[str, float]:
    """What speaks for one cause before the numbers do: how the humidity left where it had settled, and when.

    found: states in order of time; emptied: share of a filling's time that is over. Returns how likely each cause is
    beforehand, in any scale. Source: common practice, in steps of HINT.
    """
    likely = dict.fromkeys(airbox.CAUSES, 1.0)
    if emptied > 0.7:
        likely["dry"] *= HINT
    own = found[-1] if found and found[-1].used and found[-1].until_ms >= now_ms else None
    if own is None or own.state is None or air.moist is None:
        return likely
    # it had settled after the last change and left it later: an instrument that was wrong all along is unlikely
    likely["hygrometer"] /= HINT
    since = air.moist.times_ms >= own.since_ms + HOUR_MS
    times, values = air.moist.times_ms[since], air.moist.corrected[since]
    if times.size < 10 or not air.moist.dense:
        return likely
    whole = float(values[-5:].mean()) - own.state.rh
    if abs(whole) > 1.0:
        likely["dry" if _left_slowly(times, (values - own.state.rh) / whole) else "leak"] *= HINT
    return likely


def _left_slowly(times_ms: NDArray[np.int64], share: Array) -> bool:
    """Whether the air went where it is (share 1) from where it had settled (0) as slowly as water sinks.

    Only the stretch in which it left counts: a lid that was opened and shut before says nothing.
    """
    grid = np.arange(times_ms[0], times_ms[-1] + 1, 5 * 60_000)
    smooth = np.interp(grid, times_ms, share)
    still = np.flatnonzero(smooth < LEFT_FROM)
    begin = int(still[-1]) if still.size else 0
    gone = np.flatnonzero(smooth[begin:] > LEFT_TO)
    end = begin + int(gone[0]) if gone.size else smooth.size - 1
    return bool(grid[end] - grid[begin] > SLOW_MS)


def _lasts(
    box: Box, own: Sequence[WaterSurface], now: Setting, inside_c: float, rh: float | None
) -> tuple[float, float] | None:
    """Hours a filling lasts, and its relative standard uncertainty; None where no volume is known or nothing is wet."""
    if not now.surface_cm2 or rh is None:
        return None
    known = [s for s in own if s.volume_ml is not None]
    if not known:
        return None
    # the shallowest trough runs dry first: depth over the rate, the same for every cm²
    depth = min((s.volume_ml or 0.0) / s.surface_cm2 for s in known)
    rate, u = box.evaporation_ml_h(1.0, inside_c, rh)
    return depth / rate, u


def _fog(dew_c: float, inside_c: float, room: Room) -> float:
    """How likely a single pane is below the dew point."""
    pane = room.celsius + PANE_SHARE * (inside_c - room.celsius)
    return NormalDist(pane, U_PANE_K).cdf(dew_c)


def vent_habit(book: Book) -> str:
    """How the keeper holds the vents at lockdown: a key of VENT_HABITS."""
    kept = book.settings.lockdown_vents
    return kept if kept in VENT_HABITS else "open"
