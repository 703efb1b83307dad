"""The whole run of a batch: corrected readings against the bands of each phase, and how long they held."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from stathmis.core.adherence import Adherence, judge
from stathmis.core.profile import band_edges, day_of
from stathmis.core.units import to_inside
from stathmis.logbook import keeping, readings
from stathmis.logbook.records import Channel, Event, Incubator, Instrument, Placement, Quantity
from stathmis.services.batches import Course
from stathmis.services.verdict import layers_u_k
from stathmis.services.workbench import Workbench

Array = NDArray[np.float64]

DENSE_STEP_MS = 10 * 60_000
"""Readings at least this often come from a logger."""
DENSE_GAP_S = 30 * 60.0
"""A logger silent for longer is unknown time."""
HAND_GAP_S = 14 * 3600.0
"""Two rounds a day, and some; beyond it the time is unknown."""


@dataclass(frozen=True)
class Run:
    """One channel's readings over a batch. times UTC ms; shown as on the display, in °C or %; corrected likewise.

    typical: from where to where 98 % of the corrected readings since setting lie, for the height of a chart.
    """

    instrument: Instrument
    channel: Channel
    times_ms: NDArray[np.int64]
    shown: Array
    corrected: Array
    u: Array
    max_gap_s: float
    typical: tuple[float, float]

    @property
    def dense(self) -> bool:
        """Whether these come from a logger."""
        return self.max_gap_s == DENSE_GAP_S


@dataclass(frozen=True)
class PhaseShare:
    """How long a run was inside, outside, undecided and unknown in one phase so far."""

    phase: str
    adherence: Adherence


@dataclass(frozen=True)
class QuantityTrace:
    """All runs of one quantity, the one judged (best) first, and its shares by phase."""

    quantity: Quantity
    runs: tuple[Run, ...]
    shares: tuple[PhaseShare, ...]


@dataclass(frozen=True)
class BatchTrace:
    """What the Trace page shows: the course until now (UTC ms), both quantities, and events."""

    course: Course
    until_ms: int
    temperature: QuantityTrace
    humidity: QuantityTrace
    events: tuple[Event, ...]


LASTING_S = 600.0
"""An excursion shorter than this is a lid opening or a flicker. Source: common practice."""


def lasting(adherence: Adherence) -> int:
    """How many excursions lasted ten minutes or more."""
    return sum(e.end_s - e.start_s >= LASTING_S for e in adherence.excursions)


def trace(bench: Workbench, course: Course) -> BatchTrace:
    """Everything recorded of a batch from warm-up until now."""
    until = min(bench.now_ms, course.end_ms)
    return BatchTrace(
        course,
        until,
        _quantity(bench, course, "temperature", until),
        _quantity(bench, course, "humidity", until),
        tuple(keeping.events_between(bench.logbook, course.incubator.id, course.start_ms, until)),
    )


def _quantity(bench: Workbench, course: Course, quantity: Quantity, until_ms: int) -> QuantityTrace:
    runs = runs_between(bench, course.incubator, quantity, course.start_ms, until_ms, course.batch.set_ms)
    runs.sort(key=lambda r: (not r.dense, float(np.median(r.u))))
    shares = _shares(course, quantity, runs[0], until_ms) if runs else ()
    return QuantityTrace(quantity, tuple(runs), shares)


def temperature_runs(bench: Workbench, incubator: Incubator, start_ms: int, stop_ms: int) -> list[Run]:
    """Corrected temperatures of all instruments in an incubator over a stretch (UTC ms)."""
    return runs_between(bench, incubator, "temperature", start_ms, stop_ms, start_ms)


def runs_between(
    bench: Workbench, incubator: Incubator, quantity: Quantity, start_ms: int, stop_ms: int, set_ms: int
) -> list[Run]:
    """Runs of every instrument that hung in an incubator, as long as it hung there; set_ms: see Run.typical."""
    instruments = {i.id: i for i in keeping.all_of(bench.logbook, Instrument)}
    channels = keeping.all_of(bench.logbook, Channel, quantity=quantity)
    runs = []
    for placement in keeping.all_of(bench.logbook, Placement, incubator_id=incubator.id):
        start = max(start_ms, placement.from_ms)
        stop = min(stop_ms, placement.to_ms - 1 if placement.to_ms is not None else stop_ms)
        for channel in channels:
            if channel.instrument_id == placement.instrument_id and start <= stop:
                layers = layers_u_k(incubator, placement, channel)
                run = _run(bench, instruments[channel.instrument_id], channel, start, stop, set_ms, layers)
                if run is not None:
                    runs.append(run)
    return runs


def _run(
    bench: Workbench,
    instrument: Instrument,
    channel: Channel,
    start_ms: int,
    stop_ms: int,
    set_ms: int,
    layers_u: float,
) -> Run | None:
    found = readings.series(bench.logbook, channel, start_ms, stop_ms)
    if not found.times_ms.size:
        return None
    corrected, u = bench.corrections.correct_series(channel, found)
    u = np.hypot(u, layers_u)
    step = float(np.median(np.diff(found.times_ms))) if found.times_ms.size > 1 else np.inf
    since_set = corrected[int(np.searchsorted(found.times_ms, set_ms)) :]
    sample = since_set if since_set.size else corrected
    low, high = np.quantile(sample[:: 1 + sample.size // 50_000], [0.01, 0.99])
    return Run(
        instrument,
        channel,
        found.times_ms,
        np.asarray(to_inside(found.shown, channel.unit)),
        corrected,
        u,
        DENSE_GAP_S if step <= DENSE_STEP_MS else HAND_GAP_S,
        (float(low), float(high)),
    )


def _shares(course: Course, quantity: Quantity, run: Run, until_ms: int) -> tuple[PhaseShare, ...]:
    shares = []
    for phase in course.phases:
        start, stop = course.at_ms(phase.start_day), min(course.at_ms(phase.end_day), until_ms)
        if stop <= start or (phase.humidity if quantity == "humidity" else phase.temperature_c) is None:
            continue
        if phase.name == "warm-up":
            continue
        first, last = np.searchsorted(run.times_ms, [start, stop])
        part = slice(int(first), int(last))
        seconds = run.times_ms[part] / 1000.0
        low, high = band_edges(course.phases, day_of(seconds, course.batch.set_ms / 1000.0), quantity)
        judged = judge(
            seconds,
            run.corrected[part],
            low,
            high,
            run.max_gap_s,
            run.u[part],
            span_s=(start / 1000.0, stop / 1000.0),
        )
        alike = sum(p.name == phase.name for p in course.phases) > 1
        days = f", {course.day_words(phase.start_day)}–{course.numbered(phase.end_day):g}" if alike else ""
        shares.append(PhaseShare(phase.title or phase.name + days, judged))
    return tuple(shares)
