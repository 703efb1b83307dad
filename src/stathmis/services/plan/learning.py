"""What a keeper's own hatches of a species teach for the next plan: days to the hatch, shells, fertility.

Worked out once, when a batch is planned, and kept with its plan: what is learned later changes the next plan, not this.
"""

from __future__ import annotations

from dataclasses import dataclass
from math import hypot

from stathmis.core import moisture
from stathmis.core.course import schedule
from stathmis.core.course.profile import Species
from stathmis.core.hatch import learning
from stathmis.core.hatch.learning import EstimatedShare, eggs_for, learn, learn_share
from stathmis.core.hatch.review import Measured
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
from stathmis.services.plan import clutch
from stathmis.words import clutch as clutch_words
from stathmis.words.catalogue import _, ngettext
from stathmis.words.numbers import signed
from stathmis.words.plan import learning as say

RATIO_BETWEEN, RATIO_WITHIN, RATIO_U_UNREAD = 0.06, 0.03, 0.05
"""Where the temperature sets the term: how far a keeper's clutches lie from the list, one from the next, and what it
adds that the temperature was not read, relative standard deviations. Source: common practice (12 % either way)."""
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
    of the set eggs; hatches: how many own ones there were; ratio: own days over the list's, where the temperature sets
    the term."""

    species: Species
    term: learning.Estimate
    shells: learning.Estimate
    hatch: EstimatedShare
    fertile: EstimatedShare
    hatches: int
    ratio: learning.Estimate


def for_plan(found: Learnt | None) -> Learned:
    """What a plan keeps of it; nothing where there were no own results."""
    if found is None:
        return Learned()
    if found.species.term_by_temperature:
        spread = round(NORMAL_95 * found.ratio.u / found.ratio.value, 4)
        return Learned(term_ratio=(round(found.ratio.value, 4), spread) if found.ratio.own else None)
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
    ratios: list[tuple[float, float]] = []
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
        if day is not None and kept.term_by_temperature:
            ratios.append(_term_ratio(book, course, kept, day))
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
        learn(1.0, RATIO_BETWEEN, *_columns(ratios), within=RATIO_WITHIN),
    )


def _term_ratio(book: Book, course: Course, kept: Species, day: Measured) -> tuple[float, float]:
    """Days a clutch took over what the list says for the temperature it had, with its standard uncertainty."""
    mean = clutch.mean_c(book, course, course.batch.set_ms, course.at_ms(day.value))
    held = mean[0] if mean is not None else course.held_c(course.at_ms(day.value / 2.0))
    _soonest, listed, _latest = schedule.term_for(kept.term_by_temperature, held, 0.0)
    u = 0.0 if mean is not None else RATIO_U_UNREAD
    return day.value / listed, hypot(day.u / listed, u)


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
    young = _("young") if found.species.kind == "reptile" else _("chicks")
    hatches = ngettext(
        "{n} own hatch of {name}", "{n} own hatches of {name}", found.hatches, n=found.hatches, name=name
    )
    if found.ratio.own:
        off, U = 100.0 * (found.ratio.value - 1.0), 100.0 * NORMAL_95 * found.ratio.u
        said.append(clutch_words.own_terms(hatches, off, U))
    if found.term.own and not found.ratio.own:
        U = NORMAL_95 * found.term.u
        off = found.term.value - found.species.days
        said.append(
            say.HATCHES_EXPECT_VALUE_U_DAYS(
                hatches=hatches, value=found.term.value, u=U, off=signed(off, 1), days=found.species.days
            )
        )
    share, u = found.hatch.share, found.hatch.u
    low, high = max(0.0, share - 2 * u), min(1.0, share + 2 * u)
    expected = say.SHARE_OF_THE_EGGS_SET(share=100 * share, low=100 * low, high=100 * high)
    said.append(say.EXPECT_TO_HATCH_EXPECTED_OF(expected=expected, eggs=eggs, chicks=eggs * share))
    wanted = max(1, round(eggs * share))
    said.append(say.TO_BE_SURE_OF_WANTED(wanted=wanted, young=young, eggs_for=eggs_for(wanted, share, u)))
    if found.shells.own:
        off = 100.0 * (found.shells.value - 1.0)
        said.append(say.THEIR_SHELLS_LET_OUT_OFF(off=signed(off, 0)))
    return said
