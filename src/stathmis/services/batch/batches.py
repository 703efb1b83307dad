"""The batches of a logbook, each on its course: running, ended, beside each other."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import fields, replace

from stathmis.core.course.profile import Phase, Species
from stathmis.core.course.way import Way
from stathmis.logbook.records import (
    Batch,
    Box,
    EarlierWay,
    Event,
    Incubator,
    OwnSpecies,
    Placement,
    PlanMove,
    ShellSeries,
    Stay,
    StoredPlan,
    StoredProfile,
)
from stathmis.services import knowledge
from stathmis.services.batch import profiles, ways
from stathmis.services.batch.course import Course, Learned, learned_in, phases_of
from stathmis.services.batch.species import expected, species_of
from stathmis.services.book import Book
from stathmis.services.clock import DAY_MS

COURSES_REST_ON = (
    Batch,
    Stay,
    Incubator,
    StoredPlan,
    PlanMove,
    StoredProfile,
    OwnSpecies,
    EarlierWay,
    ShellSeries,
    Placement,
)
"""What says on which course a batch is."""


def course_of(
    book: Book, batch: Batch, incubator: Incubator, stored: StoredPlan | None = None, way: Way | None = None
) -> Course:
    """A batch on its course. stored: its plan, where it is not set yet; way: as it would be kept."""
    if stored is None and book.records(Placement, batch_id=batch.id):
        incubator = Box(**{f.name: getattr(incubator, f.name) for f in fields(Incubator)}, batch_id=batch.id)
    own = profiles.own_of(book, batch.regime)
    listed = species_of(book, batch.species)
    machines = {i.id: i for i in book.incubators()}
    stays = sorted((s for s in book.records(Stay) if s.batch_id == batch.id), key=lambda s: (s.to_ms, s.id))
    before = tuple((machines[s.incubator_id], s.to_ms) for s in stays if s.incubator_id in machines)
    plan = stored or next((p for p in book.records(StoredPlan) if p.batch_id == batch.id), None)
    learned = learned_in(plan.habits) if plan is not None else Learned()
    moved = moves_of(book, plan, batch.set_ms).get("lockdown")
    kept = way if way is not None else ways.way_of(book, batch, plan)
    earlier = tuple(_earlier(book, batch, incubator, listed, learned, moved))
    species = expected(listed, incubator, kept, own, learned)
    course = Course(batch, incubator, species, own, (), before, learned, moved, kept, earlier)
    if stored is None and book.records(ShellSeries, batch_id=batch.id):
        # read in where shells were measured
        from stathmis.services.findings import shells

        course = replace(course, own_heat=shells.own_heat(book, course))
    if own is None and stored is None and knowledge.regimes()[batch.regime].by_weight:
        # read in where a batch is held by its weight: the first paint does not wait for it
        from stathmis.services.findings import asked

        return replace(course, targets=asked.by_weight(book, course))
    return course


def _earlier(
    book: Book, batch: Batch, incubator: Incubator, listed: Species, learned: Learned, moved: float | None
) -> Iterator[tuple[tuple[Phase, ...], float]]:
    """What a batch followed before, each until a day (elapsed)."""
    for one in sorted(book.records(EarlierWay, batch_id=batch.id), key=lambda e: (e.to_ms, e.id)):
        own, way = profiles.own_of(book, one.regime), ways.way_in(one.habits)
        kept = expected(listed, incubator, way, own, learned)
        phases = phases_of(kept, one.regime, own, incubator, way, moved)
        yield phases, (one.to_ms - batch.set_ms) / DAY_MS


def moves_of(book: Book, plan: StoredPlan | None, set_ms: int) -> dict[str, float]:
    """The days (elapsed since setting) the keeper put the steps of a plan on, by key: the newest of a step counts."""
    own = book.records(PlanMove, plan_id=plan.id) if plan is not None else ()
    return {m.step: (m.at_ms - set_ms) / DAY_MS for m in own}


def course_by_id(book: Book, batch_id: int) -> Course | None:
    """A batch on its course, running or ended; None where there is none."""
    batch = next((b for b in book.records(Batch) if b.id == batch_id), None)
    incubator = next((i for i in book.incubators() if batch is not None and i.id == batch.incubator_id), None)
    return course_of(book, batch, incubator) if batch is not None and incubator is not None else None


def events_along(book: Book, course: Course, start_ms: int, stop_ms: int) -> list[Event]:
    """What was done to the machines a batch lay in, as long as it lay there, in order of time."""
    return [
        event
        for incubator, start, stop in course.stretches(start_ms, stop_ms)
        for event in book.events_between(incubator.id, start, stop)
    ]


def lying_in(book: Book, incubator: Incubator) -> list[tuple[Batch, int, int | None]]:
    """Batches that lie or lay in an incubator, each with from when to when (UTC ms; None: still there)."""
    stays: dict[int, list[Stay]] = {}
    for stay in sorted(book.records(Stay), key=lambda s: (s.to_ms, s.id)):
        stays.setdefault(stay.batch_id, []).append(stay)
    found: list[tuple[Batch, int, int | None]] = []
    for batch in book.records(Batch):
        since = batch.set_ms
        for stay in stays.get(batch.id, []):
            if stay.incubator_id == incubator.id:
                found.append((batch, since, stay.to_ms))
            since = stay.to_ms
        if batch.incubator_id == incubator.id:
            found.append((batch, since, batch.ended_ms))
    return found


def all_running(book: Book, incubator: Incubator) -> list[Course]:
    """Every batch an incubator runs now, the newest first."""
    going = [b for b in book.records(Batch) if b.incubator_id == incubator.id and b.ended_ms is None]
    return [course_of(book, b, incubator) for b in sorted(going, key=lambda b: (-b.set_ms, -b.id))]


def running(book: Book, incubator: Incubator, batch_id: int | None = None) -> Course | None:
    """A batch an incubator runs now: the one asked for, else the newest that has not ended."""
    found = all_running(book, incubator)
    return next((c for c in found if c.batch.id == batch_id), found[0] if found else None)


def earlier(book: Book, course: Course) -> list[Course]:
    """Other batches of the logbook, ended or in another machine, the same species first, then the newest."""
    machines = {i.id: i for i in book.incubators()}
    others = [b for b in book.records(Batch) if b.id != course.batch.id and b.incubator_id in machines]
    others.sort(key=lambda b: (b.species != course.batch.species, -b.set_ms))
    return [course_of(book, b, machines[b.incubator_id]) for b in others]
