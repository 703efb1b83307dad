"""How a machine stands now: what is read, whether it is on profile, what to do about it, what is due. The column, the
big figures, the card, the round's sheet and the command line all say it from here."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from stathmis.core.units import Quantity
from stathmis.logbook.records import Incubator
from stathmis.services import rounds
from stathmis.services.advice import now as adviser
from stathmis.services.advice.now import Advice
from stathmis.services.batch.course import Course
from stathmis.services.book import Book
from stathmis.services.findings.verdict import Verdict
from stathmis.services.moisture import water
from stathmis.services.plan import tasks
from stathmis.services.plan.tasks import Task
from stathmis.services.rounds import RoundSheet

if TYPE_CHECKING:
    from stathmis.services.findings.ahead import Ahead
    from stathmis.services.findings.box import BoxSheet

QUANTITIES: tuple[Quantity, ...] = ("temperature", "humidity")


@dataclass(frozen=True)
class Standing:
    """How an incubator (or the room) stands. verdicts: by quantity, None where it is not read."""

    sheet: RoundSheet
    verdicts: dict[Quantity, Verdict | None]
    advice: tuple[Advice, ...]

    @property
    def incubator(self) -> Incubator:
        """The machine."""
        return self.sheet.incubator

    @property
    def course(self) -> Course | None:
        """What runs in it."""
        return self.sheet.course

    @property
    def unread(self) -> bool:
        """Whether a batch runs of whose air something is not read."""
        return self.course is not None and None in self.verdicts.values()


def standing(book: Book, sheet: RoundSheet, box: BoxSheet | None) -> Standing:
    """How a machine stands by its round; box: what its water and vents give, where that is known."""
    verdicts = {quantity: sheet.verdict(quantity) for quantity in QUANTITIES}
    advice = adviser.advise(book, sheet, verdicts["temperature"], verdicts["humidity"], box)
    return Standing(sheet, verdicts, tuple(advice))


def boxed(book: Book, sheet: RoundSheet) -> BoxSheet | None:
    """What water and vents give in a machine with a batch, None where nothing there holds water. Takes a moment."""
    if sheet.course is None or sheet.incubator.air == "room" or not water.surfaces(book, sheet.incubator):
        return None
    # SciPy is read in only where it is needed
    from stathmis.services.findings.box import box_sheet

    return box_sheet(book, sheet.incubator, sheet.course)


def ahead_of(book: Book, sheet: RoundSheet) -> Ahead | None:
    """What comes over the next two days, where that can be told. Takes a moment."""
    if sheet.incubator.air == "room":
        return None
    from stathmis.services.findings.ahead import ahead

    return ahead(book, sheet.incubator, sheet.course)


def everything(book: Book) -> tuple[list[Standing], list[Task]]:
    """How every machine and the room stand, and what is to be done today, refills too. Takes some seconds."""
    found, refills = [], []
    for place in book.places():
        sheet = rounds.sheet(book, place)
        box = boxed(book, sheet)
        found.append(standing(book, sheet, box))
        refill = tasks.refill(book, box, ahead_of(book, sheet)) if box is not None else None
        refills += [refill] if refill is not None else []
    order = {s.incubator.id: i for i, s in enumerate(found)}
    due = [*tasks.today(book), *refills]
    return found, sorted(due, key=lambda t: (order[t.incubator.id], t.state != "open", t.due_ms))
