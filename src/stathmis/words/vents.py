"""Vents as the way of a batch has them, in words."""

from __future__ import annotations

from stathmis.services.batch import vents
from stathmis.services.batch.course import Course
from stathmis.services.book import Book
from stathmis.services.moisture import water
from stathmis.words.catalogue import _

_APART = 0.05
"""A vent set by eye is set no nearer than this, share of the opening."""


def at_lockdown(opening: float) -> str:
    """What to do with the vents at lockdown; opening: 0 to 1."""
    return _("{percent:.0f} % open, as your way has it.", percent=100 * opening)


def off_the_way(book: Book, course: Course) -> str:
    """The vents do not stand as the way has them now: that, and what to do; empty where they do or nothing is known."""
    wanted = vents.wanted(book, course, book.now_ms)
    now = water.setting_at(water.events_of(book, course.incubator), book.now_ms).opening
    if wanted is None or now is None or abs(now - wanted) <= _APART:
        return ""
    open_ = {"wanted": 100 * wanted, "now": 100 * now}
    return _("Your way has the vents {wanted:.0f} % open now; they stand at {now:.0f} %.", **open_)
