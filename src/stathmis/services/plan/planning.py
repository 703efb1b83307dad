"""Plans: a batch from checking the instruments to cleaning up, forward from setting or backward from the hatch."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from pathlib import Path

from stathmis.core.course import profile, schedule
from stathmis.core.course.profile import Phase, Species
from stathmis.core.course.way import Way
from stathmis.core.errors import UserError
from stathmis.exchange import way_file
from stathmis.exchange.way_file import PassedOn
from stathmis.logbook.edits import Edit
from stathmis.logbook.records import Batch, Incubator, PlanMove, StoredPlan
from stathmis.logbook.snapshot import SETTINGS
from stathmis.services import knowledge, setting_up
from stathmis.services.batch import batches, profiles
from stathmis.services.batch.batches import COURSES_REST_ON
from stathmis.services.batch.course import Course, Learned, learned_in
from stathmis.services.batch.species import expected, species_of
from stathmis.services.batch.ways import for_another_species, keep_earlier, usual_way, way_of, way_text
from stathmis.services.book import Book, finding
from stathmis.services.clock import DAY_MS, HOUR_MS, at_hour, local
from stathmis.services.desk import Desk
from stathmis.words import dates
from stathmis.words import way as way_words
from stathmis.words.catalogue import _, begun
from stathmis.words.numbers import eggs_of
from stathmis.words.plan import planning as say

HOURS = {"candle": 20.5, "weigh": 9.0, "collect": 9.0, "check instruments": 10.0, "brooder": 10.0, "air": 18.0}
"""When in the day a step is best done (local hours): candling after dark, the rest when there is time. The others
happen at the hour of setting."""
OLDEST_STORED_DAYS = 28.0


@dataclass(frozen=True)
class PlannedStep:
    """A step with its times, UTC ms."""

    key: str
    kind: str
    at_ms: int
    earliest_ms: int
    latest_ms: int
    moved: bool


@dataclass(frozen=True)
class Plan:
    """A batch as it is planned, or the plan a running batch has by itself.

    subject: what its tasks are kept under; stored: the record, None where the keeper made none; batch: once it is set;
    species: with the days to the hatch that are expected.
    """

    subject: str
    stored: StoredPlan | None
    batch: Batch | None
    incubator: Incubator
    name: str
    species: Species
    regime: str
    eggs: int
    set_ms: int
    laid_ms: int | None
    mother: str
    way: Way
    steps: tuple[PlannedStep, ...]

    def step(self, key: str) -> PlannedStep | None:
        """The step with this key, None where the plan has none."""
        return next((s for s in self.steps if s.key == key), None)

    @property
    def end_ms(self) -> int:
        """When the machine is free again."""
        last = self.step("latest") or self.steps[-1]
        return last.at_ms

    @property
    def stored_days(self) -> float | None:
        """How long the oldest egg lay before setting, days."""
        return None if self.laid_ms is None else (self.set_ms - self.laid_ms) / DAY_MS


PLANS_REST_ON = (*COURSES_REST_ON, SETTINGS)


@finding(*PLANS_REST_ON)
def plans(book: Book, *, over: bool = False) -> tuple[Plan, ...]:
    """All plans and running batches, the earliest set first; over: those that have ended as well."""
    machines = {i.id: i for i in book.incubators()}
    batches = {b.id: b for b in book.records(Batch) if b.incubator_id in machines}
    found, linked = [], set()
    for stored in book.records(StoredPlan):
        batch = batches.get(stored.batch_id) if stored.batch_id is not None else None
        machine = machines.get(batch.incubator_id if batch is not None else stored.incubator_id)
        if machine is None or (stored.batch_id is not None and batch is None):
            continue
        if batch is not None:
            linked.add(batch.id)
        if over or batch is None or batch.ended_ms is None:
            found.append(_planned(book, stored, batch, machine))
    for batch in batches.values():
        if batch.id not in linked and (over or batch.ended_ms is None):
            found.append(_planned(book, None, batch, machines[batch.incubator_id]))
    return tuple(sorted(found, key=lambda p: (p.set_ms, p.subject)))


@finding(*PLANS_REST_ON)
def plan_of(book: Book, batch: Batch) -> Plan:
    """The plan of a batch."""
    stored = next((s for s in book.records(StoredPlan) if s.batch_id == batch.id), None)
    machine = next(i for i in book.incubators() if i.id == batch.incubator_id)
    return _planned(book, stored, batch, machine)


def _subject(stored: StoredPlan | None, source_id: int) -> str:
    """What the tasks of a plan, or of a batch without one, are kept under: ticks and the phone go by it."""
    if stored is None:
        return f"batch {source_id}"
    return stored.subject or f"plan {stored.id}"


def _planned(book: Book, stored: StoredPlan | None, batch: Batch | None, incubator: Incubator) -> Plan:
    source: StoredPlan | Batch = batch if batch is not None else stored  # type: ignore[assignment]
    way = way_of(book, source, stored)
    learned = learned_in(stored.habits) if stored is not None else Learned()
    followed = profiles.own_of(book, source.regime)
    species = expected(species_of(book, source.species), incubator, way, followed, learned)
    moves = batches.moves_of(book, stored, source.set_ms)
    # the very day the course holds, whichever profile it follows
    lockdown = profile.lockdown_of(species, followed, moves.get("lockdown"))
    if lockdown is not None and "lockdown" in moves:
        moves["lockdown"] = lockdown
    made = schedule.moved(schedule.plan(species, way, lockdown), moves)
    return Plan(
        _subject(stored, source.id),
        stored,
        batch,
        incubator,
        source.name,
        species,
        source.regime,
        source.eggs,
        source.set_ms,
        stored.laid_ms if stored is not None else None,
        stored.mother if stored is not None else "",
        way,
        _timed(made, source.set_ms, book.zone, way.airing_day),
    )


def course(book: Book, plan: Plan, way: Way | None = None) -> Course:
    """A plan as a course: of the batch that is set, else as it will be. way: as it would be kept."""
    if plan.batch is not None:
        return batches.course_of(book, plan.batch, plan.incubator, way=way)
    assert plan.stored is not None
    to_come = Batch(
        -plan.stored.id,
        plan.incubator.id,
        plan.name,
        plan.stored.species,
        plan.regime,
        plan.eggs,
        plan.set_ms,
        None,
        setting_up.usual_day_count(book),
    )
    return batches.course_of(book, to_come, plan.incubator, plan.stored, way)


def phases(book: Book, plan: Plan) -> tuple[Phase, ...]:
    """What a plan asks of its machine, stage by stage."""
    return course(book, plan).phases


def _timed(steps: Sequence[schedule.Step], set_ms: int, zone: str, airing_day: int | None) -> tuple[PlannedStep, ...]:
    """Steps as instants: some at their own hour of the local day, moved ones where the keeper put them."""
    made = []
    for step in steps:
        at = set_ms + round(step.day * DAY_MS)
        hour = HOURS.get(step.kind)
        if hour is not None and not step.moved and step.day != 0 and step.key != "weigh 1":
            at = at_hour(at, hour, zone)
            if step.day < 0:
                # what prepares for setting stays before it
                at = min(at, set_ms - HOUR_MS)
            if step.kind == "air" and airing_day is not None:
                # the keeper's own weekday that is nearest
                at = at_hour(at, hour, zone, later=(airing_day - local(at, zone).weekday() + 3) % 7 - 3)
        made.append(
            PlannedStep(
                step.key,
                step.kind,
                at,
                set_ms + round(step.earliest * DAY_MS),
                set_ms + round(step.latest * DAY_MS),
                step.moved,
            )
        )
    return tuple(sorted(made, key=lambda s: (s.at_ms, s.key)))


def to_be_expected(
    book: Book, species: str, incubator: Incubator, regime: str, set_ms: int, learned: Learned | None = None
) -> Species:
    """A species with the days to the hatch that a batch set then (UTC ms) is expected to take, kept the usual way."""
    way, own = usual_way(book, species, set_ms), profiles.own_of(book, regime)
    return expected(species_of(book, species), incubator, way, own, learned)


def set_day_for(species: Species, hatch_ms: int) -> int:
    """When to set for a hatch at a time, UTC ms. species: with the days it is expected to take."""
    return hatch_ms - round(species.days * DAY_MS)


def add_plan(
    desk: Desk,
    incubator: Incubator,
    species: str,
    regime: str,
    eggs: int,
    set_ms: int,
    name: str = "",
    laid_ms: int | None = None,
    mother: str = "",
    way: Way | None = None,
    learned: Learned | None = None,
) -> int:
    """Plan a batch to be set at a time to come (UTC ms); undoable. learned: what own hatches taught, kept with it.

    Raises UserError for no eggs, a regime the species cannot keep, a time that has passed, eggs laid after setting or
    kept longer than any hatch.
    """
    kept = species_of(desk.book, species)
    if eggs < 1:
        raise UserError(*say.HOW_MANY_EGGS())
    if regime not in {c.key for c in profiles.choices(desk.book, species)}:
        raise UserError(*say.KEPT_EGGS_CANNOT_FOLLOW_THAT(kept=begun(kept.name)))
    if set_ms < desk.now_ms - 12 * HOUR_MS:
        late = desk.book.local(set_ms)
        raise UserError(*say.THAT_MEANS_SETTING_ON_LATE(late=dates.day(late, weekday=True)))
    if laid_ms is not None and laid_ms > set_ms:
        raise UserError(*say.THE_EGGS_WOULD_BE_LAID())
    if laid_ms is not None and set_ms - laid_ms > OLDEST_STORED_DAYS * DAY_MS:
        raise UserError(*say.EGGS_THAT_OLD_HARDLY_HATCH(most_stored_days=schedule.MOST_STORED_DAYS))
    fields = {
        "incubator_id": incubator.id,
        "batch_id": None,
        "name": name.strip() or eggs_of(eggs, kept.name),
        "species": species,
        "regime": regime,
        "eggs": eggs,
        "set_ms": set_ms,
        "laid_ms": laid_ms,
        "mother": mother.strip(),
        "habits": way_text(way if way is not None else usual_way(desk.book, species, set_ms), learned or Learned()),
    }
    return desk.add(_("{fields} planned", fields=fields["name"]), [(StoredPlan, fields)])[0]


def kept_plan(edit: Edit, plan: Plan) -> int:
    """The record of a plan, by id; a running batch that has none yet gets one with this edit."""
    if plan.stored is not None:
        return plan.stored.id
    return edit.add(
        StoredPlan,
        incubator_id=plan.incubator.id,
        batch_id=plan.batch.id if plan.batch is not None else None,
        name=plan.name,
        species=plan.species.key,
        regime=plan.regime,
        eggs=plan.eggs,
        set_ms=plan.set_ms,
        laid_ms=plan.laid_ms,
        mother=plan.mother,
        habits=way_text(plan.way, Learned()),
        subject=plan.subject,
    )


def move_step(desk: Desk, plan: Plan, key: str, at_ms: int) -> None:
    """Put a step on another time (UTC ms); what hangs on it follows; undoable.

    The set day of a batch that is not set yet moves the whole plan. Raises UserError for moving what has happened, a
    step the plan does not have, and a set day that has passed.
    """
    step = plan.step(key)
    if step is None:
        raise UserError(*say.THAT_STEP_IS_NOT_IN())
    if key == "set":
        if plan.batch is not None or plan.stored is None:
            raise UserError(*say.THESE_EGGS_ARE_SET_THEIR())
        if at_ms < desk.now_ms - 12 * HOUR_MS:
            raise UserError(*say.THAT_DAY_IS_OVER())
        with desk.edit(_("{plan} moved", plan=plan.name)) as edit:
            edit.change(StoredPlan, plan.stored.id, set_ms=at_ms)
        return
    if key == "hatch":
        raise UserError(*say.THE_EGGS_CHOOSE_THEIR_DAY())
    with desk.edit(_("{key} moved", key=_(key))) as edit:
        edit.add(PlanMove, plan_id=kept_plan(edit, plan), step=key, at_ms=at_ms)


def unmove_step(desk: Desk, plan: Plan, key: str) -> None:
    """Put a step back where it is by itself; undoable."""
    own = desk.book.records(PlanMove, plan_id=plan.stored.id, step=key) if plan.stored is not None else ()
    if own:
        desk.strike(way_words.unmoved(key), PlanMove, [m.id for m in own])


def change_way(desk: Desk, plan: Plan, way: Way, *, whole: bool = True) -> None:
    """Let a batch, planned or set, be kept another way; undoable.

    whole: it is judged by it from its first day on; else what was asked of it until now stands.
    """
    other = course(desk.book, plan, way).phases != course(desk.book, plan).phases
    with desk.edit(_("way of {plan} changed", plan=plan.name)) as edit:
        if plan.batch is not None and other and not whole:
            keep_earlier(edit, desk.book, plan.batch)
        if plan.stored is None:
            kept_plan(edit, replace(plan, way=way))
        else:
            edit.change(StoredPlan, plan.stored.id, habits=way_text(way, learned_in(plan.stored.habits)))


def _in_files(species: Species) -> str:
    """A species' name that files know in every language."""
    return knowledge.english_name(species.key) or species.name


