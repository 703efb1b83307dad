"""What a keeper types about the way of a batch: shown in the keeper's own count of days and unit, and read back."""

from __future__ import annotations

import re
from dataclasses import MISSING, fields, replace
from typing import Any

from stathmis.core.course.profile import HELD_C, STILL_AIR_OFFSET_K, elapsed, numbered
from stathmis.core.course.way import LIMITS, LONGEST_TEXT, Limits, Way
from stathmis.core.errors import UserError
from stathmis.core.units import NotANumberError, difference_from_inside, from_inside, parse_typed, to_inside
from stathmis.services.book import Book, TemperatureUnit
from stathmis.services.clock import DAY_MS
from stathmis.services.plan import planning
from stathmis.services.plan.planning import Plan
from stathmis.words import typed as typed_words
from stathmis.words import way as way_words
from stathmis.words.catalogue import as_number

LOCKDOWN = "lockdown_day"
"""Said with the way, but kept as a step of the plan that was moved."""
DAYS = frozenset({LOCKDOWN, "counter_day", "cool_from_day", "candling_days"})
"""Counted as the days of the batch are."""
DIFFERENCES = frozenset({"still_offset_k", "tolerance_k", "hot_k", "cold_k", "late_hot_k", "late_cold_k"})
"""Differences, in the unit of temperatures."""
BANDS = frozenset({"setting_rh", "lockdown_rh"})
ASKED = tuple(name for name in LIMITS if name not in ("collecting_days", "airing_day"))
"""The fields of a way that are typed; the others are chosen."""
BOX = "box"
"""Typed as it stands: the place of a clutch's box."""
_DEFAULTS = {f.name: f.default for f in fields(Way) if f.default is not MISSING}


def _may_be_empty(name: str) -> bool:
    return _DEFAULTS[name] in (None, ()) or name == "weigh_every_days"


def _limits(name: str) -> Limits:
    return LIMITS["counter_day" if name == LOCKDOWN else name]


def _count(plan: Plan) -> tuple[str, float]:
    return (plan.batch.day_count if plan.batch is not None else "from 0"), plan.species.days


def shown(plan: Plan, name: str, unit: TemperatureUnit) -> str:
    """A number of a plan's way as its field shows it; empty where it is the usual, or nothing."""
    if name == LOCKDOWN:
        step = plan.step("lockdown")
        return _text(plan, name, (step.at_ms - plan.set_ms) / DAY_MS, unit) if step is not None and step.moved else ""
    if name == "weigh_every_days" and not plan.way.weighing:
        return ""
    if name == BOX:
        return plan.way.box
    return _text(plan, name, getattr(plan.way, name), unit)


def said(plan: Plan, name: str) -> bool:
    """Whether the keeper says something of their own there."""
    if name == LOCKDOWN:
        return shown(plan, name, "°C") != ""
    return bool(getattr(plan.way, name) != _DEFAULTS[name])


def usual(book: Book, plan: Plan, unit: TemperatureUnit) -> dict[str, str]:
    """What each field means where nothing is typed, as it would be shown; those are left out that then mean nothing."""
    nothing: dict[str, Any] = {name: None for name, default in _DEFAULTS.items() if default is None}
    course = replace(planning.course(book, plan, replace(plan.way, **nothing)), lockdown_moved=None)
    first = next((p for p in course.phases if p.start_day == 0.0), course.phases[0])
    late = next((p.humidity for p in course.phases if p.name == "lockdown"), None)
    heat = first.temperature_c
    values: dict[str, Any] = {
        LOCKDOWN: course.lockdown_day,
        "term_days": course.species.days,
        "loss_percent": course.species.loss_percent,
        "set_c": heat.middle - course.still_offset_k,
        "tolerance_k": 0.5 * (heat.high - heat.low),
        "setting_rh": first.humidity and (first.humidity.low, first.humidity.high),
        "lockdown_rh": late and (late.low, late.high),
        "still_offset_k": STILL_AIR_OFFSET_K,
    }
    return {name: _text(plan, name, value, unit) for name, value in values.items()}


def _text(plan: Plan, name: str, value: Any, unit: TemperatureUnit) -> str:
    values = value if isinstance(value, tuple) else () if value is None else (value,)
    count, term = _count(plan)
    if name in DAYS:
        values = tuple(numbered(v, count, term) for v in values)  # type: ignore[arg-type]
    elif name in DIFFERENCES:
        values = tuple(difference_from_inside(v, unit) for v in values)
    elif name == "set_c":
        values = tuple(round(float(from_inside(v, unit)), 1 if unit == "°F" else 2) for v in values)
    return ("–" if name in BANDS else ", ").join(as_number(v, ".4g") for v in values)


def typed(plan: Plan, name: str, text: str, unit: TemperatureUnit) -> Way:
    """The way with a number of it as typed. Raises UserError for what cannot be."""
    way, text = plan.way, text.strip()
    if name == BOX:
        if len(text) > LONGEST_TEXT:
            raise UserError(*way_words.too_long(name, LONGEST_TEXT))
        return replace(way, box=text)
    if not text:
        if not _may_be_empty(name):
            limits = _limits(name)
            raise UserError(*way_words.out_of_range(name, "", limits.low, limits.high, whole=limits.whole))
        if name == "weigh_every_days":
            return replace(way, weighing=False)
        nothing: dict[str, Any] = {name: _DEFAULTS[name]}
        return replace(way, **nothing)
    if name in BANDS:
        values = tuple(
            number(plan, name, word, unit) for word in re.split(r"\s*(?:–|-|to|…)\s*", typed_words.english(text, "to"))
        )
        if len(values) != 2 or values[0] >= values[1]:
            raise UserError(*way_words.no_band(name, text))
        band: dict[str, Any] = {name: values}
        return replace(way, **band)
    if name == "candling_days":
        words = [w for w in re.split(r"[;\s]+|,(?=\s|$)|(?<=\d),(?=\d+(?:,|\s|$))", text) if w]
        return replace(way, candling_days=tuple(sorted({number(plan, name, word, unit) for word in words})))
    value = number(plan, name, text, unit)
    if name == "weigh_every_days":
        return replace(way, weighing=True, weigh_every_days=value)
    change: dict[str, Any] = {name: int(value) if _limits(name).whole else value}
    return replace(way, **change)


def number(plan: Plan, name: str, text: str, unit: TemperatureUnit) -> float:
    """A number typed for a field, as it is kept. Raises UserError for what is none or cannot be."""
    try:
        said = parse_typed(text)
    except NotANumberError:
        raise UserError(*way_words.no_number(name, text)) from None
    value, limits = said.value, _limits(name)
    if name in DAYS:
        count, term = _count(plan)
        value = elapsed(value, count, term)  # type: ignore[arg-type]
    elif name in DIFFERENCES and (said.unit or unit) == "°F":
        value /= 1.8
    elif name == "set_c":
        value = float(to_inside(value, said.unit or unit))
        limits = Limits(*HELD_C[plan.species.kind])
    if not limits.low <= value <= limits.high or (limits.whole and value != round(value)):
        low, high = limits.low, limits.high
        if name == "set_c":
            low, high = (round(float(from_inside(v, unit))) for v in (low, high))
        raise UserError(*way_words.out_of_range(name, text, low, high, whole=limits.whole))
    return value
