"""What a household has to check an instrument by, in words."""

from __future__ import annotations

from stathmis.logbook.records import Channel, Instrument
from stathmis.services.book import Book
from stathmis.services.instruments.at_hand import Thing, Told
from stathmis.words.catalogue import _
from stathmis.words.numbers import u_text, unit_word


def called(thing: Thing) -> str:
    """What it is."""
    names: dict[Thing, str] = {
        "fever": _("fever thermometer"),
        "ice": _("crushed ice"),
        "kettle": _("kettle or pot"),
        "salt": _("table salt, a jar"),
        "scale": _("scale that weighs eggs"),
        "hatches": _("past hatches here"),
    }
    return names[thing]


def heading() -> str:
    """Over what is at hand."""
    return _("No reference? What is at hand")


def nothing() -> str:
    """Nothing was ticked, and something cannot tell."""
    return _("Tick what you have: the page says what each would tell, and begins the check.")


def told(book: Book, instrument: Instrument, channel: Channel, way: Told) -> str:
    """What it would tell of an instrument."""
    unit = book.shown_unit(channel.quantity)
    U = f"{u_text(way.U, channel.quantity, unit)} {unit_word(unit)}"
    parts = {"name": instrument.name, "thing": called(way.thing), "U": U}
    if way.thing == "scale":
        return _("{name} by {thing}: {U} at best, but weighed eggs say themselves what to hold", **parts)
    if way.enough:
        return _("{name} by {thing}: {U}, enough for its band", **parts)
    return _("{name} by {thing}: {U}, better, but not enough", **parts)
