"""What advice rests on: the readings, the rule and its source, what was done last, what is still settling."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from stathmis.core.units import Quantity
from stathmis.logbook.records import Event
from stathmis.services.book import Book
from stathmis.services.clock import DAY_MS, HOUR_MS
from stathmis.services.findings.cycles import back_s
from stathmis.services.findings.last_action import LastAction
from stathmis.services.findings.verdict import Verdict
from stathmis.services.rounds import RoundSheet

SETTLING_MS = 3 * HOUR_MS
"""After water, vent, lid, cooling, a power cut or a moved set point, wait this long before the next change.
Source: common practice (1-3 h)."""

UPSETS: dict[Quantity, tuple[str, ...]] = {
    "temperature": ("set_point", "lid", "vent", "water", "cool", "power"),
    "humidity": ("water", "vent", "lid", "cool", "power"),
}
"""What is known to push a quantity off for a while, by kind of event. Source: common practice."""

Rule = Literal["one thing at a time", "danger", "swing", "far off", "disagree", "coarse", "water", "chicks", "box"]


@dataclass(frozen=True)
class Upset:
    """Something logged that explains the air for now: what, when, and until when to wait (UTC ms).

    kind: of the event, or "set" for cold eggs that went in; back_ms: when the air should be back, by this machine's own
    log where that shows it.
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
    """The last thing logged that this quantity may still be settling from; None where it stands by itself."""
    events = book.events_between(sheet.incubator.id, sheet.at_ms - 24 * HOUR_MS, sheet.at_ms)
    known = [e for e in events if e.kind in UPSETS[quantity]]
    lids_s = back_s(book, sheet.incubator, sheet.at_ms // DAY_MS)
    quick = {"lid": lids_s, "water": lids_s, "cool": lids_s} if quantity == "temperature" else {}
    found = []
    for event in known:
        over = _over_ms(event)
        back = over + round(1000.0 * quick[event.kind]) if event.kind in quick else over + SETTLING_MS
        found.append(Upset(event.kind, event.time_ms, over + SETTLING_MS, min(back, over + SETTLING_MS)))
    course = sheet.course
    if quantity == "temperature" and course is not None and course.batch.set_ms <= sheet.at_ms:
        settled = course.batch.set_ms + SETTLING_MS
        found.append(Upset("set", course.batch.set_ms, settled, settled))
    found = [u for u in found if u.until_ms > sheet.at_ms]
    return max(found, key=lambda u: (u.back_ms, u.until_ms, u.time_ms), default=None)


def _over_ms(event: Event) -> int:
    """When what began with an event was over: a power cut of three hours settles from its end on."""
    lasted = event.minutes if event.minutes is not None and event.kind in ("power", "cool") else 0.0
    return event.time_ms + round(60_000 * lasted)
