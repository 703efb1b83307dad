"""The review of a batch: what its own log and eggs say of each likely cause, and the one thing to change next time."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from stathmis.core.hatch import review as core
from stathmis.core.hatch.hatch_stats import Rate, Tally
from stathmis.core.hatch.review import Measured, Review, Weighed
from stathmis.core.uncertainty import NORMAL_95
from stathmis.core.units import difference_from_inside
from stathmis.logbook.records import Delivery, Event, Weighing
from stathmis.logbook.snapshot import SETTINGS
from stathmis.services.batch.batches import COURSES_REST_ON
from stathmis.services.batch.course import Course
from stathmis.services.book import Book, finding
from stathmis.services.eggs import delivery
from stathmis.services.eggs.break_out import deaths
from stathmis.services.eggs.evidence import (
    LaterCheck,
    by_place,
    evidence,
    hatch_day,
    later_checks,
    places_differ,
    stored_days,
)
from stathmis.services.eggs.signs import SignCount, sign_words, signs_seen
from stathmis.services.eggs.tray import TRAY_RESTS_ON, WEAK, TraySheet, tray
from stathmis.services.eggs.weeks import Week, weeks
from stathmis.services.findings import judgement
from stathmis.services.findings.judgement import EggTrace
from stathmis.services.findings.runs import READ
from stathmis.services.plan import planning
from stathmis.words import dates
from stathmis.words import delivery as delivery_words
from stathmis.words import hatch as hatch_words
from stathmis.words.catalogue import Spoken, _, as_number, within
from stathmis.words.eggs import review as say
from stathmis.words.numbers import count, signed, unit_word

TOLD = 4
"""So many causes are told, the weightiest first."""
PLAIN = 0.5
"""What moves the odds by less than e to this power says little."""
K_PER_DAY, CHICK_DAYS = 0.56, 21.0
"""So much off for a chick's whole term moves its hatch by a day. Source: common practice (core.egg_heat)."""
LEAST_K = 0.1
"""A set point is not moved for less."""
EARLY_LATE_DAYS = 0.5
"""A hatch nearer than this to its day came as expected."""
WORDS = Spoken(
    {
        "temperature low": say.THE_TEMPERATURE_WAS_LOW_ON,
        "temperature high": say.THE_TEMPERATURE_WAS_HIGH_ON,
        "swings": say.THE_TEMPERATURE_SWUNG,
        "too moist in setting": say.TOO_MOIST_BEFORE_LOCKDOWN_THE,
        "too dry in setting": say.TOO_DRY_BEFORE_LOCKDOWN_THE,
        "too dry in lockdown": say.TOO_DRY_IN_LOCKDOWN_CHICKS,
        "turning gaps": say.TOO_LONG_BETWEEN_TURNS,
        "old eggs": say.EGGS_KEPT_TOO_LONG_BEFORE,
        "poor eggs": delivery_words.cause(),
        "opened at the pip": say.THE_LID_WAS_OPENED_WHILE,
        "infertile eggs": say.MANY_EGGS_WERE_INFERTILE,
    }
)
CHANGES = Spoken(
    {
        "swings": say.GIVE_IT_A_STEADIER_ROOM,
        "too moist in setting": say.HOLD_IT_DRIER_BEFORE_LOCKDOWN,
        "too dry in setting": say.HOLD_IT_MOISTER_BEFORE_LOCKDOWN,
        "too dry in lockdown": say.MORE_WATER_SURFACE_BEFORE_THE,
        "turning gaps": say.TURN_AN_ODD_NUMBER_OF,
        "old eggs": say.SET_WITHIN_A_WEEK_OF,
        "poor eggs": delivery_words.change(),
        "opened at the pip": say.LEAVE_THE_LID_SHUT_FROM,
        "infertile eggs": say.LOOK_AT_THE_FLOCK_NOT,
    }
)


@dataclass(frozen=True)
class BatchReview:
    """A review. tally: what came of the eggs; weighed: None while the hatch is not over; evidence: as measured.

    day: on which the middle chick came; shift: how much later than the sheet says, predicted: the same from the log,
    days (value and standard uncertainty); weeks, days: deaths beside the trace; doubt: how far the weight of each cause
    may go; places: edge and middle of the tray; later:
    checks done since that change the past; then: the cause that was clear before those, "" for none, None where there
    were none.
    """

    course: Course
    tally: Tally
    weighed: Review | None
    evidence: dict[str, Measured]
    day: Measured | None = None
    shift: Measured | None = None
    predicted: Measured | None = None
    weeks: tuple[Week, ...] = ()
    places: tuple[Rate, Rate] | None = None
    places_differ: bool = False
    signs: tuple[SignCount, ...] = ()
    later: tuple[LaterCheck, ...] = ()
    then: str | None = None
    before: tuple[str, ...] = ()
    weak: Mapping[str, int] = field(default_factory=dict)
    doubt: Mapping[str, tuple[float, float]] = field(default_factory=dict)
    days: tuple[Week, ...] = ()


