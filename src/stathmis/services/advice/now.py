"""What now: one or two plain actions, safety first, then doubts about instruments, then heat, then humidity."""

from __future__ import annotations

from typing import TYPE_CHECKING

from stathmis.core.conformity import OUTSIDE
from stathmis.services.advice.heat import HeatAdvice, heat, hot_now
from stathmis.services.advice.instruments import InstrumentAdvice, instruments
from stathmis.services.advice.moisture import MoistureAdvice, moisture
from stathmis.services.book import Book
from stathmis.services.findings.verdict import Verdict
from stathmis.services.rounds import RoundSheet

if TYPE_CHECKING:
    from stathmis.services.findings.box import BoxSheet

Advice = HeatAdvice | MoistureAdvice | InstrumentAdvice


def advise(
    book: Book,
    sheet: RoundSheet,
    temperature: Verdict | None,
    humidity: Verdict | None,
    box: BoxSheet | None = None,
) -> list[Advice]:
    """At most two pieces of advice for an incubator, the most pressing first; none where all is well.

    box: what its water and vents give, where that is known.
    """
    if sheet.course is None:
        return []
    found: list[Advice] = []
    # inside, nothing about the heat presses, unless it is dangerous at this moment
    asked = temperature is not None and (temperature.decision == OUTSIDE or hot_now(temperature))
    hot = heat(book, sheet, temperature) if asked else None
    danger = hot is not None and hot.kind == "danger"
    if hot is not None and danger:
        found.append(hot)
    moist = moisture(book, sheet, humidity, box, temperature)
    late = sheet.course.is_late(sheet.at_ms)
    if late and moist is not None and moist.kind == "more water":
        # eggs that dry out do not wait for a better instrument
        found.append(moist)
        moist = None
    for verdict in (temperature, humidity):
        doubt = instruments(verdict)
        if doubt is not None and not (late and doubt.kind == "coarse" and doubt.verdict.quantity == "humidity"):
            # nor is a hygrometer taken into a jar while chicks pip
            found.append(doubt)
    if hot is not None and not danger and hot.pressing:
        found.append(hot)
    if moist is not None:
        found.append(moist)
    return found[:2]
