"""Shells measured together once the lid was lifted: what they were, and how much they warm themselves."""

from __future__ import annotations

import json
from dataclasses import dataclass
from math import hypot, sqrt

import numpy as np
from numpy.typing import NDArray

from stathmis.core.egg_heat import OWN_U, shell_cooling
from stathmis.core.uncertainty import NORMAL_95
from stathmis.logbook.records import Channel, Reading, ShellSeries
from stathmis.logbook.snapshot import DENSE, Series
from stathmis.services.batch.course import Course
from stathmis.services.book import Book, finding
from stathmis.services.findings.corrections import Corrected
from stathmis.services.findings.runs import CORRECTED, lately

Array = NDArray[np.float64]

LOOK_BACK_MS = 2 * 3_600_000
"""The eggs still have what the air was so long before. Source: three response times of a hen's egg."""
MEAN_MS = 3_600_000
"""Over so long before the lid was lifted a logger's air is averaged: a few cycles of the thermostat."""
OPEN_LID_K = 8.0
"""Under an open lid the air over the eggs is about so much cooler than they are. Source: common practice."""
COOLING_U = 0.5
"""Standard uncertainty of how much the shells cooled meanwhile, relative."""
EGGS_DIFFER_K = 0.15
"""Shells in one machine differ by at least this, standard deviation. Source: common practice."""
TELLING_K = 0.15
"""Embryos that are expected to warm their shells by less say nothing of how well they do."""
MOST, HOTTEST = 60, 150.0
"""A series has no more shells, and none of them shows more than this in either unit."""
RATIO = (0.3, 3.0)
"""Embryos do not make less or more than this of the usual heat: beyond it another fault is shown."""


@dataclass(frozen=True)
class Shells:
    """A series of shells: how many; their mean as the lid was lifted, with its U, °C; how much was added for their
    cooling while they were aimed at, K; the air before it, °C in moving air (None where it was not read); how much
    warmer than that they were, with its standard uncertainty; how much is usual, K."""

    series: ShellSeries
    eggs: int
    mean: Corrected
    cooled_k: float
    air: Corrected | None
    own_k: tuple[float, float] | None
    usual_k: float


@finding(ShellSeries, Reading, DENSE, *CORRECTED)
def shells(book: Book, course: Course) -> tuple[Shells, ...]:
    """All series of a batch, in order of time."""
    own = sorted(book.records(ShellSeries, batch_id=course.batch.id), key=lambda s: (s.time_ms, s.id))
    channels = {c.id: c for c in book.records(Channel)}
    found = ((one, channels.get(one.channel_id), _shown(one)) for one in own)
    return tuple(_measured(book, course, *f) for f in found if f[1] is not None and f[2] is not None)  # type: ignore[arg-type]


def _shown(series: ShellSeries) -> Array | None:
    """What was shown; None where it is no list of numbers: altered by hand."""
    try:
        values = np.array(json.loads(series.shown), dtype=np.float64)
    except (ValueError, TypeError, RecursionError):
        return None
    good = values.ndim == 1 and 0 < values.size <= MOST and bool((np.abs(values) < HOTTEST).all())
    return values if good else None


def _measured(book: Book, course: Course, series: ShellSeries, channel: Channel, shown: Array) -> Shells:
    corrected, u = book.corrections.correct_series(channel, Series(np.full(shown.size, series.time_ms), shown))
    since = series.over_s * (np.arange(shown.size) + 1.0) / shown.size
    cooled = shell_cooling(since, float(corrected.mean()), float(corrected.mean()) - OPEN_LID_K)
    at_once = corrected + cooled
    scatter = float(np.std(at_once, ddof=1)) if shown.size > 2 else EGGS_DIFFER_K
    alike = max(scatter, EGGS_DIFFER_K) / sqrt(shown.size)
    mean = float(at_once.mean())
    wide = float(np.sqrt(u.mean() ** 2 + alike**2 + (COOLING_U * cooled.mean()) ** 2))
    air = _air(book, course, series.time_ms)
    usual = float(course.warmed_by(series.time_ms).shell_k) / course.own_heat
    over = (mean - air.value, hypot(wide, air.u)) if air is not None else None
    return Shells(series, int(shown.size), Corrected(mean, NORMAL_95 * wide), float(cooled.mean()), air, over, usual)


def _air(book: Book, course: Course, at_ms: int) -> Corrected | None:
    """The air the eggs stood in before a time (UTC ms), °C in moving air; None where it was not read."""
    run = lately(book, course.incubator, "temperature", at_ms - LOOK_BACK_MS, at_ms)
    if run is None:
        return None
    near = run.times_ms >= (at_ms - MEAN_MS if run.dense else run.times_ms[-1])
    if not near.any():
        return None
    value = float(run.corrected[near].mean()) - course.still_offset_k
    return Corrected(value, NORMAL_95 * float(run.u[near].mean()))


def own_heat(book: Book, course: Course) -> float:
    """How much of the usual heat these embryos make, by the newest series that can tell; 1 where none can.

    What was measured and what is usual (1, give or take OWN_U) are weighed by their uncertainties.
    """
    telling = [s for s in shells(book, course) if s.own_k is not None and s.usual_k >= TELLING_K]
    if not telling:
        return 1.0
    newest = telling[-1]
    assert newest.own_k is not None
    ratio, u = newest.own_k[0] / newest.usual_k, newest.own_k[1] / newest.usual_k
    weight = OWN_U**2 / (OWN_U**2 + u**2)
    return float(np.clip(1.0 + weight * (ratio - 1.0), *RATIO))