@finding(*READ, *TRAY_RESTS_ON, *COURSES_REST_ON, Event, Weighing, Delivery, SETTINGS, each_minute=True)
def batch_review(book: Book, course: Course) -> BatchReview:
    """The review of a batch as its log and its calibrations stand now."""
    sheet = tray(book, course.batch)
    over = course.batch.ended_ms is not None or (sheet.tally.open == 0 and sheet.tally.hatched > 0)
    known = any((sheet.tally.hatched, sheet.tally.clear, sheet.tally.fertile))
    if not over or not known:
        return BatchReview(course, sheet.tally, None, {})
    whole = judgement.judged_run(book, course)
    found, weighed = _weighed(book, course, sheet, whole.eggs)
    day = hatch_day(course, sheet)
    later = tuple(later_checks(book, course))
    then = None
    if later and course.batch.ended_ms is not None:
        earlier = book.as_known(course.batch.ended_ms)
        before = _weighed(earlier, course, sheet, judgement.judged_run(earlier, course).eggs)[1]
        then = before.clear.cause.key if before.clear is not None else ""
    ended = course.batch.ended_ms if course.batch.ended_ms is not None else book.now_ms
    return BatchReview(
        course,
        sheet.tally,
        weighed,
        found,
        day,
        _shift(course, day),
        _predicted(whole.eggs),
        tuple(weeks(course, whole, deaths(course, sheet), ended)),
        by_place(sheet),
        places_differ(sheet),
        tuple(signs_seen(sheet)),
        later,
        then,
        tuple(_before(book, course, sheet)),
        {kind: n for kind in WEAK if (n := sum(f.count for f in sheet.all_findings if f.kind == kind))},
        core.doubt(sheet.tally, found, _shift(course, day), _weak_count(sheet)),
        tuple(weeks(course, whole, deaths(course, sheet), ended, 1.0)),
    )


def _weak_count(sheet: TraySheet) -> int:
    return sum(f.count for f in sheet.all_findings if f.kind in WEAK)


def _weighed(book: Book, course: Course, sheet: TraySheet, eggs: EggTrace | None) -> tuple[dict[str, Measured], Review]:
    found = evidence(book, course, sheet, eggs)
    return found, core.review(sheet.tally, found, _shift(course, hatch_day(course, sheet)), _weak_count(sheet))


def _shift(course: Course, day: Measured | None) -> Measured | None:
    return Measured(day.value - course.species.days, day.u) if day is not None else None


def _predicted(eggs: EggTrace | None) -> Measured | None:
    if eggs is None or eggs.shift_days is None:
        return None
    return Measured(eggs.shift_days, eggs.u_shift_days)


def timing_words(found: BatchReview) -> str:
    """Early or late, against the sheet and against what the log predicted; empty where nothing is known."""
    if found.day is None or found.shift is None:
        return ""
    late = found.shift.value
    side = _("late") if late > 0 else _("early")
    way = (
        say.AS_THE_SHEET_SAYS()
        if abs(late) < EARLY_LATE_DAYS
        else _("{late:.1f} days {side}", late=abs(late), side=side)
    )
    said = say.THE_MIDDLE_CHICK_CAME_ON(day_words=found.course.day_words(found.day.value, 1), way=way)
    if found.predicted is not None:
        off = late - found.predicted.value
        U = NORMAL_95 * (found.predicted.u**2 + found.shift.u**2) ** 0.5
        expected = found.course.day_words(found.course.species.days + found.predicted.value, 1)
        fits = _("which fits") if abs(off) <= U else say.AND_THIS_DOES_NOT_FIT()
        said += say.BY_THE_TEMPERATURES_IN_THE(expected=expected, u=U, fits=fits)
    return said


def headline(found: BatchReview) -> str:
    """The clear cause, or that there is none."""
    if found.weighed is None:
        return say.THE_REVIEW_COMES_WHEN_THE()
    clear = found.weighed.clear
    if clear is None:
        return say.NO_CLEAR_CAUSE_STANDS_OUT()
    return say.MOST_LIKELY_WORDS_WEIGHT_OF(words=within(WORDS[clear.cause.key]), weight=100 * clear.weight)


