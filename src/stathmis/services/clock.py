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

DAY_MS = 86_400_000


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


def in_words(duration_ms: float) -> str:
    """A length of time in words: "40 min", "1 h 30 min", "3 days"."""
    minutes = round(abs(duration_ms) / 60_000)
    if minutes < 60:
        return f"{minutes} min"
    if minutes < 48 * 60:
        hours, rest = divmod(minutes, 60)
        return f"{hours} h {rest} min" if rest else f"{hours} h"
    return f"{round(minutes / 1440)} days"
