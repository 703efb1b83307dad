"""A power cut that was found, in words: when it began, how cold the eggs got, and what cannot be."""

from __future__ import annotations

from stathmis.core.cooling import WorkedBack
from stathmis.core.units import from_inside
from stathmis.services.book import Book
from stathmis.words import dates
from stathmis.words.catalogue import _, as_number
from stathmis.words.numbers import number


def seen_when() -> tuple[str, str]:
    """Nobody said when it was last seen well."""
    return _("When did you last see it well?"), _("Hours ago, such as 9.")


def reads_what() -> tuple[str, str]:
    """Nothing is read now."""
    return _("What do air or eggs read now?"), _("Write one of them, such as 26.5.")


def no_reading(text: str) -> tuple[str, str]:
    """It is no temperature of a box that cools."""
    return _("“{text}” is no temperature of a box that cools.", text=text), _("Between the room's and what is held.")


def too_warm_a_room() -> tuple[str, str]:
    """Nothing cools in it."""
    return _("In so warm a room the box hardly cools."), _("Write for how long it was off instead.")


def worked_back(book: Book, back: WorkedBack, begin_ms: tuple[int, int, int]) -> str:
    """When it began, and what the eggs have come down to; both with their 95 %."""
    unit = book.temperature_unit
    likely, first, last = (dates.moment(book.local(ms)) for ms in begin_ms)
    core = number(back.core_c.value, "temperature", unit)
    low, high = (as_number(from_inside(v, unit), ".0f") for v in (back.core_c.low, back.core_c.high))
    began = _("It went off about {likely} (95 %: {first} to {last}).", likely=likely, first=first, last=last)
    eggs = _("The eggs are down to about {core} ({low} to {high} {unit}).", core=core, low=low, high=high, unit=unit)
    return f"{began} {eggs}"
