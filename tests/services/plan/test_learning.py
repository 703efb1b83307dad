"""Own hatches shape the next plan: a flock that takes 22 days, shells that let out more, and the words for it."""

from __future__ import annotations

import numpy as np
import pytest

import making
from making import batch_with_log
from stathmis.core.course.way import Way
from stathmis.logbook.records import Batch, StoredPlan, Weighing
from stathmis.services import knowledge, setting_up
from stathmis.services.batch import batches, course, species, ways
from stathmis.services.batch.course import Learned
from stathmis.services.clock import DAY_MS
from stathmis.services.desk import Desk
from stathmis.services.eggs import findings, records
from stathmis.services.findings import loss
from stathmis.services.moisture import weights
from stathmis.services.plan import learning, planning


@pytest.fixture
def taught(desk: Desk) -> Desk:
    """A hatch of twelve eggs held at 37.5 °C: ten hatched on day 22.0, where the sheet says 21."""
    course, _ = batch_with_log(desk, np.full(24 * 1440, 37.5))
    findings.log_count(desk, course, "clear", 1, course.at_ms(7.0))
    findings.log_count(desk, course, "out", 10, course.at_ms(22.0))
    setting_up.end_batch(desk, course.batch)
    return desk


def test_the_flocks_own_term_is_learned_and_planned_with(taught: Desk) -> None:
    desk = taught
    found = learning.learnt(desk.book, "chicken")
    # one hatch, known to a quarter day and differing by as much: some two thirds of the way from the sheet
    assert found.hatches == 1 and 21.4 < found.term.value < 21.8 and found.term.own == 1
    assert found.hatch.trials == 12 and found.hatch.share == pytest.approx((7.0 + 10) / 22)
    said = " ".join(learning.lines(desk.book, found, 20))
    assert "1 own hatch of chicken: expect 21." in said and "to the sheet's 21" in said
    assert "of 20 eggs about 15" in said and "nine times out of ten, set " in said
    box = desk.book.incubators()[0]
    set_ms = desk.now_ms + 3 * DAY_MS
    planning.add_plan(desk, box, "chicken", "steady", 12, set_ms, learned=learning.for_plan(found))
    plan = planning.plans(desk.book)[-1]
    hatch, lockdown = plan.step("hatch"), plan.step("lockdown")
    assert hatch is not None and lockdown is not None
    assert (hatch.at_ms - set_ms) / DAY_MS == pytest.approx(found.term.value, abs=0.01)
    assert (lockdown.at_ms - set_ms) / DAY_MS == pytest.approx(18.0 * found.term.value / 21.0, abs=0.01)
    planning.change_way(desk, plan, plan.way)
    assert planning.plans(desk.book)[-1].species.days == plan.species.days, "other habits forget nothing"
    making.mend(desk, StoredPlan, plan.stored.id, set_ms=desk.now_ms)  # type: ignore[union-attr]
    planning.set_eggs(desk, planning.plans(desk.book)[-1], desk.now_ms)
    course = batches.running(desk.book, box)
    assert course is not None and course.species.days == pytest.approx(found.term.value, abs=0.01)
    assert course.lockdown_day == pytest.approx(18.0 * found.term.value / 21.0, abs=0.01)
    planning.change_species(desk, planning.plans(desk.book)[-1], "duck")
    course = batches.running(desk.book, box)
    assert course is not None and course.species.days == 28.0, "what was learned of hens says nothing of ducks"
    desk.undo()
    course = batches.running(desk.book, box)
    assert course is not None and course.learned.term_days is not None


