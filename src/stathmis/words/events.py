"""What was done to a machine, in words."""

from __future__ import annotations

from stathmis.logbook.records import Event
from stathmis.services.book import Book
from stathmis.words.catalogue import N_, Spoken, _, as_number, begun
from stathmis.words.numbers import number

_NOTED = {
    "water": N_("Water added"),
    "vent": N_("Vent changed"),
    "lid": N_("Lid opened"),
    "set_point": N_("Set point changed"),
    "cool": N_("Cooled"),
    "note": N_("Note"),
}
EVENT_KINDS = Spoken(_NOTED)
"""What a keeper notes with a button."""
EVENT_WORDS = Spoken(
    {
        **_NOTED,
        "power": N_("Power cut"),
        "alarm": N_("Alarm"),
        "turn": N_("Turned"),
        "moved": N_("Eggs moved"),
    }
)
"""All events of the log: what a keeper does, and what the application noted."""

ALARM_KINDS = Spoken(
    {
        "hot": N_("air dangerously hot"),
        "eggs": N_("eggs too warm or cold"),
        "trend": N_("eggs leaving their band"),
        "air": N_("air far off"),
        "moisture": N_("air too dry or too moist"),
        "drying": N_("air drying out"),
        "stuck": N_("logger stuck"),
        "ended": N_("logger silent"),
        "later": N_("quiet for ten minutes"),
    }
)
"""What an alarm was about, as the log tells it."""


def kind_word(kind: str) -> str:
    """What was done; a kind this version does not know (from a newer one) by its own name."""
    return EVENT_WORDS.get(kind, begun(kind.replace("_", " ")))


def details(book: Book, event: Event) -> str:
    """What is known of an event beside its kind: "X up", "shut after 12 min", "3 h, room 18.0 °C"; may be empty."""
    said = []
    if event.kind == "turn" and event.detail:
        said.append(_("{detail} up", detail=event.detail))
    elif event.kind == "lid" and event.detail == "open":
        said.append(_("open"))
    elif event.kind == "lid" and event.minutes is not None:
        said.append(_("shut after {minutes:.0f} min", minutes=event.minutes))
    elif event.kind == "alarm":
        # older logs keep the alarm's own words as a note
        said += [ALARM_KINDS.get(part.partition(" ")[0], part) for part in event.detail.split(", ") if part]
    elif event.minutes is not None:
        hours = event.minutes / 60.0
        said.append(
            f"{as_number(hours, 'g')} h" if event.minutes >= 60.0 else _("{minutes:.0f} min", minutes=event.minutes)
        )
    if event.room_c is not None:
        said.append(_("room {number}", number=number(event.room_c, "temperature", book.temperature_unit)))
    if event.kind == "vent" and event.opening is not None and not event.note:
        said.append(opening_words(event.opening))
    if event.note:
        said.append(event.note)
    return ", ".join(said)


def event_words(book: Book, event: Event) -> str:
    """ "Water added: long trough"."""
    more = details(book, event)
    return kind_word(event.kind) + (f": {more}" if more else "")


def opening_words(opening: float) -> str:
    """ "half open"."""
    names = {
        0.0: _("closed"),
        0.25: _("a quarter open"),
        0.5: _("half open"),
        0.75: _("three quarters open"),
        1.0: _("fully open"),
    }
    near = min(names, key=lambda n: abs(n - opening))
    if abs(near - opening) < 0.02:
        return names[near]
    return _("a third open") if abs(opening - 1 / 3) < 0.02 else _("{opening:.0f} % open", opening=100 * opening)
