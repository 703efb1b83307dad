"""A machine in the computer: many boxes as this one may be, run through what its log says was done to it.

What they do not explain of the log is carried on as it wanders (core.twin.wander), so that what comes is as unsure as
this machine has been. Nothing here looks ahead by itself: see ahead and services.advice.trying.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from copy import deepcopy
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from stathmis.core import airbox
from stathmis.core.egg_heat import core_modes
from stathmis.core.psychrometrics import saturation_vapor_pressure
from stathmis.core.series import median
from stathmis.core.twin import box as boxes
from stathmis.core.twin.box import STEP_S, Boxes, Doings, Standing, Ways
from stathmis.core.twin.wander import carried
from stathmis.core.units import Quantity
from stathmis.logbook.records import DroppedState, EggFinding, Event, Incubator, Reading, WaterSurface
from stathmis.logbook.snapshot import SETTINGS
from stathmis.services.batch.batches import COURSES_REST_ON
from stathmis.services.batch.course import Course
from stathmis.services.batch.power_cut import BOX_HOURS, USUAL_G
from stathmis.services.book import Book, finding
from stathmis.services.clock import DAY_MS, HOUR_MS
from stathmis.services.findings import states
from stathmis.services.findings.doings import Change, Times, changed, doings_of
from stathmis.services.findings.runs import CORRECTED, Run
from stathmis.services.findings.states import USUAL_ROOM
from stathmis.services.moisture.water import events_of, surfaces

Array = NDArray[np.float64]

TRIED, MEMBERS = 600, 240
"""So many boxes are held against the log, and so many of the likeliest make the ensemble: the ends of 95 % of them are
sure to a few percent of their width."""
BACK_MS = 4 * DAY_MS
"""The log of so many days is followed, so that a day of the room's own is seen."""
HOURS_AHEAD = 48
LEAST_READ = 4
"""Fewer readings of a quantity say nothing of what comes."""
SCALE: dict[str, float] = {"temperature": 0.25, "humidity": 2.0, "room": 1.2, "vapor": 1.5}
LEVEL: dict[str, float] = {"temperature": 0.7, "humidity": 15.0, "room": 4.0, "vapor": 4.0}
"""How far the air wanders from what a box explains, and how far off that is all along: K, %, K and hPa of the room.
Source: our own."""
OWN_U: dict[str, tuple[float, float]] = {
    "temperature": (0.02, 0.25),
    "humidity": (0.2, 1.5),
    "room": (0.1, 0.5),
    "vapor": (0.2, 0.6),
}
"""What an hour of a logger, and a reading by hand, is off by on its own (a swing, a step of the display)."""
UPSET_U: dict[str, float] = {"temperature": 0.8, "humidity": 1.2}
"""Likewise while the air is on its way back from a lid."""
MISFIT: dict[str, float] = {"temperature": 0.25, "humidity": 2.2}
"""How far a good box is off from its air at any reading, K and %: it is not the machine. Source: our own."""
OUTLIER, SWING_OUTLIER = 4.0, 3.0
MOST_NEAR = 0.7
"""Where more of the readings than this share are near one that is far off, only those themselves are left out."""
SWING_MS = DAY_MS
SCATTER = 4.0
"""States that scatter by more than so many times what they may, squared, are not all of one box."""
LARGER = (0.5, 0.4)
"""By how much all flows of vapor, and the volume, may be larger than a box of air alone shows: natural logarithm, mean
and standard deviation. Source: our own; wood and plaster take up vapor."""
FAR_K = 4.0
"""What a box does not explain of its air fades as that goes so far away."""
LEAST_OVER = 3.0
"""Air less than so far over its room's, %, has no water to lose."""
DRY_U = 2.5
"""How far dry air reads from what its room makes of it, %: the hygrometers of both. Source: our own."""
ROOM_STEP_MS = 2 * HOUR_MS


