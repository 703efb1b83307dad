"""Loggers that tell nothing: stuck at one number, or with a file that does not come any more."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from stathmis.core.units import Quantity
from stathmis.services.batch.course import Course
from stathmis.services.book import Book
from stathmis.services.clock import DAY_MS
from stathmis.services.findings.runs import DENSE_STEP_MS, Run, runs_between
from stathmis.services.watch.alarm import Alarm

FRESH_MS = 20 * 60_000
"""A reading older than this says nothing about now. Source: common practice."""
QUANTITIES: tuple[Quantity, ...] = ("temperature", "humidity")
STUCK_MS, LIVELY_MS = 2 * 3_600_000, 40 * 60_000
SOONEST_MS, TIMES = 30 * 60_000, 3
"""A logger that shows the very same so many times as long as it ever did in the day before is stuck, where that was
lively; told after half an hour at the soonest and two at the latest. Source: common practice: a thermostat swings."""
ENDED_MS, OFTEN_MS, DELIVERIES = 10 * 60_000, 3_600_000, 3
"""A logger whose file came at least so often, so many times lately, is missed when it is so much overdue."""


def mute_loggers(book: Book, course: Course) -> Iterator[Alarm]:
    """Loggers that show the very same for hours, or whose file did not come again."""
    now = book.now_ms
    for quantity in QUANTITIES:
        start = max(now - DAY_MS, course.batch.set_ms)
        for run in runs_between(book, course.incubator, quantity, start, now, start):
            last = int(run.times_ms[-1])
            if run.dense and now - last > FRESH_MS and _missed(book, run, last):
                minutes = (now - last) // 60_000
                yield Alarm("ended", course.incubator, False, minutes=minutes, instrument=run.instrument)
            elif run.dense and now - last <= FRESH_MS and (minutes := _stuck(run) // 60_000):
                yield Alarm("stuck", course.incubator, False, minutes=minutes, instrument=run.instrument)


def _stuck(run: Run) -> int:
    """For how long a logger has shown the very same, though it never did for much shorter, ms; 0 where it is lively."""
    turns = np.flatnonzero(np.diff(run.shown) != 0)
    if not turns.size:
        return 0
    since = run.times_ms[turns[-1] + 1]
    stood = np.diff(np.concatenate([run.times_ms[:1], run.times_ms[turns]]))
    known = run.times_ms[turns[-1]] - run.times_ms[0] >= STUCK_MS
    if not known or not stood.size or stood.max() > LIVELY_MS:
        return 0
    stands = int(run.times_ms[-1] - since)
    if np.diff(run.times_ms[turns[-1] + 1 :]).max(initial=0) > DENSE_STEP_MS:
        # it was not read all the while
        return 0
    return stands if stands >= min(STUCK_MS, max(SOONEST_MS, TIMES * int(stood.max()))) else 0


def _missed(book: Book, run: Run, last_ms: int) -> bool:
    """Whether a logger's file used to come often, and is overdue by that habit."""
    if book.snapshot.tail(run.channel.id).times_ms.size:
        # a probe: that it is silent is told by itself
        return False
    times = sorted({h.last_ms for h in book.snapshot.heads(run.channel.id) if h.last_ms >= last_ms - DAY_MS})
    steps = np.diff(np.array(times[-DELIVERIES - 1 :], dtype=np.int64))
    if steps.size < DELIVERIES or steps.max() > OFTEN_MS:
        return False
    return bool(book.now_ms - last_ms > int(np.median(steps)) + ENDED_MS)