def pass_on(plan: Plan, path: Path) -> None:
    """Write the way of a plan to a file to pass on. Raises UserError."""
    profiles.write_text(path, way_file.way_text(PassedOn(_in_files(plan.species), plan.way)))


def take_over(desk: Desk, plan: Plan, path: Path, *, whole: bool = True) -> bool:
    """Let a batch be kept as a way file has it; undoable, whole as for change_way. Returns whether it was made for the
    species; of another one's way, what belongs to the species is left out. Raises WayFileError."""
    found = way_file.read_way(path)
    names = (plan.species.name, _in_files(plan.species))
    same = found.species.casefold() in ("", *(name.casefold() for name in names))
    change_way(desk, plan, found.way if same else for_another_species(found.way), whole=whole)
    return same


def change_species(desk: Desk, plan: Plan, species: str) -> str:
    """The eggs are of another species, planned or set; undoable. Returns what that changes, in words.

    What was done stays done; a school the species cannot keep gives way to the usual one.
    """
    kept = species_of(desk.book, species)
    allowed = {c.key for c in profiles.choices(desk.book, species)}
    regime = plan.regime if plan.regime in allowed else "steady"
    after = {"species": species, "regime": regime}
    with desk.edit(f"{plan.name}: {kept.name}") as edit:
        if plan.batch is not None:
            edit.change(Batch, plan.batch.id, **after)
        if plan.stored is not None:
            # what was learned of one species says nothing of another
            edit.change(StoredPlan, plan.stored.id, **after, habits=way_text(for_another_species(plan.way), Learned()))
    now = next(p for p in plans(desk.book, over=True) if p.subject == plan.subject)
    said = []
    for key in ("lockdown", "hatch"):
        was, new = plan.step(key), now.step(key)
        if new is None and was is not None:
            said.append(_("no {key}", key=_(key)))
        elif new is not None:
            at = desk.book.local(new.at_ms)
            said.append(f"{_(key)} {dates.day(at, weekday=True)}")
    school = "" if regime == plan.regime else say.THE_SCHOOL_IT_FOLLOWED_DOES()
    return f"{begun(kept.name)}: {', '.join(said)}.{school}"


