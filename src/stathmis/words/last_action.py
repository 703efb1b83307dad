"""What was done last and what came of it, in words."""

from __future__ import annotations

from stathmis.core.units import difference_from_inside
from stathmis.services.book import Book
from stathmis.services.findings.last_action import LastAction
from stathmis.words import dates
from stathmis.words.catalogue import N_, Spoken, _, as_number
from stathmis.words.events import details
from stathmis.words.numbers import unit_word

DONE = Spoken(
    {"water": N_("water went in"), "vent": N_("the vent was moved"), "set_point": N_("the set point was changed")}
)


def words(book: Book, last: LastAction, at_ms: int) -> str:
    """ "Last: water went in 5 h ago; since then 6 % RH more."."""
    unit = book.shown_unit(last.quantity)
    ago = dates.duration(at_ms - last.event.time_ms)
    said = details(book, last.event)
    note = f" ({said})" if said else ""
    begun = _("Last: {done} {ago} ago{note}", done=DONE[last.event.kind], ago=ago, note=note)
    if last.change is None:
        return _("{begun}; too little was read to say what it did.", begun=begun)
    if abs(last.change) <= last.U:
        return _("{begun}; it changed nothing that can be told from chance.", begun=begun)
    places = 2 if last.quantity == "temperature" else 0
    much = abs(float(difference_from_inside(last.change, unit)))
    more = (_("warmer") if last.change > 0 else _("cooler")) if last.quantity == "temperature" else None
    way = more or (_("more") if last.change > 0 else _("less"))
    return _(
        "{begun}; since then {much} {unit_word} {way}.",
        begun=begun,
        much=as_number(much, f".{places}f"),
        unit_word=unit_word(unit),
        way=way,
    )