def test_own_shells_are_where_the_weights_start_from(desk: Desk) -> None:
    """A batch planned with shells 1.3 times as open expects more loss from one weighing; weighings overtake it."""
    course, _ = batch_with_log(desk, np.full(6 * 1440, 37.5))

    def conductance(learned: Learned, masses: list[tuple[float, float]]) -> float:
        text = ways.way_text(Way(), learned)
        desk.strike("left out", StoredPlan, [p.id for p in desk.book.records(StoredPlan)])
        desk.strike("left out", Weighing, [w.id for w in desk.book.records(Weighing)])
        planning.change_way(desk, planning.plan_of(desk.book, course.batch), Way())
        making.mend(desk, StoredPlan, desk.book.records(StoredPlan)[-1].id, habits=text)
        again = batches.course_by_id(desk.book, course.batch.id)
        assert again is not None
        for day, mass in masses:
            row = weights.interpret(
                desk.book, again, weights.OnScale("", 12, f"{mass:.1f}", sure=True), again.at_ms(day)
            )
            assert row is not None
            weights.log_weighings(desk, again, [row], again.at_ms(day), 0.1)
        sheet = loss.loss_sheet(desk.book, again, weights.weighings(desk.book, again.batch.id), desk.now_ms)
        assert sheet is not None and sheet.conductance is not None
        return sheet.conductance.value

    one = [(0.0, 720.0)]
    usual = conductance(Learned(), one)
    assert conductance(Learned(shells=(1.3, 0.1)), one) == pytest.approx(1.3 * usual, rel=1e-6)
    many = [(0.0, 720.0), (2.0, 710.0), (4.0, 700.0), (5.5, 692.5)]
    assert conductance(Learned(shells=(1.3, 0.1)), many) == pytest.approx(conductance(Learned(), many), rel=0.02)


def test_nothing_is_learned_from_nothing(desk: Desk) -> None:
    found = learning.learnt(desk.book, "duck")
    assert (
        found.hatches == 0
        and learning.lines(desk.book, found, 12) == []
        and learning.own_hatches(desk.book, "duck") == ()
    )
    assert learning.for_plan(found) == Learned() == learning.for_plan(None)
    assert found.term.value == knowledge.species()["duck"].days
    assert ways.way_text(Way(), Learned()).count("learned") == 0


def test_two_hatches_weigh_more_than_one(taught: Desk) -> None:
    desk = taught
    one = learning.learnt(desk.book, "chicken")
    box = desk.book.incubators()[0]
    made = setting_up.set_batch(desk, box, "", "chicken", "steady", 12, desk.now_ms - 23 * DAY_MS)
    course = batches.course_by_id(desk.book, made)
    assert course is not None
    findings.log_count(desk, course, "out", 9, course.at_ms(22.0))
    setting_up.end_batch(desk, desk.book.one(Batch, made))
    two = learning.learnt(desk.book, "chicken")
    assert two.term.own == 2 and two.term.weight > one.term.weight and two.term.u < one.term.u
    assert one.term.value < two.term.value < 22.1 and two.fertile.trials > one.fertile.trials


def test_what_the_keeper_says_of_a_term_counts_before_what_hatches_taught(desk: Desk) -> None:
    chicken, box = knowledge.species()["chicken"], making.machine(desk, "Box")
    taught = Learned(term_days=21.6)
    assert species.expected(chicken, box, Way(term_days=22.5), learned=taught).days == 22.5
    assert species.expected(chicken, box, Way(), learned=taught).days == 21.6
    assert species.expected(chicken, box, Way()).days == chicken.days


@pytest.mark.parametrize("moved", [None, 16.5])
def test_the_air_asked_for_follows_a_lockdown_that_was_moved(desk: Desk, moved: float | None) -> None:
    box = making.machine(desk, "Box")
    listed = knowledge.species()
    phases = course.phases_of(listed["chicken"], "steady", None, box, Way(), moved)
    lockdown = next(p for p in phases if p.name == "lockdown")
    assert lockdown.start_day == (18.0 if moved is None else moved) and lockdown.humidity is not None
    assert next(p for p in phases if p.name == "setting").end_day == lockdown.start_day
    # eggs that are never turned have none, whatever was said
    clutch = course.phases_of(listed["leopard_gecko"], "steady", None, box, Way(), moved)
    assert "lockdown" not in {p.name for p in clutch}


def test_records_tell_when_the_eggs_of_each_batch_were_laid(desk: Desk) -> None:
    """A plan not set yet says nothing of a batch."""
    box, laid = making.machine(desk, "Box"), desk.now_ms - 5 * DAY_MS
    for name, laid_ms in (("Old", laid), ("Planned", laid - 3 * DAY_MS)):
        planning.add_plan(desk, box, "chicken", "steady", 12, desk.now_ms, laid_ms=laid_ms, name=name)
    planning.set_eggs(desk, next(p for p in planning.plans(desk.book) if p.name == "Old"), desk.now_ms)
    assert [row.laid_ms for row in records.all_batches(desk.book)] == [laid]
    assert records.row_of(desk.book, records.all_batches(desk.book)[0].course).laid_ms == laid
