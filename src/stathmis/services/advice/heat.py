"""What to do about the heat: the one adviser that Round, the column, the controller's page and reports ask.

A set point is moved by what the air was on average, never by one moment of a thermostat's swing; never while something
logged explains the air; and never far at once: hot kills more quickly than cold.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from math import hypot, sqrt
from typing import Literal

import numpy as np

from stathmis.core.checks.places import Centering, center
from stathmis.core.conformity import INSIDE, OUTSIDE, decide
from stathmis.core.course.profile import Band
from stathmis.core.course.upsets import cycling
from stathmis.core.series import median, observed_mean
from stathmis.core.uncertainty import NORMAL_95
from stathmis.core.units import difference_from_inside, from_inside
from stathmis.logbook.records import Event, Incubator
from stathmis.services import rounds
from stathmis.services.advice import witness
from stathmis.services.advice.astray import FAR_OFF_K, LATE_HEAT_K, Suspect, astray, suspects
from stathmis.services.advice.reasons import SETTLING_MS, Reason, Upset, over_ms, upset
from stathmis.services.advice.witness import Witness
from stathmis.services.batch.course import Course
from stathmis.services.book import Book, finding
from stathmis.services.clock import DAY_MS
from stathmis.services.findings.corrections import Corrected
from stathmis.services.findings.cycles import back_s
from stathmis.services.findings.last_action import LastAction, last_action
from stathmis.services.findings.runs import CORRECTED, Run, temperature_runs
from stathmis.services.findings.verdict import Verdict
from stathmis.services.rounds import RoundSheet

DANGER_C = 40.0
"""Egg temperature that kills within hours. Source: common practice."""
LARGEST_STEP_K = 0.5
"""No step of a set point is larger, unless a log of hours asks for it. Source: our own, cautious."""
LARGEST_LOGGED_STEP_K = 1.0
"""And then no larger than this. Source: our own, cautious."""
LOGGED_H = 3.0
"""So many hours of a logger are a log of hours."""
STEADY_H = 6.0
"""Air that was far off so long, logged and steady, may be moved a step all the same."""
USUAL_SWING_K = 0.3
"""A thermostat's swing to either side where it was never logged. Source: common practice (± 0.3 to 0.6 K)."""
LOOK_BACK_MS = {True: DAY_MS, False: 3 * DAY_MS}
"""A day of a logger evens out the room's warm and cold hours; hand readings need more days (logger: True).
Source: common practice."""
MOST_HIDDEN = 0.5
"""Where more of the stretch was disturbed than this, its mean is of no state."""
EXPLAINED = 0.5
"""A mean that crept by so much of what it asks for is not the thermostat's doing alone."""
STEP_WITHIN_K = 3.0
"""Air further off than this is never moved by the set point: heater, power, lid or thermometer. Source: our own."""
STANDARD_C = {"forced": 37.5, "still": 38.6, "room": 21.0}
"""Held where no batch says otherwise. Source: common practice."""
HALF_BAND_K = 0.3
DISTURBED = ("lid", "cool", "power")
"""After these the air is not what the thermostat holds, until it is back."""

Kind = Literal[
    "danger", "wait", "young", "look", "passing", "move", "sample", "second", "center", "leave", "unclear", "unknown"
]


@dataclass(frozen=True)
class Mean:
    """A corrected mean (°C) since the last change: over how many hours and readings, from a logger or by hand."""

    value: Corrected
    hours: float
    readings: int
    dense: bool


@dataclass(frozen=True)
class HeatAdvice:
    """What to do about the heat of an incubator, with the figures it rests on (°C, K; centering in the keeper's unit).

    kind: "danger"; "wait" for what still settles; "young": the eggs are still warming; "look" at power, heater, lid and
    thermometer, first at what suspects say; "passing": low or high just now, but not over the day; "move" the set point
    by step_k; "sample": one reading by hand cannot tell a swing from a fault; "second": read another thermometer, as
    this one crept while nothing was touched; "center": inside, and a tenth or more from the middle; "leave" it;
    "unclear": the instrument cannot tell; "unknown": not read enough.
    """

    kind: Kind
    incubator: Incubator
    verdict: Verdict | None
    band: Band
    mean: Mean | None
    reason: Reason
    set_point_c: float | None
    step_k: float = 0.0
    swing_k: float = USUAL_SWING_K
    upset: Upset | None = None
    last: LastAction | None = None
    gain: float | None = None
    centering: Centering | None = None
    suspects: tuple[Suspect, ...] = ()
    witness: Witness | None = None

    @property
    def pressing(self) -> bool:
        """Whether it belongs on Round: something is to be done, or left undone, now."""
        outside = self.verdict is not None and self.verdict.decision == OUTSIDE
        return self.kind in ("danger", "look", "passing", "move", "sample", "second") or (
            self.kind in ("wait", "young") and outside
        )

    @property
    def decision(self) -> str:
        """Whether the mean since the last change is inside the band."""
        if self.mean is None:
            return "undecided"
        return str(decide(self.mean.value.value, self.mean.value.u, self.band.low, self.band.high))


