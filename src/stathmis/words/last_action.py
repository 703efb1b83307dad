"""What was done last and what came of it, in words."""

from __future__ import annotations

from stathmis.core.units import difference_from_inside
from stathmis.services.book import Book
from stathmis.services.findings.last_action import LastAction
from stathmis.words import dates
from stathmis.words.events import details
from stathmis.words.numbers import unit_word

DONE = {"water": "water went in", "vent": "the vent was moved", "set_point": "the set point was changed"}


def words(book: Book, last: LastAction, at_ms: int) -> str:
    """ "Last: water went in 5 h ago; since then 6 % RH more."."""
    unit = book.shown_unit(last.quantity)
    ago = dates.duration(at_ms - last.event.time_ms)
    said = details(book, last.event)
    note = f" ({said})" if said else ""
    begun = f"Last: {DONE[last.event.kind]} {ago} ago{note}"
    if last.change is None:
        return f"{begun}; too little was read to say what it did."
    if abs(last.change) <= last.U:
        return f"{begun}; it changed nothing that can be told from chance."
    places = 2 if last.quantity == "temperature" else 0
    much = abs(float(difference_from_inside(last.change, unit)))
    more = ("warmer" if last.change > 0 else "cooler") if last.quantity == "temperature" else None
    way = more or ("more" if last.change > 0 else "less")
    return f"{begun}; since then {much:.{places}f} {unit_word(unit)} {way}."
