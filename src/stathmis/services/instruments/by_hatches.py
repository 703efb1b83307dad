"""Own earlier hatches as points in a thermometer's history: what it said of the air, and what the chicks did."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from math import sqrt

import numpy as np

from stathmis.core.adherence import judge
from stathmis.core.hatch.by_day import mean_by_hatch_day
from stathmis.core.uncertainty import NORMAL_95
from stathmis.logbook.records import Batch, Channel, Event, Placement
from stathmis.logbook.snapshot import SETTINGS
from stathmis.services.batch import batches
from stathmis.services.batch.batches import COURSES_REST_ON
from stathmis.services.batch.course import Course
from stathmis.services.batch.species import species_of
from stathmis.services.book import Book, finding
from stathmis.services.eggs.evidence import hatch_day
from stathmis.services.eggs.tray import TRAY_RESTS_ON, tray
from stathmis.services.findings.corrections import Corrected
from stathmis.services.findings.runs import READ, recorded

MOST = 8
"""So many of the newest hatches are looked at."""
LEAST_SHARE = 0.5
"""An instrument that was read for less of the term says nothing of its mean."""


@dataclass(frozen=True)
class ByHatch:
    """A hatch: its day (elapsed), what the instrument said the eggs had on average, and what the day says, °C."""

    course: Course
    day: float
    said: Corrected
    by_day: Corrected

    @property
    def off(self) -> Corrected:
        """How much too much it said, K."""
        return Corrected(self.said.value - self.by_day.value, NORMAL_95 * float(np.hypot(self.said.u, self.by_day.u)))


@finding(*READ, *TRAY_RESTS_ON, *COURSES_REST_ON, Event, SETTINGS)
def by_hatches(book: Book, channel: Channel) -> tuple[ByHatch, ...]:
    """The newest hatches of birds over which a thermometer was read, the newest first; reads whole runs."""
    if channel.quantity != "temperature":
        return ()
    found = []
    for course, day, by_day in _hatched(book):
        said = _mean(book, course, channel, day)
        if said is not None:
            found.append(ByHatch(course, day, said, by_day))
    return tuple(found)


def _hatched(book: Book) -> Iterator[tuple[Course, float, Corrected]]:
    """The newest hatches of birds: the day (elapsed), and what it says of the air, °C."""
    ended = sorted((b for b in book.records(Batch) if b.ended_ms is not None), key=lambda b: -b.set_ms)
    for batch in ended[:MOST]:
        course = batches.course_by_id(book, batch.id)
        day = hatch_day(course, tray(book, batch)) if course is not None and course.species.kind == "bird" else None
        if course is not None and day is not None:
            usual = species_of(book, batch.species)
            celsius, u = mean_by_hatch_day(day.value, day.u, usual.days, usual.set_c)
            yield course, day.value, Corrected(celsius, NORMAL_95 * u)


def u_by_hatches(book: Book, channel: Channel) -> float | None:
    """The standard uncertainty, K, with which the hatches over which a thermometer hung tell what the air was; None for
    none. No run is read for it."""
    hung = book.records(Placement, instrument_id=channel.instrument_id)
    known = [
        by_day.u for course, _day, by_day in _hatched(book) if any(_over(placement, course.batch) for placement in hung)
    ]
    return 1.0 / sqrt(sum(1.0 / u**2 for u in known)) if known else None


def _over(placement: Placement, batch: Batch) -> bool:
    """Whether an instrument hung there while a batch was in."""
    until = placement.to_ms if placement.to_ms is not None else batch.set_ms + 1
    there = placement.incubator_id == batch.incubator_id and batch.ended_ms is not None
    return there and placement.from_ms < (batch.ended_ms or 0) and until > batch.set_ms


def _mean(book: Book, course: Course, channel: Channel, until_day: float) -> Corrected | None:
    """What the instrument said the eggs had on average from setting to a day, °C in moving air."""
    start, stop = course.batch.set_ms, course.at_ms(until_day)
    runs = recorded(book, course.stretches(course.start_ms, stop), "temperature", start).runs
    run = next((r for r in runs if r.channel.id == channel.id), None)
    part = run.between(start, stop) if run is not None else None
    if part is None or part.times_ms.size < 3:
        return None
    judged = judge(part.times_ms / 1000.0, part.corrected, -1e3, 1e3, part.max_gap_s, part.u)
    if judged.known_s < LEAST_SHARE * (stop - start) / 1000.0:
        return None
    return Corrected(float(judged.mean) - course.still_offset_k, NORMAL_95 * float(np.median(part.u)))


def together(found: tuple[ByHatch, ...]) -> Corrected | None:
    """How much too much an instrument says by all its hatches, K; None for none.

    What its own correction may be off by is in every one of them, and does not average out.
    """
    if not found:
        return None
    weights = np.array([1.0 / f.by_day.u**2 for f in found])
    value = float((weights * [f.off.value for f in found]).sum() / weights.sum())
    own = float(np.mean([f.said.u for f in found]))
    return Corrected(value, NORMAL_95 * sqrt(1.0 / float(weights.sum()) + own**2))
