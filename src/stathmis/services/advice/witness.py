"""What speaks against an instrument's word: it jumped faster than air can, or it creeps while nobody touched anything.

One instrument alone cannot tell whether the air moved or it did itself; what it shows is then no ground to move
anything before something else was read.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal, NamedTuple

import numpy as np
from numpy.typing import NDArray

from stathmis.core.course.upsets import cycling, disturbed
from stathmis.core.psychrometrics import saturation_vapor_pressure
from stathmis.core.series import median, observed_mean
from stathmis.logbook.records import Event, Incubator, Instrument
from stathmis.services.book import Book, finding
from stathmis.services.clock import DAY_MS
from stathmis.services.findings.runs import CORRECTED, Run, best_first, runs_between, temperature_runs

THROWN_K, BACK_K = 1.5, 0.3
"""Air this far from its usual level was thrown off, and this near it is back. Source: common practice."""
SWINGS, SWINGS_BACK = 2.5, 1.3
"""The same for a thermostat that swings widely, as so many swings. Source: our own."""
USUAL_C = 37.5
JUMP_HPA, JUMP_S = 6.0, 180.0
"""Vapor does not rise by so much in so long: no water in a small box gives it off so quickly (about 10 % RH).
Source: our own; evaporation of some 10 g/h from 100 cm2 into 40 liters of air that changes once in half an hour."""
JUMPED_MS, BEFORE_S, DAY_S = 2 * DAY_MS, 30 * 60.0, 24 * 3600.0
WATERED_S = 15 * 60.0
"""Warm water that was poured or misted is no jump for so long, as far as the air can hold it. Source: our own."""
STILL_UP = 0.5
"""An instrument that has come down by half of its jump is believed again."""
WET_RH = 96.0
"""Air at its egg tops is never so moist before chicks hatch: a hygrometer that says so is wet. Source: common practice
(the warm walls and eggs would drip)."""
CREEP_DAYS, CREEP_K = 8, 0.05
"""Looked for over so many days; less than this is no creeping."""
ALIKE_K = 0.1
"""Two instruments that crept alike within this bear each other out."""
WINDOW_MS: dict[bool, int] = {True: DAY_MS, False: 2 * DAY_MS}
"""A logger's day evens out the room's warm and cold hours, readings by hand want two (logger: True)."""
OBSERVED_H, READ = 6.0, 3
ROOM_K, ROOM_SHARE = 3.0, 0.1
"""A room that has become so much warmer or colder may move a simple thermostat's air, by such a share at most."""


@dataclass(frozen=True)
class Witness:
    """An instrument that may not be believed, before something else was read.

    kind: "jumped" faster than air can; "wet", moister than such air ever is; "crept" while nothing was done. before,
    now: what it said then and says now, °C or percent; since_ms: UTC ms.
    """

    kind: Literal["jumped", "wet", "crept"]
    instrument: Instrument
    since_ms: int
    before: float
    now: float


def hidden(run: Run) -> NDArray[np.bool_]:
    """Which readings of a temperature run are of air that was thrown off, by a lid, a cut or a fault."""
    seen = cycling(run.times_ms / 1000.0, run.corrected) if run.dense else None
    swing = seen.swing if seen is not None else 0.0
    return disturbed(run.corrected, max(THROWN_K, SWINGS * swing), max(BACK_K, SWINGS_BACK * swing))


class Thrown(NamedTuple):
    """When air was thrown off, UTC ms; back: whether it has come back by itself by stop_ms."""

    start_ms: int
    stop_ms: int
    back: bool


@finding(*CORRECTED, here=True)
def thrown_off(book: Book, incubator: Incubator, now_ms: int) -> Thrown | None:
    """When the air was last thrown off within a day, as its log shows; None for never."""
    for run in best_first(temperature_runs(book, incubator, now_ms - DAY_MS, now_ms)):
        if run.dense:
            off = np.flatnonzero(hidden(run))
            if not off.size:
                return None
            apart = np.flatnonzero(np.diff(off) > 1)
            first = off[apart[-1] + 1] if apart.size else off[0]
            back = bool(off[-1] < run.times_ms.size - 1)
            return Thrown(int(run.times_ms[first]), int(run.times_ms[off[-1]]), back)
    return None