@dataclass(frozen=True, eq=False)
class Twin:
    """A machine's boxes as they stand at an instant (UTC ms), and what drives them from there.

    doings: of the steps ahead, the room's shape (steps, members); off: by quantity what the log shows beside what they
    do, from now on at every step, shape (steps + 1, members); swing: by quantity what single readings were off from
    their hour; hourly: how far one hour's mean was from the next (standard deviation); depth_ml_cm2: of the water
    where it is full; filled_ms: when that was.
    """

    incubator: Incubator
    course: Course | None
    at_ms: int
    boxes: Boxes
    standing: Standing
    doings: Doings
    off: dict[Quantity, Array]
    swing: dict[Quantity, Array]
    hourly: dict[Quantity, float]
    depth_ml_cm2: float | None
    egg_g: float
    known: bool

    @property
    def times_ms(self) -> Times:
        """The ends of the steps ahead, UTC ms."""
        return self.at_ms + round(1000.0 * STEP_S) * np.arange(1, self.doings.point_c.size + 1, dtype=np.int64)


RESTS_ON = (Reading, *CORRECTED, Event, WaterSurface, DroppedState, EggFinding, *COURSES_REST_ON, SETTINGS)
"""What a probe writes after the instant that is looked ahead from changes nothing; a file brought in does."""


