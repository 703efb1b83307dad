"""How the eggs are turned, in words: by hand so far, and where the machine's own counter stops on another day."""

from __future__ import annotations

from stathmis.core.course.way import HOURLY, Way
from stathmis.services.batch.course import Course
from stathmis.services.book import Book
from stathmis.services.plan.turning import Turning
from stathmis.words import dates
from stathmis.words.catalogue import _, ngettext


def by_hand(book: Book, found: Turning) -> str:
    """The turning by hand in a sentence or two."""
    if found.never:
        return _("These eggs are never turned: the mark stays on top.")
    if found.over(book.now_ms):
        return _("No more turning: the eggs lie still until they hatch.")
    if not found.times:
        return _("No turn by hand is logged.")
    parts = [_today(found)]
    if found.side:
        since = dates.weekday_clock(book.local(found.times[-1]))
        parts.insert(
            0, _("{side} is up since {since}; show {next} next.", side=found.side, since=since, next=found.next_side)
        )
    if found.gap_h is not None:
        parts.append(_("Longest gap of late: {hours:.0f} h.", hours=found.gap_h))
        if found.gap_h > found.way.longest_gap_h:
            parts.append(_("That is too long."))
    kept, whole = found.days
    if whole:
        parts.append(_("Turned as meant on {kept} of the last {whole} days.", kept=kept, whole=whole))
    return " ".join(parts)


def _today(found: Turning) -> str:
    if not found.today:
        return _("Not turned yet today.")
    meant = found.way.turns_a_day
    turned = ngettext(
        "Turned {today} of {n} time today", "Turned {today} of {n} times today", meant, n=meant, today=found.today
    )
    odd = found.today % 2 == 1 or meant >= HOURLY
    return turned + ("." if odd else _(", an even number: once more, so that the nights alternate."))


def machine(way: Way) -> str:
    """How the machine turns, as the keeper noted it; empty where they did not."""
    parts = []
    if way.turn_every_min is not None:
        parts.append(_("every {minutes:g} min", minutes=way.turn_every_min))
    if way.turn_degrees is not None:
        parts.append(_("by {degrees:g}°", degrees=way.turn_degrees))
    return _("It turns {how}.", how=" ".join(parts)) if parts else ""


def counter(book: Book, course: Course) -> str:
    """Where the machine's own counter does not stop turning when these eggs' turning ends; empty where it does."""
    stop, stops = course.lockdown_day, course.way.counter_day
    if course.way.turning != "machine" or stop is None or stops is None or abs(stops - stop) < 0.5:
        return ""
    apart = round(abs(stops - stop))
    days = ngettext("{n} day", "{n} days", apart, n=apart)
    told = {"day": dates.weekday(book.local(course.at_ms(stops))), "days": days, "right": course.day_words(stop)}
    if stops < stop:
        return _("The machine's counter stops turning on {day}, {days} early: set it to {right}.", **told)
    return _("The machine's counter stops turning on {day}, {days} late: set it to {right}.", **told)
