"""What a keeper's own hatches of a species teach for the next plan: days to the hatch, shells, fertility.

Worked out once, when a batch is planned, and kept with its plan: what is learned later changes the next plan, not this.
"""

from __future__ import annotations

from dataclasses import dataclass
from math import hypot

from stathmis.core import moisture
from stathmis.core.course.profile import Species
from stathmis.core.hatch import learning
from stathmis.core.hatch.learning import EstimatedShare, eggs_for, learn, learn_share
from stathmis.core.uncertainty import NORMAL_95
from stathmis.logbook.records import Batch, Event, Weighing
from stathmis.logbook.snapshot import SETTINGS
from stathmis.services.batch import batches
from stathmis.services.batch.batches import COURSES_REST_ON
from stathmis.services.batch.course import Course, Learned
from stathmis.services.batch.species import species_of
from stathmis.services.book import Book, finding
from stathmis.services.eggs.evidence import hatch_day
from stathmis.services.eggs.tray import TRAY_RESTS_ON, tray
from stathmis.services.findings import judgement, loss
from stathmis.services.findings.runs import READ
from stathmis.services.moisture import weights
from stathmis.words.numbers import count, signed

TERM_BETWEEN_DAYS, TERM_WITHIN_DAYS = 0.4, 0.25
"""How far a flock's own term lies from the sheet's, and one hatch from the next, standard deviations. Source: common
practice."""
MOST_HATCHES = 8
"""The newest so many are read: flocks and machines change."""
SHELL_WITHIN = 0.08
"""How far the shells of one set differ from the next of the same flock, relative. Source: common practice."""
USUAL_HATCH, USUAL_FERTILE, WORTH_EGGS = 0.7, 0.85, 10.0
"""Share of set eggs that hatch and that are fertile as a rule, and how many eggs such a rule counts for. Source: common
practice."""


@dataclass(frozen=True)
class Learnt:
    """For the next batch of a species. term: days; shells: own conductance over the usual one; hatch, fertile: shares
    of the set eggs; hatches: how many own ones there were."""

    species: Species
    term: learning.Estimate
    shells: learning.Estimate
    hatch: EstimatedShare
    fertile: EstimatedShare
    hatches: int


def for_plan(found: Learnt | None) -> Learned:
    """What a plan keeps of it; nothing where there were no own results."""
    if found is None or found.species.term_by_temperature:
        return Learned()
    return Learned(
        round(found.term.value, 2) if found.term.own else None,
        (round(found.shells.value, 4), round(found.shells.u, 4)) if found.shells.own else None,
    )


def own_hatches(book: Book, species: str) -> tuple[tuple[int, int], ...]:
    """Which batches of the species have ended in this logbook, and when; quickly."""
    return tuple((b.id, b.ended_ms) for b in book.records(Batch) if b.species == species and b.ended_ms is not None)


@finding(*READ, *TRAY_RESTS_ON, *COURSES_REST_ON, Event, Weighing, SETTINGS)
def learnt(book: Book, species: str) -> Learnt:
    """What the newest ended batches of a species teach; reads their whole runs."""
    kept = species_of(book, species)
    terms: list[tuple[float, float]] = []
    shells: list[tuple[float, float]] = []
    hatched: list[tuple[int, int]] = []
    fertile: list[tuple[int, int]] = []
    own = 0
    ended = sorted((b for b in book.records(Batch) if b.species == species and b.ended_ms), key=lambda b: -b.set_ms)
    for batch in ended[:MOST_HATCHES]:
        course = batches.course_by_id(book, batch.id)
        if course is None:
            continue
        sheet = tray(book, batch)
        tally = sheet.tally
        if not tally.hatched + tally.fertile + tally.clear:
            continue
        own += 1
        hatched.append((tally.hatched, tally.eggs))
        judged = tally.fertility
        fertile.append((judged.count, judged.of))
        day = hatch_day(course, sheet)
        eggs = judgement.judged_run(book, course).eggs
        if day is not None and eggs is not None and eggs.shift_days is not None:
            # what the temperature did is taken out: the flock's own term is left
            terms.append((day.value - eggs.shift_days, hypot(day.u, eggs.u_shift_days)))
        ratio = _shells(book, course)
        if ratio is not None:
            shells.append(ratio)
    return Learnt(
        kept,
        learn(kept.days, TERM_BETWEEN_DAYS, *_columns(terms), within=TERM_WITHIN_DAYS),
        learn(1.0, moisture.TERM_SPREAD, *_columns(shells), within=SHELL_WITHIN),
        learn_share(USUAL_HATCH, WORTH_EGGS, hatched),
        learn_share(USUAL_FERTILE, WORTH_EGGS, fertile),
        own,
    )


def _columns(pairs: list[tuple[float, float]]) -> tuple[list[float], list[float]]:
    return [p[0] for p in pairs], [p[1] for p in pairs]


def _shells(book: Book, course: Course) -> tuple[float, float] | None:
    """Conductance of a batch's shells over the usual one of its species, with its standard uncertainty."""
    weighed = [w for w in weights.weighings(book, course.batch.id) if not w.mark]
    if len(weighed) < 2:
        return None
    found = loss.loss_sheet(book, course, weighed, weighed[-1].time_ms)
    if found is None or found.conductance is None:
        return None
    each = weighed[0].mass_g / weighed[0].eggs
    usual = moisture.term_conductance(each, species_of(book, course.batch.species).days, book.pressure_hpa)
    return found.conductance.value / usual, found.conductance.u / usual


def lines(book: Book, found: Learnt, eggs: int) -> list[str]:
    """What was learned, in words; eggs: how many are to be set."""
    if not found.hatches:
        return []
    name, said = found.species.name, []
    hatches = count(found.hatches, f"own hatch of {name}", f"own hatches of {name}")
    if found.term.own:
        U = NORMAL_95 * found.term.u
        off = found.term.value - found.species.days
        said.append(
            f"{hatches}: expect {found.term.value:.1f} ± {U:.1f} days ({signed(off, 1)} to the sheet's "
            f"{found.species.days:g}, the temperatures taken out)."
        )
    share, u = found.hatch.share, found.hatch.u
    low, high = max(0.0, share - 2 * u), min(1.0, share + 2 * u)
    expected = f"{100 * share:.0f} % of the eggs set ({100 * low:.0f} to {100 * high:.0f} %)"
    said.append(f"Expect to hatch {expected}: of {eggs} eggs about {eggs * share:.0f}.")
    wanted = max(1, round(eggs * share))
    said.append(f"To be sure of {wanted} chicks nine times out of ten, set {eggs_for(wanted, share, u)}.")
    if found.shells.own:
        off = 100.0 * (found.shells.value - 1.0)
        said.append(f"Their shells let out {signed(off, 0)} % of the usual moisture; the weights start from that.")
    return said
