"""The brooder's card: how warm week by week, until when the first feed is given, and what to look for."""

from __future__ import annotations

from dataclasses import dataclass

from stathmis.services.batch.course import Course
from stathmis.services.book import Book
from stathmis.services.clock import DAY_MS, HOUR_MS
from stathmis.services.eggs.tray import HATCHED, tray

FIRST_C, STEP_K, LAST_C = 35.0, 3.0, 21.0
"""Under the source in the first week, lower each week, until that of a room. Source: common practice."""


@dataclass(frozen=True)
class Week:
    """A week in the brooder: from when to when (UTC ms), and how warm it is under the source, °C."""

    start_ms: int
    stop_ms: int
    celsius: float


@dataclass(frozen=True)
class BrooderCard:
    """A brooder's card. begins_ms: the first chick out, or the day it is expected; chicks: how many hatched so far."""

    course: Course
    begins_ms: int
    feed_by_ms: int
    chicks: int
    weeks: tuple[Week, ...]


def brooder_card(book: Book, course: Course) -> BrooderCard:
    """The card for the chicks of a batch."""
    sheet = tray(book, course.batch)
    out = [f.time_ms for f in sheet.all_findings if f.kind in HATCHED]
    begins = min(out, default=course.at_ms(course.species.days))
    weeks: list[Week] = []
    celsius = FIRST_C
    while celsius > LAST_C:
        start = begins + 7 * DAY_MS * len(weeks)
        weeks.append(Week(start, start + 7 * DAY_MS, celsius))
        celsius = max(LAST_C, celsius - STEP_K)
    feed_by = begins + round(course.way.feed_limit_h * HOUR_MS)
    return BrooderCard(course, begins, feed_by, sheet.tally.hatched, tuple(weeks))
