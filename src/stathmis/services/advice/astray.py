"""Air that does not come back as it should after it was disturbed, and what would fit it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from itertools import combinations
from math import exp, nan
from typing import Literal

import numpy as np

from stathmis.core.checks.side_by_side import at_times
from stathmis.core.course.profile import Band
from stathmis.core.series import median
from stathmis.core.uncertainty import NORMAL_95
from stathmis.logbook.records import Incubator
from stathmis.services.advice.reasons import Upset
from stathmis.services.batch import batches
from stathmis.services.book import Book
from stathmis.services.clock import DAY_MS, HOUR_MS
from stathmis.services.findings.runs import Run, best_first, lately, temperature_runs
from stathmis.services.findings.vapor import OPENED_SHARE, vapor_kept

FAR_OFF_K = 1.0
"""Air this far off is no matter of tenths: power, heater, lid or thermometer come first. Source: common practice."""
NEARER_MS, NEARER_K = 30 * 60_000, 0.3
"""Air on its way back comes at least so much nearer in so long. Source: common practice."""
LAST_MS = 10 * 60_000
WITHIN_MS = 6 * HOUR_MS
WORKABLE_C = (13.0, 32.0)
"""A room in which a small box can hold its air. Source: common practice."""
LATE_HEAT_K = 0.3
"""Embryos that warm their shells by more than this heat the box. Source: common practice."""
APART_K = 1.0
"""Two places in moving air drift no further apart than this. Source: common practice."""

What = Literal["power", "lid", "room", "heater", "fan", "eggs"]


@dataclass(frozen=True)
class Suspect:
    """Something that would fit air far off, with what speaks for it: share of the vapor that stayed, °C of the room, or
    how much further apart two places are than the day before, K."""

    what: What
    share: float = nan
    celsius: float = nan
    apart_k: float = nan


def astray(book: Book, incubator: Incubator, upset: Upset, band: Band, now_ms: int) -> bool:
    """Whether air that was disturbed is further off by now than it may be on its way back, and comes no nearer.

    What it is off by is expected to fade from the furthest it was, exponentially with a third of the usual time (the
    machine's own where its log shows it); half as slow again is let pass.
    Source: first-order response; times by common practice.
    """
    run = _logger(book, incubator, min(upset.time_ms, now_ms - NEARER_MS), now_ms)
    if run is None:
        return False
    off = run.corrected - band.middle
    last, before = run.times_ms >= run.times_ms[-1] - LAST_MS, run.times_ms <= now_ms - NEARER_MS + LAST_MS
    since = run.times_ms >= upset.time_ms
    if int(last.sum()) < 3 or not before.any() or not since.any():
        return False
    is_off = median(off[last])
    furthest = int(np.argmax(np.where(since, off * np.sign(is_off), -np.inf)))
    third = (upset.back_ms - upset.over_ms) / 3.0
    begin = float(np.clip(run.times_ms[furthest], upset.over_ms, upset.over_ms + third))
    allowed = abs(float(off[furthest])) * exp(-max(0.0, now_ms - begin) / (1.5 * third)) if third > 0.0 else 0.0
    nearer = (abs(median(off[before][-10:])) - abs(is_off)) >= NEARER_K
    return abs(is_off) - NORMAL_95 * float(run.u[-1]) > max(FAR_OFF_K, allowed) and not nearer


def suspects(book: Book, incubator: Incubator, off_k: float, now_ms: int) -> tuple[Suspect, ...]:
    """What would fit air that is off (K) by now for no known reason, the likeliest first; empty where nothing is
    known. Source: common practice."""
    return tuple(_suspects(book, incubator, off_k, now_ms))


def _suspects(book: Book, incubator: Incubator, off_k: float, now_ms: int) -> Iterator[Suspect]:
    room = book.room()
    read = lately(book, room, "temperature", now_ms - WITHIN_MS, now_ms) if room is not None else None
    room_c = read.corrected[-1] if read is not None else nan
    if room_c < WORKABLE_C[0] if off_k < 0 else room_c > WORKABLE_C[1]:
        yield Suspect("room", celsius=float(room_c))
    if off_k < 0:
        left_ms = _left_ms(_logger(book, incubator, now_ms - WITHIN_MS, now_ms), off_k)
        share = vapor_kept(book, incubator, left_ms) if left_ms is not None else None
        if share is not None:
            yield Suspect("power" if share > OPENED_SHARE else "lid", share=share)
    else:
        course = batches.running(book, incubator)
        if course is not None and float(course.warmed_by(now_ms).shell_k) > LATE_HEAT_K:
            yield Suspect("eggs")
        yield Suspect("heater")
    apart = _apart_k(book, incubator, now_ms) if incubator.air == "forced" else 0.0
    if apart > APART_K:
        yield Suspect("fan", apart_k=apart)


def _left_ms(run: Run | None, off_k: float) -> int | None:
    """When air that is cold by now began to leave where it should be, UTC ms."""
    well = np.flatnonzero(run.corrected - run.corrected[-1] >= -0.9 * off_k) if run is not None else np.empty(0)
    return int(run.times_ms[well[-1]]) if run is not None and well.size else None


def _logger(book: Book, incubator: Incubator, start_ms: int, now_ms: int) -> Run | None:
    """The surest log there is."""
    runs = best_first(temperature_runs(book, incubator, start_ms, now_ms))
    return next((r for r in runs if r.dense and r.times_ms.size > 3), None)


def _apart_k(book: Book, incubator: Incubator, now_ms: int) -> float:
    """How much further apart two logged places are just now than they were over the day before, K."""
    runs = [r for r in temperature_runs(book, incubator, now_ms - DAY_MS, now_ms) if r.dense]
    most = 0.0
    for one, other in combinations(runs, 2):
        beside = at_times(one.times_ms / 1000.0, other.times_ms / 1000.0, other.corrected, other.max_gap_s)
        apart = (one.corrected - beside)[np.isfinite(beside)]
        if apart.size > 30:
            most = max(most, abs(median(apart[-10:]) - median(apart)))
    return most
