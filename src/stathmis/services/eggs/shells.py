"""A keeper logs the shells of several eggs, measured one after the other after one lifting of the lid."""

from __future__ import annotations

import json
import re

from stathmis.core.errors import UserError
from stathmis.core.units import NotANumberError, from_inside, parse_typed, to_inside
from stathmis.logbook.records import Channel, Instrument, ShellSeries
from stathmis.services.batch.course import Course
from stathmis.services.book import Book
from stathmis.services.desk import Desk
from stathmis.services.findings.shells import MOST
from stathmis.words import shells as words
from stathmis.words.catalogue import in_order

LIMITS_C = (15.0, 45.0)
"""No shell in a machine is colder or warmer: that is a slip."""
OVER_S = (1.0, 300.0)
USUAL_OVER_S = 30.0
"""How long it takes to aim at several shells where nothing is said, s. Source: common practice."""
FIRST = "infrared gun"
_BETWEEN = re.compile(r"[;\s/|]+|,(?=\s)")


def instruments(book: Book) -> list[tuple[Instrument, Channel]]:
    """What can measure a shell: everything that shows a temperature, guns first."""
    named = {i.id: i for i in book.records(Instrument)}
    found = [(named[c.instrument_id], c) for c in book.records(Channel, quantity="temperature")]
    return sorted(found, key=lambda f: (f[0].kind != FIRST, in_order(f[0].name)))


def log_shells(desk: Desk, course: Course, channel: Channel, text: str, over: str, at_ms: int) -> int:
    """Log shells as typed or pasted, apart by spaces, in the order in which they were measured; undoable.

    over: as typed, seconds from the lid lifted to the last; empty: USUAL_OVER_S. Returns how many. Raises UserError for
    what is no temperature of a shell, and for more than MOST.
    """
    typed = [word for word in _BETWEEN.split(text.strip()) if word]
    if not typed or len(typed) > MOST:
        raise UserError(*words.how_many(MOST))
    shown = [_shell(word, desk.book, channel) for word in typed]
    lasted = _seconds(over)
    with desk.edit(words.logged(len(shown))) as edit:
        edit.add(
            ShellSeries,
            batch_id=course.batch.id,
            channel_id=channel.id,
            time_ms=at_ms,
            shown=json.dumps(shown),
            over_s=lasted,
            typed=text.strip(),
        )
    return len(shown)


def _shell(word: str, book: Book, channel: Channel) -> float:
    """One value, in the channel's unit."""
    try:
        said = parse_typed(word)
    except NotANumberError:
        raise UserError(*words.no_shell(word)) from None
    celsius = float(to_inside(said.value, said.unit or channel.unit))
    if not LIMITS_C[0] <= celsius <= LIMITS_C[1]:
        raise UserError(*words.no_shell(word))
    # as the instrument showed it, not a digit of arithmetic more
    return said.value if said.unit in (None, channel.unit) else round(float(from_inside(celsius, channel.unit)), 3)


def _seconds(text: str) -> float:
    if not text.strip():
        return USUAL_OVER_S
    try:
        value = parse_typed(text).value
    except NotANumberError:
        raise UserError(*words.no_seconds(text)) from None
    if not OVER_S[0] <= value <= OVER_S[1]:
        raise UserError(*words.no_seconds(text))
    return value


def strike(desk: Desk, series: ShellSeries) -> None:
    """Strike a series; undo brings it back."""
    desk.strike(words.struck(), ShellSeries, [series.id])