def advise(book: Book, incubator: Incubator) -> HeatAdvice:
    """What to do about an incubator's heat now."""
    sheet = rounds.sheet(book, incubator)
    return heat(book, sheet, sheet.verdict("temperature"))


def heat(book: Book, sheet: RoundSheet, verdict: Verdict | None) -> HeatAdvice:
    """What to do about the heat of a round; verdict: of its readings, or of what is being typed."""
    incubator, now, course = sheet.incubator, sheet.at_ms, sheet.course
    held = sheet.band("temperature")
    middle = held.middle if held is not None else STANDARD_C[incubator.air]
    band = held or Band(middle - HALF_BAND_K, middle + HALF_BAND_K)
    point = rounds.set_point(book, incubator, now)
    last = last_action(book, incubator, "temperature", now)
    mean = _mean(book, incubator, course, now)
    swing = _swing(book, incubator, now)

    def found(kind: Kind, rule: str = "one thing at a time", **more: object) -> HeatAdvice:
        reason = Reason(verdict, rule, last)  # type: ignore[arg-type]
        made = {"swing_k": swing, "last": last, **more}
        return HeatAdvice(kind, incubator, verdict, band, mean, reason, point, **made)  # type: ignore[arg-type]

    if verdict is not None and _danger(verdict, band):
        return found("danger", "danger")
    settling = upset(book, sheet, "temperature")
    if settling is not None:
        off = band.middle - verdict.corrected.value if verdict is not None else 0.0
        far = verdict is not None and verdict.decision == OUTSIDE and abs(off) > FAR_OFF_K
        if held is not None and far and astray(book, incubator, settling, band, now):
            # what was done does not explain it any more: no step, but a look
            return found("look", "far off", upset=settling, suspects=suspects(book, incubator, -off, now))
        return found("wait", upset=settling)
    if course is not None and 0 <= course.day(now) < 1:
        return found("young")
    if verdict is None or held is None:
        return _believed(book, incubator, course, now, _centered(book, mean, band, point, found), found)
    off = band.middle - verdict.corrected.value
    if _decision(verdict, band, swing) != OUTSIDE:
        if verdict.decision == OUTSIDE:
            return found("sample", "swing")
        return _believed(book, incubator, course, now, _centered(book, mean, band, point, found), found)
    logged = mean is not None and mean.dense
    if abs(off) > FAR_OFF_K:
        steady = logged and mean is not None and mean.hours >= STEADY_H and abs(off) < STEP_WITHIN_K
        asked = band.middle - mean.value.value if steady and mean is not None else 0.0
        step = float(np.sign(off)) * LARGEST_LOGGED_STEP_K if asked * off > 0 and abs(asked) > FAR_OFF_K else 0.0
        return found("look", "far off", step_k=step, suspects=suspects(book, incubator, -off, now))
    if logged and mean is not None:
        if decide(mean.value.value, mean.value.u, band.low, band.high) == INSIDE:
            return found("passing", "swing")
        asked = band.middle - mean.value.value
        # the smaller of what the last hours and the whole day ask for
        off = off if asked * off <= 0 or abs(off) < abs(asked) else asked
    elif witness.thrown_off(book, incubator, now) is not None:
        # too little is left of the day to tell what the thermostat holds
        return found("look", "far off", suspects=suspects(book, incubator, -off, now))
    gain = last.gain if last is not None and last.gain is not None and 0.3 <= last.gain <= 3.0 else None
    most = LARGEST_LOGGED_STEP_K if logged and mean is not None and mean.hours >= LOGGED_H else LARGEST_STEP_K
    step = max(-most, min(most, off / gain if gain is not None else off))
    return _believed(book, incubator, course, now, found("move", step_k=step, gain=gain), found)


def _believed(
    book: Book,
    incubator: Incubator,
    course: Course | None,
    now: int,
    asked: HeatAdvice,
    found: Callable[..., HeatAdvice],
) -> HeatAdvice:
    """Advice to move the set point, unless the only witness for it crept there by itself: then to read another."""
    step = asked.step_k if asked.kind == "move" else 0.0
    if asked.kind == "center" and asked.centering is not None:
        step = asked.centering.change
    if not step:
        return asked
    if course is not None and step < 0.0 and float(course.warmed_by(now).shell_k) > LATE_HEAT_K:
        # late eggs heat a box whose thermostat nobody touched
        return asked
    crept = witness.crept(book, incubator, _untouched_since(book, incubator, course, now), now)
    by = crept.before - crept.now if crept is not None else 0.0
    if crept is None or by * step < EXPLAINED * step * step:
        return asked
    return found("second", "witness", witness=crept)


