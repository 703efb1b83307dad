"""The way each batch is kept: as its plan keeps it, or as the keeper's last plan of its species has it."""

from __future__ import annotations

import json
from dataclasses import asdict, replace
from typing import Any

from stathmis.core.course.way import Way, made
from stathmis.logbook.edits import Edit
from stathmis.logbook.records import Batch, EarlierWay, StoredPlan
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
_OF_THE_SPECIES = (
    "term_days",
    "set_c",
    "tolerance_k",
    "setting_rh",
    "lockdown_rh",
    "loss_percent",
    "counter_day",
    "candling_days",
    "wished",
    "airing_day",
)
TOGETHER_MS = 10 * 60_000
"""What is changed within so long of the last change is changed with it."""
_COOLED = {None: "", True: "by hand", False: "none"}


def way_in(text: str) -> Way:
    """A way as it is kept (JSON); what is unknown or cannot be is left at its default."""
    kept = json.loads(text or "{}")
    if not isinstance(kept.get("cooling", ""), str):
        # older plans only said whether
        kept["cooling"] = _COOLED.get(kept["cooling"], "")
    return made(kept)


def way_text(way: Way, learned: Learned) -> str:
    """A way as it is kept, with what was learned beside it."""
    kept: dict[str, Any] = asdict(way)
    if learned != Learned():
        kept["learned"] = asdict(learned)
    return json.dumps(kept)


def keep_earlier(edit: Edit, book: Book, batch: Batch) -> None:
    """Note what a batch has followed until now, before it follows something else; once for changes made together."""
    newest = max((e.to_ms for e in book.records(EarlierWay, batch_id=batch.id)), default=batch.set_ms)
    if book.now_ms - newest < TOGETHER_MS:
        return
    plan = next((p for p in book.records(StoredPlan) if p.batch_id == batch.id), None)
    habits = way_text(way_of(book, batch, plan), Learned())
    edit.add(EarlierWay, batch_id=batch.id, regime=batch.regime, habits=habits, to_ms=book.now_ms)


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
    if same:
        # each box has its own place
        return replace(found, box="")
    return Way(**{name: getattr(found, name) for name in _OF_THE_KEEPER})


def for_another_species(way: Way) -> Way:
    """A way whose eggs turn out to be of another species: what was said of the first says nothing of it."""
    nothing = Way()
    change: dict[str, Any] = {name: getattr(nothing, name) for name in _OF_THE_SPECIES}
    return replace(way, **change)


def way_of(book: Book, source: Batch | StoredPlan, stored: StoredPlan | None) -> Way:
    """The way of a batch or plan with this record of a plan; without one, the usual."""
    return way_in(stored.habits) if stored is not None else usual_way(book, source.species, source.set_ms)
