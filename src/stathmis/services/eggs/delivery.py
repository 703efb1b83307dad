"""The eggs of a plan as they came: how many, in which state, how they were kept and rested."""

from __future__ import annotations

from dataclasses import fields
from typing import Any

from stathmis.core.errors import UserError
from stathmis.core.units import NotANumberError, count_typed, from_inside, parse_typed, to_inside
from stathmis.logbook.records import Delivery
from stathmis.services.book import Book, TemperatureUnit
from stathmis.services.desk import Desk
from stathmis.services.plan import planning
from stathmis.services.plan.planning import Plan
from stathmis.words import delivery as words
from stathmis.words.catalogue import as_number

FLAWS = ("cracked", "dirty", "odd", "inked")
NUMBERS = {"kept_c": (-5.0, 35.0), "rested_h": (0.0, 96.0)}
"""How warm eggs may have been kept, °C, and how long they may have rested, h. Source: common practice, wide."""
FIELDS = ("received", *FLAWS, "source", "kept_c", "rested_h")


def delivery_of(book: Book, plan: Plan) -> Delivery | None:
    """What the keeper noted of a plan's eggs; None where they noted nothing."""
    own = book.records(Delivery, plan_id=plan.stored.id) if plan.stored is not None else ()
    return own[-1] if own else None


def shown(book: Book, plan: Plan, name: str, unit: TemperatureUnit) -> str:
    """A field as it is shown; empty where nothing was noted."""
    found = delivery_of(book, plan)
    value = None if found is None else getattr(found, name)
    if value is None or (name in FLAWS and value == 0):
        return ""
    if name == "kept_c":
        return as_number(round(float(from_inside(value, unit)), 1), "g")
    return value if isinstance(value, str) else as_number(value, "g")


def note(desk: Desk, plan: Plan, name: str, text: str) -> str:
    """Note one field of the eggs as they came; undoable. Returns what was noted, in words.

    Raises UserError for what is no count, more bad ones than came, and what eggs are not kept at.
    """
    book, found = desk.book, delivery_of(desk.book, plan)
    known = {f.name: getattr(found, f.name) for f in fields(Delivery)} if found is not None else {}
    values: dict[str, Any] = {
        "received": known.get("received", plan.eggs),
        **{flaw: known.get(flaw, 0) for flaw in FLAWS},
        "source": known.get("source", ""),
        "kept_c": known.get("kept_c"),
        "rested_h": known.get("rested_h"),
    }
    values[name] = _read(name, text.strip(), book.temperature_unit, plan.eggs)
    if any(values[flaw] > values["received"] for flaw in FLAWS):
        raise UserError(*words.more_than_came(values["received"]))
    with desk.edit(words.noted(plan.name)) as edit:
        if found is not None:
            edit.change(Delivery, found.id, **values)
        else:
            edit.add(Delivery, plan_id=planning.kept_plan(edit, plan), **values)
    told = words.noted(plan.name)
    return f"{told[0].upper()}{told[1:]}."


def _read(name: str, text: str, unit: TemperatureUnit, eggs: int) -> Any:
    if name == "source":
        return text
    if name in NUMBERS:
        if not text:
            return None
        try:
            said = parse_typed(text)
        except NotANumberError:
            raise UserError(*words.no_number(text)) from None
        value = float(to_inside(said.value, said.unit or unit)) if name == "kept_c" else said.value
        low, high = NUMBERS[name]
        if not low <= value <= high:
            raise UserError(*words.not_so(name, text))
        return value
    if not text:
        return eggs if name == "received" else 0
    counted = count_typed(text)
    if counted is None or (name == "received" and counted < 1):
        raise UserError(*words.no_count(text))
    return counted


def poor_share(found: Delivery) -> float:
    """Share of the eggs that came cracked, dirty, odd or marked in ink; each egg is taken to have one flaw."""
    return min(1.0, (found.cracked + found.dirty + found.odd + found.inked) / found.received)