def lines(book: Book, found: BatchReview) -> list[str]:
    """The review in words: the clear cause or none, what speaks for and against, what was not measured."""
    if found.weighed is None:
        return [headline(found)]
    clear, said = found.weighed.clear, [headline(found)]
    for one in found.weighed.weighed[:TOLD]:
        if one.weight >= 0.04 or one is clear:
            said.append(f"{WORDS[one.cause.key]}, {as_number(100 * one.weight, '.0f')} %: {_basis(book, found, one)}.")
    return said + beside(book, found)


def beside(book: Book, found: BatchReview) -> list[str]:
    """What is told beside the causes: the eggs as they came, the day of the hatch, signs, later checks, what was not
    measured."""
    if found.weighed is None:
        return []
    said = list(found.before)
    about = (
        timing_words(found),
        hatch_words.weak(found.tally.hatched, found.weak, found.course.species.kind),
        sign_words(found.signs),
        place_words(found),
    )
    said += [words for words in about if words]
    said += later_words(book, found)
    missing = sorted({w.cause.measured for w in found.weighed.weighed if not w.measured} - {"clear_only"})
    if missing:
        said.append(_("Not measured: {listed}.", listed=", ".join(UNKNOWN[m] for m in missing)))
    if found.tally.eggs < 12:
        said.append(say.SO_FEW_EGGS_SAY_LITTLE())
    return said


def _before(book: Book, course: Course, sheet: TraySheet) -> list[str]:
    """What was in the eggs before they were set, in words."""
    plan = planning.plan_of(book, course.batch)
    came = delivery.delivery_of(book, plan)
    return delivery_words.share(came, stored_days(book, course, sheet), course.batch.eggs, book.temperature_unit)


def place_words(found: BatchReview) -> str:
    """Edge against middle of the tray, where both are known."""
    if found.places is None:
        return ""
    edge, middle = found.places
    said = say.HATCHED_AT_THE_EDGE_OF(edge=edge.count, edge_of=edge.of, middle=middle.count, middle_of=middle.of)
    return said + (_("more than chance.") if found.places_differ else _("may be chance."))


def later_words(book: Book, found: BatchReview) -> list[str]:
    """Checks done since the hatch that change the past, and how the review stood before them."""
    said = []
    for check in found.later:
        at = book.local(check.done_ms)
        unit = book.shown_unit(check.channel.quantity)
        off, places = float(difference_from_inside(check.change, unit)), 2 if unit != "%" else 1
        said.append(
            say.CHANGED_SINCE_THE_CHECK_OF(
                instrument=check.instrument.name,
                at=dates.day(at, year=True),
                off=signed(off, places),
                unit_word=unit_word(unit),
            )
        )
    now = found.weighed.clear.cause.key if found.weighed is not None and found.weighed.clear is not None else ""
    if found.then is not None and found.then != now:
        was = within(WORDS[found.then]) if found.then else _("no clear cause")
        said.append(say.BEFORE_THAT_THIS_REVIEW_WOULD(was=was))
    return said


UNKNOWN = Spoken(
    {
        "swing_k": say.HOW_MUCH_THE_TEMPERATURE_SWUNG,
        "mean_k": say.THE_TEMPERATURE,
        "loss_off": say.THE_LOSS_OF_WEIGHT_AT,
        "lockdown_rh_off": say.THE_HUMIDITY_IN_LOCKDOWN,
        "turning_gap_h": say.TURNING_BY_HAND,
        "stored_over_days": say.HOW_OLD_THE_EGGS_WERE,
        "poor_share": delivery_words.unknown(),
        "openings_at_pip": say.OPENINGS_WHILE_EGGS_WERE_PIPPED,
    }
)


def _basis(book: Book, found: BatchReview, one: Weighed) -> str:
    parts = []
    key = one.cause.measured
    if key in found.evidence:
        way = (
            _("for it") if one.by_measure > PLAIN else _("against it") if one.by_measure < -PLAIN else _("says little")
        )
        parts.append(f"{measured_words(book, key, found.evidence[key])} ({way})")
    eggs = one.by_eggs
    said = say.EGGS_FOR_IT if eggs > PLAIN else say.EGGS_AGAINST_IT if eggs < -PLAIN else say.EGGS_SAY_LITTLE
    parts.append(said())
    return ", ".join(parts)


