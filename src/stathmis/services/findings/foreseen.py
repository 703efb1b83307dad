"""How forecasts that were kept did: what was read later, against the fan it should have lain in."""

from __future__ import annotations

import json
from dataclasses import dataclass

import numpy as np

from stathmis.logbook.records import Event, Incubator, StoredForecast
from stathmis.services.book import Book, finding
from stathmis.services.clock import DAY_MS, HOUR_MS
from stathmis.services.findings.runs import CORRECTED, lately

REMEMBERED_MS = 30 * DAY_MS
NEAR_MS = 10 * 60_000
DISTURBING = ("water", "vent", "lid", "set_point", "cool", "power", "turn")
"""A forecast is of what comes if nothing is done: it is held to account until something is."""


@dataclass(frozen=True)
class Record:
    """Of kept forecasts: how many have come due at least in part, hourly readings against them, and how many inside."""

    forecasts: int
    readings: int
    inside: int


@finding(*CORRECTED, StoredForecast, Event, here=True)
def scored(book: Book, incubator: Incubator, hour: int) -> Record:
    """How the kept forecasts of a machine did in the last month; hour: number of the hour (UTC), as of which it is
    found."""
    now = (hour + 1) * HOUR_MS
    kept = [
        f
        for f in book.records(StoredForecast)
        if f.incubator_id == incubator.id and now - REMEMBERED_MS <= f.made_ms < now
    ]
    forecasts = readings = inside = 0
    for one in kept:
        fan = np.array(json.loads(one.fan), dtype=np.float64)
        stop = min(now, one.made_ms + HOUR_MS * fan.shape[0])
        done = [e.time_ms for e in book.events_between(incubator.id, one.made_ms, stop) if e.kind in DISTURBING]
        stop = min([stop, *done])
        run = lately(book, incubator, one.quantity, one.made_ms, stop)
        if run is None:
            continue
        hours = one.made_ms + HOUR_MS * np.arange(1, fan.shape[0] + 1)
        at = np.clip(np.searchsorted(run.times_ms, hours), 0, run.times_ms.size - 1)
        near = (np.abs(run.times_ms[at] - hours) <= NEAR_MS) & (hours <= stop)
        values = run.corrected[at]
        forecasts += int(near.any())
        readings += int(near.sum())
        inside += int((near & (values >= fan[:, 0]) & (values <= fan[:, 2])).sum())
    return Record(forecasts, readings, inside)
