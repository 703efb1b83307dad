"""The big figures in words: few, to be read from across the room."""

from __future__ import annotations

import json
from collections.abc import Iterable, Sequence

from stathmis.core.conformity import INSIDE
from stathmis.core.units import Quantity
from stathmis.logbook.records import Placement
from stathmis.services.book import Book
from stathmis.services.findings.verdict import Verdict
from stathmis.services.plan import tasks
from stathmis.services.plan.tasks import Task
from stathmis.services.standing import Standing
from stathmis.services.watch.live import ProbeStatus
from stathmis.words import dates
from stathmis.words.advice import short
from stathmis.words.catalogue import _
from stathmis.words.numbers import u_text, unit_word, value_text
from stathmis.words.probes import health, last_word, state
from stathmis.words.verdicts import side_word


def head(book: Book, stands: Standing) -> str:
    """ "North cabinet · day 13 of 24"."""
    course = stands.course
    about = _("no batch") if course is None else course.day_text(book.now_ms)
    return f"{stands.incubator.name} · {about}"


def value(book: Book, quantity: Quantity, verdict: Verdict | None) -> tuple[str, str]:
    """The digits, and the unit with U and where it lies: "37.53", "°C ± 0.08, inside"."""
    unit = book.shown_unit(quantity)
    if verdict is None:
        return "–", _("{unit}, not read", unit=unit_word(unit))
    value, U = verdict.corrected.value, verdict.corrected.U
    judged = "" if verdict.band is None else f", {side_word(verdict)}"
    return value_text(value, U, quantity, unit), f"{unit_word(unit)} {u_text(U, quantity, unit)}{judged}"


def lines(book: Book, stands: Standing, due: Sequence[Task]) -> tuple[str, ...]:
    """What to do: the advice in short, then what is due."""
    advised = [short(book, a) for a in stands.advice]
    asked = [text[:1].upper() + text[1:] for text in advised]
    if not asked and stands.course is not None and stands.unread:
        asked = [_("Read it")]
    elif not asked and all(v is not None and v.decision == INSIDE for v in stands.verdicts.values()):
        asked = [_("On profile")]
    return (*asked, *(f"{t.title}, {tasks.when_words(book, t)}" for t in due))


def read_ago(book: Book, stands: Standing) -> str:
    """How long ago it was read, where no probe reads it; empty where it never was."""
    times = [v.time_ms for v in stands.verdicts.values() if v is not None]
    return _("read {duration} ago", duration=dates.duration(book.now_ms - max(times))) if times else ""


def heard(statuses: Iterable[ProbeStatus], book: Book) -> dict[int, str]:
    """By machine, when its probes last said something and how they are."""
    found: dict[int, list[str]] = {}
    for one in statuses:
        channels = _channels(one)
        instruments = {book.channel(c).instrument_id for c in channels}
        stands, last = state(one.status, one.silent), last_word(one.status, book.now_ms)
        fine = one.status.connected and not one.silent
        how = [last or stands] if fine else [stands, last]
        said = [one.probe.name, *how, health(one.status)]
        for placement in book.records(Placement):
            if placement.instrument_id in instruments and placement.to_ms is None:
                found.setdefault(placement.incubator_id, []).append(", ".join(s for s in said if s))
    return {place: " · ".join(said) for place, said in found.items()}


def _channels(one: ProbeStatus) -> list[int]:
    return [int(to["channel"]) for to in json.loads(one.probe.fields).values()]


def spoken(name: str, values: Iterable[tuple[str, str]], said: Iterable[str]) -> str:
    """All of a machine for whoever cannot see it."""
    return ", ".join([name, *(f"{v} {u}" for v, u in values), *said])


def keys(machines: int) -> str:
    """How to leave, and what else there is."""
    choose = _("1–{n}: which machines · ", n=min(9, machines)) if machines > 1 else ""
    return _("Esc: back · {choose}N: day or night", choose=choose)
