"""What a batch's own log says of each likely cause, and of the day of its hatch; what was not measured is left out."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from stathmis.core.hatch.hatch_stats import Rate, differ
from stathmis.core.hatch.review import Measured
from stathmis.core.units import from_inside
from stathmis.logbook.records import Channel, Instrument, Placement
from stathmis.services.batch.batches import events_along
from stathmis.services.batch.course import Course
from stathmis.services.book import Book
from stathmis.services.clock import DAY_MS, HOUR_MS
from stathmis.services.eggs import delivery
from stathmis.services.eggs.tray import TraySheet, tally
from stathmis.services.eggs.tray_shape import at_edge
from stathmis.services.findings import loss
from stathmis.services.findings.judgement import EggTrace
from stathmis.services.findings.runs import recorded
from stathmis.services.moisture import weights
from stathmis.services.plan import planning

LOOKED_U_DAYS = 0.25
"""The middle chick's hour is known to about a quarter of a day: one does not look all the time."""
BEFORE_MS, WARM_AGAIN_MS = 10 * 60_000, 2 * HOUR_MS
"""A cooling may have begun so long before it was logged, and the eggs are warm again so long after its end."""
WORTH_SAYING = {"temperature": 0.05, "humidity": 1.0}
"""A later check that moves readings by less changes nothing (K, %)."""


@dataclass(frozen=True)
class LaterCheck:
    """A check done after the hatch that changes what an instrument said of it, by how much (K or %)."""

    instrument: Instrument
    channel: Channel
    done_ms: int
    change: float


