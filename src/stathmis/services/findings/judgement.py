"""The run as the egg felt it: core temperature, excursions with cause and weight, openings, cycling, hatch shift."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from stathmis.core.adherence import Adherence, Excursion, judge
from stathmis.core.course.upsets import Cycling, Drop, cycling, sudden_drops
from stathmis.core.egg_heat import COLD_C, egg_temperature, egg_time_constant, hatch_shift
from stathmis.core.uncertainty import NORMAL_95
from stathmis.logbook.records import Event
from stathmis.logbook.snapshot import SETTINGS
from stathmis.services.advice.heat import DANGER_C
from stathmis.services.batch.course import Course
from stathmis.services.book import Book, finding
from stathmis.services.clock import DAY_MS
from stathmis.services.findings import trace
from stathmis.services.findings.corrections import Corrected
from stathmis.services.findings.room_air import RoomAir, room_air
from stathmis.services.findings.runs import MOST_RUNS, READ, Run
from stathmis.services.findings.trace import BatchTrace
from stathmis.words import findings as say
from stathmis.words.catalogue import N_, Spoken, _

Array = NDArray[np.float64]

EGG_HALF_BAND_K = 0.5
"""The egg may stay this far from the middle of what is asked: the air's own band and its usual swing. Source: common
practice."""
COLD_K = 7.5
"""Eggs that are held cooler than birds' are far too cold this far below what is asked. Source: common practice."""

HOT_K = 1.5
"""So much too warm for hours kills. Source: common practice."""
COOLING_FAR_H = 1.0
"""Eggs that were cooled on purpose and stayed below COLD_C longer than this were forgotten. Source: common practice."""

WORTH_TELLING_K_H = 0.2
"""A slight excursion of fewer degree-hours is counted, not listed. Source: common practice."""

CAUSES = Spoken(
    {
        "lid": N_("lid opened"),
        "water": N_("water added"),
        "note": "",
        "vent": N_("vent changed"),
        "set_point": N_("set point changed"),
        "power": N_("power cut"),
        "cool": N_("cooled, as meant"),
    }
)


@dataclass(frozen=True)
class EggExcursion:
    """A stretch of the egg outside its band: UTC ms, peak of egg and air (°C), degree-hours beyond the limit.

    weight: "slight", "matters" or "serious", with the reason; cause: what was logged or seen about then, or empty.
    """

    start_ms: int
    end_ms: int
    side: str
    peak_c: float
    air_peak_c: float
    degree_hours: float
    weight: str
    why: str
    cause: str

    @property
    def worth_telling(self) -> bool:
        """Whether it is more than a dip."""
        return self.weight != "slight" or self.degree_hours >= WORTH_TELLING_K_H

    @property
    def hours(self) -> float:
        """How long it lasted, h."""
        return (self.end_ms - self.start_ms) / 3_600_000


@dataclass(frozen=True)
class EggTrace:
    """What one run says about the eggs; times UTC ms, temperatures °C.

    core: shape of the run, nan where unknown; own: how much of it is the embryos' own heat, K, same shape. band, on
    average, adherence and mean are of the core without it: whoever holds the usual air means eggs that are as much
    warmer. shift_days, u_shift_days: how much later the hatch is to be expected, None before a day is known.
    """

    run: Run
    core: Array
    own: Array
    band: tuple[float, float]
    adherence: Adherence
    excursions: tuple[EggExcursion, ...]
    openings: tuple[Drop, ...]
    cycling: Cycling | None
    mean: Corrected | None
    shift_days: float | None
    u_shift_days: float

    @property
    def felt(self) -> Array:
        """The core without the embryos' own heat, °C: what the air made of it."""
        return self.core - self.own

    @property
    def passing(self) -> int:
        """Openings the eggs hardly felt: nothing that matters, and nothing lasting, came of them."""
        felt = sum(
            any(
                e.start_ms <= o.lowest_s * 1000 + 3_600_000 and o.start_s * 1000 <= e.end_ms
                for e in self.excursions
                if e.weight != "slight" or e.hours > 1.0
            )
            for o in self.openings
        )
        return len(self.openings) - felt


@dataclass(frozen=True)
class JudgedRun:
    """The trace of a batch, what it says about the eggs (None without a temperature), and the room beside it."""

    trace: BatchTrace
    eggs: EggTrace | None
    room: RoomAir
    set_points: tuple[tuple[int, float], ...]


@finding(*READ, Event, SETTINGS, each_minute=True, most=MOST_RUNS)
def judged_run(book: Book, course: Course) -> JudgedRun:
    """Everything recorded of a batch until now, judged on air and egg."""
    traced = trace.trace(book, course)
    run = traced.temperature.judged
    eggs = judge_eggs(course, run, traced.until_ms, traced.events) if run is not None else None
    room = room_air(book, course, traced)
    return JudgedRun(traced, eggs, room, tuple(trace.set_points(book, course, traced.until_ms)))