@finding(*RESTS_ON, most=6)
def twin(book: Book, incubator: Incubator, course: Course | None, at_ms: int) -> Twin | None:
    """The twin of a machine at a time (UTC ms), from what was logged until then; None for a room, and where too little
    was read."""
    if incubator.air == "room":
        return None
    start = (at_ms - BACK_MS) // DAY_MS * DAY_MS
    air = states.air_of(book, incubator, start, at_ms)
    step_ms = round(1000.0 * STEP_S)
    past, ahead = int((at_ms - start) // step_ms), HOURS_AHEAD * HOUR_MS // step_ms
    start = at_ms - past * step_ms
    times = start + step_ms * np.arange(past + ahead, dtype=np.int64)
    runs: dict[Quantity, Run | None] = {"temperature": air.warm, "humidity": air.moist}
    read = {q: r for q, run in runs.items() if run is not None and (r := _hours(run, start, at_ms)) is not None}
    if not read:
        return None
    room_c, room_hpa = _room(book, air.room_warm, air.room_moist, times, at_ms)
    depth = _depth(book, incubator)
    doings = doings_of(book, incubator, course, times, room_c, room_hpa, air.usual_c)
    theta, known = _vapor(book, incubator, at_ms)
    egg_g, forced = course.species.egg_g if course is not None else USUAL_G, incubator.air != "still"
    many = boxes.draw(TRIED, theta, 3600.0 * BOX_HOURS[incubator.air], _heat(book, incubator, at_ms // DAY_MS))
    so_far, to_come = boxes.part(doings, None, past), boxes.part(doings, past, None)
    usual = read["temperature"].values[0] if "temperature" in read else air.usual_c
    fitted = _those_that_fit(many, so_far, read, usual, depth, egg_g, forced=forced, start=start)
    many, standing, ways = fitted.boxes, fitted.standing, fitted.ways
    # each goes on in the room it was in
    to_come = to_come._replace(room_c=to_come.room_c[:, fitted.warm_in], room_hpa=to_come.room_hpa[:, fitted.moist_in])
    off, swing, hourly = {}, {}, {}
    wanted = (at_ms - start) / 1000.0 + STEP_S * np.arange(0, ahead + 1, 6)
    for quantity, own in read.items():
        made = ways.air_c if quantity == "temperature" else ways.rh
        explained = _at_hours(made, own, step_ms, start)
        left = own.values[:, None] - explained
        u = _unsure(own, left, quantity, so_far, start)
        go = carried(own.seconds, left.mean(axis=1), wanted, SCALE[quantity], u, LEVEL[quantity])
        drawn = go.draws(left, MEMBERS)
        off[quantity] = _finer(drawn, ahead + 1)
        swing[quantity] = _swing(own, _busy(so_far))
        apart = np.diff(left.mean(axis=1))
        hourly[quantity] = 1.48 * median(np.abs(apart - median(apart)))
    return Twin(incubator, course, at_ms, many, standing, to_come, off, swing, hourly, depth, egg_g, known)


class _Fitted(NamedTuple):
    """Boxes that did what the log shows, how they stand, and what they did; warm_in, moist_in: whose room each is
    in."""

    boxes: Boxes
    standing: Standing
    ways: Ways
    warm_in: NDArray[np.int64]
    moist_in: NDArray[np.int64]


def _those_that_fit(
    many: Boxes,
    so_far: Doings,
    read: Mapping[Quantity, _Read],
    usual_c: float,
    depth: float | None,
    egg_g: float,
    *,
    forced: bool,
    start: int,
) -> _Fitted:
    """Of the boxes tried those whose heat did what the log shows, and in their air those whose moisture did."""
    step_ms = round(1000.0 * STEP_S)
    each = np.arange(TRIED) % MEMBERS
    seen = so_far._replace(room_c=so_far.room_c[:, each], room_hpa=so_far.room_hpa[:, each])
    first_rh = read["humidity"].values[0] if "humidity" in read else 50.0
    full = np.random.default_rng(11).uniform(0.2, 1.0, TRIED)
    modes = len(core_modes(egg_g, forced))
    standing = boxes.settled(many, seen, np.full(TRIED, usual_c), np.full(TRIED, first_rh), full, modes)
    warm = boxes.air(many, standing, seen)
    held = _likely(warm, read.get("temperature"), "temperature", so_far, step_ms, start)[each]
    standing.air_c, standing.wall_c = standing.air_c[held], standing.wall_c[held]
    moist, water = boxes.moisture(many, standing, seen, warm[:, held], depth)
    picked = _likely(moist, read.get("humidity"), "humidity", so_far, step_ms, start)
    standing = Standing(
        standing.air_c[picked],
        standing.wall_c[picked],
        standing.vapor_hpa[picked],
        standing.water[picked],
        standing.core[:, held[picked]],
    )
    air_c = warm[:, held[picked]]
    core_c = boxes.cores(standing, so_far, air_c, egg_g, forced_air=forced)
    ways = Ways(air_c, core_c, moist[:, picked], water[:, picked])
    return _Fitted(many.picked(held[picked], picked), standing, ways, held[picked] % MEMBERS, picked % MEMBERS)


def _likely(
    made: Array, own: _Read | None, quantity: Quantity, so_far: Doings, step_ms: int, start: int
) -> NDArray[np.int64]:
    """The numbers of the boxes that did best what was read of a quantity; the first of them where nothing was."""
    if own is None:
        return np.arange(MEMBERS)
    left = own.values[:, None] - _at_hours(made, own, step_ms, start)
    u = np.hypot(_unsure(own, left, quantity, so_far, start), MISFIT[quantity])
    return boxes.likely(left, u, LEVEL[quantity], MEMBERS)


def now(found: Twin, quantity: Quantity) -> float:
    """What a twin takes its air to be at its instant, °C or %, without what the log shows beside it just now."""
    standing, off = found.standing, found.off[quantity]
    own = (
        standing.air_c
        if quantity == "temperature"
        else 100.0 * standing.vapor_hpa / np.asarray(saturation_vapor_pressure(standing.air_c))
    )
    return float(np.mean(own + off[-1]))


def go_on(found: Twin, changes: Sequence[Change] = ()) -> Ways:
    """What comes of a twin's boxes from its instant on, if these changes are made; the state after each step."""
    standing = deepcopy(found.standing)
    doings = changed(found.doings, changes)
    forced = found.incubator.air != "still"
    ways = boxes.run(found.boxes, standing, doings, found.depth_ml_cm2, found.egg_g, forced_air=forced)
    none = np.zeros((1, 1))
    warm = found.off.get("temperature", none)[-ways.air_c.shape[0] :]
    moist = found.off.get("humidity", none)[-ways.rh.shape[0] :]
    # what a box does not explain of its air does not stay while that is far off
    usual = found.standing.air_c + doings.point_c[:, None] - found.doings.point_c[0]
    near = np.exp(-np.abs(ways.air_c - usual) / FAR_K)
    moist = _left_over(ways, doings, moist * near)
    return Ways(ways.air_c + warm * near, ways.core_c + warm * near, np.clip(ways.rh + moist, 0.0, 100.0), ways.water)


def _left_over(ways: Ways, doings: Doings, off: Array) -> Array:
    """What boxes do not explain of their moisture, %, less of it the more they dry out: without water the air is the
    room's, warmed, and only hygrometers are off."""
    over = ways.rh - 100.0 * doings.room_hpa / np.asarray(saturation_vapor_pressure(ways.air_c))
    wet = np.where(over[0] > LEAST_OVER, np.clip(over / np.maximum(over[0], LEAST_OVER), 0.0, 1.0), 1.0)
    made: Array = off * wet + np.random.default_rng(19).normal(0.0, DRY_U, off.shape[1]) * (1.0 - wet)
    return made


@dataclass(frozen=True)
class _Read:
    """Readings by the hour of a logger, or each by hand: s since the start, values; what each single one of a logger
    was off from its hour lately, and when."""

    seconds: Array
    values: Array
    dense: bool
    off: Array
    off_s: Array


def _hours(run: Run, start: int, stop: int) -> _Read | None:
    part = run.between(start, stop)
    if part is None or part.times_ms.size < LEAST_READ:
        return None
    seconds = (part.times_ms - start) / 1000.0
    if not part.dense:
        return _Read(seconds, part.corrected, False, np.zeros(1), seconds[-1:])
    # counted back from the end, so that the last hour is a whole one
    hour = ((seconds[-1] - seconds) // 3600.0).astype(np.int64)
    _, first, inverse, counts = np.unique(-hour, return_index=True, return_inverse=True, return_counts=True)
    sums = np.zeros(first.size)
    np.add.at(sums, inverse, part.corrected)
    middle = np.zeros(first.size)
    np.add.at(middle, inverse, seconds)
    means, at = sums / counts, middle / counts
    off = part.corrected - np.interp(seconds, at, means)
    lately = part.times_ms >= stop - SWING_MS
    return _Read(at, means, True, off[lately], seconds[lately])


def _swing(own: _Read, busy: NDArray[np.bool_]) -> Array:
    """What single readings are off from their hour while nothing disturbs the air: a thermostat's swing, steps of a
    display."""
    step = np.clip((own.off_s // STEP_S).astype(np.int64), 0, busy.size - 1)
    quiet = ~busy[step] if not busy[step].all() else np.ones(step.size, dtype=bool)
    still, at = own.off[quiet], own.off_s[quiet]
    apart = np.abs(still - median(still))
    odd = apart > SWING_OUTLIER * max(1e-3, 1.48 * median(apart))
    # a lid nobody logged pulls the mean of its hour along
    lids = at[odd]
    near = np.searchsorted(lids, at + 3600.0) > np.searchsorted(lids, at - 3600.0)
    return still[~near] if near.sum() < MOST_NEAR * near.size else still[~odd]


def _busy(so_far: Doings) -> NDArray[np.bool_]:
    """Steps up to an hour after a lid or a cut."""
    touched = (so_far.lid > 0.0) | (so_far.power < 1.0)
    hour = round(3600.0 / STEP_S)
    made: NDArray[np.bool_] = np.convolve(touched, np.ones(hour + 1))[: touched.size] > 0.0
    return made


def _at_hours(made: Array, own: _Read, step_ms: int, start: int) -> Array:
    """What the boxes do at the times of readings: means of the hours, or the step itself."""
    ends = step_ms / 1000.0 * np.arange(1, made.shape[0] + 1)
    if not own.dense:
        return made[np.clip(np.searchsorted(ends, own.seconds), 0, made.shape[0] - 1)]
    sums = np.concatenate([np.zeros((1, made.shape[1])), np.cumsum(made, axis=0)])
    low = np.clip(np.searchsorted(ends, own.seconds - 1800.0), 0, made.shape[0] - 1)
    high = np.clip(np.searchsorted(ends, own.seconds + 1800.0), low + 1, made.shape[0])
    found: Array = (sums[high] - sums[low]) / (high - low)[:, None]
    return found


def _unsure(own: _Read, left: Array, quantity: Quantity, so_far: Doings, start: int) -> Array:
    """Standard uncertainty of each reading on its own: larger on the way back from a lid or a cut, logged or not."""
    u = np.full(own.seconds.size, OWN_U[quantity][not own.dense])
    step = np.clip((own.seconds // STEP_S).astype(np.int64), 0, so_far.lid.size - 1)
    u[_busy(so_far)[step]] = UPSET_U[quantity]
    off = left.mean(axis=1)
    far = np.abs(off - median(off)) > OUTLIER * max(u.min(), 1.48 * median(np.abs(off - median(off))))
    # the newest readings are what it does now, however far off
    far[-2:] = False
    u[far] = 2.0 * UPSET_U[quantity]
    return u


def _finer(drawn: Array, count: int) -> Array:
    """Draws at every sixth step, straight between them at every step."""
    at = np.arange(count) / 6.0
    low = np.minimum(at.astype(np.int64), drawn.shape[0] - 2)
    share = (at - low)[:, None]
    made: Array = (1.0 - share) * drawn[low] + share * drawn[low + 1]
    return made


def _room(book: Book, warm: Run | None, moist: Run | None, times: Times, at_ms: int) -> tuple[Array, Array]:
    """Ways the room may be at the steps, °C and hPa, each (steps, members): read where it was, usual where not."""
    start = int(times[0])
    coarse = np.arange(start, int(times[-1]) + ROOM_STEP_MS, ROOM_STEP_MS, dtype=np.int64)
    usual_c, usual_rh = USUAL_ROOM
    usual_hpa = float(saturation_vapor_pressure(usual_c)) * usual_rh / 100.0

    def ways(run: Run | None, what: str, usual: float, seed: int) -> Array:
        part = run.between(start, at_ms) if run is not None else None
        if part is None:
            # how it wanders is among what the air does beside a box: it is not counted twice
            levels = np.random.default_rng(seed).normal(usual, LEVEL[what], MEMBERS)
            return np.broadcast_to(levels, (times.size, MEMBERS))
        step = max(1, part.times_ms.size // 60)
        seconds, off = (part.times_ms[::step] - start) / 1000.0, part.corrected[::step] - usual
        u = np.full(seconds.size, OWN_U[what][not part.dense])
        go = carried(seconds, off, (coarse - start) / 1000.0, SCALE[what], u, LEVEL[what])
        drawn = usual + go.draws(off, MEMBERS, seed)
        at = (times - start) / ROOM_STEP_MS
        low = at.astype(np.int64)
        share = (at - low)[:, None]
        made: Array = (1.0 - share) * drawn[low] + share * drawn[low + 1]
        return made

    celsius = np.clip(ways(warm, "room", usual_c, 21), -10.0, 45.0)
    vapor = moist
    if moist is not None:
        # of the vapor there is, not of how moist it feels: that follows the temperature
        there = np.full(moist.times_ms.shape, usual_c)
        if warm is not None:
            there = np.interp(moist.times_ms, warm.times_ms, warm.corrected)
        hpa = np.asarray(saturation_vapor_pressure(there)) * moist.corrected / 100.0
        vapor = Run(
            moist.instrument, moist.channel, moist.times_ms, moist.shown, hpa, moist.u, moist.max_gap_s,
            moist.typical, moist.dense,
        )  # fmt: skip
    return celsius, np.maximum(ways(vapor, "vapor", usual_hpa, 22), 0.5)


def _depth(book: Book, incubator: Incubator) -> float | None:
    known = [s for s in surfaces(book, incubator) if s.volume_ml is not None]
    return min((s.volume_ml or 0.0) / s.surface_cm2 for s in known) if known else None


def _vapor(book: Book, incubator: Incubator, at_ms: int) -> tuple[Array, bool]:
    """What water and vents give here, as draws; whether its log has taught anything."""
    day = at_ms // DAY_MS * DAY_MS
    air = states.air_of(book, incubator, day - states.REMEMBERED_MS, at_ms)
    found = [s.state for s in states.find_states(book, incubator, air, at_ms) if s.used and s.state is not None]
    gone = states.evaporated(book, incubator, air, at_ms)
    while True:
        fitted = airbox.fit_box(found, air.u_instrument_rh, air.u_room_hpa, gone)
        if len(found) <= 3 or fitted.chi_square <= SCATTER * len(found):
            break
        # states of a trough that was running dry, of a lid ajar: most are not like that
        rows = np.array([(*s[:5], s.eggs_mg_d_hpa) for s in found]).T
        off: Array = np.array([s.rh for s in found]) - np.asarray(fitted.predict(*rows)[0]) - fitted.offset[0]
        worst = set(np.argsort(-np.abs(off - median(off)))[: max(1, len(found) // 5)].tolist())
        found = [s for i, s in enumerate(found) if i not in worst]
    draws = fitted.draws.copy()
    # walls and wood take vapor up: what settles slowly may be larger flows, which nothing but the water that went shows
    if not gone:
        larger = np.random.default_rng(13).normal(*LARGER, draws.shape)[:, 0]
        draws[:, [0, 1, 2, 5]] += larger[:, None]
    return draws, bool(found or gone)


@finding(*RESTS_ON, most=12)
def _heat(book: Book, incubator: Incubator, day: int) -> tuple[Array, Array] | None:
    """What the days before told of the heat of a machine; day: number of the day (UTC), so that it is learned once a
    day; None where nothing disturbed it, or it was not logged."""
    stop, step_ms = day * DAY_MS, round(1000.0 * STEP_S)
    start = stop - 3 * BACK_MS
    air = states.air_of(book, incubator, start, stop)
    run = air.warm.between(start, stop) if air.warm is not None else None
    if run is None or not run.dense:
        return None
    telling = [e for e in events_of(book, incubator, stop) if e.time_ms >= max(start, int(run.times_ms[0]))]
    telling = [e for e in telling if e.kind in ("lid", "power", "cool", "set_point")][-6:]
    if not telling:
        return None
    edges = [max(telling[0].time_ms - 6 * HOUR_MS, int(run.times_ms[0])), min(stop, telling[-1].time_ms + 8 * HOUR_MS)]
    times = np.arange(edges[0], edges[1], step_ms, dtype=np.int64)
    bins = (run.times_ms - times[0]) // step_ms
    inside = (bins >= 0) & (bins < times.size)
    sums, counts = np.zeros(times.size), np.zeros(times.size)
    np.add.at(sums, bins[inside], run.corrected[inside])
    np.add.at(counts, bins[inside], 1.0)
    with np.errstate(invalid="ignore"):
        read = sums / counts
    room = np.full((times.size, 1), USUAL_ROOM[0])
    if air.room_warm is not None:
        room = np.interp(times, air.room_warm.times_ms, air.room_warm.corrected)[:, None]
    doings = doings_of(book, incubator, None, times, room, np.full((times.size, 1), 11.0), air.usual_c)
    # only what is near something that was done tells of it; the rest is a thermostat's own
    near = np.zeros(times.size, dtype=bool)
    for event in telling:
        since = times - event.time_ms
        near |= (since > -HOUR_MS) & (since < 4 * HOUR_MS + 60_000 * (event.minutes or 0.0))
    read = np.where(near, read, np.nan)
    known = np.flatnonzero(np.isfinite(read))
    if known.size < 12:
        return None
    start_c = float(read[known[0]])
    # a thermostat's swing, as far as five minutes do not even it out
    quiet = np.abs(run.corrected - median(run.corrected))
    u = np.full(times.size, float(np.hypot(0.1, 1.48 * median(quiet))))
    return boxes.fit_heat(doings, read, u, 3600.0 * BOX_HOURS[incubator.air], start_c)