def evidence(book: Book, course: Course, sheet: TraySheet, eggs: EggTrace | None) -> dict[str, Measured]:
    """What was measured of a batch for each cause (keys of core.review.CAUSES). eggs: as followed by the trace."""
    found: dict[str, Measured] = {}
    if eggs is not None and eggs.mean is not None:
        middle = 0.5 * (eggs.band[0] + eggs.band[1])
        found["mean_k"] = Measured(eggs.mean.value - middle, 0.5 * eggs.mean.U)
        counts = np.isfinite(eggs.core) & (eggs.run.times_ms >= course.batch.set_ms + DAY_MS // 2)
        known = eggs.felt[counts & ~_cooled(book, course, eggs.run.times_ms)]
        if eggs.run.dense and known.size > 10:
            found["swing_k"] = Measured(float(known.std()), 0.05)
    weighed = weights.weighings(book, course.batch.id)
    if course.lockdown_day is not None and len(weighed) > 1:
        lost = loss.loss_sheet(book, course, weighed, course.at_ms(course.lockdown_day))
        if lost is not None and lost.loss_now is not None:
            found["loss_off"] = Measured(lost.loss_now[0] - lost.wanted[1], lost.loss_now[1])
    found |= _lockdown(book, course, sheet)
    plan = planning.plan_of(book, course.batch)
    stored = stored_days(book, course, sheet)
    if stored is not None:
        found["stored_over_days"] = Measured(max(0.0, stored - 7.0), 0.5)
    came = delivery.delivery_of(book, plan)
    if came is not None:
        found["poor_share"] = Measured(delivery.poor_share(came), 0.02)
    if plan.way.turning == "by hand" and course.lockdown_day is not None:
        found["turning_gap_h"] = Measured(max(0.0, _longest_gap(book, course) - course.way.longest_gap_h), 1.0)
    return found


def _cooled(book: Book, course: Course, times_ms: NDArray[np.int64]) -> NDArray[np.bool_]:
    """When (UTC ms) the eggs were being cooled, as logged, or on their way back from it: that is no swing."""
    there = np.zeros(times_ms.shape, dtype=bool)
    for event in events_along(book, course, course.batch.set_ms, int(times_ms[-1])):
        if event.kind == "cool":
            lasted = event.minutes if event.minutes is not None else course.way.cool_minutes
            there |= (times_ms >= event.time_ms - BEFORE_MS) & (
                times_ms <= event.time_ms + round(60_000 * lasted) + WARM_AGAIN_MS
            )
    return there


def stored_days(book: Book, course: Course, sheet: TraySheet) -> float | None:
    """How long the eggs lay before setting on average, days: by the day each was laid, else by the plan's first egg."""
    laid = [e.laid_ms for e in sheet.eggs if e.laid_ms is not None]
    if laid:
        return (course.batch.set_ms - sum(laid) / len(laid)) / DAY_MS
    return planning.plan_of(book, course.batch).stored_days


def _longest_gap(book: Book, course: Course) -> float:
    """Longest time without a turn between setting and lockdown, hours."""
    assert course.lockdown_day is not None
    stop = course.at_ms(course.lockdown_day)
    turns = [e.time_ms for e in events_along(book, course, course.batch.set_ms, stop) if e.kind == "turn"]
    edges = [course.batch.set_ms, *(t for t in turns if t > course.batch.set_ms), stop]
    return max(b - a for a, b in pairwise(edges)) / HOUR_MS


def _lockdown(book: Book, course: Course, sheet: TraySheet) -> dict[str, Measured]:
    """The humidity from lockdown to the first chick, and openings between the first pip and the last chick."""
    found: dict[str, Measured] = {}
    pips, out = sheet.times("external pip"), sheet.times("out")
    band = next((p.humidity for p in course.phases if p.name == "lockdown"), None)
    if course.lockdown_day is not None and band is not None:
        start = course.at_ms(course.lockdown_day) + 6 * HOUR_MS
        stop = out[0] if out else course.at_ms(course.species.days)
        if stop > start:
            whole = course.stretches(course.start_ms, min(book.now_ms, course.end_ms))
            run = recorded(book, whole, "humidity", course.batch.set_ms).judged
            run = run.between(start, stop) if run is not None else None
            if run is not None and run.times_ms.size >= 3:
                off = min(0.0, float(run.corrected.mean()) - band.low)
                found["lockdown_rh_off"] = Measured(off, float(run.u.mean()))
    if pips:
        last = out[-1] if out else pips[-1]
        lids = [e for e in events_along(book, course, pips[0], max(last, pips[0])) if e.kind == "lid"]
        found["openings_at_pip"] = Measured(float(sum(pips[0] < e.time_ms < last for e in lids)), 0.0)
    return found


def hatch_day(course: Course, sheet: TraySheet) -> Measured | None:
    """The day (elapsed) the middle chick came out; uncertain by how seldom one looked."""
    out = sheet.times("out")
    return Measured(course.day(out[len(out) // 2]), LOOKED_U_DAYS) if out else None


def by_place(sheet: TraySheet) -> tuple[Rate, Rate] | None:
    """Hatched of set at the edge of the tray and in its middle, None where eggs have no places or only one kind."""
    places = [e.place for e in sheet.eggs]
    edge = [e for e in sheet.eggs if at_edge(sheet.batch.tray, places, e.place)]
    middle = [e for e in sheet.eggs if e not in edge]
    if not edge or not middle:
        return None
    one, two = (tally(sheet.batch, part, whole=False).hatch_of_set for part in (edge, middle))
    return one, two


def places_differ(sheet: TraySheet) -> bool:
    """Whether edge and middle differ by more than chance."""
    found = by_place(sheet)
    return found is not None and differ(*found)


def later_checks(book: Book, course: Course) -> list[LaterCheck]:
    """Checks done after a batch had ended that change what its instruments said of it."""
    ended = course.batch.ended_ms
    if ended is None:
        return []
    then, now = book.as_known(ended).corrections, book.corrections
    instruments = {i.id: i for i in book.records(Instrument)}
    machines = {i.id for i, _, _ in course.stretches(course.batch.set_ms, ended)}
    hung = {
        p.instrument_id
        for p in book.records(Placement)
        if p.incubator_id in machines and p.from_ms < ended and (p.to_ms is None or p.to_ms > course.batch.set_ms)
    }
    found = []
    middle_ms = (course.batch.set_ms + ended) // 2
    for channel in book.records(Channel):
        if channel.instrument_id not in hung or channel.instrument_id not in instruments:
            continue
        newest = max((c.done_ms for c in now.calibrations_of(channel.id)), default=0)
        if newest <= ended:
            continue
        band = course.band(channel.quantity, middle_ms)
        usual = 0.5 * (band.low + band.high) if band is not None else 50.0
        shown = float(from_inside(usual, channel.unit))
        after, before = (known.correct(channel, shown, middle_ms).value for known in (now, then))
        if abs(after - before) >= WORTH_SAYING[channel.quantity]:
            found.append(LaterCheck(instruments[channel.instrument_id], channel, newest, after - before))
    return found