def judge_eggs(course: Course, run: Run, until_ms: int, events: Sequence[Event]) -> EggTrace:
    """Follow the eggs of a batch behind the air of its best temperature run."""
    species, forced = course.species, course.incubator.air == "forced"
    bird = species.kind == "bird"
    set_ms = course.batch.set_ms
    first = int(np.searchsorted(run.times_ms, set_ms))
    last = int(np.searchsorted(run.times_ms, until_ms, "right"))
    part = slice(first, last)
    seconds = run.times_ms / 1000.0
    # still air is read at the egg tops, where it is warmer than the egg's middle
    air = run.corrected - course.still_offset_k
    core = np.full(run.times_ms.shape, np.nan)
    core[part] = egg_temperature(seconds[part], air[part], species.egg_g, forced, max_gap_s=run.max_gap_s)
    held_c, half_k = course.held(run.times_ms)
    half_k = np.maximum(half_k, EGG_HALF_BAND_K)
    low, high = held_c - half_k, held_c + half_k
    # eggs set cold need three response times to be warm: that is no excursion
    warm_ms = set_ms + round(3000.0 * egg_time_constant(species.egg_g, forced))
    after = slice(int(np.searchsorted(run.times_ms, warm_ms)), last)
    found = judge(
        seconds[after],
        core[after],
        low[after],
        high[after],
        run.max_gap_s,
        run.u[after],
        span_s=(warm_ms / 1000.0, max(warm_ms, until_ms) / 1000.0),
    )
    drops = sudden_drops(seconds[part], run.corrected[part]) if run.dense else ()
    own = course.warmed_by(run.times_ms).core_k
    core, edges = core + own, (low + own, high + own)
    excursions = [
        _weigh(run, seconds, air, core, e, edges, events, drops) for e in found.excursions if e.end_s > e.start_s
    ]
    mean = shift = None
    u_shift = 0.0
    if found.known_s > 86_400:
        u = float(np.median(run.u[after]))
        mean = Corrected(found.mean, NORMAL_95 * u)
        shift, u_shift = hatch_shift(found.mean, u, species.set_c, min(course.day(until_ms), species.days))
    return EggTrace(
        run,
        core,
        own,
        (float(low[after].mean()), float(high[after].mean())) if low[after].size else (float(low[-1]), float(high[-1])),
        found,
        tuple(excursions),
        drops,
        _cycling(run, seconds) if run.dense else None,
        mean,
        shift if bird else None,
        u_shift,
    )


def _cycling(run: Run, seconds: Array) -> Cycling | None:
    """The thermostat over the last day of the run."""
    recent = slice(int(np.searchsorted(run.times_ms, run.times_ms[-1] - DAY_MS)), None)
    return cycling(seconds[recent], run.corrected[recent])


def _weigh(
    run: Run,
    seconds: Array,
    air: Array,
    core: Array,
    found: Excursion,
    band: tuple[Array, Array],
    events: Sequence[Event],
    drops: Sequence[Drop],
) -> EggExcursion:
    start, end = round(found.start_s * 1000), round(found.end_s * 1000)
    inside = slice(int(np.searchsorted(seconds, found.start_s)), int(np.searchsorted(seconds, found.end_s, "right")))
    beyond = np.abs(core[inside] - (band[0] if found.side == "low" else band[1])[inside])
    hours = seconds[inside] / 3600.0
    degree_hours = float(np.trapezoid(beyond, hours)) if hours.size > 1 else 0.0
    extreme = np.nanmin if found.side == "low" else np.nanmax
    # the air leads the egg: its own extreme lies up to an hour before
    lead = slice(int(np.searchsorted(seconds, found.start_s - 3600.0)), inside.stop)
    held = 0.5 * (band[0] + band[1])[inside]
    far = core[inside] < np.minimum(COLD_C, held - COLD_K) if found.side == "low" else core[inside] >= held + HOT_K
    far_hours = float((np.diff(hours) * far[:-1]).sum()) if hours.size > 1 else 0.0
    # the excursion was found without the embryos' own heat
    peak = float(core[int(np.searchsorted(seconds, found.peak_s))])
    weight, why = seriousness(found.side, peak, far_hours, degree_hours)
    cause = _cause(found, events, drops)
    if cause == CAUSES["cool"] and found.side == "low" and far_hours < COOLING_FAR_H:
        weight, why = "slight", _("a cooling period")
    return EggExcursion(
        start,
        end,
        found.side,
        peak,
        float(extreme(air[lead])),
        degree_hours,
        weight,
        why,
        cause,
    )


def seriousness(side: str, peak: float, far_hours: float, degree_hours: float) -> tuple[str, str]:
    """How much an excursion matters, and why; peak: °C; far_hours: above set + HOT_K, or below COLD_C; degree_hours:
    beyond the band, K h. Source: common practice (hot kills faster than cold)."""
    if side == "high":
        if peak >= DANGER_C:
            return "serious", say.EGGS_AT_DANGER_C_C(danger_c=DANGER_C)
        if far_hours >= 2.0:
            return "serious", say.SO_MUCH_TOO_WARM_FOR()
        if degree_hours >= 2.0:
            return "matters", say.HEAT_ADDS_UP_EARLY_SMALL()
        return "slight", say.SHORT_AND_SMALL_WATCH_IT()
    if far_hours >= 6.0:
        return "serious", say.MANY_HOURS_FAR_TOO_COLD()
    if far_hours > 0.0 or degree_hours >= 12.0:
        return "matters", say.COLD_DELAYS_THE_HATCH_AND()
    return "slight", say.EMBRYOS_STAND_AN_HOUR_OR()


def _cause(found: Excursion, events: Sequence[Event], drops: Sequence[Drop]) -> str:
    """What was logged last within three hours before its worst, else what the air shows."""
    begin, end = round((found.start_s - 3.0 * 3600.0) * 1000), round(found.peak_s * 1000)
    for event in reversed(events):
        if begin <= event.time_ms <= end:
            if event.kind == "power" and event.minutes is not None:
                return _("power off for {minutes:g} h", minutes=event.minutes / 60.0)
            return CAUSES["cool"] if event.kind == "cool" else event.note or CAUSES.get(event.kind, "")
    if any(begin / 1000.0 <= o.start_s <= found.peak_s for o in drops):
        return say.A_SHARP_DROP_LID_OPEN()
    return ""