@finding(*CORRECTED, Event, here=True)
def jumped(book: Book, incubator: Incubator, now_ms: int) -> Witness | None:
    """A hygrometer whose vapor jumped up faster than any water can make it, and stayed up; None for none."""
    for run in runs_between(book, incubator, "humidity", now_ms - JUMPED_MS, now_ms, now_ms - JUMPED_MS):
        poured = [e.time_ms / 1000.0 for e in book.events_between(incubator.id, now_ms - JUMPED_MS, now_ms)
                  if e.kind == "water"]  # fmt: skip
        found = _jump(run, poured) if run.dense and run.times_ms.size > 3 else None
        if found is not None:
            return found
        if run.corrected[-1] - run.u[-1] > WET_RH:
            return Witness("wet", run.instrument, int(run.times_ms[-1]), WET_RH, float(run.corrected[-1]))
    return None


def _jump(run: Run, poured_s: Sequence[float]) -> Witness | None:
    # at the usual air: a lid that is shut warms it within minutes, not at once
    share = float(saturation_vapor_pressure(USUAL_C)) / 100.0
    t, v = run.times_ms / 1000.0, run.corrected
    later = np.searchsorted(t, t + JUMP_S, "right") - 1
    for i in np.flatnonzero((v[later] - v) * share >= JUMP_HPA)[::-1].tolist():
        before, usual = (median(v[(t >= t[i] - back) & (t <= t[i])]) for back in (BEFORE_S, DAY_S))
        after = v[later[i] :]
        level = median(after[:10])
        # a lid that is shut lets the vapor come back to what it usually is, not over it
        if (level - before) * share < JUMP_HPA or (level - usual) * share < JUMP_HPA:
            continue
        if float(after.min()) - before < STILL_UP * (level - before):
            continue
        if level < WET_RH and any(0.0 <= t[i] + JUMP_S - at <= WATERED_S for at in poured_s):
            continue
        return Witness("jumped", run.instrument, int(run.times_ms[i]), before, float(v[-1]))
    return None


@finding(*CORRECTED, Event, here=True)
def crept(book: Book, incubator: Incubator, since_ms: int, now_ms: int) -> Witness | None:
    """An instrument whose mean crept away while the thermostat stood untouched since a time (UTC ms), and which no
    other instrument here, and no warmer or colder room, bears out; None where nothing creeps."""
    start = max(since_ms, now_ms - CREEP_DAYS * DAY_MS)
    moves = [(run, moved) for run in best_first(temperature_runs(book, incubator, start, now_ms))
             if (moved := _moved(run)) is not None]  # fmt: skip
    if not moves:
        return None
    run, (before, now) = moves[0]
    by = now - before
    if abs(by) < CREEP_K:
        return None
    if any(abs((b - a) - by) <= max(ALIKE_K, 0.5 * abs(by)) for _other, (a, b) in moves[1:]):
        return None
    room = book.room()
    rooms = temperature_runs(book, room, start, now_ms) if room is not None else []
    for read in rooms:
        ends = _moved(read, hide=False)
        if ends is not None and (ends[1] - ends[0]) * np.sign(by) > max(ROOM_K, abs(by) / ROOM_SHARE):
            return None
    return Witness("crept", run.instrument, int(run.times_ms[0]), before, now)


def _moved(run: Run, *, hide: bool = True) -> tuple[float, float] | None:
    """Its mean at the beginning and at the end of a stretch; None where the two are not far enough apart."""
    window = WINDOW_MS[run.dense]
    begin, end = int(run.times_ms[0]), int(run.times_ms[-1])
    if end - begin < 1.5 * window:
        return None
    kept = ~hidden(run) if hide else np.ones(run.times_ms.size, dtype=bool)
    parts = (run.times_ms <= begin + window, run.times_ms >= end - window)
    means = []
    for part in parts:
        value, observed_s = observed_mean(run.times_ms / 1000.0, run.corrected, kept & part, run.max_gap_s)
        if observed_s < 3600.0 * OBSERVED_H or int((kept & part).sum()) < READ:
            return None
        means.append(value)
    return means[0], means[1]
