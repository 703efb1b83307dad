"""Runs of readings: every instrument that hung somewhere, corrected, and what they say together."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from stathmis.core.checks.side_by_side import at_times, disagreements, together
from stathmis.core.series import median
from stathmis.core.uncertainty import NORMAL_95
from stathmis.core.units import Quantity, to_inside
from stathmis.logbook import readings
from stathmis.logbook.records import (
    CertificatePoint,
    Channel,
    Incubator,
    Instrument,
    LoggerImport,
    Placement,
    Reading,
    StoredCalibration,
)
from stathmis.logbook.snapshot import DENSE, Head, Series
from stathmis.services.book import Book, Same
from stathmis.services.findings.corrections import CorrectionBook
from stathmis.services.findings.verdict import layers_u_k
from stathmis.words.catalogue import _

Array = NDArray[np.float64]

DENSE_STEP_MS = 10 * 60_000
"""Readings at least this often come from a logger."""
DENSE_GAP_S = 30 * 60.0
"""A logger silent for longer is unknown time."""
HAND_GAP_S = 14 * 3600.0
"""Two rounds a day, and some; beyond it the time is unknown."""
SAME_ROUND_S = 15 * 60.0
"""Readings typed within this are of one round."""
WORTH_SAYING: dict[Quantity, float] = {"temperature": 0.2, "humidity": 3.0}
"""Smaller differences between instruments change nothing a keeper does (K, %). Source: common practice."""
MOST_RUNS = 24
"""Whole runs are long: so many of them are kept at hand."""
NO_END_MS = 2**62
LAG_READINGS = 2
"""The slope of the air is taken over so many readings to either side."""
DOUBTED_AFTER = 3
"""So many readings by hand must differ from a logger before that is said."""


@dataclass(frozen=True, eq=False)
class Run:
    """Readings of one channel over a stretch. times UTC ms; shown as on the display, in °C or %; corrected likewise.

    typical: from where to where 98 % of the corrected readings since setting lie, for the height of a chart.
    dense: they come from a logger. beside: other instruments whose readings are combined in it.
    """

    instrument: Instrument
    channel: Channel
    times_ms: NDArray[np.int64]
    shown: Array
    corrected: Array
    u: Array
    max_gap_s: float
    typical: tuple[float, float]
    dense: bool
    beside: tuple[str, ...] = ()

    @property
    def names(self) -> str:
        """Who says it: "Shelf logger", or "Shelf logger with Blue probe"."""
        return self.instrument.name + (_(" with {beside}", beside=", ".join(self.beside)) if self.beside else "")

    def between(self, start_ms: int, stop_ms: int) -> Run | None:
        """The part from start to stop (UTC ms, both included), None where nothing was read in it."""
        there = slice(*np.searchsorted(self.times_ms, [start_ms, stop_ms + 1]).tolist())
        if there.start >= there.stop:
            return None
        shown, corrected, u = (a[there] for a in (self.shown, self.corrected, self.u))
        return replace(self, times_ms=self.times_ms[there], shown=shown, corrected=corrected, u=u)


@dataclass(frozen=True)
class Doubt:
    """A stretch (UTC ms) in which an instrument disagreed with the others beyond their uncertainties, °C or %."""

    instrument: Instrument
    quantity: Quantity
    start_ms: int
    end_ms: int
    difference: float
    U: float


@dataclass(frozen=True, eq=False)
class Recorded:
    """What was read of one quantity: all runs, the best first; what they say together; who disagrees with the rest."""

    runs: tuple[Run, ...]
    judged: Run | None
    doubts: tuple[Doubt, ...]


CORRECTED = (
    LoggerImport,
    Instrument,
    Channel,
    Placement,
    Incubator,
    StoredCalibration,
    CertificatePoint,
)
"""What corrected readings rest on, beside the readings themselves."""
READ = (Reading, DENSE, *CORRECTED)
Stretches = Sequence[tuple[Incubator, int, int]]


def recorded(book: Book, stretches: Stretches, quantity: Quantity, set_ms: int) -> Recorded:
    """What was read along stretches (place, from, to in UTC ms); set_ms: see Run.typical.

    Worked out once for as long as these readings and their corrections stand; what a probe brings is appended.
    """
    groups = [_runs(book, *stretch, quantity, set_ms) for stretch in stretches]
    key = (book.snapshot.known_ms, quantity, set_ms, *((i.id, start) for i, start, _ in stretches))

    def make(_: object) -> Recorded:
        judged, doubts = _combined_along(book, groups)
        return Recorded(tuple(best_first([r for g in groups for r in g])), judged, doubts)

    # a run is another object as soon as anything in it is different
    found: Recorded = book.kept.get(recorded, key, tuple(r for g in groups for r in g), make, MOST_RUNS)
    return found


def lately(book: Book, place: Incubator, quantity: Quantity, start_ms: int, stop_ms: int) -> Run | None:
    """What the instruments at a place say together over some hours or days (UTC ms)."""
    return combined(book, runs_between(book, place, quantity, start_ms, stop_ms, start_ms))[0]


def temperature_runs(book: Book, incubator: Incubator, start_ms: int, stop_ms: int) -> list[Run]:
    """Corrected temperatures of all instruments in an incubator over a stretch (UTC ms)."""
    return runs_between(book, incubator, "temperature", start_ms, stop_ms, start_ms)


def runs_between(
    book: Book, incubator: Incubator, quantity: Quantity, start_ms: int, stop_ms: int, set_ms: int
) -> list[Run]:
    """Runs of every instrument that hung in an incubator, as long as it hung there, read anew; set_ms: Run.typical."""
    hung = _hung(book, incubator, quantity, start_ms, stop_ms)
    return [run for h in hung if (run := _run(book, h, set_ms)) is not None]


def outlines(book: Book, stretches: Stretches, quantity: Quantity, set_ms: int) -> tuple[Run, ...]:
    """Only what the heads of chunks say, as the least and most of each, for a first picture of a long run."""
    hung = [h for stretch in stretches for h in _hung(book, stretch[0], quantity, *stretch[1:])]
    return tuple(best_first([run for h in hung if (run := _outline(book, h, set_ms)) is not None]))


class _Hung(NamedTuple):
    """An instrument where it hung, from when to when (UTC ms, both included); layers_u: of the air around it, K."""

    instrument: Instrument
    channel: Channel
    start_ms: int
    stop_ms: int
    layers_u: float


def _hung(book: Book, incubator: Incubator, quantity: Quantity, start_ms: int, stop_ms: int) -> list[_Hung]:
    instruments = {i.id: i for i in book.records(Instrument)}
    channels = book.records(Channel, quantity=quantity)
    found = []
    for placement, start, stop in book.hung_in(incubator, quantity, start_ms, stop_ms):
        for channel in channels:
            if channel.instrument_id == placement.instrument_id:
                layers = layers_u_k(incubator, placement, channel)
                found.append(_Hung(instruments[channel.instrument_id], channel, start, stop, layers))
    return found


@dataclass(frozen=True)
class _Grown:
    """A run as far as it was read, with what it was read from."""

    by_hand: tuple[Reading, ...]
    heads: tuple[Head, ...]
    tail: Series
    corrections: CorrectionBook
    run: Run | None


def _runs(book: Book, incubator: Incubator, start_ms: int, stop_ms: int, quantity: Quantity, set_ms: int) -> list[Run]:
    found = (_kept_run(book, h, set_ms) for h in _hung(book, incubator, quantity, start_ms, stop_ms))
    return [run for run in found if run is not None]


def _kept_run(book: Book, hung: _Hung, set_ms: int) -> Run | None:
    """A run that is read once; readings that arrive after its end are appended."""
    snapshot, c = book.snapshot, hung.channel.id
    by_hand, heads, tail = snapshot.by_hand(c), snapshot.heads(c), snapshot.tail(c)
    if hung.stop_ms >= max(
        (by_hand[-1].time_ms if by_hand else 0),
        max((h.last_ms for h in heads), default=0),
        (int(tail.times_ms[-1]) if tail.times_ms.size else 0),
    ):
        # nothing lies beyond its end: it is the same run a minute later
        hung = hung._replace(stop_ms=NO_END_MS)

    def make(before: _Grown | None) -> _Grown:
        run = None
        if before is not None and before.run is not None and hung.stop_ms == NO_END_MS:
            same = before.by_hand is by_hand and before.heads is heads and before.corrections is book.corrections
            run = _appended(book, hung, before.run, before.tail, tail, set_ms) if same else None
        if run is None:
            run = _run(book, hung, set_ms)
        return _Grown(by_hand, heads, tail, book.corrections, run)

    rests_on = (*book.readings_by(c), Same(book.corrections))
    grown: _Grown = book.kept.get(_kept_run, (snapshot.known_ms, hung, set_ms), rests_on, make, MOST_RUNS)
    return grown.run


def _appended(book: Book, hung: _Hung, run: Run, before: Series, tail: Series, set_ms: int) -> Run | None:
    """A run with what a probe brought since, None where that is not simply later."""
    had = before.times_ms.size
    fresh = Series(tail.times_ms[had:], tail.shown[had:])
    late = fresh.times_ms.size and fresh.times_ms[0] >= max(run.times_ms[-1], hung.start_ms)
    if not late or not np.array_equal(tail.times_ms[:had], before.times_ms):
        return None
    corrected, u = book.corrections.correct_series(hung.channel, fresh)
    near = slice(-4 * LAG_READINGS, None)
    lag = _lagging(
        np.concatenate([run.times_ms[near], fresh.times_ms]),
        np.concatenate([run.corrected[near], corrected]),
        hung.channel.response_s,
    )[-fresh.times_ms.size :]
    return _run_of(
        hung,
        np.concatenate([run.times_ms, fresh.times_ms]),
        np.concatenate([run.shown, np.asarray(to_inside(fresh.shown, hung.channel.unit))]),
        np.concatenate([run.corrected, corrected]),
        np.concatenate([run.u, np.hypot(np.hypot(u, hung.layers_u), lag)]),
        set_ms,
    )


def _combined_along(book: Book, groups: Sequence[list[Run]]) -> tuple[Run | None, tuple[Doubt, ...]]:
    """What the runs of each stretch say together, one stretch after the other; see combined."""
    parts: list[Run] = []
    doubts: list[Doubt] = []
    for group in groups:
        made, found = combined(book, group)
        doubts += found
        if made is not None:
            parts.append(made)
    if len(parts) < 2:
        return (parts[0] if parts else None), tuple(doubts)
    last = parts[-1]
    lows, highs = zip(*(p.typical for p in parts), strict=True)
    names = [n for p in parts for n in (p.instrument.name, *p.beside)]
    joined = replace(
        last,
        times_ms=np.concatenate([p.times_ms for p in parts]),
        shown=np.concatenate([p.shown for p in parts]),
        corrected=np.concatenate([p.corrected for p in parts]),
        u=np.concatenate([p.u for p in parts]),
        max_gap_s=max(p.max_gap_s for p in parts),
        typical=(min(lows), max(highs)),
        dense=all(p.dense for p in parts),
        beside=tuple(n for n in dict.fromkeys(names) if n != last.instrument.name),
    )
    return joined, tuple(doubts)


def _run(book: Book, hung: _Hung, set_ms: int) -> Run | None:
    found = readings.series(book.snapshot, hung.channel, hung.start_ms, hung.stop_ms)
    if not found.times_ms.size:
        return None
    corrected, u = book.corrections.correct_series(hung.channel, found)
    shown = np.asarray(to_inside(found.shown, hung.channel.unit))
    u = np.hypot(np.hypot(u, hung.layers_u), _lagging(found.times_ms, corrected, hung.channel.response_s))
    return _run_of(hung, found.times_ms, shown, corrected, u, set_ms)


def _lagging(times_ms: NDArray[np.int64], corrected: Array, response_s: float | None) -> Array:
    """How far behind the air an instrument is that follows with this response time, as a standard uncertainty; nothing
    where the keeper gave none, or it is read by hand.

    Its first-order lag is the response time times the slope of the air, as far as its own readings show that; half of
    it is taken, as they are behind themselves and noisy. Source: first-order lag.
    """
    if not response_s or times_ms.size <= 2 * LAG_READINGS or median(np.diff(times_ms)) > DENSE_STEP_MS:
        return np.zeros(times_ms.shape)
    ahead, behind = corrected[2 * LAG_READINGS :], corrected[: -2 * LAG_READINGS]
    apart_s = (times_ms[2 * LAG_READINGS :] - times_ms[: -2 * LAG_READINGS]) / 1000.0
    slope = np.abs(ahead - behind) / np.maximum(apart_s, 1.0)
    ends = (np.full(LAG_READINGS, slope[0]), slope, np.full(LAG_READINGS, slope[-1]))
    return 0.5 * response_s * np.concatenate(ends)


def _run_of(hung: _Hung, times_ms: NDArray[np.int64], shown: Array, corrected: Array, u: Array, set_ms: int) -> Run:
    step = median(np.diff(times_ms)) if times_ms.size > 1 else np.inf
    dense = step <= DENSE_STEP_MS
    since_set = corrected[int(np.searchsorted(times_ms, set_ms)) :]
    sample = since_set if since_set.size else corrected
    low, high = np.quantile(sample[:: 1 + sample.size // 50_000], [0.01, 0.99])
    gap_s = DENSE_GAP_S if dense else HAND_GAP_S
    return Run(hung.instrument, hung.channel, times_ms, shown, corrected, u, gap_s, (float(low), float(high)), dense)


def _outline(book: Book, hung: _Hung, set_ms: int) -> Run | None:
    """Least and most of each chunk as two readings; a correction that rises keeps them least and most."""
    heads = readings.outline(book.snapshot, hung.channel.id, hung.start_ms, hung.stop_ms)
    if not heads.readings:
        return None
    times = np.stack([heads.first_ms, heads.last_ms], axis=1).ravel()
    series = Series(times, np.stack([heads.least, heads.most], axis=1).ravel())
    order = np.argsort(series.times_ms, kind="stable")
    series = Series(series.times_ms[order], series.shown[order])
    corrected, u = book.corrections.correct_series(hung.channel, series)
    since_set = corrected[int(np.searchsorted(series.times_ms, set_ms)) :]
    low, high = np.quantile(since_set if since_set.size else corrected, [0.05, 0.95], method="nearest")
    gap_s = float(np.max(heads.last_ms - heads.first_ms)) / 1000.0 + DENSE_GAP_S
    shown, u = np.asarray(to_inside(series.shown, hung.channel.unit)), np.hypot(u, hung.layers_u)
    typical = (float(low), float(high))
    return Run(hung.instrument, hung.channel, series.times_ms, shown, corrected, u, gap_s, typical, True)


def logged_count(book: Book, incubator: Incubator, start_ms: int, stop_ms: int) -> int:
    """How many logger readings hang together with an incubator over a stretch (UTC ms), quickly."""
    hung = {p.instrument_id for p in book.records(Placement) if p.incubator_id == incubator.id}
    channels = [c for c in book.records(Channel) if c.instrument_id in hung]
    return readings.dense_count(book.snapshot, [c.id for c in channels], start_ms, stop_ms)


def best_first(runs: list[Run]) -> list[Run]:
    """Loggers first, the surest first among them."""
    return sorted(runs, key=lambda r: (not r.dense, median(r.u)))


def combined(book: Book, runs: list[Run]) -> tuple[Run | None, tuple[Doubt, ...]]:
    """What runs of one quantity say together, at the times of the best, and which of them disagree, and when.

    Loggers are combined with loggers, hand readings with those of the same round; hand readings beside a logger are
    held against it only. Where one disagrees it is left out of what they say together.
    """
    if not runs:
        return None, ()
    best, *_ = runs = best_first(runs)
    alike = [r for r in runs if r.dense == best.dense]
    doubts = [d for r in runs if r.dense != best.dense and (d := _doubt_by_hand(best, r)) is not None]
    if len(alike) < 2:
        return best, tuple(doubts)
    gap = DENSE_GAP_S if best.dense else 4.0 * SAME_ROUND_S
    times_ms = _with_gaps_filled(alike) if best.dense else np.unique(np.concatenate([r.times_ms for r in alike]))
    seconds = times_ms / 1000.0
    values = np.vstack([at_times(seconds, r.times_ms / 1000.0, r.corrected, gap) for r in alike])
    u = np.vstack([np.interp(seconds, r.times_ms / 1000.0, r.u) for r in alike])
    u = np.maximum(u, 1e-6)
    silent = ~np.isfinite(values[0])
    for found in disagreements(seconds, values, u):
        run = alike[found.row]
        there = slice(*np.searchsorted(seconds, [found.start_s, found.end_s]).tolist())
        others = np.isfinite(np.delete(values[:, there], found.row, axis=0)).any(axis=0)
        values[found.row, there][others] = np.nan
        start, end = (round(s * 1000) for s in (found.start_s, found.end_s))
        if abs(found.difference) >= WORTH_SAYING[run.channel.quantity]:
            doubts.append(Doubt(run.instrument, run.channel.quantity, start, end, found.difference, found.U))
    groups, u_group = _shared_references(book, alike)
    value, wide = together(values, u, groups, u_group)
    kept = np.isfinite(value)
    shown = np.interp(seconds, best.times_ms / 1000.0, best.shown)
    for run in alike[1:] if silent.any() else []:
        beside = at_times(seconds[silent], run.times_ms / 1000.0, run.shown, gap)
        shown[silent] = np.where(np.isfinite(beside), beside, shown[silent])
    low, high = np.quantile(value[kept][:: 1 + int(kept.sum()) // 50_000], [0.01, 0.99])
    typical = best.typical if best.dense else (float(low), float(high))
    made = replace(
        best,
        times_ms=times_ms[kept],
        shown=shown[kept],
        corrected=value[kept],
        u=wide[kept],
        typical=typical,
        beside=tuple(dict.fromkeys(r.instrument.name for r in alike[1:] if r.instrument.id != best.instrument.id)),
    )
    return made, tuple(doubts)


def _with_gaps_filled(runs: list[Run]) -> NDArray[np.int64]:
    """The times of the best logger, and of the others in turn where it was silent: one hung after the other."""
    times = runs[0].times_ms
    for run in runs[1:]:
        after = np.searchsorted(times, run.times_ms)
        inside = (after > 0) & (after < times.size)
        left, right = times[np.maximum(after - 1, 0)], times[np.minimum(after, times.size - 1)]
        silent = ~inside | (right - left > 1000.0 * DENSE_GAP_S)
        if silent.any():
            times = np.union1d(times, run.times_ms[silent])
    return times


def _shared_references(book: Book, runs: list[Run]) -> tuple[list[int], list[float]]:
    """For each run the number of the reference its correction leans on (-1: none), and what each left in all."""
    leans = [book.corrections.leans_on(r.channel, median(r.corrected), int(r.times_ms[-1])) for r in runs]
    order = list(dict.fromkeys(found[0] for found in leans if found is not None))
    groups = [order.index(found[0]) if found is not None else -1 for found in leans]
    return groups, [max(found[1] for found in leans if found is not None and found[0] == i) for i in order]


def _doubt_by_hand(best: Run, run: Run) -> Doubt | None:
    """Hand readings that as a rule differ from the logger beside them."""
    seconds = run.times_ms / 1000.0
    beside = at_times(seconds, best.times_ms / 1000.0, best.corrected, best.max_gap_s)
    known = np.isfinite(beside)
    if int(known.sum()) < DOUBTED_AFTER:
        return None
    off = run.corrected[known] - beside[known]
    wide = NORMAL_95 * np.hypot(run.u[known], np.interp(seconds[known], best.times_ms / 1000.0, best.u))
    usual = abs(median(off))
    if median(np.abs(off) / wide) <= 1.0 or usual < WORTH_SAYING[run.channel.quantity]:
        return None
    first, last = run.times_ms[known][[0, -1]].tolist()
    return Doubt(run.instrument, run.channel.quantity, first, last, median(off), median(wide))
