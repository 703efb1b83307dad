"""The columns of readings on paper, which are those of the page they are typed back into."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from stathmis.core.course.profile import Band
from stathmis.logbook.records import Incubator
from stathmis.services import rounds
from stathmis.services.book import Book
from stathmis.services.rounds import Line


@dataclass(frozen=True)
class Column:
    """A display that is read by eye: where, which, and what it shows while all is well (None: nothing is asked)."""

    incubator: Incubator
    line: Line
    shows: tuple[float, float] | None


def columns(book: Book, places: Sequence[Incubator]) -> tuple[Column, ...]:
    """The displays of some places, in walking order, the temperatures of each first; loggers write for themselves."""
    found = []
    for place in places:
        sheet = rounds.sheet(book, place)
        for line in sheet.lines:
            if line.instrument.kind != "logger":
                band: Band | None = sheet.band(line.channel.quantity)
                found.append(Column(place, line, rounds.should_show(line, band)))
    return tuple(found)


def of_card(book: Book, incubator: Incubator) -> tuple[Column, ...]:
    """The columns of a machine's card: its own displays, and the room's."""
    room = book.room()
    return columns(book, [incubator, *([room] if room is not None and room.id != incubator.id else [])])


def of_round(book: Book) -> tuple[Column, ...]:
    """The columns of the sheet for a walk past everything."""
    return columns(book, book.places())
