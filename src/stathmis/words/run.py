"""What a run says about the eggs, in words: mean and hatch, swings, excursions, and instruments that disagree."""

from __future__ import annotations

import numpy as np

from stathmis.core.uncertainty import NORMAL_95
from stathmis.core.units import difference_from_inside, from_inside
from stathmis.services.batch.course import Course
from stathmis.services.book import Book, TemperatureUnit
from stathmis.services.findings.judgement import EggExcursion, JudgedRun
from stathmis.services.findings.runs import Doubt
from stathmis.words import dates
from stathmis.words.catalogue import _, as_number, begun
from stathmis.words.numbers import count, unit_word, with_u


def doubt_words(doubt: Doubt, book: Book) -> str:
    """ "Blue probe: 0.6 ± 0.3 °C above the others from Tue 12 08:00 to Thu 14 10:00; check it."."""
    unit = book.shown_unit(doubt.quantity)
    places = 1 if doubt.quantity == "temperature" else 0
    off, wide = (float(difference_from_inside(abs(v), unit)) for v in (doubt.difference, doubt.U))
    way = _("above") if doubt.difference > 0 else _("below")
    start, end = (dates.moment(t, weekday=True) for t in (book.local(doubt.start_ms), book.local(doubt.end_ms)))
    return _(
        "{instrument}: {off} {unit_word} {way} the others (they may differ by {wide}), from {start} to "
        "{end}. That is about the instrument, not the eggs: check it.",
        instrument=doubt.instrument.name,
        off=as_number(off, f".{places}f"),
        unit_word=unit_word(unit),
        way=way,
        wide=as_number(wide, f".{places}f"),
        start=start,
        end=end,
    )


def summary(judged: JudgedRun, unit: TemperatureUnit) -> list[str]:
    """What the run says about the eggs, in sentences."""
    eggs, course = judged.eggs, judged.trace.course
    if eggs is None:
        return []
    said = []
    if eggs.mean is not None and eggs.shift_days is not None:
        mean = with_u(eggs.mean.value, eggs.mean.U, "temperature", unit)
        shift, U = eggs.shift_days, NORMAL_95 * eggs.u_shift_days
        is_so = _("was") if course.batch.ended_ms is not None else _("so far is")
        said.append(
            _(
                "The eggs' mean {is_so} {mean}: {shift_words}",
                is_so=is_so,
                mean=mean,
                shift_words=_shift_words(shift, U, course),
            )
        )
    if eggs.cycling is not None:
        swing = float(difference_from_inside(eggs.cycling.swing, unit))
        said.append(
            _(
                "The thermostat swings ± {swing:.2f} {unit} every {period_s:.0f} min.",
                swing=swing,
                unit=unit,
                period_s=eggs.cycling.period_s / 60,
            )
        )
    back = [o.recovery_s for o in eggs.openings if o.recovery_s is not None]
    if eggs.openings:
        usual = _(", back within {median:.0f} min as a rule", median=float(np.median(back)) / 60) if back else ""
        hardly = (
            _("all hardly felt")
            if eggs.passing == len(eggs.openings)
            else _("{passing} hardly felt", passing=eggs.passing)
        )
        said.append(
            _(
                "{sharps} of the air (lid, power){usual}; {hardly} by the eggs.",
                sharps=count(len(eggs.openings), "{n} sharp drop", "{n} sharp drops"),
                usual=usual,
                hardly=hardly,
            )
        )
    return said


def _shift_words(shift: float, U: float, course: Course) -> str:
    if abs(shift) < max(0.1, U):
        return _("hatch on {hatch_day}, as expected (approximate).", hatch_day=_hatch_day(course))
    way = _("later") if shift > 0 else _("earlier")
    around = (
        ""
        if course.batch.day_count == "down"
        else _(", around {day_words}", day_words=course.day_words(course.species.days + shift, 1))
    )
    return _(
        "hatch about {shift:.1f} ± {u:.1f} days {way}{around} (approximate).",
        shift=abs(shift),
        u=U,
        way=way,
        around=around,
    )


def _hatch_day(course: Course) -> str:
    if course.batch.day_count == "down":
        return _("the hatch day")
    whole = course.species.days == round(course.species.days)
    return course.day_words(course.species.days, 0 if whole else 1)


def excursion_words(e: EggExcursion, unit: TemperatureUnit) -> str:
    """ "2 h 10 min low, eggs down to 35.2 °C (air 32.0), 3.4 degree-hours: matters, …"."""
    minutes = round((e.end_ms - e.start_ms) / 60_000)
    lasted = f"{minutes // 60} h {minutes % 60:02d} min" if minutes >= 60 else f"{minutes} min"
    peak, air = (float(from_inside(v, unit)) for v in (e.peak_c, e.air_peak_c))
    degree_hours = float(difference_from_inside(e.degree_hours, unit))
    way = _("down to") if e.side == "low" else _("up to")
    cause = f" ({e.cause})" if e.cause else ""
    weight = f"{begun(_(e.weight))}: {e.why}." if e.weight != "slight" or e.hours > 1.0 else _("Slight.")
    return _(
        "{lasted} {side}, eggs {way} {peak:.1f} {unit}, air {air:.1f}; {degree_hours:.1f} {unit}·h{cause}. {weight}",
        lasted=lasted,
        side=_(e.side),
        way=way,
        peak=peak,
        unit=unit,
        air=air,
        degree_hours=degree_hours,
        cause=cause,
        weight=weight,
    )
