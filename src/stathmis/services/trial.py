"""A change to try: read as typed, and done in earnest where the keeper decides so."""

from __future__ import annotations

from stathmis.core.errors import UserError
from stathmis.core.units import NotANumberError, difference_to_inside, from_inside, parse_typed, to_inside
from stathmis.logbook.records import Event, Incubator
from stathmis.services import rounds
from stathmis.services.book import Book
from stathmis.services.desk import Desk
from stathmis.services.findings.combinations import Combination, combinations_of
from stathmis.services.findings.doings import Change, What
from stathmis.services.moisture import water
from stathmis.words import trial as words
from stathmis.words import typed
from stathmis.words.catalogue import _, as_number
from stathmis.words.numbers import number

LONGEST_MIN = 48 * 60.0
NIGHT_MIN = 8 * 60.0
NIGHT_FROM_H = 22.0
LASTING: tuple[What, ...] = ("lid", "cool", "power", "window")
"""Changes that last for a while and are over."""


def usual(book: Book, incubator: Incubator, what: What) -> tuple[str, str]:
    """What stands in the fields of a change at first: how much, and for how long."""
    unit = book.temperature_unit
    if what == "set point":
        now = rounds.set_point(book, incubator, book.now_ms)
        return (as_number(float(from_inside(now, unit)), ".1f") if now is not None else "", "")
    lasts = {"lid": "10 min", "cool": "20 min", "power": "2 h", "window": "30 min"}
    amounts = {"vent": "half", "night": "5" if unit == "°C" else "9", "window": "5" if unit == "°C" else "41"}
    return amounts.get(what, ""), lasts.get(what, "")


def mixes(book: Book, incubator: Incubator) -> tuple[Combination, ...]:
    """What can be wet together in a machine; empty where its water is not entered."""
    own = water.surfaces(book, incubator)
    now = water.setting_at(water.events_of(book, incubator, book.now_ms), book.now_ms)
    return combinations_of(own, now)[1:] if own else ()


def read(book: Book, incubator: Incubator, what: What, amount: str, lasts: str, after: str) -> Change:
    """A change as typed. after: in so many hours, empty for now (a night: the next one).

    Raises UserError for what is no such change.
    """
    begins = 60.0 * _hours(after) if after.strip() else 0.0
    unit = book.temperature_unit
    if what == "night":
        if not after.strip():
            local = book.local(book.now_ms)
            begins = (NIGHT_FROM_H - local.hour - local.minute / 60.0) % 24.0 * 60.0
        return Change("night", float(difference_to_inside(_celsius(amount), unit)), NIGHT_MIN, begins)
    if what in LASTING:
        outside = float(to_inside(_celsius(amount), unit)) if what == "window" else 0.0
        return Change(what, outside, _minutes(lasts), begins)
    if what == "vent":
        return Change("vent", water.opening_in(amount), 0.0, begins)
    if what == "water":
        return Change("water", water.area_in(amount), 0.0, begins)
    typed = _typed(amount)
    celsius = float(to_inside(typed[0], typed[1] or unit))
    if not 20.0 <= celsius <= 45.0:
        raise UserError(*words.no_set_point(amount))
    return Change("set point", celsius, 0.0, begins)


def _typed(text: str):  # type: ignore[no-untyped-def]
    try:
        found = parse_typed(text)
    except NotANumberError:
        raise UserError(*words.how_much()) from None
    return found.value, found.unit


def _celsius(text: str) -> float:
    return float(_typed(text)[0])


def _hours(text: str) -> float:
    hours = _minutes(text if any(c.isalpha() for c in text) else f"{text} h") / 60.0
    return hours


def _minutes(text: str) -> float:
    """A length of time as typed: "20", "20 min", "1.5 h", "1 h 30 min"."""
    parts = typed.english(text.lower(), "hours").replace(",", ".").replace("hours", "h").replace("min", "m").split()
    joined = "".join(parts)
    total, digits = 0.0, ""
    try:
        for letter in joined:
            if letter in "hm":
                total += float(digits) * (60.0 if letter == "h" else 1.0)
                digits = ""
            else:
                digits += letter
        total += float(digits) if digits else 0.0
    except ValueError:
        total = 0.0
    if not 0.0 < total <= LONGEST_MIN:
        raise UserError(*words.how_long())
    return total


def do(desk: Desk, incubator: Incubator, change: Change) -> None:
    """A change is made now, and logged as done; undoable. Raises UserError for what no keeper does."""
    at, what = desk.now_ms, change.what
    if what == "set point":
        note = number(change.amount, "temperature", desk.book.temperature_unit)
        rounds.log_event(desk, incubator, "set_point", note, at, change.amount)
        return
    if what == "water":
        chosen = next((m for m in mixes(desk.book, incubator) if abs(m.surface_cm2 - change.amount) < 0.05), None)
        shares = chosen.wet if chosen is not None else {}
        wet = {s.id: shares[s.name] for s in water.surfaces(desk.book, incubator) if s.name in shares}
        if wet:
            before = water.setting_at(water.events_of(desk.book, incubator), at)
            if before.surface_cm2 is None or abs(before.surface_cm2 - change.amount) > 0.05:
                water.log_change(desk, incubator, wet, None, at)
                return
        rounds.log_event(desk, incubator, "water", _("filled"), at)
        return
    if what == "vent":
        with desk.edit(_("vent moved")) as edit:
            edit.add(Event, incubator_id=incubator.id, time_ms=at, kind="vent", note="", opening=change.amount)
        return
    if what not in ("lid", "cool", "power"):
        raise UserError(*words.by_itself())
    with desk.edit(what) as edit:
        edit.add(Event, incubator_id=incubator.id, time_ms=at, kind=what, note="", minutes=change.lasts_min)
