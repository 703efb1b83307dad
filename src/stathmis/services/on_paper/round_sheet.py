"""The sheet for a walk past all machines: how each stands, what is due, and columns to write in."""

from __future__ import annotations

from dataclasses import dataclass

from stathmis.services import rounds
from stathmis.services.book import Book
from stathmis.services.on_paper import columns
from stathmis.services.on_paper.columns import Column
from stathmis.services.plan import tasks
from stathmis.services.plan.tasks import Task
from stathmis.services.rounds import RoundSheet


@dataclass(frozen=True)
class RoundPaper:
    """A round on paper. places: in walking order; due: what is to be done today."""

    written_ms: int
    places: tuple[RoundSheet, ...]
    due: tuple[Task, ...]
    columns: tuple[Column, ...]


def round_paper(book: Book) -> RoundPaper:
    """The sheet of today."""
    due = tuple(t for t in tasks.today(book) if t.state == "open")
    places = tuple(rounds.sheet(book, place) for place in book.places())
    return RoundPaper(book.now_ms, places, due, columns.of_round(book))
