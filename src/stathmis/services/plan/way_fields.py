"""What a keeper types about the way of a batch: shown in the keeper's own count of days and unit, and read back."""

from __future__ import annotations

import re
from dataclasses import dataclass, replace
from typing import Any

from stathmis.core.course.profile import elapsed, numbered
from stathmis.core.course.way import Way
from stathmis.core.errors import UserError
from stathmis.core.units import NotANumberError, parse_typed
from stathmis.services.book import TemperatureUnit
from stathmis.services.plan.planning import Plan
from stathmis.words import way as way_words


@dataclass(frozen=True)
class Asked:
    """A number of a way, from low to high; whole: in whole numbers; a day is counted as the batch's are,
    a difference in the unit of temperatures; empty: what nothing typed means, where that is allowed."""

    low: float
    high: float
    whole: bool = False
    day: bool = False
    difference: bool = False
    may_be_empty: bool = False


ASKED = {
    "turns_a_day": Asked(1, 48, whole=True),
    "longest_gap_h": Asked(0.5, 24),
    "counter_day": Asked(0, 400, day=True, may_be_empty=True),
    "coolings_a_day": Asked(1, 6, whole=True),
    "cool_minutes": Asked(1, 180),
    "cool_from_day": Asked(0, 400, day=True),
    "candling_days": Asked(0, 400, day=True, may_be_empty=True),
    "weigh_every_days": Asked(0.5, 60, may_be_empty=True),
    "still_offset_k": Asked(0, 3, difference=True, may_be_empty=True),
    "brooder_days": Asked(0, 7),
    "feed_limit_h": Asked(6, 96),
}


def _count(plan: Plan) -> tuple[str, float]:
    return (plan.batch.day_count if plan.batch is not None else "from 0"), plan.term_days


def shown(plan: Plan, name: str, unit: TemperatureUnit) -> str:
    """A number of a plan's way as its field shows it; empty where it is the usual, or nothing."""
    asked, value = ASKED[name], getattr(plan.way, name)
    if name == "weigh_every_days" and not plan.way.weighing:
        return ""
    values = value if isinstance(value, tuple) else () if value is None else (value,)
    count, term = _count(plan)
    if asked.day:
        values = tuple(numbered(v, count, term) for v in values)  # type: ignore[arg-type]
    if asked.difference and unit == "°F":
        values = tuple(1.8 * v for v in values)
    return ", ".join(f"{v:.4g}" for v in values)


def typed(plan: Plan, name: str, text: str, unit: TemperatureUnit) -> Way:
    """The way with a number of it as typed. Raises UserError for what cannot be."""
    asked, way = ASKED[name], plan.way
    words = [w for w in re.split(r"[;\s]+|,(?=\s|$)|(?<=\d),(?=\d+(?:,|\s|$))", text.strip()) if w]
    if name != "candling_days":
        words = [text.strip()] if text.strip() else []
    if not words:
        if not asked.may_be_empty:
            raise UserError(*way_words.out_of_range(name, "", asked.low, asked.high, whole=asked.whole))
        if name == "weigh_every_days":
            return replace(way, weighing=False)
        nothing: dict[str, Any] = {name: () if name == "candling_days" else None}
        return replace(way, **nothing)
    values = tuple(_number(plan, name, word, unit) for word in words)
    if name == "weigh_every_days":
        return replace(way, weighing=True, weigh_every_days=values[0])
    if name == "candling_days":
        return replace(way, candling_days=tuple(sorted(set(values))))
    change: dict[str, Any] = {name: int(values[0]) if asked.whole else values[0]}
    return replace(way, **change)


def _number(plan: Plan, name: str, text: str, unit: TemperatureUnit) -> float:
    asked = ASKED[name]
    try:
        value = parse_typed(text).value
    except NotANumberError:
        raise UserError(*way_words.no_number(name, text)) from None
    if asked.day:
        count, term = _count(plan)
        value = elapsed(value, count, term)  # type: ignore[arg-type]
    if asked.difference and unit == "°F":
        value /= 1.8
    if not asked.low <= value <= asked.high or (asked.whole and value != round(value)):
        raise UserError(*way_words.out_of_range(name, text, asked.low, asked.high, whole=asked.whole))
    return value
