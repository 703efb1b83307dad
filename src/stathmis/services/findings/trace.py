"""The whole run of a batch: corrected readings against the bands of each phase, and how long they held."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from stathmis.core.adherence import Adherence, judge
from stathmis.core.units import Quantity
from stathmis.logbook.records import Event
from stathmis.services.batch.batches import events_along
from stathmis.services.batch.course import Course
from stathmis.services.book import Book
from stathmis.services.findings.runs import Doubt, Run, logged_count, outlines, recorded
from stathmis.words.catalogue import _, as_number

Array = NDArray[np.float64]

LONG_RUN = 250_000
"""From so many readings on a first picture is drawn from the heads of the chunks. Measured in bench/."""


@dataclass(frozen=True)
class PhaseShare:
    """How long a run was inside, outside, undecided and unknown in one phase (or day) so far."""

    phase: str
    adherence: Adherence


@dataclass(frozen=True)
class QuantityTrace:
    """All runs of one quantity, the best first; judged: what they say together; its shares by phase and by day.

    doubts: instruments that disagree with the others.
    """

    quantity: Quantity
    runs: tuple[Run, ...]
    judged: Run | None
    doubts: tuple[Doubt, ...]
    shares: tuple[PhaseShare, ...]
    days: tuple[PhaseShare, ...] = ()


@dataclass(frozen=True)
class BatchTrace:
    """What the Trace page shows: the course until now (UTC ms), both quantities, and events.

    outline: only a first picture, from the heads of the chunks; the rest is still being read.
    """

    course: Course
    until_ms: int
    temperature: QuantityTrace
    humidity: QuantityTrace
    events: tuple[Event, ...]
    outline: bool = False


LASTING_S = 600.0
"""An excursion shorter than this is a lid opening or a flicker. Source: common practice."""


def lasting(adherence: Adherence) -> int:
    """How many excursions lasted ten minutes or more."""
    return sum(e.end_s - e.start_s >= LASTING_S for e in adherence.excursions)


def trace(book: Book, course: Course) -> BatchTrace:
    """Everything recorded of a batch from warm-up until now."""
    return _traced(book, course, outline=False)


def outline(book: Book, course: Course) -> BatchTrace | None:
    """A first picture of a long run, drawn within milliseconds; None where the whole is as quick."""
    until = min(book.now_ms, course.end_ms)
    stretches = course.stretches(course.start_ms, until)
    if sum(logged_count(book, *stretch) for stretch in stretches) < LONG_RUN:
        return None
    return _traced(book, course, outline=True)


def _traced(book: Book, course: Course, *, outline: bool) -> BatchTrace:
    until = min(book.now_ms, course.end_ms)
    return BatchTrace(
        course,
        until,
        _quantity(book, course, "temperature", until, outline=outline),
        _quantity(book, course, "humidity", until, outline=outline),
        tuple(events_along(book, course, course.start_ms, until)),
        outline,
    )


def _quantity(book: Book, course: Course, quantity: Quantity, until_ms: int, *, outline: bool) -> QuantityTrace:
    set_ms = course.batch.set_ms
    stretches = course.stretches(course.start_ms, until_ms)
    if outline:
        runs = outlines(book, stretches, quantity, set_ms)
        return QuantityTrace(quantity, runs, runs[0] if runs else None, (), ())
    found = recorded(book, stretches, quantity, set_ms)
    if found.judged is None:
        return QuantityTrace(quantity, (), None, (), ())
    phases, days = (f(course, quantity, found.judged, until_ms) for f in (_shares, _by_day))
    return QuantityTrace(quantity, found.runs, found.judged, found.doubts, phases, days)


def _shares(course: Course, quantity: Quantity, run: Run, until_ms: int) -> tuple[PhaseShare, ...]:
    shares = []
    for phase in course.phases:
        if phase.name == "warm-up":
            continue
        found = _share(course, quantity, run, phase.start_day, course.at_ms(phase.end_day), until_ms)
        if found is None:
            continue
        alike = sum(p.name == phase.name for p in course.phases) > 1
        first, last = (as_number(round(course.numbered(day), 1), "g") for day in (phase.start_day, phase.end_day))
        days = (
            _(", {first}–{last} to go", first=first, last=last)
            if course.batch.day_count == "down"
            else _(", day {first}–{last}", first=first, last=last)
        )
        days = days if alike else ""
        shares.append(PhaseShare(phase.title or _(phase.name) + days, found))
    return tuple(shares)


def _by_day(course: Course, quantity: Quantity, run: Run, until_ms: int) -> tuple[PhaseShare, ...]:
    """Each day so far; a day in which the band changes is judged against both, each in its time."""
    shares = []
    starts = sorted({p.start_day for p in course.phases if p.start_day >= 0})
    for day in range(int(course.day(until_ms)) + 1):
        edges = [float(day), *(s for s in starts if day < s < day + 1), day + 1.0]
        parts = [
            found
            for start, end in pairwise(edges)
            if (found := _share(course, quantity, run, start, course.at_ms(end), until_ms)) is not None
        ]
        if parts:
            shares.append(PhaseShare(course.day_words(day), _added(parts)))
    return tuple(shares)


def _added(parts: list[Adherence]) -> Adherence:
    known = sum(p.known_s for p in parts)
    mean = sum(p.mean * p.known_s for p in parts if p.known_s > 0) / known if known > 0 else float("nan")
    return Adherence(
        inside_s=sum(p.inside_s for p in parts),
        outside_s=sum(p.outside_s for p in parts),
        undecided_s=sum(p.undecided_s for p in parts),
        unknown_s=sum(p.unknown_s for p in parts),
        mean=mean,
        excursions=tuple(e for p in parts for e in p.excursions),
    )


def _share(
    course: Course, quantity: Quantity, run: Run, from_day: float, end_ms: int, until_ms: int
) -> Adherence | None:
    """Time on profile from a day (within one phase) to an end; None where nothing is asked, or it is yet to come."""
    start, stop = course.at_ms(from_day), min(end_ms, until_ms)
    band = course.band(quantity, start + 1000)
    if stop <= start or band is None:
        return None
    seconds, values, u = _stretch(run, start, stop)
    span = (start / 1000.0, stop / 1000.0)
    return judge(seconds, values, band.low, band.high, run.max_gap_s, u, span_s=span)


def _stretch(run: Run, start_ms: int, stop_ms: int) -> tuple[Array, Array, Array]:
    """Seconds, values and uncertainties of a stretch; where readings lie near enough on both sides of its ends, the
    value there between them too: a reading before and after midnight says something about both days."""
    first = int(np.searchsorted(run.times_ms, start_ms, "left"))
    # a reading at the very end of a stretch closes it, and begins the next
    last = int(np.searchsorted(run.times_ms, stop_ms, "right"))
    part = slice(first, last)
    seconds, values, u = run.times_ms[part] / 1000.0, run.corrected[part], run.u[part]
    for i, at_ms, front in ((first, start_ms, True), (last, stop_ms, False)):
        if not 0 < i < run.times_ms.size or at_ms in (run.times_ms[i], run.times_ms[i - 1]):
            continue
        before, after = run.times_ms[i - 1 : i + 1].tolist()
        if after - before > run.max_gap_s * 1000.0:
            continue
        share = (at_ms - before) / (after - before)
        edge = [at_ms / 1000.0, *(float(a[i - 1] + share * (a[i] - a[i - 1])) for a in (run.corrected, run.u))]
        pairs = ((edge[k], a) for k, a in enumerate((seconds, values, u)))
        seconds, values, u = (np.concatenate([[e], a] if front else [a, [e]]) for e, a in pairs)
    return seconds, values, u


def set_points(book: Book, course: Course, until_ms: int) -> list[tuple[int, float]]:
    """What the controller was set to: from when (UTC ms, from the start of the course) and °C, in order of time."""
    found: list[tuple[int, float]] = []
    for incubator, start, stop in course.stretches(course.start_ms, until_ms):
        events = book.events_between(incubator.id, 0, stop)
        changes = [(e.time_ms, e.set_point_c) for e in events if e.kind == "set_point" and e.set_point_c is not None]
        before = [c for at, c in changes if at <= start]
        first = before[-1] if before else incubator.set_point_c
        found += [] if first is None else [(start, first)]
        found += [(at, c) for at, c in changes if at > start]
    return found
