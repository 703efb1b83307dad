"""The set point that centers the true temperature: from corrected readings, in the controller's own tenths."""

from __future__ import annotations

from dataclasses import dataclass
from math import hypot, sqrt

import numpy as np

from stathmis.core.calibration import NORMAL_95
from stathmis.core.conformity import decide
from stathmis.core.places import Centering, center
from stathmis.core.profile import Band
from stathmis.core.units import difference_from_inside, from_inside
from stathmis.logbook.records import Incubator
from stathmis.services import batches, knowledge, rounds
from stathmis.services.clock import DAY_MS
from stathmis.services.corrections import Corrected
from stathmis.services.runs import Run, temperature_runs
from stathmis.services.workbench import Workbench

LOOK_BACK_MS = {True: DAY_MS, False: 3 * DAY_MS}
"""A day of a logger evens out the room's warm and cold hours; hand readings need more days (logger: True).
Source: common practice."""
OPENING_K = 1.5
"""A reading this far from the median is of an open lid or a power cut. Source: common practice."""
SETTLE_MS = 3 * 3_600_000
"""After a change wait this long before judging it. Source: common practice (1–3 h)."""
STANDARD_C = {"forced": 37.5, "still": 38.6}
"""Held where no batch says otherwise. Source: common practice."""


@dataclass(frozen=True)
class SetPointAdvice:
    """What to do with a controller, in words, with the figures (°C; centering in the keeper's unit) and cautions."""

    incubator: Incubator
    set_point_c: float | None
    mean: Corrected | None
    count: int
    hours: float
    target_c: float
    centering: Centering | None
    words: str
    why: str
    caution: str
    band: Band | None = None

    @property
    def decision(self) -> str:
        """Whether the mean is inside the band."""
        if self.mean is None or self.band is None:
            return "undecided"
        return str(decide(self.mean.value, self.mean.u, self.band.low, self.band.high))


def advise_set_point(bench: Workbench, incubator: Incubator) -> SetPointAdvice:
    """The set-point change that centers an incubator, from what its instruments showed over the last day."""
    now, unit = bench.now_ms, bench.temperature_unit
    course = batches.running(bench, incubator)
    band = course.band("temperature", now) if course else None
    target = band.middle if band is not None else STANDARD_C[incubator.air]
    point = rounds.set_point(bench, incubator, now)
    events = bench.events_between(incubator.id, now - LOOK_BACK_MS[False] - SETTLE_MS, now)
    changed = max((e.time_ms for e in events if e.set_point_c is not None), default=0)
    start = changed + SETTLE_MS
    if course is not None and course.start_ms < course.batch.set_ms <= now:
        start = max(start, course.batch.set_ms)
    young = course is not None and 0 <= course.day(now) < 1
    caution = knowledge.cautions()["chase"] if young else ""
    mean, count, hours = _mean(bench, incubator, start, now)
    centering, words, why = None, "", ""
    if mean is None:
        words = "Not enough readings since the last change to say."
        why = f"Wait {SETTLE_MS / 3_600_000:.0f} h after a change, then read it a few times over a day."
    elif young:
        words = "Leave the controller alone today."
        why = "The eggs are still warming. This page says more after the first day."
    elif point is None:
        words = "Log what the controller is set to, under Round, to have its next setting computed."
    else:
        centering = center(
            float(from_inside(point, unit)),
            float(from_inside(mean.value, unit)),
            float(difference_from_inside(mean.U, unit)),
            float(from_inside(target, unit)),
        )
        words, why = _words(centering, unit)
    held = band if band is not None else Band(target - 0.3, target + 0.3)
    return SetPointAdvice(incubator, point, mean, count, hours, target, centering, words, why, caution, held)


def _words(c: Centering, unit: str) -> tuple[str, str]:
    if abs(c.change) < 1e-9:
        return (
            f"Leave it at {c.set_point:.1f} {unit}.",
            f"The mean is {abs(c.exact):.2f} {unit} from the middle: less than half a tenth step of the controller.",
        )
    if not c.certain:
        return (
            f"Leave it at {c.set_point - c.change:.1f} {unit} for now: can't tell.",
            f"The mean seems {abs(c.exact):.2f} {unit} {'low' if c.exact > 0 else 'high'}, less than its uncertainty. "
            "A better check of the thermometer would settle it.",
        )
    way = "up" if c.change > 0 else "down"
    return (
        f"Set it {way} by {abs(c.change):.1f} {unit}, to {c.set_point:.1f} {unit}.",
        f"The air then stands {abs(c.left):.2f} {unit} from the middle. One change, then wait 3 h before judging it.",
    )


def _mean(bench: Workbench, incubator: Incubator, since_ms: int, now_ms: int) -> tuple[Corrected | None, int, float]:
    """Time-weighted corrected mean of the surest instrument, with how much it rests on: a logger's day, else hand
    readings of some days, but none from before since_ms."""
    for by_logger, back in LOOK_BACK_MS.items():
        start = max(since_ms, now_ms - back)
        runs = temperature_runs(bench, incubator, start, now_ms) if start < now_ms else []
        means = [m for m in (_mean_of(run) for run in runs if run.dense or not by_logger) if m is not None]
        if means:
            return min(means, key=lambda m: m[0].U)
    return None, 0, 0.0


def _mean_of(run: Run) -> tuple[Corrected, int, float] | None:
    # an open lid says nothing about the set point
    shut = np.abs(run.corrected - np.median(run.corrected)) <= OPENING_K
    times, values = run.times_ms[shut], run.corrected[shut]
    hours = float(times[-1] - times[0]) / 3_600_000 if times.size else 0.0
    if times.size < 3 or hours < 2.0:
        return None
    seconds = (times - times[0]) / 1000.0
    value = float(np.trapezoid(values, seconds) / seconds[-1])
    # a thermostat's swing is followed by a logger; hand readings only sample it
    scatter = 0.0 if run.dense else float(np.std(values, ddof=1)) / sqrt(times.size)
    return Corrected(value, NORMAL_95 * hypot(float(np.median(run.u)), scatter)), int(times.size), hours
