"""Whether a box was opened, told by its vapor: an open lid lets it out, in a box that only cools it stays."""

from __future__ import annotations

import numpy as np

from stathmis.core.psychrometrics import saturation_vapor_pressure
from stathmis.core.units import Quantity
from stathmis.logbook.records import Incubator
from stathmis.services.book import Book
from stathmis.services.findings.runs import lately

OPENED_SHARE, OPENED_MS = 0.8, 300_000
"""An open lid lets so much of the vapor out within so long. Source: common practice."""
BEFORE_MS, AFTER_MS = 20 * 60_000, 3_600_000
_QUANTITIES: tuple[Quantity, ...] = ("temperature", "humidity")


def vapor_kept(book: Book, incubator: Incubator, since_ms: int) -> float | None:
    """How much of its vapor a box still held in the hour after a time (UTC ms), as a share of what it held before; None
    where its humidity is not logged then."""
    stop = min(book.now_ms, since_ms + OPENED_MS + AFTER_MS)
    warm, moist = (lately(book, incubator, q, since_ms - BEFORE_MS, stop) for q in _QUANTITIES)
    if warm is None or moist is None or not (warm.dense and moist.dense):
        return None
    air_c = np.interp(moist.times_ms, warm.times_ms, warm.corrected)
    vapor = 0.01 * moist.corrected * saturation_vapor_pressure(air_c)
    before, after = moist.times_ms <= since_ms, moist.times_ms >= since_ms + OPENED_MS
    if not before.any() or not after.any():
        return None
    return float(np.median(vapor[after]) / np.median(vapor[before]))
