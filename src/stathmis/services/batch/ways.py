"""The way each batch is kept: as its plan keeps it, or as the keeper's newest plan has it."""

from __future__ import annotations

import json
from dataclasses import asdict
from typing import Any

from stathmis.core.course.way import CANDLINGS, Way
from stathmis.logbook.records import Batch, StoredPlan
from stathmis.services.batch.course import Learned
from stathmis.services.book import Book

_OF_THE_KEEPER = (
    "candling",
    "weighing",
    "weigh_every_days",
    "collecting_days",
    "turning",
    "turns_a_day",
    "longest_gap_h",
)
_COOLED = {None: "", True: "by hand", False: "none"}


def way_in(text: str) -> Way:
    """A way as it is kept (JSON); what is unknown is left at its default."""
    kept = json.loads(text or "{}")
    found: dict[str, Any] = {k: kept[k] for k in Way.__dataclass_fields__ if k in kept}
    if not isinstance(found.get("cooling", ""), str):
        # older plans only said whether
        found["cooling"] = _COOLED[found["cooling"]]
    if found.get("candling", "twice") not in CANDLINGS:
        del found["candling"]
    found["candling_days"] = tuple(found.get("candling_days", ()))
    return Way(**found)


def way_text(way: Way, learned: Learned) -> str:
    """A way as it is kept, with what was learned beside it."""
    kept: dict[str, Any] = asdict(way)
    if learned != Learned():
        kept["learned"] = {"term_days": learned.term_days, "shells": learned.shells}
    return json.dumps(kept)


def usual_way(book: Book, species: str, set_ms: int) -> Way:
    """The keeper's usual way with a species: that of the last plan of it set before a time (UTC ms).

    Before there is one, what does not depend on the species, from the last plan of another.
    """
    earlier = [p for p in book.records(StoredPlan) if p.set_ms < set_ms]
    same = [p for p in earlier if p.species == species]
    last = max(same or earlier, key=lambda p: (p.set_ms, p.id), default=None)
    if last is None:
        return Way()
    found = way_in(last.habits)
    return found if same else Way(**{name: getattr(found, name) for name in _OF_THE_KEEPER})


def way_of(book: Book, source: Batch | StoredPlan, stored: StoredPlan | None) -> Way:
    """The way of a batch or plan with this record of a plan; without one, the usual."""
    return way_in(stored.habits) if stored is not None else usual_way(book, source.species, source.set_ms)
