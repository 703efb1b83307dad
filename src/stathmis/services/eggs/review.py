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
WORDS = {
    "temperature low": "The temperature was low on average",
    "temperature high": "The temperature was high on average",
    "swings": "The temperature swung",
    "too moist in setting": "Too moist before lockdown: the eggs lost too little",
    "too dry in setting": "Too dry before lockdown: the eggs lost too much",
    "too dry in lockdown": "Too dry in lockdown: chicks stick in the membrane",
    "turning gaps": "Too long between turns",
    "old eggs": "Eggs kept too long before setting",
    "poor eggs": delivery_words.cause(),
    "opened at the pip": "The lid was opened while eggs were pipped",
    "infertile eggs": "Many eggs were infertile",
}
CHANGES = {
    "swings": "Give it a steadier room, out of sun and draft, and leave the controller alone for a day after a change.",
    "too moist in setting": "Hold it drier before lockdown next time, and weigh the eggs: the school by weight.",
    "too dry in setting": "Hold it moister before lockdown next time, and weigh the eggs: the school by weight.",
    "too dry in lockdown": "More water surface before the lid is shut for lockdown; see the way to it under Moisture.",
    "turning gaps": "Turn an odd number of times a day, and late in the evening; or have it done by a machine.",
    "old eggs": "Set within a week of laying; plan the collecting days backward from the set day.",
    "poor eggs": delivery_words.change(),
    "opened at the pip": "Leave the lid shut from the first pip until the chicks are dry.",
    "infertile eggs": "Look at the flock, not at the incubator: cock and hens, age, season, and how eggs were handled.",
}


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
    side = "late" if late > 0 else "early"
    way = "as the sheet says" if abs(late) < EARLY_LATE_DAYS else f"{abs(late):.1f} days {side}"
    said = f"The middle chick came on {found.course.day_words(found.day.value, 1)}, {way}."
    if found.predicted is not None:
        off = late - found.predicted.value
        U = NORMAL_95 * (found.predicted.u**2 + found.shift.u**2) ** 0.5
        expected = found.course.day_words(found.course.species.days + found.predicted.value, 1)
        fits = "which fits" if abs(off) <= U else "and this does not fit: is the thermometer right?"
        said += f" By the temperatures in the log it was to come on {expected} ± {U:.1f} days, {fits}."
    return said


def headline(found: BatchReview) -> str:
    """The clear cause, or that there is none."""
    if found.weighed is None:
        return "The review comes when the hatch is over: end the batch, or log what came of every egg."
    clear = found.weighed.clear
    if clear is None:
        return "No clear cause stands out in this run."
    return f"Most likely: {WORDS[clear.cause.key].lower()} ({100 * clear.weight:.0f} % of the weight)."


def lines(book: Book, found: BatchReview) -> list[str]:
    """The review in words: the clear cause or none, what speaks for and against, what was not measured."""
    if found.weighed is None:
        return [headline(found)]
    clear, said = found.weighed.clear, [headline(found)]
    for one in found.weighed.weighed[:TOLD]:
        if one.weight >= 0.04 or one is clear:
            said.append(f"{WORDS[one.cause.key]}, {100 * one.weight:.0f} %: {_basis(book, found, one)}.")
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
        said.append(f"Not measured: {', '.join(UNKNOWN[m] for m in missing)}.")
    if found.tally.eggs < 12:
        said.append("So few eggs say little; take it as a hint.")
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
    said = f"Hatched at the edge of the tray {edge.count} of {edge.of}, in its middle {middle.count} of {middle.of}: "
    return said + ("more than chance." if found.places_differ else "may be chance.")


def later_words(book: Book, found: BatchReview) -> list[str]:
    """Checks done since the hatch that change the past, and how the review stood before them."""
    said = []
    for check in found.later:
        at = book.local(check.done_ms)
        unit = book.shown_unit(check.channel.quantity)
        off, places = float(difference_from_inside(check.change, unit)), 2 if unit != "%" else 1
        said.append(
            f"Changed since: the check of {check.instrument.name} on {dates.day(at, year=True)} moves its readings of "
            f"this batch by {signed(off, places)} {unit_word(unit)}."
        )
    now = found.weighed.clear.cause.key if found.weighed is not None and found.weighed.clear is not None else ""
    if found.then is not None and found.then != now:
        was = WORDS[found.then].lower() if found.then else "no clear cause"
        said.append(f"Before that this review would have said: {was}.")
    return said


UNKNOWN = {
    "swing_k": "how much the temperature swung",
    "mean_k": "the temperature",
    "loss_off": "the loss of weight at lockdown",
    "lockdown_rh_off": "the humidity in lockdown",
    "turning_gap_h": "turning by hand",
    "stored_over_days": "how old the eggs were",
    "poor_share": delivery_words.unknown(),
    "openings_at_pip": "openings while eggs were pipped",
}


