"""Alarms in the log: what was told, and how the keeper answered it; kept over a restart."""

from __future__ import annotations

from typing import Literal

from stathmis.logbook.records import Event
from stathmis.services.book import Book
from stathmis.services.desk import Desk
from stathmis.services.watch.alarm import Alarm
from stathmis.words.catalogue import _

Answer = Literal["", "seen", "later"]
SEEN_MS, LATER_MS, TOLD_MS = 3_600_000, 600_000, 1_800_000
QUIET_MS = {"seen": SEEN_MS, "later": LATER_MS}
"""How long an alarm is quiet by the keeper's answer; what was raised so lately is not raised again by a restart."""


def quiet_until(book: Book, alarm: Alarm) -> int:
    """Until when an alarm is quiet (UTC ms), as the keeper answered the same there; also after a restart."""
    answers = _noted(book, alarm, SEEN_MS)
    until = [e.time_ms + QUIET_MS[how] for e, how in answers if how in QUIET_MS]
    return max(until, default=0)


def told_lately(book: Book, alarm: Alarm) -> bool:
    """Whether the same was told there a short while ago: it is not told again after a restart."""
    return any(not how for _event, how in _noted(book, alarm, TOLD_MS))


def _noted(book: Book, alarm: Alarm, within_ms: int) -> list[tuple[Event, str]]:
    """What was noted of the same alarm lately, each with how it was answered ("": it was raised)."""
    if alarm.incubator is None:
        return []
    events = book.events_between(alarm.incubator.id, book.now_ms - within_ms, book.now_ms)
    said = [(e, *e.detail.partition(", ")[::2]) for e in events if e.kind == "alarm"]
    return [(event, how) for event, what, how in said if what == alarm.what]


def log_alarm(desk: Desk, alarm: Alarm, answer: Answer = "") -> None:
    """Note in the log that an alarm was raised, or how the keeper answered it; alarms are not undone."""
    if alarm.incubator is None or desk.read_only:
        return
    with desk.edit(_("alarm noted"), undoable=False) as edit:
        edit.add(
            Event,
            incubator_id=alarm.incubator.id,
            time_ms=desk.now_ms,
            kind="alarm",
            note="",
            detail=f"{alarm.what}, {answer}" if answer else alarm.what,
        )
