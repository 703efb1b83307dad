"""Forecasts are kept as they were made, so that what came can be held against them."""

from __future__ import annotations

import json

import numpy as np

from stathmis.logbook.records import Incubator, StoredForecast
from stathmis.services.batch import batches
from stathmis.services.book import Book
from stathmis.services.clock import HOUR_MS
from stathmis.services.desk import Desk
from stathmis.services.findings.ahead import Ahead, ahead
from stathmis.words.trial import foreseen

EVERY_MS = 6 * HOUR_MS
"""One is kept so often."""
HOURS = 48


def foresee(book: Book) -> list[Ahead]:
    """What comes in each machine that runs a batch, as far as its log tells; worked out once in ten minutes."""
    found = ((i, batches.running(book, i)) for i in book.incubators())
    made = [ahead(book, incubator, course) for incubator, course in found if course is not None]
    return [one for one in made if one is not None]


def keep(desk: Desk, found: Ahead) -> bool:
    """Keep a forecast where none of the last hours is kept; it is not undone. Returns whether it was."""
    if desk.read_only or not found.fans or not _due(desk.book, found.incubator, found.at_ms):
        return False
    hours = found.at_ms + HOUR_MS * np.arange(1, HOURS + 1)
    with desk.edit(foreseen(), undoable=False) as edit:
        for quantity, fan in found.fans.items():
            rows = [[round(v, 2) for v in fan.at(int(at))] for at in hours]
            told = [row for row in rows if row[0] == row[0]]
            edit.add(
                StoredForecast,
                incubator_id=found.incubator.id,
                quantity=quantity,
                made_ms=found.at_ms,
                fan=json.dumps(told),
            )
    return True


def _due(book: Book, incubator: Incubator, at_ms: int) -> bool:
    own = [f.made_ms for f in book.records(StoredForecast) if f.incubator_id == incubator.id]
    return not own or at_ms - max(own) >= EVERY_MS