def _untouched_since(book: Book, incubator: Incubator, course: Course | None, now: int) -> int:
    """When the air should have settled after what last moved it for good, UTC ms."""
    events = book.events_between(incubator.id, 0, now)
    since = max((e.time_ms + SETTLING_MS for e in events if e.set_point_c is not None or e.kind == "vent"), default=0)
    return max(since, course.batch.set_ms + 2 * SETTLING_MS) if course is not None else since


def _danger(verdict: Verdict, band: Band) -> bool:
    now = [r.newest for r in verdict.readings if r.newest is not None]
    hot = verdict.corrected if verdict.decision == OUTSIDE or verdict.band is None else None
    known = [c for c in (hot, *now) if c is not None]
    return any(c.value >= DANGER_C and decide(c.value, c.u, band.low, band.high) == OUTSIDE for c in known)


def _decision(verdict: Verdict, band: Band, swing_k: float) -> str:
    """Whether the air is inside on average: one reading by hand is a moment of the swing."""
    u = verdict.corrected.u
    if not any(r.mean_s for r in verdict.readings):
        u = hypot(u, swing_k / sqrt(2.0))
    return str(decide(verdict.corrected.value, u, band.low, band.high))


def _centered(
    book: Book, mean: Mean | None, band: Band, point: float | None, found: Callable[..., HeatAdvice]
) -> HeatAdvice:
    """Nothing presses: whether the controller stands where it should, to the tenth."""
    if mean is None or point is None:
        return found("unknown")
    unit = book.temperature_unit
    centering = center(
        float(from_inside(point, unit)),
        float(from_inside(mean.value.value, unit)),
        float(difference_from_inside(mean.value.U, unit)),
        float(from_inside(band.middle, unit)),
    )
    kind = "leave" if abs(centering.change) < 1e-9 else "center" if centering.certain else "unclear"
    return found(kind, centering=centering)


@finding(*CORRECTED, here=True)
def _swing(book: Book, incubator: Incubator, now_ms: int) -> float:
    """The thermostat's swing to either side, K: seen in the log of the last days, else the usual one."""
    for run in temperature_runs(book, incubator, now_ms - LOOK_BACK_MS[True], now_ms):
        seen = cycling(run.times_ms / 1000.0, run.corrected) if run.dense else None
        if seen is not None:
            return seen.swing
    return USUAL_SWING_K


@finding(*CORRECTED, Event, here=True)
def _mean(book: Book, incubator: Incubator, course: Course | None, now: int) -> Mean | None:
    """Time-weighted corrected mean of the surest instrument since the last change: a logger's day, else hand readings
    of some days."""
    events = book.events_between(incubator.id, now - LOOK_BACK_MS[False] - SETTLING_MS, now)
    since = max((e.time_ms + SETTLING_MS for e in events if e.set_point_c is not None), default=0)
    back_ms = round(1000.0 * back_s(book, incubator, now // DAY_MS))
    upset = [(e.time_ms, over_ms(e) + back_ms) for e in events if e.kind in DISTURBED]
    if course is not None and course.start_ms < course.batch.set_ms <= now:
        since = max(since, course.batch.set_ms)
    for by_logger, back in LOOK_BACK_MS.items():
        start = max(since, now - back)
        runs = temperature_runs(book, incubator, start, now) if start < now else []
        means = [m for m in (_mean_of(run, upset) for run in runs if run.dense or not by_logger) if m is not None]
        if means:
            return min(means, key=lambda m: m.value.U)
    return None


def _mean_of(run: Run, upset: Sequence[tuple[int, int]]) -> Mean | None:
    kept = ~witness.hidden(run)
    for start, stop in upset:
        kept &= (run.times_ms < start) | (run.times_ms > stop)
    if int(kept.sum()) < 3 or kept.mean() < 1.0 - MOST_HIDDEN:
        return None
    value, observed_s = observed_mean(run.times_ms / 1000.0, run.corrected, kept, run.max_gap_s)
    hours = observed_s / 3600.0
    if hours < 2.0:
        return None
    # a thermostat's swing is followed by a logger; hand readings only sample it
    scatter = 0.0 if run.dense else float(np.std(run.corrected[kept], ddof=1)) / sqrt(int(kept.sum()))
    u = hypot(median(run.u[kept]), scatter)
    return Mean(Corrected(value, NORMAL_95 * u), hours, int(kept.sum()), run.dense)


def hot_now(verdict: Verdict) -> bool:
    """Whether any instrument reads a temperature that is dangerous at once, however the mean lies."""
    return any((r.newest or r.corrected).value >= DANGER_C for r in verdict.readings)
