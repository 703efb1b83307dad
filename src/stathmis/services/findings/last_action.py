"""What was done last to an incubator and what came of it: so that advice builds on it instead of starting anew."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from stathmis.core.uncertainty import NORMAL_95
from stathmis.core.units import Quantity
from stathmis.logbook.records import Event, Incubator
from stathmis.services.book import Book, finding
from stathmis.services.clock import HOUR_MS
from stathmis.services.findings.runs import CORRECTED, Run, lately

REMEMBERED_MS = 48 * HOUR_MS
"""What was done longer ago explains little of what is read now. Source: common practice."""
BEFORE_MS = 2 * HOUR_MS
SETTLED_MS = HOUR_MS
"""The effect is read from so long after the action on. Source: common practice (1-3 h)."""
UNTIL_MS = 4 * HOUR_MS
BY_HAND_MS = 14 * HOUR_MS
"""Hand readings are taken this far to either side of the action."""
ACTS: dict[Quantity, tuple[str, ...]] = {"temperature": ("set_point", "vent"), "humidity": ("water", "vent")}


@dataclass(frozen=True)
class LastAction:
    """The last action on one quantity, and how much that changed since: change and its U (95 %) in K or %.

    step_k: by how much the set point was moved, K, None for anything else or where it is not known; change is None
    where too little was read before or after.
    """

    event: Event
    quantity: Quantity
    change: float | None
    U: float
    step_k: float | None

    @property
    def gain(self) -> float | None:
        """K of air for each K of set point, None where it is not clear."""
        clear = self.change is not None and self.step_k is not None and abs(self.step_k) >= 0.1
        if not clear or self.change is None or self.step_k is None or abs(self.change) <= self.U:
            return None
        return self.change / self.step_k


@finding(*CORRECTED, Event, here=True)
def last_action(book: Book, incubator: Incubator, quantity: Quantity, at_ms: int) -> LastAction | None:
    """What was done last about a quantity before a time (UTC ms), and what came of it; None for nothing lately."""
    events = book.events_between(incubator.id, at_ms - REMEMBERED_MS, at_ms)
    done = [e for e in events if e.kind in ACTS[quantity]]
    if not done:
        return None
    last = done[-1]
    run = lately(book, incubator, quantity, last.time_ms - BY_HAND_MS, at_ms)
    change, U = _change(run, last.time_ms, at_ms) if run is not None else (None, 0.0)
    return LastAction(last, quantity, change, U, _step(book, incubator, last))


def _change(run: Run, acted_ms: int, at_ms: int) -> tuple[float | None, float]:
    """Mean after less mean before: the instrument's own error is in both, so mostly its scatter counts."""
    before_ms, after_ms = (BEFORE_MS, UNTIL_MS) if run.dense else (BY_HAND_MS, BY_HAND_MS)
    before = run.corrected[(run.times_ms >= acted_ms - before_ms) & (run.times_ms < acted_ms)]
    settled = (run.times_ms >= acted_ms + SETTLED_MS) & (run.times_ms <= min(at_ms, acted_ms + after_ms))
    after = run.corrected[settled]
    if not before.size or not after.size:
        return None, 0.0
    # readings of a swinging thermostat: the scatter of single ones, or a display's steps, is what blurs a mean by hand
    scatter = [float(part.std()) / np.sqrt(min(part.size, 12)) for part in (before, after)]
    step = run.channel.resolution / np.sqrt(12.0) / np.sqrt(min(before.size, after.size))
    U = NORMAL_95 * float(np.hypot(np.hypot(*scatter), step))
    return float(after.mean() - before.mean()), U


def _step(book: Book, incubator: Incubator, last: Event) -> float | None:
    if last.kind != "set_point" or last.set_point_c is None:
        return None
    earlier = book.events_between(incubator.id, 0, last.time_ms - 1)
    known = [e.set_point_c for e in earlier if e.kind == "set_point" and e.set_point_c is not None]
    before = known[-1] if known else incubator.set_point_c
    return None if before is None else last.set_point_c - before
