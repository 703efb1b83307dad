"""What would make the verdicts of an incubator surer, one step at a time; the first that is missing counts."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from stathmis.logbook.records import WaterSurface, Weighing
from stathmis.services.book import Book
from stathmis.services.instruments import history
from stathmis.services.rounds import Line, RoundSheet

Kind = Literal["instrument", "check", "hygrometer", "weigh", "water", "room"]


@dataclass(frozen=True)
class Surer:
    """The next step. kind: enter an "instrument" or a "hygrometer"; "check" the one of the line; "weigh" the eggs; say
    what holds "water"; enter the "room"."""

    kind: Kind
    line: Line | None = None


def surer(book: Book, sheet: RoundSheet) -> Surer | None:
    """What to do next to be surer about an incubator with a batch; None where nothing plain is missing."""
    course = sheet.course
    if course is None or sheet.incubator.air == "room":
        return None
    if not sheet.lines:
        return Surer("instrument")
    unchecked = [line for line in sheet.lines if line.force.since_ms is None]
    if len(unchecked) == len(sheet.lines):
        return Surer("check", unchecked[0])
    if all(line.channel.quantity != "humidity" for line in sheet.lines) and course.species.kind == "bird":
        return Surer("hygrometer")
    due = [line for line in sheet.lines if line.force.since_ms is not None and history.is_due(book, line.channel)]
    if due:
        return Surer("check", due[0])
    if course.species.kind == "bird" and not any(w.batch_id == course.batch.id for w in book.records(Weighing)):
        return Surer("weigh")
    if not any(w.incubator_id == sheet.incubator.id for w in book.records(WaterSurface)):
        return Surer("water")
    return Surer("room") if book.room() is None else None
