"""The clock, and local time: what time it is, and what a keeper's "08:10" means in the logbook's time zone."""

from __future__ import annotations

import os
import re
import time
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Protocol
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

from stathmis.core.errors import UserError

HOUR_MS = 3_600_000
DAY_MS = 24 * HOUR_MS


class Clock(Protocol):
    """Tells the time as UTC ms."""

    def now_ms(self) -> int:
        """UTC ms since 1970."""


class SystemClock:
    """The computer's clock."""

    def now_ms(self) -> int:
        """UTC ms since 1970."""
        return time.time_ns() // 1_000_000


class FixedClock:
    """A clock that stands still, for pictures, tests and --now."""

    def __init__(self, at_ms: int) -> None:
        self.at_ms = at_ms

    def now_ms(self) -> int:
        """The time it was given, UTC ms."""
        return self.at_ms


class TimeError(UserError):
    """What was typed is not a time that can be logged."""


def system_zone_name() -> str:
    """Name of this computer's time zone, "UTC" where it cannot be told."""
    candidates = [os.environ.get("TZ", "").lstrip(":")]
    try:
        target = str(Path("/etc/localtime").resolve())
        candidates.append(target.partition("zoneinfo/")[2])
        candidates.append(Path("/etc/timezone").read_text(encoding="ascii").strip())
    except OSError:
        pass
    for name in candidates:
        if name and is_zone(name):
            return name
    return "UTC"


def is_zone(name: str) -> bool:
    """Whether a time zone of this name is known."""
    try:
        ZoneInfo(name)
    except (ZoneInfoNotFoundError, ValueError, OSError):
        return False
    return True


def local(ms: int, zone: str) -> datetime:
    """A UTC ms instant as local time in a zone."""
    return datetime.fromtimestamp(ms / 1000, ZoneInfo(zone))


def utc_ms(naive: datetime, zone: str) -> int:
    """A local time as UTC ms. Of a time that happened twice the first is meant.

    Raises TimeError for a time the clock change skipped.
    """
    aware = naive.replace(tzinfo=ZoneInfo(zone))
    instant = aware.astimezone(UTC)
    if instant.astimezone(ZoneInfo(zone)).replace(tzinfo=None) != naive:
        raise TimeError(f"{naive:%H:%M} did not happen that day: the clocks went forward.", "Give a time after it.")
    return round(instant.timestamp() * 1000)


_TIME = re.compile(r"^\s*(?:(\d{4})-(\d{1,2})-(\d{1,2})[ T]+|(yesterday)\s+)?(\d{1,2})[:.](\d{2})\s*$", re.IGNORECASE)


def parse_moment(text: str, now_ms: int, zone: str) -> int:
    """Read "", "now", "08:10", "yesterday 21:30" or "2026-05-18 08:10" as UTC ms.

    A bare time is today's; later than now it is refused, not taken for yesterday. Raises TimeError otherwise.
    """
    if text.strip().lower() in ("", "now"):
        return now_ms
    match = _TIME.match(text)
    if not match:
        raise TimeError("Type a time such as 08:10, yesterday 21:30 or 2026-05-18 08:10.")
    now = local(now_ms, zone)
    day = now.replace(tzinfo=None) - timedelta(days=1 if match[4] else 0)
    try:
        if match[1]:
            day = datetime(int(match[1]), int(match[2]), int(match[3]))
        naive = day.replace(hour=int(match[5]), minute=int(match[6]), second=0, microsecond=0)
    except ValueError:
        raise TimeError("There is no such time.", "Type one such as 08:10.") from None
    at_ms = utc_ms(naive, zone)
    if at_ms > now_ms:
        raise TimeError(f"{naive:%H:%M} has not come yet.", "For yesterday, write: yesterday " + f"{naive:%H:%M}.")
    return at_ms


_DAY = re.compile(
    r"^\s*(?:(?P<y>\d{4})-(?P<m>\d{1,2})-(?P<d>\d{1,2})|(?P<d2>\d{1,2})\.(?P<m2>\d{1,2})\.(?P<y2>\d{4})?"
    r"|(?P<d3>\d{1,2})\s+(?P<name>[a-z]{3,9})\.?(?:\s+(?P<y3>\d{4}))?|in\s+(?P<n>\d{1,3})\s+(?P<unit>days?|weeks?)"
    r"|(?P<word>today|tomorrow))(?:[ T]+(?P<h>\d{1,2})[:.](?P<min>\d{2}))?\s*$",
    re.IGNORECASE,
)
_MONTHS = ("jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec")


def parse_day(text: str, now_ms: int, zone: str, hour: float = 9.0) -> int:
    """Read "20 Jun", "2026-06-20", "20.6.", "tomorrow", "in 10 days", each with a time or at an hour, as UTC ms.

    A day without a year is the next such day. Raises TimeError for anything else.
    """
    match = _DAY.match(text)
    if not match:
        raise TimeError("Type a day such as 20 Jun, 2026-06-20 08:00, tomorrow or in 10 days.")
    now = local(now_ms, zone).replace(tzinfo=None)
    found = match.groupdict()
    try:
        if found["n"]:
            days = int(found["n"]) * (7 if found["unit"].lower().startswith("week") else 1)
            day = datetime(now.year, now.month, now.day) + timedelta(days=days)
        elif found["word"]:
            later = timedelta(days=1 if found["word"].lower() == "tomorrow" else 0)
            day = datetime(now.year, now.month, now.day) + later
        else:
            year = found["y"] or found["y2"] or found["y3"]
            month = found["m"] or found["m2"] or _month(found["name"])
            number = int(found["d"] or found["d2"] or found["d3"])
            day = datetime(int(year or now.year), int(month), number)
            if not year and day.date() < now.date():
                day = day.replace(year=now.year + 1)
        minutes = int(found["h"]) * 60 + int(found["min"]) if found["h"] else round(hour * 60)
        if not 0 <= minutes < 1440:
            raise ValueError
    except ValueError:
        raise TimeError("There is no such day.", "Type one such as 20 Jun or 2026-06-20.") from None
    return utc_ms(day + timedelta(minutes=minutes), zone)


def _month(name: str) -> int:
    if name[:3].lower() not in _MONTHS:
        raise ValueError(name)
    return _MONTHS.index(name[:3].lower()) + 1


def in_words(duration_ms: float) -> str:
    """A length of time in words: "40 min", "1 h 30 min", "3 days"."""
    minutes = round(abs(duration_ms) / 60_000)
    if minutes < 60:
        return f"{minutes} min"
    if minutes < 48 * 60:
        hours, rest = divmod(minutes, 60)
        return f"{hours} h {rest} min" if rest else f"{hours} h"
    return f"{round(minutes / 1440)} days"
