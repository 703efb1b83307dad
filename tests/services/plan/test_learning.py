"""Own hatches shape the next plan: a flock that takes 22 days, shells that let out more, and the words for it."""

from __future__ import annotations

import numpy as np
import pytest

from making import batch_with_log
from stathmis.logbook import keeping
from stathmis.logbook.records import Batch, LossTarget, StoredPlan, Weighing
from stathmis.services import batches, knowledge, setting_up
from stathmis.services.batches import Learned
from stathmis.services.clock import DAY_MS
from stathmis.services.eggs import findings
from stathmis.services.moisture import loss, weights
from stathmis.services.plan import learning, planning
from stathmis.services.workbench import Workbench


@pytest.fixture
def taught(bench: Workbench) -> Workbench:
    """A hatch of twelve eggs held at 37.5 °C: ten hatched on day 22.0, where the sheet says 21."""
    course, _ = batch_with_log(bench, np.full(24 * 1440, 37.5))
    findings.log_count(bench, course, "clear", 1, course.at_ms(7.0))
    findings.log_count(bench, course, "out", 10, course.at_ms(22.0))
    setting_up.end_batch(bench, course.batch)
    return bench


def test_the_flocks_own_term_is_learned_and_planned_with(taught: Workbench) -> None:
    bench = taught
    found = learning.learnt(bench, "chicken")
    # one hatch, known to a quarter day and differing by as much: some two thirds of the way from the sheet
    assert found.hatches == 1 and 21.4 < found.term.value < 21.8 and found.term.own == 1
    assert found.hatch.trials == 12 and found.hatch.share == pytest.approx((7.0 + 10) / 22)
    said = " ".join(learning.lines(bench, found, 20))
    assert "1 own hatch of chicken: expect 21." in said and "to the sheet's 21" in said
    assert "of 20 eggs about 15" in said and "nine times out of ten, set " in said
    box = bench.incubators()[0]
    set_ms = bench.now_ms + 3 * DAY_MS
    planning.add_plan(bench, box, "chicken", "steady", 12, set_ms, learned=learning.for_plan(found))
    plan = planning.plans(bench)[-1]
    hatch, lockdown = plan.step("hatch"), plan.step("lockdown")
    assert hatch is not None and lockdown is not None
    assert (hatch.at_ms - set_ms) / DAY_MS == pytest.approx(found.term.value, abs=0.01)
    assert (lockdown.at_ms - set_ms) / DAY_MS == pytest.approx(18.0 * found.term.value / 21.0, abs=0.01)
    planning.change_habits(bench, plan, plan.habits)
    assert planning.plans(bench)[-1].term_days == plan.term_days, "other habits forget nothing"
    keeping.change(bench.logbook, StoredPlan, plan.stored.id, set_ms=bench.now_ms)  # type: ignore[union-attr]
    bench.changed()
    planning.set_eggs(bench, planning.plans(bench)[-1], bench.now_ms)
    course = batches.running(bench, box)
    assert course is not None and course.species.days == pytest.approx(found.term.value, abs=0.01)
    assert course.lockdown_day == pytest.approx(18.0 * found.term.value / 21.0, abs=0.01)
    planning.change_species(bench, planning.plans(bench)[-1], "duck")
    course = batches.running(bench, box)
    assert course is not None and course.species.days == 28.0, "what was learned of hens says nothing of ducks"
    bench.undo()
    course = batches.running(bench, box)
    assert course is not None and course.learned.term_days is not None


def test_own_shells_are_where_the_weights_start_from(bench: Workbench) -> None:
    """A batch planned with shells 1.3 times as open expects more loss from one weighing; weighings overtake it."""
    course, _ = batch_with_log(bench, np.full(6 * 1440, 37.5))

    def conductance(learned: Learned, masses: list[tuple[float, float]]) -> float:
        text = planning.habits_text(planning.Habits(), learned)
        keeping.withdraw(bench.logbook, StoredPlan, [p.id for p in bench.records(StoredPlan)], bench.now_ms)
        keeping.withdraw(bench.logbook, Weighing, [w.id for w in bench.records(Weighing)], bench.now_ms)
        keeping.withdraw(bench.logbook, LossTarget, [t.id for t in bench.records(LossTarget)], bench.now_ms)
        bench.changed()
        plan = planning.plan_of(bench, course.batch)
        stored = planning.keep_plan(bench, plan)
        keeping.change(bench.logbook, StoredPlan, stored.id, habits=text)
        bench.changed()
        again = batches.course_by_id(bench, course.batch.id)
        assert again is not None
        for day, mass in masses:
            row = weights.interpret(bench, again, weights.Row("", 12, f"{mass:.1f}", sure=True), again.at_ms(day))
            assert row is not None
            weights.log_weighings(bench, again, [row], again.at_ms(day), 0.1)
        sheet = loss.loss_sheet(bench, again, weights.weighings(bench, again.batch.id), bench.now_ms)
        assert sheet is not None and sheet.conductance is not None
        return sheet.conductance.value

    one = [(0.0, 720.0)]
    usual = conductance(Learned(), one)
    assert conductance(Learned(shells=(1.3, 0.1)), one) == pytest.approx(1.3 * usual, rel=1e-6)
    many = [(0.0, 720.0), (2.0, 710.0), (4.0, 700.0), (5.5, 692.5)]
    assert conductance(Learned(shells=(1.3, 0.1)), many) == pytest.approx(conductance(Learned(), many), rel=0.02)


def test_nothing_is_learned_from_nothing(bench: Workbench) -> None:
    found = learning.learnt(bench, "duck")
    assert found.hatches == 0 and learning.lines(bench, found, 12) == [] and learning.own_hatches(bench, "duck") == ()
    assert learning.for_plan(found) == Learned() == learning.for_plan(None)
    assert found.term.value == knowledge.species()["duck"].days
    assert planning.habits_text(planning.Habits(), Learned()).count("learned") == 0


def test_two_hatches_weigh_more_than_one(taught: Workbench) -> None:
    bench = taught
    one = learning.learnt(bench, "chicken")
    box = bench.incubators()[0]
    made = setting_up.set_batch(bench, box, "", "chicken", "steady", 12, bench.now_ms - 23 * DAY_MS)
    course = batches.course_by_id(bench, made)
    assert course is not None
    findings.log_count(bench, course, "out", 9, course.at_ms(22.0))
    setting_up.end_batch(bench, keeping.one(bench.logbook, Batch, made))
    two = learning.learnt(bench, "chicken")
    assert two.term.own == 2 and two.term.weight > one.term.weight and two.term.u < one.term.u
    assert one.term.value < two.term.value < 22.1 and two.fertile.trials > one.fertile.trials
