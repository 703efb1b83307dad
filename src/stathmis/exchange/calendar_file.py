"""A plan as an iCalendar file (RFC 5545) for the phone: one entry a task, with an alarm, in the keeper's time zone.

An entry keeps its identifier for good, so that bringing the file in again updates what is there.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from pathlib import Path
from zoneinfo import ZoneInfo

from stathmis.exchange.whole_file import replacing


@dataclass(frozen=True)
class Entry:
    """One task: identifier, title, what to do, where, begin (UTC ms), length and how long before the alarm rings, min.

    cancelled: it is not to be done any more.
    """

    uid: str
    title: str
    text: str
    place: str
    begin_ms: int
    minutes: int = 30
    alarm_minutes: int = 60
    cancelled: bool = False


def calendar_text(entries: Sequence[Entry], zone: str, name: str, written_ms: int) -> bytes:
    """Entries as an iCalendar file; zone: IANA name; written_ms: now, UTC ms (also orders the updates)."""
    from icalendar import Alarm, Calendar, Event, Timezone

    made = Calendar()
    made.add("prodid", "-//Stathmis//plan//EN")
    made.add("version", "2.0")
    made.add("method", "PUBLISH")
    made.add("x-wr-calname", name)
    here = ZoneInfo(zone)
    stamp = datetime.fromtimestamp(written_ms / 1000.0, UTC).replace(microsecond=0)
    if entries and zone not in ("UTC", "Etc/UTC"):
        begins = [datetime.fromtimestamp(e.begin_ms / 1000.0, here) for e in entries]
        first, last = min(begins).date(), max(begins).date()
        made.add_component(Timezone.from_tzinfo(here, zone, first - timedelta(days=400), last + timedelta(days=400)))
    for entry in entries:
        event = Event()
        begin = datetime.fromtimestamp(entry.begin_ms // 1000, here)
        event.add("uid", entry.uid)
        event.add("dtstamp", stamp)
        event.add("last-modified", stamp)
        # later files win over earlier ones, whatever changed
        event.add("sequence", max(0, written_ms // 60_000 - 29_000_000))
        event.add("dtstart", begin)
        event.add("dtend", begin + timedelta(minutes=entry.minutes))
        event.add("summary", entry.title)
        event.add("description", entry.text)
        event.add("location", entry.place)
        event.add("status", "CANCELLED" if entry.cancelled else "CONFIRMED")
        event.add("transp", "TRANSPARENT")
        if not entry.cancelled:
            alarm = Alarm()
            alarm.add("action", "DISPLAY")
            alarm.add("description", entry.title)
            alarm.add("trigger", timedelta(minutes=-entry.alarm_minutes))
            event.add_component(alarm)
        made.add_component(event)
    text: bytes = made.to_ical()
    return text


def write_calendar(path: Path, text: bytes) -> None:
    """Write a calendar file whole or not at all. Raises UserError where it cannot be written."""
    with replacing(path) as partial:
        partial.write_bytes(text)
