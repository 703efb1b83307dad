"""What advice rests on: the readings, the rule and its source, what was done last, what is still settling."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Literal

from stathmis.core.units import Quantity
from stathmis.logbook.records import Event
from stathmis.services.advice.witness import thrown_off
from stathmis.services.book import Book
from stathmis.services.clock import DAY_MS, HOUR_MS
from stathmis.services.findings.cycles import back_s
from stathmis.services.findings.last_action import LastAction
from stathmis.services.findings.verdict import Verdict
from stathmis.services.rounds import RoundSheet

SETTLING_MS = 3 * HOUR_MS
"""After water, vent, lid, cooling, a power cut or a moved set point, wait this long before the next change.
Source: common practice (1-3 h)."""

SHORTEST_MS = HOUR_MS // 2

UPSETS: dict[Quantity, tuple[str, ...]] = {
    "temperature": ("set_point", "lid", "vent", "water", "cool", "power"),
    "humidity": ("water", "vent", "lid", "cool", "power"),
}
"""What is known to push a quantity off for a while, by kind of event. Source: common practice."""

Rule = Literal[
    "one thing at a time",
    "danger",
    "swing",
    "far off",
    "disagree",
    "coarse",
    "water",
    "chicks",
    "box",
    "witness",
    "vapor",
]


@dataclass(frozen=True)
class Upset:
    """Something logged that explains the air for now: what, when, and until when to wait (UTC ms).

    kind: of the event, "set" for cold eggs that went in, or "air" thrown off for a reason nobody logged; back_ms: when
    the air should be back, by this machine's own log where that shows it.
    """

    kind: str
    time_ms: int
    until_ms: int
    back_ms: int

    @property
    def over_ms(self) -> int:
        """When what happened was over, and the way back began."""
        return self.until_ms - SETTLING_MS


@dataclass(frozen=True)
class Reason:
    """Why: the readings together and the band they are held against, the rule, and what was done last."""

    verdict: Verdict | None
    rule: Rule
    last: LastAction | None = None
    states: int = 0


def upset(book: Book, sheet: RoundSheet, quantity: Quantity) -> Upset | None:
    """The last thing that this quantity may still be settling from; None where it stands by itself.

    From lockdown on three hours are too long to leave the eggs dry: the air must only be back.
    """
    events = book.events_between(sheet.incubator.id, sheet.at_ms - 24 * HOUR_MS, sheet.at_ms)
    known = [e for e in events if e.kind in UPSETS[quantity]]
    lids_s = back_s(book, sheet.incubator, sheet.at_ms // DAY_MS)
    course = sheet.course
    late = course is not None and course.is_late(sheet.at_ms)
    quick = {"lid": lids_s, "water": lids_s, "cool": lids_s} if quantity == "temperature" or late else {}
    found = []
    for event in known:
        over = over_ms(event)
        back = over + round(1000.0 * quick[event.kind]) if event.kind in quick else over + SETTLING_MS
        found.append(Upset(event.kind, event.time_ms, over + SETTLING_MS, min(back, over + SETTLING_MS)))
    if quantity == "temperature" and course is not None and course.batch.set_ms <= sheet.at_ms:
        settled = course.batch.set_ms + SETTLING_MS
        found.append(Upset("set", course.batch.set_ms, settled, settled))
    off = thrown_off(book, sheet.incubator, sheet.at_ms)
    if off is not None and off.back:
        # air that was off for minutes is not on its way for hours
        until = off.stop_ms + min(SETTLING_MS, max(SHORTEST_MS, 2 * (off.stop_ms - off.start_ms)))
        found.append(Upset("air", off.start_ms, until, until))
    if quantity == "humidity" and late:
        found = [replace(u, until_ms=u.back_ms) for u in found]
    found = [u for u in found if u.until_ms > sheet.at_ms]
    return max(found, key=lambda u: (u.back_ms, u.until_ms, u.time_ms), default=None)


def over_ms(event: Event) -> int:
    """When what began with an event was over: a power cut of three hours settles from its end on."""
    lasted = event.minutes if event.minutes is not None and event.kind in ("power", "cool") else 0.0
    return event.time_ms + round(60_000 * lasted)
