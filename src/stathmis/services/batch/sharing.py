"""Batches that share an incubator: the temperature that suits them all, and where they get in each other's way."""

from __future__ import annotations

from itertools import combinations

from stathmis.core.course.profile import Band, common_band
from stathmis.logbook.records import Batch, Incubator
from stathmis.services.batch import batches
from stathmis.services.batch.course import Course
from stathmis.services.book import Book
from stathmis.services.clock import DAY_MS
from stathmis.words import dates
from stathmis.words.numbers import band_text


def common_temperature(courses: list[Course], at_ms: int) -> Band | None:
    """The air temperature nearest to what all batches want at a time, °C; None where none asks for any."""
    bands = [b for c in courses if (b := c.band("temperature", at_ms)) is not None]
    return common_band(bands)[0] if bands else None


def warnings(book: Book, incubator: Incubator, batch: Batch | None = None) -> list[str]:
    """What the batches of an incubator cannot share, in words; batch: one that is about to join them."""
    courses = batches.all_running(book, incubator)
    if batch is not None:
        courses.append(batches.course_of(book, batch, incubator))
    said = []
    for one, other in combinations(sorted(courses, key=lambda c: c.batch.set_ms), 2):
        said += _heat(book, one, other) + _lockdown(book, one, other) + _kinds(one, other)
    return said


def _heat(book: Book, one: Course, other: Course) -> list[str]:
    bands = [next(p for p in c.phases if p.name != "warm-up").temperature_c for c in (one, other)]
    band, fits = common_band(bands)
    if one.species.set_c == other.species.set_c:
        return []
    unit = book.temperature_unit
    names = f"{one.batch.name} and {other.batch.name}"
    if fits:
        return [f"{names}: {band_text(band.low, band.high, 'temperature', unit)} suits both."]
    near = band_text(band.low, band.high, "temperature", unit)
    return [f"{names} want temperatures that do not meet; {near} is nearest to both. Better apart."]


def _lockdown(book: Book, one: Course, other: Course) -> list[str]:
    """A batch in lockdown wants it moist and still while another still needs turning and less humidity."""
    said = []
    for early, late in ((one, other), (other, one)):
        if early.lockdown_day is None:
            continue
        start, end = early.at_ms(early.lockdown_day), early.at_ms(early.species.days_high)
        stop = late.at_ms(late.lockdown_day if late.lockdown_day is not None else late.species.days_high)
        clash_start, clash_end = max(start, late.batch.set_ms), min(end, stop)
        if clash_end > clash_start + DAY_MS / 4 and book.now_ms < clash_end:
            first, last = book.local(clash_start), book.local(clash_end)
            need = "needs turning and drier air" if late.lockdown_day is not None else "needs its own, drier air"
            said.append(
                f"{early.batch.name} is in lockdown {dates.day(first)} to {dates.day(last)} while "
                f"{late.batch.name} still {need}: move one of them to another machine before that."
            )
    return said


def _kinds(one: Course, other: Course) -> list[str]:
    if one.species.kind == other.species.kind:
        return []
    return [f"{one.batch.name} and {other.batch.name}: birds are turned, reptile eggs must not be; keep them apart."]
