"""Reptile clutches: term and sex by the temperature they really had, water by weight, the next clutch."""

from __future__ import annotations

from dataclasses import dataclass

from stathmis.core.adherence import judge
from stathmis.core.course import schedule
from stathmis.core.errors import UserError
from stathmis.core.uncertainty import NORMAL_95
from stathmis.logbook.records import Weighing
from stathmis.services import knowledge
from stathmis.services.batch.course import Course
from stathmis.services.book import Book
from stathmis.services.clock import DAY_MS
from stathmis.services.desk import Desk
from stathmis.services.findings.runs import recorded
from stathmis.services.moisture import weights
from stathmis.services.plan.planning import Plan
from stathmis.words import dates
from stathmis.words.numbers import with_u

NEXT_CLUTCH_DAYS = (16.0, 22.0)
"""Geckos lay again after so long. Source: common practice."""
MIDDLE_THIRD = (1 / 3, 2 / 3)
"""The sensitive part of the term. Source: common practice."""
BOX = "box"
"""The mark under which a clutch's box is weighed."""


@dataclass(frozen=True)
class ClutchSheet:
    """A clutch at a time. mean_c: time-weighted mean so far with its U, °C; term: soonest, expected, latest day by it;
    males: expected share and its U, percent, with the share of the sensitive third that was read; water_g: what the box
    lost since it was set up."""

    plan: Plan
    mean_c: tuple[float, float] | None
    term: tuple[float, float, float] | None
    males: tuple[float, float, float] | None
    water_g: float | None


def clutch_sheet(book: Book, plan: Plan, course: Course) -> ClutchSheet:
    """All about a clutch now."""
    now, species = book.now_ms, plan.species
    term_days = species.days
    mean = _mean(book, course, course.batch.set_ms, now)
    term = None
    if mean is not None and species.term_by_temperature:
        term = schedule.term_for(species.term_by_temperature, mean[0])
        term_days = term[1]
    males = None
    if species.sex_by_temperature:
        start, end = (course.at_ms(share * term_days) for share in MIDDLE_THIRD)
        if now > start:
            inside = _mean(book, course, start, min(now, end))
            if inside is not None:
                share, u = schedule.male_share(inside[0])
                males = (share, NORMAL_95 * u, min(1.0, (now - start) / (end - start)))
    boxes = [w for w in weights.weighings(book, course.batch.id) if w.mark == BOX]
    lost = boxes[0].mass_g - boxes[-1].mass_g if len(boxes) > 1 else None
    return ClutchSheet(plan, mean[:2] if mean is not None else None, term, males, lost)


def _mean(book: Book, course: Course, start: int, stop: int) -> tuple[float, float] | None:
    """Time-weighted mean of the air and its U (95 %), None where too little was read."""
    whole = course.stretches(course.start_ms, min(book.now_ms, course.end_ms))
    run = recorded(book, whole, "temperature", course.batch.set_ms).judged
    run = run.between(start, stop) if run is not None else None
    if run is None or run.times_ms.size < 3:
        return None
    judged = judge(run.times_ms / 1000.0, run.corrected, -1e3, 1e3, run.max_gap_s, run.u)
    return float(judged.mean), NORMAL_95 * float(run.u.mean())


def lines(book: Book, sheet: ClutchSheet) -> list[str]:
    """A clutch in words."""
    said = []
    plan = sheet.plan
    if plan.mother:
        said.append(f"Mother: {plan.mother}.")
    if sheet.mean_c is not None:
        said.append(f"Kept at {with_u(*sheet.mean_c, 'temperature', book.temperature_unit)} on average.")
    if sheet.term is not None:
        first, likely, last = (book.local(plan.set_ms + round(d * DAY_MS)) for d in sheet.term)
        said.append(
            f"By that temperature: hatch about {dates.day(likely)}, from {dates.day(first)} to "
            f"{dates.day(last)} (approximate)."
        )
    if sheet.males is not None:
        share, U, seen = sheet.males
        said.append(
            f"Males expected: about {share:.0f} ± {U:.0f} % by the middle third of the term, {100 * seen:.0f} % of it "
            f"so far (approximate; Viets and co-workers 1993, from memory)."
        )
    if sheet.water_g is not None and sheet.water_g > 0:
        said.append(
            f"The box has lost {sheet.water_g:.0f} g since it was set up: add {sheet.water_g:.0f} ml beside the eggs."
        )
    if plan.species.sex_by_temperature and plan.laid_ms is not None:
        soon, late = (book.local(plan.laid_ms + round(d * DAY_MS)) for d in NEXT_CLUTCH_DAYS)
        said.append(f"Next clutch likely {dates.day(soon)} to {dates.day(late)}.")
    said.append(knowledge.cautions()["clutch"])
    return said


def log_box(desk: Desk, course: Course, text: str) -> float:
    """Log what the clutch's box weighs now; undoable. Returns g. Raises UserError for what is no mass."""
    match = weights.mass_in(text)
    if match is None or not match > 0:
        raise UserError(f"{text.strip() or 'Nothing'} is no mass.", "Write g, such as 412 or 412.5.")
    fields = {"batch_id": course.batch.id, "time_ms": desk.now_ms, "mark": BOX, "eggs": 1, "mass_g": match}
    desk.add("box weighed", [(Weighing, {**fields, "scale_g": 1.0, "typed": text.strip()})])
    return match
