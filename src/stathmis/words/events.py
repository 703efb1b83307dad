"""What was done to a machine, in words."""

from __future__ import annotations

from stathmis.logbook.records import Event
from stathmis.services.book import Book
from stathmis.words.numbers import number

EVENT_KINDS = {
    "water": "Water added",
    "vent": "Vent changed",
    "lid": "Lid opened",
    "set_point": "Set point changed",
    "cool": "Cooled",
    "note": "Note",
}
"""What a keeper notes with a button."""
EVENT_WORDS = {**EVENT_KINDS, "power": "Power cut", "alarm": "Alarm", "turn": "Turned", "moved": "Eggs moved"}
"""All events of the log: what a keeper does, and what the application noted."""


def kind_word(kind: str) -> str:
    """What was done; a kind this version does not know (from a newer one) by its own name."""
    return EVENT_WORDS.get(kind, kind.replace("_", " ").capitalize())


def details(book: Book, event: Event) -> str:
    """What is known of an event beside its kind: "X up", "shut after 12 min", "3 h, room 18.0 °C"; may be empty."""
    said = []
    if event.kind == "turn" and event.detail:
        said.append(f"{event.detail} up")
    elif event.kind == "lid" and event.detail == "open":
        said.append("open")
    elif event.kind == "lid" and event.minutes is not None:
        said.append(f"shut after {event.minutes:.0f} min")
    elif event.kind == "alarm" and event.detail == "seen":
        said.append("seen")
    elif event.minutes is not None:
        hours = event.minutes / 60.0
        said.append(f"{hours:g} h" if event.minutes >= 60.0 else f"{event.minutes:.0f} min")
    if event.room_c is not None:
        said.append(f"room {number(event.room_c, 'temperature', book.temperature_unit)}")
    if event.note:
        said.append(event.note)
    return ", ".join(said)


def event_words(book: Book, event: Event) -> str:
    """ "Water added: long trough"."""
    more = details(book, event)
    return kind_word(event.kind) + (f": {more}" if more else "")
