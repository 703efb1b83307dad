"""The weeks of a batch beside each other: how many eggs died in each, and what the trace says of it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from stathmis.core.hatch.mortality import spread_over
from stathmis.core.uncertainty import NORMAL_95
from stathmis.core.units import Quantity, Unit
from stathmis.services.batch.course import Course
from stathmis.services.book import Book
from stathmis.services.findings.corrections import Corrected
from stathmis.services.findings.judgement import EggExcursion, JudgedRun
from stathmis.services.findings.runs import Run
from stathmis.words.catalogue import _, as_number
from stathmis.words.eggs import outcome as say
from stathmis.words.numbers import u_text, value_text

WEEK_DAYS = 7.0
WEIGHTS = ("slight", "matters", "serious")


@dataclass(frozen=True)
class Week:
    """A week of a batch (elapsed days): deaths in it (parts of an egg where the day is not known), means of the eggs'
    temperature and of the humidity (None where not read), and its worst excursion."""

    first_day: float
    last_day: float
    died: float
    eggs_c: Corrected | None
    humidity: Corrected | None
    worst: EggExcursion | None


def weeks(
    course: Course,
    whole: JudgedRun,
    deaths: Sequence[tuple[float, float]],
    until_ms: int,
    step_days: float = WEEK_DAYS,
) -> list[Week]:
    """The weeks of a batch until a time (UTC ms), or stretches of step_days; the last one as long as it is."""
    last_day = max(step_days, course.day(min(until_ms, course.end_ms)))
    edges = [*np.arange(0.0, last_day - step_days / WEEK_DAYS, step_days).tolist(), last_day]
    died = spread_over(deaths, edges)
    eggs, moist = whole.eggs, whole.trace.humidity.judged
    made = []
    for i, (first, last) in enumerate(pairwise(edges)):
        start, stop = course.at_ms(first), course.at_ms(last)
        excursions = [e for e in eggs.excursions if start <= e.start_ms < stop] if eggs is not None else []
        worst = max(excursions, key=lambda e: (WEIGHTS.index(e.weight), e.degree_hours), default=None)
        warm = _mean(eggs.run.times_ms, eggs.felt, eggs.run.u, start, stop) if eggs is not None else None
        damp = _mean_of(moist, start, stop)
        made.append(Week(first, last, float(died[i]), warm, damp, worst))
    return made


def _mean_of(run: Run | None, start_ms: int, stop_ms: int) -> Corrected | None:
    return None if run is None else _mean(run.times_ms, run.corrected, run.u, start_ms, stop_ms)


def _mean(
    times_ms: NDArray[np.int64],
    values: NDArray[np.float64],
    u: NDArray[np.float64],
    start_ms: int,
    stop_ms: int,
) -> Corrected | None:
    """Mean of the readings of a stretch; its uncertainty is the instrument's, which does not average out."""
    part = (times_ms >= start_ms) & (times_ms < stop_ms) & np.isfinite(values)
    if not part.any():
        return None
    return Corrected(float(values[part].mean()), NORMAL_95 * float(np.median(u[part])))


def titles(book: Book) -> tuple[str, str, str, str, str]:
    """Titles of the table, with units."""
    return (
        _("days"),
        _("died"),
        _("eggs' mean, {temperature_unit}", temperature_unit=book.temperature_unit),
        _("mean, % RH"),
        say.WORST_OF_THE_EGGS(),
    )


def cells(book: Book, course: Course, week: Week) -> tuple[str, str, str, str, str]:
    """A line of the table: days, deaths, the eggs' temperature, the humidity, the worst excursion."""
    first, last = (as_number(course.numbered(d), ".0f") for d in (week.first_day, week.last_day))
    warm = _plain(week.eggs_c, "temperature", book.temperature_unit)
    damp = _plain(week.humidity, "humidity", "%")
    died = as_number(week.died, ".1f") if abs(week.died - round(week.died)) > 0.05 else as_number(week.died, ".0f")
    worst = ""
    if week.worst is not None and week.worst.worth_telling:
        worst = f"{as_number(week.worst.hours, '.1f')} h {_(week.worst.side)}, {_(week.worst.weight)}"
    return f"{first}–{last}", died, warm, damp, worst


def _plain(mean: Corrected | None, quantity: Quantity, unit: Unit) -> str:
    """A mean with its uncertainty; the unit stands in the title."""
    if mean is None:
        return _("not read")
    return f"{value_text(mean.value, mean.U, quantity, unit)} {u_text(mean.U, quantity, unit)}"
