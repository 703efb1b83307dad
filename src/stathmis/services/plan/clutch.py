"""Reptile clutches: term and sex by the temperature they really had, water by weight, the next clutch."""

from __future__ import annotations

from dataclasses import dataclass

from stathmis.core.adherence import judge
from stathmis.core.course import schedule
from stathmis.core.course.clutch import first_clutch, next_clutch
from stathmis.core.errors import UserError
from stathmis.core.uncertainty import NORMAL_95
from stathmis.logbook.records import Pairing, StoredPlan, Weighing
from stathmis.services.batch.course import Course
from stathmis.services.batch.species import all_species, species_of, term_at
from stathmis.services.book import Book
from stathmis.services.clock import DAY_MS
from stathmis.services.desk import Desk
from stathmis.services.findings.runs import recorded
from stathmis.services.moisture import weights
from stathmis.services.plan.planning import Plan
from stathmis.words import pairs
from stathmis.words.catalogue import _
from stathmis.words.plan import tasks as say

MIDDLE_THIRD = (1 / 3, 2 / 3)
"""The sensitive part of the term. Source: common practice."""
OVERDUE_MS = 30 * DAY_MS
"""So long after its last likely day a clutch is not awaited any more."""
BOX = "box"
"""The mark under which a clutch's box is weighed."""


@dataclass(frozen=True)
class ClutchSheet:
    """A clutch at a time. held_c: what it is held at; mean_c: time-weighted mean so far with its U, °C; term: soonest,
    expected, latest day by it; males: expected share and its U, percent, with the share of the sensitive third that was
    read (before it: by what is held, and 0); water_g: what the box lost since it was set up; next_ms: from when to when
    the mother's next clutch is likely (UTC ms), by how many of her own intervals."""

    plan: Plan
    held_c: float
    mean_c: tuple[float, float] | None
    term: tuple[float, float, float] | None
    males: tuple[float, float, float] | None
    water_g: float | None
    next_ms: tuple[int, int, int] | None


def clutch_sheet(book: Book, plan: Plan, course: Course) -> ClutchSheet:
    """All about a clutch now."""
    now, species = book.now_ms, plan.species
    term_days = species.days
    mean = mean_c(book, course, course.batch.set_ms, now) if plan.batch is not None else None
    held = course.held_c(max(now, course.batch.set_ms))
    term = None
    if mean is not None and species.term_by_temperature:
        term = term_at(species_of(book, species.key), mean[0], course.learned)
        term_days = term[1]
    males = None
    if species.sex_by_temperature:
        start, end = (course.at_ms(share * term_days) for share in MIDDLE_THIRD)
        inside = mean_c(book, course, start, min(now, end)) if now > start else None
        share, u = schedule.male_share(inside[0] if inside is not None else held)
        males = (share, NORMAL_95 * u, min(1.0, (now - start) / (end - start)) if inside is not None else 0.0)
    boxes = [w for w in weights.weighings(book, course.batch.id) if w.mark == BOX]
    lost = boxes[0].mass_g - boxes[-1].mass_g if len(boxes) > 1 else None
    return ClutchSheet(plan, held, mean, term, males, lost, _next(book, plan))


def _next(book: Book, plan: Plan) -> tuple[int, int, int] | None:
    """When the mother lays next, by when she laid; None where that is not known, or the kind lays once."""
    if not plan.species.sex_by_temperature or plan.laid_ms is None:
        return None
    own = {plan.laid_ms}
    if plan.mother:
        mothers = (p for p in book.records(StoredPlan) if p.mother.casefold() == plan.mother.casefold())
        own |= {p.laid_ms for p in mothers if p.laid_ms is not None and p.laid_ms <= plan.laid_ms}
    days = sorted(ms / DAY_MS for ms in own)
    soon, late = next_clutch(days)
    return round(soon * DAY_MS), round(late * DAY_MS), len(days) - 1


@dataclass(frozen=True)
class Awaited:
    """A clutch that is likely between two times (UTC ms) after a pairing; own: by so many earlier ones of this
    female."""

    pairing: Pairing
    soon_ms: int
    late_ms: int
    own: int


def awaited(book: Book) -> list[Awaited]:
    """Clutches to come of females that were paired and have not laid since, the soonest first."""
    newest: dict[tuple[str, str], Pairing] = {}
    pairings = sorted(book.records(Pairing), key=lambda p: (p.paired_ms, p.id))
    for pairing in pairings:
        newest[pairing.species, pairing.mother.casefold()] = pairing
    found = []
    listed = all_species(book)
    for (key, mother), pairing in newest.items():
        if key not in listed:
            continue
        species = listed[key]
        laid = sorted(
            p.laid_ms
            for p in book.records(StoredPlan)
            if p.laid_ms is not None and p.species == key and p.mother.casefold() == mother
        )
        if species.laid_after is None or any(ms > pairing.paired_ms for ms in laid):
            continue
        own = []
        for earlier in (p.paired_ms for p in pairings if (p.species, p.mother.casefold()) == (key, mother)):
            after = [(ms - earlier) / DAY_MS for ms in laid if 0 < ms - earlier < 2 * species.laid_after[1] * DAY_MS]
            own += after[:1]
        soon, late = first_clutch(pairing.paired_ms / DAY_MS, species.laid_after, own)
        if book.now_ms < late * DAY_MS + OVERDUE_MS:
            found.append(Awaited(pairing, round(soon * DAY_MS), round(late * DAY_MS), len(own)))
    return sorted(found, key=lambda a: a.soon_ms)


def log_pairing(desk: Desk, species: str, mother: str, paired_ms: int) -> None:
    """Note that a female was paired on a day; undoable. Raises UserError without her name, and for a day to come."""
    if not mother.strip():
        raise UserError(*pairs.no_name())
    if paired_ms > desk.now_ms:
        raise UserError(*pairs.not_yet())
    fields = {"mother": mother.strip(), "species": species, "paired_ms": paired_ms}
    desk.add(pairs.noted(mother.strip()), [(Pairing, fields)])


def strike_pairing(desk: Desk, found: Awaited) -> None:
    """Strike a pairing; undo brings it back."""
    desk.strike(pairs.struck(), Pairing, [found.pairing.id])


def mean_c(book: Book, course: Course, start: int, stop: int) -> tuple[float, float] | None:
    """Time-weighted mean of a clutch's air between two times (UTC ms) and its U (95 %), °C; None where too little was
    read."""
    whole = course.stretches(course.start_ms, min(book.now_ms, course.end_ms))
    run = recorded(book, whole, "temperature", course.batch.set_ms).judged
    run = run.between(start, stop) if run is not None else None
    if run is None or run.times_ms.size < 3:
        return None
    judged = judge(run.times_ms / 1000.0, run.corrected, -1e3, 1e3, run.max_gap_s, run.u)
    return float(judged.mean), NORMAL_95 * float(run.u.mean())


def log_box(desk: Desk, course: Course, text: str) -> float:
    """Log what the clutch's box weighs now; undoable. Returns g. Raises UserError for what is no mass."""
    match = weights.mass_in(text)
    if match is None or not match > 0:
        raise UserError(*say.NO_MASS(text=text.strip() or _("Nothing")))
    fields = {"batch_id": course.batch.id, "time_ms": desk.now_ms, "mark": BOX, "eggs": 1, "mass_g": match}
    desk.add(_("box weighed"), [(Weighing, {**fields, "scale_g": 1.0, "typed": text.strip()})])
    return match