def drop_plan(desk: Desk, plan: Plan) -> None:
    """Give up a plan that is not set; undoable. Raises UserError where its eggs are set."""
    if plan.batch is not None or plan.stored is None:
        raise UserError(*say.THESE_EGGS_ARE_SET())
    desk.strike(_("{plan} given up", plan=plan.name), StoredPlan, [plan.stored.id])


def set_eggs(desk: Desk, plan: Plan, at_ms: int) -> int:
    """The eggs of a plan are set at a time (UTC ms): a batch begins; undoable. Returns its id.

    Raises UserError where they are set already, or the time has not come.
    """
    if plan.batch is not None or plan.stored is None:
        raise UserError(*say.THESE_EGGS_ARE_SET_ALREADY())
    if at_ms > desk.now_ms:
        raise UserError(*say.THAT_TIME_HAS_NOT_COME())
    stored = plan.stored
    with desk.edit(_("{stored} set", stored=stored.name)) as edit:
        made = edit.add(
            Batch,
            incubator_id=stored.incubator_id,
            name=stored.name,
            species=stored.species,
            regime=stored.regime,
            eggs=stored.eggs,
            set_ms=at_ms,
            ended_ms=None,
            day_count=setting_up.usual_day_count(desk.book),
        )
        edit.change(StoredPlan, stored.id, batch_id=made)
    return made
