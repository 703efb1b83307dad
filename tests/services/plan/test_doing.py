"""Doing what is planned: the lockdown run, the pre-flight, clutches, refills, reminders, changes in mid-course."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

import making
from making import batch_with_log
from stathmis.core.course.way import Way
from stathmis.core.errors import UserError
from stathmis.logbook.records import Batch, Event, Incubator, StoredPlan, Weighing
from stathmis.services import rounds, setting_up
from stathmis.services.batch import batches
from stathmis.services.clock import DAY_MS
from stathmis.services.desk import Desk
from stathmis.services.findings import box
from stathmis.services.moisture import weights
from stathmis.services.plan import clutch, lockdown, planning, preflight, tasks
from stathmis.services.plan.planning import Plan
from stathmis.services.plan.reminders import Reminders
from stathmis.words import clutch as clutch_words

HOUR_MS = 3_600_000


def go_to(desk: Desk, at_ms: int) -> None:
    desk.clock.at_ms = at_ms  # type: ignore[attr-defined]


def guinea_fowl(demo: Desk) -> Plan:
    return next(p for p in planning.plans(demo.book) if "guinea" in p.name)


def test_a_lockdown_run_is_kept_and_ends_the_task(demo: Desk) -> None:
    plan = guinea_fowl(demo)
    assert lockdown.due(demo.book, plan)
    run = lockdown.run(demo.book, plan, box.box_sheet(demo.book, plan.incubator, None))
    assert [s.key for s in run.steps][:4] == ["candle", "turner", "liner", "eggs"]
    assert run.next_step is not None and run.next_step.key == "candle" and run.opened_ms is None
    with pytest.raises(UserError, match="not open"):
        lockdown.shut_lid(demo, run)
    start = demo.now_ms
    lockdown.open_lid(demo, run)
    go_to(demo, start + 1 * 60_000 + 30_000)
    lockdown.tick(demo, lockdown.run(demo.book, plan), "candle")
    # as after closing and opening the program: everything is read from the log again
    again = lockdown.run(demo.book, guinea_fowl(demo))
    assert again.opened_ms == start and again.next_step is not None and again.next_step.key == "turner"
    assert lockdown.open_words(demo.book, again) == "Lid open 1:30 min."
    go_to(demo, start + 6 * 60_000)
    assert "shut it soon" in lockdown.open_words(demo.book, again)
    with pytest.raises(UserError, match="open already"):
        lockdown.open_lid(demo, again)
    for step in again.steps[1:]:
        lockdown.tick(demo, lockdown.run(demo.book, plan), step.key)
    assert lockdown.shut_lid(demo, lockdown.run(demo.book, plan)) == "Shut after 6 min."
    assert not lockdown.due(demo.book, guinea_fowl(demo)), "with its last step the lockdown is done"
    done = next(t for t in tasks.tasks_of(demo.book, guinea_fowl(demo)) if t.step == "lockdown")
    assert done.state == "done"
    for _ in range(2):
        demo.undo()
    assert lockdown.due(demo.book, guinea_fowl(demo)) and lockdown.run(demo.book, plan).opened_ms == start
    lockdown.tick(demo, lockdown.run(demo.book, plan), "candle")
    assert lockdown.run(demo.book, plan).next_step is not None


def warmed(desk: Desk, air: np.ndarray) -> Plan:
    course, _ = batch_with_log(desk, air)
    setting_up.end_batch(desk, course.batch)
    made = planning.add_plan(desk, course.incubator, "chicken", "steady", 12, desk.now_ms + HOUR_MS)
    return next(p for p in planning.plans(desk.book) if p.subject == f"plan {made}")


def test_a_steady_machine_is_ready_for_eggs(desk: Desk) -> None:
    minutes = np.arange(2 * 1440)
    air = 37.5 + 0.15 * np.sin(minutes / 3.0)
    air[1500:1515] -= 4.0 * np.exp(-np.arange(15) / 5.0)
    plan = warmed(desk, air)
    found = preflight.preflight(desk.book, plan)
    answers = {f.about: f.answer for f in found.findings}
    assert answers == {"settled": "yes", "band": "yes", "recovery": "yes", "turner": "unknown", "humidity": "unknown"}
    assert found.ready and found.headline == "Ready for eggs. Not seen: turner, humidity."
    assert "drifted 0.0 °C" in found.findings[0].words
    tasks.mark_seen(desk, plan, "turner seen")
    turner = next(f for f in preflight.preflight(desk.book, plan).findings if f.about == "turner")
    assert turner.answer == "yes"


@pytest.mark.parametrize("fault", ["drift", "swing", "cold", "short"])
def test_a_machine_that_is_not_ready_says_why(desk: Desk, fault: str) -> None:
    minutes = np.arange(2 * 1440)
    air = {
        "drift": 33.0 + minutes / 600.0,
        "swing": 37.5 + 1.2 * np.sin(minutes / 10.0),
        "cold": np.full(minutes.size, 36.4),
        "short": np.full(120, 37.5),
    }[fault]
    found = preflight.preflight(desk.book, warmed(desk, air))
    assert not found.ready
    said = {"drift": "settled", "swing": "settled", "cold": "band", "short": "Not known yet"}[fault]
    assert said in found.headline


def test_a_clutch_by_the_temperature_it_had(desk: Desk) -> None:
    """32.3 °C all through: a short term, mostly males (approximate, from memory)."""
    course, _ = batch_with_log(desk, np.full(30 * 1440, 32.3), "leopard_gecko")
    planning.change_way(desk, planning.plans(desk.book)[0], Way())
    (plan,) = desk.book.records(StoredPlan)
    making.mend(desk, type(plan), plan.id, mother="Saffron", laid_ms=course.batch.set_ms - DAY_MS)
    (own,) = planning.plans(desk.book)
    assert not any(s.kind in ("lockdown", "candle 2", "turn") for s in own.steps)
    sheet = clutch.clutch_sheet(desk.book, own, course)
    assert sheet.mean_c is not None and sheet.mean_c[0] == pytest.approx(32.3, abs=0.02)
    assert sheet.term is not None and 36 < sheet.term[1] < 45
    assert sheet.males is not None and sheet.males[0] > 60 and sheet.males[2] == 1.0
    assert clutch.log_box(desk, course, "412,5") == 412.5
    go_to(desk, desk.now_ms + DAY_MS)
    clutch.log_box(desk, course, "398 g")
    text = " ".join(clutch_words.lines(desk.book, clutch.clutch_sheet(desk.book, own, course)))
    assert "add 14 ml beside" in text or "add 15 ml beside" in text
    assert (
        "On the label: Saffron, laid" in text
        and "Next clutch likely" in text
        and "approximate" in text
        and "Never turn" in text
    )
    with pytest.raises(UserError, match="is no mass"):
        clutch.log_box(desk, course, "heavy")
    assert len(desk.book.records(Weighing)) == 2 and weights.marks(desk.book, course.batch.id) == ["box"]


def test_candling_and_weighing_tick_themselves(demo: Desk) -> None:
    """What was found at the eggs on day 7, and weighed, needs no tick in the list."""
    plan = next(p for p in planning.plans(demo.book) if "partridge" in p.name)
    states = {t.step: t.state for t in tasks.tasks_of(demo.book, plan)}
    assert (states["candle 1"], states["candle 2"]) == ("done", "open")
    assert [states[f"weigh {i}"] for i in (1, 2, 3)] == ["done", "done", "done"]


def test_what_is_due_is_called_once(demo: Desk) -> None:
    reminders = Reminders(demo)
    first = reminders.due()
    assert reminders.due() == []
    lock = next(s for s in guinea_fowl(demo).steps if s.key == "lockdown")
    assert "lockdown" not in [t.step for t in first]
    go_to(demo, lock.at_ms + 60_000)
    assert "lockdown" in [t.step for t in reminders.due()] and reminders.due() == []


def test_the_next_refill_stands_in_the_list(demo: Desk) -> None:
    cabinet = demo.book.incubators()[0]
    sheet = box.box_sheet(demo.book, cabinet, batches.running(demo.book, cabinet))
    task = tasks.refill(demo.book, sheet)
    assert task is not None and task.due_ms < demo.now_ms and task.incubator == cabinet
    said = tasks.done(demo, task)
    assert "Refill logged" in said and "Unplug" in said
    assert demo.book.records(Event)[-1].kind == "water"
    later = tasks.refill(demo.book, box.box_sheet(demo.book, cabinet, batches.running(demo.book, cabinet)))
    assert later is None, "the next one is days away"


def test_cooling_is_a_task_of_waterfowl_alone(desk: Desk) -> None:
    made = setting_up.add_incubator(desk, "Box", "forced")
    incubator = desk.book.one(Incubator, made)
    setting_up.set_batch(desk, incubator, "ducks", "duck", "waterfowl", 8, desk.now_ms - 9 * DAY_MS)
    setting_up.set_batch(desk, incubator, "hens", "chicken", "steady", 8, desk.now_ms - 9 * DAY_MS)
    (cool,) = [t for t in tasks.today(desk.book) if t.step.startswith("cool")]
    assert cool.about == "ducks" and "dip is expected" in cool.how
    tasks.done(desk, cool)
    assert demo_kinds(desk) == ["cool"] and tasks.cooling_left_s(desk.book, incubator) == 15 * 60
    go_to(desk, desk.now_ms + 16 * 60_000)
    assert tasks.cooling_left_s(desk.book, incubator) == -60
    go_to(desk, desk.now_ms + 60 * 60_000)
    assert tasks.cooling_left_s(desk.book, incubator) is None
    again = [t for t in tasks.today(desk.book) if t.step.startswith("cool")]
    assert all(t.due_ms > desk.now_ms for t in again)


def test_the_brooder_is_told_in_the_unit_in_use(demo: Desk) -> None:
    plan = guinea_fowl(demo)
    (warm,) = [t for t in tasks.tasks_of(demo.book, plan) if t.step == "brooder warm"]
    assert "35 °C under the source in the first week, 32 °C in the second" in warm.how
    demo.set_temperature_unit("°F")
    (warm,) = [t for t in tasks.tasks_of(demo.book, plan) if t.step == "brooder warm"]
    assert "95 °F under the source in the first week, 90 °F in the second" in warm.how
    assert "Heat lamps start fires" in warm.caution


def demo_kinds(desk: Desk) -> list[str]:
    return [e.kind for e in desk.book.records(Event)]


def test_another_species_in_mid_course_says_what_changes(desk: Desk) -> None:
    made = setting_up.add_incubator(desk, "Box", "forced")
    incubator = desk.book.one(Incubator, made)
    start = desk.now_ms - 5 * DAY_MS
    setting_up.set_batch(desk, incubator, "eggs", "chicken", "falling", 12, start)
    (plan,) = planning.plans(desk.book)
    tasks.done(desk, next(t for t in tasks.tasks_of(desk.book, plan) if t.step == "weigh 2"))
    said = planning.change_species(desk, plan, "duck")
    assert said.startswith("Duck") and "lockdown" in said and "hatch" in said
    (now,) = planning.plans(desk.book)
    hatch = now.step("hatch")
    assert hatch is not None and hatch.at_ms == start + 28 * DAY_MS
    assert next(t for t in tasks.tasks_of(desk.book, now) if t.step == "weigh 2").state == "done", "what was done stays"
    assert "school it followed does not fit" in planning.change_species(desk, now, "leopard_gecko")
    desk.undo()
    desk.undo()
    assert desk.book.records(Batch)[0].species == "chicken" and desk.book.records(Batch)[0].regime == "falling"


def test_a_machine_with_plans_is_not_taken_away(desk: Desk) -> None:
    made = setting_up.add_incubator(desk, "Box", "forced")
    incubator = desk.book.one(Incubator, made)
    planning.add_plan(desk, incubator, "chicken", "steady", 12, desk.now_ms + 5 * DAY_MS, "spring", None, "", Way())
    with pytest.raises(UserError, match="spring is planned for Box"):
        setting_up.remove_incubator(desk, incubator)
    planning.drop_plan(desk, planning.plans(desk.book)[0])
    setting_up.remove_incubator(desk, incubator)
    assert desk.book.incubators() == []
    desk.undo()
    setting_up.set_batch(desk, incubator, "", "chicken", "steady", 3, desk.now_ms)
    with pytest.raises(UserError, match="is set in Box"):
        setting_up.remove_incubator(desk, incubator)


def test_the_course_speaks_of_calendar_days(demo: Desk) -> None:
    """Lockdown at 17:00 today is today, though the day of incubation is yet the one before."""
    sheet = rounds.sheet(demo.book, demo.book.incubators()[1])
    assert sheet.course is not None
    assert sheet.course.next_step(demo.now_ms, "UTC").startswith("lockdown today")


def test_the_way_of_one_batch_is_not_the_others(desk: Desk) -> None:
    for name, days in (("first", 9), ("second", 5)):
        made = setting_up.add_incubator(desk, name, "forced")
        setting_up.set_batch(
            desk, desk.book.one(Incubator, made), name, "chicken", "steady", 8, desk.now_ms - days * DAY_MS
        )
    first, second = planning.plans(desk.book)
    planning.change_way(desk, first, replace(first.way, turning="by hand"))
    planning.change_way(desk, second, replace(second.way, turning="machine"))
    assert [t.about for t in tasks.today(desk.book) if t.step.startswith("turn ")] == ["first"]


def test_a_school_that_does_not_fit_another_species_is_said(desk: Desk) -> None:
    made = setting_up.add_incubator(desk, "Box", "forced")
    for regime, says in (("waterfowl", True), ("steady", False)):
        setting_up.set_batch(desk, desk.book.one(Incubator, made), regime, "duck", regime, 8, desk.now_ms - DAY_MS)
        plan = next(p for p in planning.plans(desk.book) if p.name == regime)
        assert ("does not fit" in planning.change_species(desk, plan, "corn_snake")) == says
