"""How the air goes on over the next hours if nothing is done, as far as a logger's last readings tell."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from stathmis.core.course import forecast
from stathmis.logbook.records import Incubator, Quantity
from stathmis.services.batch.power_cut import BOX_HOURS
from stathmis.services.book import Book, finding
from stathmis.services.findings.runs import CORRECTED, best_first, runs_between

QUICK_S = 20 * 60.0
"""With its heater at work a box comes to rest so quickly, or as its walls let it. Source: common practice."""
DRYING_RESPONSES_S = (2 * 3600.0, 12 * 3600.0)
"""A vent moved or a lid ajar comes to rest so quickly; a trough runs dry so slowly. Source: common practice."""
RECENT_MS: dict[Quantity, int] = {"temperature": 40 * 60_000, "humidity": 75 * 60_000}
"""The air of so long is carried on."""
FRESH_MS = 20 * 60_000
"""A logger that has been silent for longer says nothing of what comes."""
AHEAD_H = (1.0, 2.0, 3.0)
WORTH: dict[Quantity, float] = {"temperature": 0.15, "humidity": 2.0}
"""What changes less than this (K, %) over these hours stands still. Source: our own."""
SURE = 2.0
"""A change is seen where it is so many times its standard uncertainty."""


@dataclass(frozen=True)
class Coming:
    """Where the air will be (°C, %) after so many hours, as it goes now, by the logger that tells; none of it is
    certain."""

    hours: tuple[float, ...]
    values: tuple[float, ...]


@finding(*CORRECTED, each_minute=True)
def coming(book: Book, incubator: Incubator, quantity: Quantity) -> Coming | None:
    """How a quantity goes on from now; None where no logger tells, or nothing but a swing is seen. Found once a minute:
    what a probe brings meanwhile changes little of it."""
    now = book.now_ms
    if incubator.air == "room":
        return None
    start = now - RECENT_MS[quantity]
    runs = best_first([r for r in runs_between(book, incubator, quantity, start, now, start) if r.dense])
    run = next((r for r in runs if now - int(r.times_ms[-1]) <= FRESH_MS and r.times_ms.size >= forecast.LEAST), None)
    if run is None:
        return None
    warm = (3600.0 * BOX_HOURS[incubator.air], QUICK_S) if quantity == "temperature" else DRYING_RESPONSES_S
    ahead = forecast.going_on(run.times_ms / 1000.0, run.corrected, warm, 3600.0 * AHEAD_H[-1], 3600.0)
    change, u = ahead.values[1:] - ahead.values[0], ahead.u[1:]
    if abs(change[-1]) < WORTH[quantity] or bool((np.abs(change) < SURE * u).any()):
        return None
    return Coming(AHEAD_H, tuple(float(v) for v in ahead.values[1:]))