def measured_words(book: Book, key: str, value: Measured) -> str:
    """A measured value in words."""
    v, U = value.value, NORMAL_95 * value.u
    if key == "mean_k":
        unit = book.temperature_unit
        off, wide = (float(difference_from_inside(x, unit)) for x in (v, U))
        return say.OFF_WIDE_UNIT_OFF_THE(off=signed(off, 1), wide=max(0.1, wide), unit=unit)
    if key == "swing_k":
        unit = book.temperature_unit
        return say.THE_EGGS_TEMPERATURE_SPREAD_BY(v=float(difference_from_inside(v, unit)), unit=unit)
    return {
        "loss_off": say.V_U_PERCENTAGE_POINTS_OFF(v=signed(v, 1), u=max(0.1, U)),
        "lockdown_rh_off": say.HUMIDITY_IN_LOCKDOWN_NOT_BELOW() if v == 0 else say.RH_BELOW_ITS_BAND(v=-v),
        "turning_gap_h": _("no gap over 12 h") if v == 0 else _("a gap of {v:.0f} h", v=v + 12),
        "stored_over_days": _("set within a week") if v == 0 else _("kept {v:.0f} days", v=v + 7),
        "poor_share": delivery_words.measured(v),
        "openings_at_pip": say.OPENED_TIMES_WHILE_EGGS_WERE(times=count(round(v), "{n} time", "{n} times")),
    }[key]


def change(book: Book, found: BatchReview) -> str:
    """The one thing to change next time, with the effect to be expected; empty while there is none to tell."""
    if found.weighed is None:
        return ""
    if found.weighed.clear is None and found.places_differ and found.places is not None:
        edge, middle = found.places
        worse = _("edge") if edge.share < middle.share else _("middle")
        return say.MOVE_THE_EGGS_ROUND_THOSE(worse=worse)
    if found.weighed.clear is None:
        return _doubt_the_thermometer(book, found) or (say.CHANGE_NOTHING_FOR_THIS_RUNS())
    key = found.weighed.clear.cause.key
    if key in ("too moist in setting", "too dry in setting"):
        return _other_humidity(found) or CHANGES[key]
    if not key.startswith("temperature"):
        return CHANGES[key]
    off = found.evidence.get("mean_k")
    unit = book.temperature_unit
    if off is None:
        way = _("Raise") if key == "temperature low" else _("Lower")
        return say.WAY_THE_SET_POINT_BY(way=way)
    fits = off.value < 0 if key == "temperature low" else off.value > 0
    if not fits or abs(off.value) < max(LEAST_K, NORMAL_95 * off.u):
        # the eggs speak for a temperature the thermometer did not show
        return _doubt_the_thermometer(book, found) or (say.CHECK_THE_THERMOMETER_THE_EGGS())
    tenths = round(float(difference_from_inside(-off.value, unit)), 1)
    days = abs(off.value) / K_PER_DAY
    direction, when = (_("Raise"), _("earlier")) if tenths > 0 else (_("Lower"), _("later"))
    return say.DIRECTION_THE_SET_POINT_BY(direction=direction, tenths=abs(tenths), unit=unit, days=days, when=when)


def _doubt_the_thermometer(book: Book, found: BatchReview) -> str:
    """Where the hatch and the thermometer do not fit together: check it; empty where they do."""
    if found.shift is None or found.predicted is None:
        return ""
    off = found.shift.value - found.predicted.value
    if abs(off) <= NORMAL_95 * (found.predicted.u**2 + found.shift.u**2) ** 0.5:
        return ""
    unit = book.temperature_unit
    error = float(difference_from_inside(abs(off) * K_PER_DAY * CHICK_DAYS / found.course.species.days, unit))
    way = _("high") if off > 0 else _("low")
    return say.CHECK_THE_THERMOMETER_THE_HATCH(
        off=abs(off), word=_("later") if off > 0 else _("earlier"), error=error, unit=unit, way=way
    )


def _other_humidity(found: BatchReview) -> str:
    """The humidity before lockdown that would have given the loss aimed at; empty where it is not known.

    Source: loss in proportion to the deficit of the air, core.moisture.
    """
    off, aim = found.evidence.get("loss_off"), found.course.species.loss_percent
    lockdown = found.course.lockdown_day
    read = [w for w in found.weeks if w.humidity is not None and lockdown is not None and w.first_day < lockdown - 1]
    if off is None or aim is None or not read or aim + off.value <= 0:
        return ""
    rh = sum(w.humidity.value for w in read if w.humidity is not None) / len(read)
    wanted = 100.0 - (100.0 - rh) * aim / (aim + off.value)
    if not 5.0 <= wanted <= 90.0:
        return ""
    return say.HOLD_ABOUT_WANTED_RH_BEFORE(wanted=wanted, rh=rh, aim=aim)