def _basis(book: Book, found: BatchReview, one: Weighed) -> str:
    parts = []
    key = one.cause.measured
    if key in found.evidence:
        way = "for it" if one.by_measure > PLAIN else "against it" if one.by_measure < -PLAIN else "says little"
        parts.append(f"{measured_words(book, key, found.evidence[key])} ({way})")
    way = "for it" if one.by_eggs > PLAIN else "against it" if one.by_eggs < -PLAIN else "say little"
    parts.append(f"the eggs {'speak ' + way if way != 'say little' else way}")
    return ", ".join(parts)


def measured_words(book: Book, key: str, value: Measured) -> str:
    """A measured value in words."""
    v, U = value.value, NORMAL_95 * value.u
    if key == "mean_k":
        unit = book.temperature_unit
        off, wide = (float(difference_from_inside(x, unit)) for x in (v, U))
        return f"{signed(off, 1)} ± {max(0.1, wide):.1f} {unit} off the profile on average"
    if key == "swing_k":
        unit = book.temperature_unit
        return f"the eggs' temperature spread by {float(difference_from_inside(v, unit)):.2f} {unit} about its mean"
    return {
        "loss_off": f"{signed(v, 1)} ± {max(0.1, U):.1f} percentage points off the loss aimed at",
        "lockdown_rh_off": "humidity in lockdown not below its band" if v == 0 else f"{-v:.0f} % RH below its band",
        "turning_gap_h": "no gap over 12 h" if v == 0 else f"a gap of {v + 12:.0f} h",
        "stored_over_days": "set within a week" if v == 0 else f"kept {v + 7:.0f} days",
        "poor_share": delivery_words.measured(v),
        "openings_at_pip": f"opened {count(round(v), 'time')} while eggs were pipped",
    }[key]


def change(book: Book, found: BatchReview) -> str:
    """The one thing to change next time, with the effect to be expected; empty while there is none to tell."""
    if found.weighed is None:
        return ""
    if found.weighed.clear is None and found.places_differ and found.places is not None:
        edge, middle = found.places
        worse = "edge" if edge.share < middle.share else "middle"
        return (
            f"Move the eggs round: those at the {worse} hatched worse. Compare warm and cold places under Instruments."
        )
    if found.weighed.clear is None:
        return _doubt_the_thermometer(book, found) or (
            "Change nothing for this run's sake; check an instrument that is due, and log the next one."
        )
    key = found.weighed.clear.cause.key
    if key in ("too moist in setting", "too dry in setting"):
        return _other_humidity(found) or CHANGES[key]
    if not key.startswith("temperature"):
        return CHANGES[key]
    off = found.evidence.get("mean_k")
    unit = book.temperature_unit
    if off is None:
        way = "Raise" if key == "temperature low" else "Lower"
        return f"{way} the set point by two tenths, and check the thermometer first: it was not measured."
    fits = off.value < 0 if key == "temperature low" else off.value > 0
    if not fits or abs(off.value) < max(LEAST_K, NORMAL_95 * off.u):
        # the eggs speak for a temperature the thermometer did not show
        return _doubt_the_thermometer(book, found) or (
            "Check the thermometer: the eggs look as if it had not shown the temperature they had."
        )
    tenths = round(float(difference_from_inside(-off.value, unit)), 1)
    days = abs(off.value) / K_PER_DAY
    direction, when = ("Raise", "earlier") if tenths > 0 else ("Lower", "later")
    return (
        f"{direction} the set point by {abs(tenths):.1f} {unit}: the next hatch should come about {days:.1f} days "
        f"{when} (approximate)."
    )


def _doubt_the_thermometer(book: Book, found: BatchReview) -> str:
    """Where the hatch and the thermometer do not fit together: check it; empty where they do."""
    if found.shift is None or found.predicted is None:
        return ""
    off = found.shift.value - found.predicted.value
    if abs(off) <= NORMAL_95 * (found.predicted.u**2 + found.shift.u**2) ** 0.5:
        return ""
    unit = book.temperature_unit
    error = float(difference_from_inside(abs(off) * K_PER_DAY * CHICK_DAYS / found.course.species.days, unit))
    way = "high" if off > 0 else "low"
    return (
        f"Check the thermometer: the hatch came {abs(off):.1f} days {'later' if off > 0 else 'earlier'} than its "
        f"readings say, as if they were about {error:.1f} {unit} too {way} (approximate)."
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
    return (
        f"Hold about {wanted:.0f} % RH before lockdown instead of {rh:.0f}: the loss should come to {aim:.0f} % "
        "(approximate). Weigh the eggs on the way."
    )
