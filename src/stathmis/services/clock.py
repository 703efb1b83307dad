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
from stathmis.words import dates, typed
from stathmis.words import rounds as say

EARLIEST_YEAR, LATEST_YEAR = 1970, 2200
"""Times from these years can be kept."""
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


def fixed_at(text: str) -> FixedClock:
    """A clock that stands at "2026-05-18T08:40" (UTC, where no zone is told). Raises UserError for anything else."""
    try:
        at = datetime.fromisoformat(text)
    except ValueError:
        raise UserError(*dates.no_instant(text)) from None
    return FixedClock(round((at if at.tzinfo is not None else at.replace(tzinfo=UTC)).timestamp() * 1000))


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
    """A local time as UTC ms. Of a time that happened twice the first is meant, with fold=1 the second.

    Raises TimeError for a time the clock change skipped, and for one that is not from 1970 to 2200.
    """
    if not EARLIEST_YEAR <= naive.year <= LATEST_YEAR:
        raise TimeError(*dates.no_year(naive.year, EARLIEST_YEAR, LATEST_YEAR))
    aware = naive.replace(tzinfo=ZoneInfo(zone))
    instant = aware.astimezone(UTC)
    if instant.astimezone(ZoneInfo(zone)).replace(tzinfo=None, fold=0) != naive.replace(fold=0):
        raise TimeError(*say.NAIVE_DID_NOT_HAPPEN_THAT(naive=dates.clock(naive)))
    return round(instant.timestamp() * 1000)


def midnight(ms: float, zone: str, later: int = 0) -> int:
    """When the local day of an instant begins (UTC ms), or that so many days later (before it, where negative)."""
    return at_hour(ms, 0.0, zone, later)


def at_hour(ms: float, hour: float, zone: str, later: int = 0) -> int:
    """An hour by the clock on the wall of an instant's local day (UTC ms), or of a day so many days later.

    A day of a clock change has 23 or 25 hours: days are counted by the calendar. An hour the change skipped is the
    one after it, one that came twice the first.
    """
    day = local(int(ms), zone)
    wanted = datetime(day.year, day.month, day.day) + timedelta(days=later, hours=hour)
    return round(wanted.replace(tzinfo=ZoneInfo(zone)).timestamp() * 1000)


_HALF = r"(?:\s*(?P<half>[ap])\.?m\.?)?"
_TIME = re.compile(
    r"^\s*(?:(\d{4})-(\d{1,2})-(\d{1,2})[ T]+|(yesterday)\s+)?(\d{1,2})[:.](\d{2})"
    + _HALF
    + r"(?:\s+(?P<which>first|again))?\s*$",
    re.IGNORECASE,
)
JUST_NOW_MS = HOUR_MS


def _hour(typed: str, half: str | None) -> int:
    """The hour of "8", or of "8 pm". Raises ValueError for "13 pm"."""
    hour = int(typed)
    if half is None:
        return hour
    if not 1 <= hour <= 12:
        raise ValueError(typed)
    return hour % 12 + (12 if half.lower() == "p" else 0)


def parse_moment(text: str, now_ms: int, zone: str) -> int:
    """Read "", "now", "08:10", "yesterday 21:30" or "2026-05-18 08:10" as UTC ms.

    A bare time is today's; later than now it is refused, not taken for yesterday. In the night the clocks go back
    "02:30 first" and "02:30 again" are two times; 02:30 alone is the one that was just now, or is asked about. Raises
    TimeError otherwise.
    """
    text = typed.english(text, "now", "yesterday", "first", "again")
    if text.strip().lower() in ("", "now"):
        return now_ms
    match = _TIME.match(text)
    if not match:
        raise TimeError(say.TYPE_A_TIME_SUCH_AS())
    now = local(now_ms, zone)
    day = now.replace(tzinfo=None) - timedelta(days=1 if match[4] else 0)
    try:
        if match[1]:
            day = datetime(int(match[1]), int(match[2]), int(match[3]))
        naive = day.replace(hour=_hour(match[5], match["half"]), minute=int(match[6]), second=0, microsecond=0)
    except ValueError:
        raise TimeError(*say.THERE_IS_NO_SUCH_TIME()) from None
    at_ms = _of_two(naive, match["which"], now_ms, zone)
    if at_ms > now_ms:
        raise TimeError(
            say.NAIVE_HAS_NOT_COME_YET(naive=dates.clock(naive)),
            say.FOR_YESTERDAY_WRITE_YESTERDAY(yesterday=f"{typed.own('yesterday')} {dates.clock(naive)}"),
        )
    return at_ms


def _of_two(naive: datetime, which: str | None, now_ms: int, zone: str) -> int:
    """UTC ms of a local time that may have happened twice."""
    first, again = utc_ms(naive, zone), utc_ms(naive.replace(fold=1), zone)
    if which is not None:
        return again if which.lower() == "again" else first
    if first == again or again > now_ms:
        return first
    if now_ms - again < JUST_NOW_MS:
        return again
    raise TimeError(*dates.twice(naive))


_DAY = re.compile(
    r"^\s*(?:(?P<y>\d{4})-(?P<m>\d{1,2})-(?P<d>\d{1,2})|(?P<d2>\d{1,2})\.(?P<m2>\d{1,2})\.(?P<y2>\d{4})?"
    r"|(?P<d3>\d{1,2})\.?\s+(?P<name>[^\W\d_]{3,12})\.?(?:\s+(?P<y3>\d{4}))?"
    r"|(?P<name2>[^\W\d_]{3,12})\.?\s+(?P<d4>\d{1,2})(?:,?\s+(?P<y4>\d{4}))?|in\s+(?P<n>\d{1,3})\s+(?P<unit>days?|weeks?)"
    r"|(?P<word>today|tomorrow))(?:[ T]+(?P<h>\d{1,2})[:.](?P<min>\d{2})" + _HALF + r")?\s*$",
    re.IGNORECASE,
)


def parse_day(text: str, now_ms: int, zone: str, hour: float = 9.0) -> int:
    """Read "20 Jun", "2026-06-20", "20.6.", "tomorrow", "in 10 days", each with a time or at an hour, as UTC ms.

    A day without a year is the next such day. Raises TimeError for anything else.
    """
    match = _DAY.match(typed.english(text, "in", "days", "weeks", "today", "tomorrow"))
    if not match:
        raise TimeError(say.TYPE_A_DAY_SUCH_AS())
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
            year = found["y"] or found["y2"] or found["y3"] or found["y4"]
            month = found["m"] or found["m2"] or _month(found["name"] or found["name2"])
            number = int(found["d"] or found["d2"] or found["d3"] or found["d4"])
            day = datetime(int(year or now.year), int(month), number)
            if not year and day.date() < now.date():
                day = day.replace(year=now.year + 1)
        minutes = _hour(found["h"], found["half"]) * 60 + int(found["min"]) if found["h"] else round(hour * 60)
        if not 0 <= minutes < 1440 or int(found["min"] or 0) > 59:
            raise ValueError
    except ValueError:
        raise TimeError(*say.THERE_IS_NO_SUCH_DAY()) from None
    return utc_ms(day + timedelta(minutes=minutes), zone)


def _month(name: str) -> int:
    found = dates.month_named(name)
    if found is None:
        raise ValueError(name)
    return found
