"""Days and times in words: the one place that knows their order, and 24 or 12 hours."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, datetime

from stathmis.words import typed
from stathmis.words.catalogue import N_, _, filled_in, ngettext

MONTHS = (
    N_("Jan"),
    N_("Feb"),
    N_("Mar"),
    N_("Apr"),
    N_("May"),
    N_("Jun"),
    N_("Jul"),
    N_("Aug"),
    N_("Sep"),
    N_("Oct"),
    N_("Nov"),
    N_("Dec"),
)
WEEKDAYS = (
    N_("Monday"),
    N_("Tuesday"),
    N_("Wednesday"),
    N_("Thursday"),
    N_("Friday"),
    N_("Saturday"),
    N_("Sunday"),
)
SHORT_WEEKDAYS = (N_("Mon"), N_("Tue"), N_("Wed"), N_("Thu"), N_("Fri"), N_("Sat"), N_("Sun"))
"""English; translated where they are said. Never the computer's own: its language may be another than the window's."""


@dataclass(frozen=True)
class Style:
    """How this computer's user writes days and times."""

    twelve_hours: bool = False
    month_first: bool = False


style = Style()


def use(chosen: Style) -> None:
    """Write days and times like this from now on."""
    global style
    style = chosen


def clock(at: datetime) -> str:
    """ "08:40", or "8:40 am"."""
    if not style.twelve_hours:
        return f"{at.hour:02d}:{at.minute:02d}"
    return f"{at.hour % 12 or 12}:{at.minute:02d} {_('pm') if at.hour >= 12 else _('am')}"


def month(at: date) -> str:
    """ "May"."""
    return _(MONTHS[at.month - 1])


def weekday(at: date, *, short: bool = True) -> str:
    """ "Mon", or "Monday"."""
    return _((SHORT_WEEKDAYS if short else WEEKDAYS)[at.weekday()])


def day(at: date, *, weekday: bool = False, year: bool = False) -> str:
    """ "18 May", "Mon 18 May", "18 May 2026", or "May 18" where the month is written first."""
    parts = {"day": at.day, "month": month(at)}
    said = _("{month} {day}", **parts) if style.month_first else _("{day} {month}", **parts)
    front = f"{_(SHORT_WEEKDAYS[at.weekday()])} " if weekday else ""
    return f"{front}{said}" + (f" {at.year}" if year else "")


def moment(at: datetime, *, weekday: bool = False, year: bool = False) -> str:
    """ "18 May 08:40", with its weekday or year where asked."""
    return f"{day(at, weekday=weekday, year=year)} {clock(at)}"


def weekday_clock(at: datetime) -> str:
    """ "Mon 08:40"."""
    return f"{weekday(at)} {clock(at)}"


def span(first: datetime, last: datetime) -> str:
    """ "18 to 20 May", "30 Apr to 2 May", or "18 May" for one day."""
    if first.date() == last.date():
        return day(first)
    if (first.year, first.month) != (last.year, last.month):
        return _("{first} to {last}", first=day(first), last=day(last))
    alike = {"first": first.day, "last": last.day, "month": month(first)}
    if style.month_first:
        return _("{month} {first} to {last}", **alike)
    return _("{first} to {last} {month}", **alike)


def month_named(text: str) -> int | None:
    """The month (1 to 12) a word begins like, in English or the window's language; None for any other."""
    for names in (MONTHS, tuple(_(m) for m in MONTHS)):
        for number, name in enumerate(names, 1):
            if text.lower()[:3] == name.lower()[:3]:
                return number
    return None


def duration(ms: float) -> str:
    """A length of time: "40 min", "1 h 30 min", beyond two days "3 days"."""
    minutes = round(abs(ms) / 60_000)
    if minutes < 60:
        return _("{minutes} min", minutes=minutes)
    if minutes <= 48 * 60:
        hours, rest = divmod(minutes, 60)
        return _("{hours} h {rest} min", hours=hours, rest=rest) if rest else _("{hours} h", hours=hours)
    days = round(minutes / 1440)
    return ngettext("{days} day", "{days} days", days, days=days)


def twice(at: datetime) -> tuple[str, str]:
    """A time of the hour that came twice when the clocks went back, and what to write instead."""
    return (
        _("{at} happened twice: the clocks went back.", at=clock(at)),
        _("Write “{at} {first}” or “{at} {again}”.", at=clock(at), first=typed.own("first"), again=typed.own("again")),
    )


def no_year(year: int, first: int, last: int) -> tuple[str, str]:
    """A year that cannot be kept, and those that can."""
    return _("The year {year} cannot be kept.", year=year), _(
        "Write one from {first} to {last}.", first=first, last=last
    )


def no_instant(text: str) -> tuple[str, str]:
    """What is no time of the computer's own kind."""
    return _("{text} is no time.", text=text), _("Write it as 2026-05-18T08:40.")


def no_zone(name: str) -> tuple[str, str]:
    """A time zone nobody knows."""
    return _("{name} is no time zone that is known.", name=name), _("Write one such as UTC, or choose from the list.")


def other_zone(now: datetime, then: datetime) -> str:
    """What another time zone of the logbook changes."""
    words = _("{now} will be shown as {then}, with all that was logged: each instant stays what it is,")
    rest = _("and days begin at the midnights there. Ctrl+Z takes it back.")
    return f"{filled_in(words, now=moment(now), then=moment(then))} {rest}"
