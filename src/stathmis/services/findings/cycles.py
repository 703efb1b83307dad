"""What a logger's air means: the mean over whole cycles of the thermostat, not the moment of a swing."""

from __future__ import annotations

from dataclasses import replace
from math import hypot

import numpy as np

from stathmis.core.conformity import decide
from stathmis.core.course.profile import Band
from stathmis.core.course.upsets import cycle_mean, cycling, sudden_drops
from stathmis.core.series import median
from stathmis.core.uncertainty import NORMAL_95
from stathmis.logbook import readings
from stathmis.logbook.records import Incubator
from stathmis.services.book import Book, finding
from stathmis.services.findings.corrections import Corrected
from stathmis.services.findings.runs import CORRECTED, temperature_runs
from stathmis.services.findings.verdict import Judged

WINDOW_MS = 3 * 3_600_000
"""The mean is taken over the last three hours: several cycles of any thermostat, and short of the room's day."""
FRESH_MS = 20 * 60_000
LEAST = 12
MOVED_S = 45 * 60.0
"""Air that has been elsewhere for so long has moved. Source: our own: longer than any thermostat's swing."""
STEP_S = 10 * 60.0
"""Readings at least this often come from a logger."""
AFTER_LID_S = 15 * 60.0
DEEPER_K = 0.5
"""A lid drops the air deeper than the thermostat swings by this much. Source: common practice."""
DISTURBING = ("set_point", "lid", "vent", "water", "cool", "power")


USUAL_BACK_S = {"forced": 45 * 60.0, "still": 75 * 60.0, "room": 75 * 60.0}
"""So long after an open lid the air is back where it was, with a fan and in still air. Source: common practice (1-3 h
with cold eggs, less without)."""
DAYS_BACK_MS = 10 * 86_400_000
LEAST_DROPS = 3


@finding(*CORRECTED, here=True)
def back_s(book: Book, incubator: Incubator, day: int) -> float:
    """How long this machine's air takes to be back after it was opened, s: the middle of what its own log shows in the
    days before, else the usual; day: number of the day (UTC), so that it is looked for once a day."""
    stop = (day + 1) * 86_400_000
    for run in temperature_runs(book, incubator, stop - DAYS_BACK_MS, stop):
        drops = sudden_drops(run.times_ms / 1000.0, run.corrected) if run.dense else ()
        took = [d.back_s - d.start_s for d in drops if d.back_s is not None]
        if len(took) >= LEAST_DROPS:
            return float(np.quantile(took, 0.75))
    return USUAL_BACK_S[incubator.air]


def averaged(book: Book, incubator: Incubator, judged: Judged, band: Band | None, at_ms: int) -> Judged:
    """A reading as the mean its logger shows, where it is a logger's and the air is undisturbed; else as it is."""
    channel = judged.channel
    if channel.quantity != "temperature" or incubator.air == "room" or at_ms - judged.time_ms > FRESH_MS:
        return judged
    start = at_ms - WINDOW_MS
    if any(e.kind in DISTURBING for e in book.events_between(incubator.id, start, at_ms)):
        return judged
    found = readings.series(book.snapshot, channel, max(start, judged.placement.from_ms), at_ms)
    if found.times_ms.size < LEAST or median(np.diff(found.times_ms)) > STEP_S * 1000.0:
        return judged
    values, u = book.corrections.correct_series(channel, found)
    seconds = found.times_ms / 1000.0
    kept = np.ones(seconds.size, dtype=bool)
    seen = cycling(seconds, values)
    swing = seen.swing if seen is not None else 0.0
    for drop in sudden_drops(seconds, values):
        if drop.before - drop.lowest <= 2.0 * swing + DEEPER_K:
            # a quick thermostat falls as sharply, but no deeper than it swings
            continue
        if drop.back_s is None:
            # a lid that is open, or a fault: what it reads now is what counts
            return judged
        kept &= (seconds < drop.start_s) | (seconds > drop.back_s + AFTER_LID_S)
    late = seconds >= seconds[-1] - MOVED_S
    if (kept & late).sum() >= LEAST and (kept & ~late).any():
        moved = abs(median(values[kept & late]) - median(values[kept & ~late]))
        if moved > 2.0 * swing + DEEPER_K:
            # it does not swing but has gone elsewhere: how warm it was before says nothing of now
            kept &= late
    if int(kept.sum()) < LEAST:
        return judged
    mean = cycle_mean(seconds[kept], values[kept])
    own = hypot(median(u), mean.u)
    layers = judged.corrected.u**2 - float(u[-1]) ** 2
    corrected = Corrected(mean.value, NORMAL_95 * hypot(own, max(0.0, layers) ** 0.5))
    decision = judged.decision
    if band is not None:
        decision = str(decide(corrected.value, corrected.u, band.low, band.high))
    return replace(judged, corrected=corrected, decision=decision, mean_s=mean.span_s, newest=judged.corrected)
