"""Doing what is planned: the lockdown run, the pre-flight, clutches, refills, reminders, changes in mid-course."""

from __future__ import annotations

import numpy as np
import pytest

from making import batch_with_log
from stathmis.core.errors import UserError
from stathmis.core.schedule import Habits
from stathmis.logbook import keeping
from stathmis.logbook.records import Batch, Event, Incubator, Weighing
from stathmis.services import batches, rounds, setting_up
from stathmis.services.clock import DAY_MS
from stathmis.services.moisture import box, weights
from stathmis.services.plan import clutch, lockdown, planning, preflight, tasks
from stathmis.services.plan.planning import Plan
from stathmis.services.plan.reminders import Reminders
from stathmis.services.workbench import Workbench

HOUR_MS = 3_600_000


def go_to(bench: Workbench, at_ms: int) -> None:
    bench.clock.at_ms = at_ms  # type: ignore[attr-defined]


def guinea_fowl(demo: Workbench) -> Plan:
    return next(p for p in planning.plans(demo) if "guinea" in p.name)


def test_a_lockdown_run_is_kept_and_ends_the_task(demo: Workbench) -> None:
    plan = guinea_fowl(demo)
    assert lockdown.due(demo, plan)
    run = lockdown.run(demo, plan, box.box_sheet(demo, plan.incubator, None))
    assert [s.key for s in run.steps][:4] == ["candle", "turner", "liner", "eggs"]
    assert run.next_step is not None and run.next_step.key == "candle" and run.opened_ms is None
    with pytest.raises(UserError, match="not open"):
        lockdown.shut_lid(demo, run)
    start = demo.now_ms
    lockdown.open_lid(demo, run)
    go_to(demo, start + 6 * 60_000 + 30_000)
    lockdown.tick(demo, lockdown.run(demo, plan), "candle")
    # as after closing and opening the program: everything is read from the log again
    again = lockdown.run(demo, guinea_fowl(demo))
    assert again.opened_ms == start and again.next_step is not None and again.next_step.key == "turner"
    assert lockdown.open_words(demo, again) == "Lid open 6:30 min."
    go_to(demo, start + 16 * 60_000)
    assert "shut it soon" in lockdown.open_words(demo, again)
    with pytest.raises(UserError, match="open already"):
        lockdown.open_lid(demo, again)
    for step in again.steps[1:]:
        lockdown.tick(demo, lockdown.run(demo, plan), step.key)
    assert lockdown.shut_lid(demo, lockdown.run(demo, plan)) == "Shut after 16 min."
    assert not lockdown.due(demo, guinea_fowl(demo)), "with its last step the lockdown is done"
    done = next(t for t in tasks.tasks_of(demo, guinea_fowl(demo)) if t.step == "lockdown")
    assert done.state == "done"
    for _ in range(2):
        demo.undo()
    assert lockdown.due(demo, guinea_fowl(demo)) and lockdown.run(demo, plan).opened_ms == start
    lockdown.tick(demo, lockdown.run(demo, plan), "candle")
    assert lockdown.run(demo, plan).next_step is not None


def warmed(bench: Workbench, air: np.ndarray) -> Plan:
    course, _ = batch_with_log(bench, air)
    setting_up.end_batch(bench, course.batch)
    made = planning.add_plan(bench, course.incubator, "chicken", "steady", 12, bench.now_ms + HOUR_MS)
    return next(p for p in planning.plans(bench) if p.subject == f"plan {made}")


def test_a_steady_machine_is_ready_for_eggs(bench: Workbench) -> None:
    minutes = np.arange(2 * 1440)
    air = 37.5 + 0.15 * np.sin(minutes / 3.0)
    air[1500:1515] -= 4.0 * np.exp(-np.arange(15) / 5.0)
    plan = warmed(bench, air)
    found = preflight.preflight(bench, plan)
    answers = {f.about: f.answer for f in found.findings}
    assert answers == {"settled": "yes", "band": "yes", "recovery": "yes", "turner": "unknown", "humidity": "unknown"}
    assert found.ready and found.headline == "Ready for eggs. Not seen: turner, humidity."
    assert "drifted 0.0 °C" in found.findings[0].words
    tasks.mark_seen(bench, plan, "turner seen")
    turner = next(f for f in preflight.preflight(bench, plan).findings if f.about == "turner")
    assert turner.answer == "yes"


@pytest.mark.parametrize("fault", ["drift", "swing", "cold", "short"])
def test_a_machine_that_is_not_ready_says_why(bench: Workbench, fault: str) -> None:
    minutes = np.arange(2 * 1440)
    air = {
        "drift": 33.0 + minutes / 600.0,
        "swing": 37.5 + 1.2 * np.sin(minutes / 10.0),
        "cold": np.full(minutes.size, 36.4),
        "short": np.full(120, 37.5),
    }[fault]
    found = preflight.preflight(bench, warmed(bench, air))
    assert not found.ready
    said = {"drift": "settled", "swing": "settled", "cold": "band", "short": "Not known yet"}[fault]
    assert said in found.headline


def test_a_clutch_by_the_temperature_it_had(bench: Workbench) -> None:
    """32.3 °C all through: a short term, mostly males (approximate, from memory)."""
    course, _ = batch_with_log(bench, np.full(30 * 1440, 32.3), "leopard_gecko")
    plan = planning.keep_plan(bench, planning.plans(bench)[0])
    keeping.change(bench.logbook, type(plan), plan.id, mother="Saffron", laid_ms=course.batch.set_ms - DAY_MS)
    bench.changed()
    (own,) = planning.plans(bench)
    assert not any(s.kind in ("lockdown", "candle 2", "turn") for s in own.steps)
    sheet = clutch.clutch_sheet(bench, own, course)
    assert sheet.mean_c is not None and sheet.mean_c[0] == pytest.approx(32.3, abs=0.02)
    assert sheet.term is not None and 36 < sheet.term[1] < 45
    assert sheet.males is not None and sheet.males[0] > 60 and sheet.males[2] == 1.0
    assert clutch.log_box(bench, course, "412,5") == 412.5
    go_to(bench, bench.now_ms + DAY_MS)
    clutch.log_box(bench, course, "398 g")
    text = " ".join(clutch.lines(bench, clutch.clutch_sheet(bench, own, course)))
    assert "add 14 ml beside" in text or "add 15 ml beside" in text
    assert "Mother: Saffron" in text and "Next clutch likely" in text and "approximate" in text and "Never turn" in text
    with pytest.raises(UserError, match="is no mass"):
        clutch.log_box(bench, course, "heavy")
    assert len(bench.records(Weighing)) == 2 and weights.marks(bench, course.batch.id) == ["box"]


def test_candling_and_weighing_tick_themselves(demo: Workbench) -> None:
    """What was found at the eggs on day 7, and weighed, needs no tick in the list."""
    plan = next(p for p in planning.plans(demo) if "partridge" in p.name)
    states = {t.step: t.state for t in tasks.tasks_of(demo, plan)}
    assert (states["candle 1"], states["candle 2"]) == ("done", "open")
    assert [states[f"weigh {i}"] for i in (1, 2, 3)] == ["done", "done", "done"]


def test_what_is_due_is_called_once(demo: Workbench) -> None:
    reminders = Reminders(demo)
    first = reminders.due()
    assert reminders.due() == []
    lock = next(s for s in guinea_fowl(demo).steps if s.key == "lockdown")
    assert "lockdown" not in [t.step for t in first]
    go_to(demo, lock.at_ms + 60_000)
    assert "lockdown" in [t.step for t in reminders.due()] and reminders.due() == []


def test_the_next_refill_stands_in_the_list(demo: Workbench) -> None:
    cabinet = demo.incubators()[0]
    sheet = box.box_sheet(demo, cabinet, batches.running(demo, cabinet))
    task = tasks.refill(sheet)
    assert task is not None and task.due_ms < demo.now_ms and task.incubator == cabinet
    said = tasks.done(demo, task)
    assert "Refill logged" in said and "Unplug" in said
    assert demo.records(Event)[-1].kind == "water"
    later = tasks.refill(box.box_sheet(demo, cabinet, batches.running(demo, cabinet)))
    assert later is None, "the next one is days away"


def test_cooling_is_a_task_of_waterfowl_alone(bench: Workbench) -> None:
    made = setting_up.add_incubator(bench, "Box", "forced")
    incubator = keeping.one(bench.logbook, Incubator, made)
    setting_up.set_batch(bench, incubator, "ducks", "duck", "waterfowl", 8, bench.now_ms - 9 * DAY_MS)
    setting_up.set_batch(bench, incubator, "hens", "chicken", "steady", 8, bench.now_ms - 9 * DAY_MS)
    (cool,) = [t for t in tasks.today(bench) if t.step.startswith("cool")]
    assert cool.about == "ducks" and "dip is expected" in cool.how
    tasks.done(bench, cool)
    assert demo_kinds(bench) == ["cool"] and tasks.cooling_left_s(bench, incubator) == 15 * 60
    go_to(bench, bench.now_ms + 16 * 60_000)
    assert tasks.cooling_left_s(bench, incubator) == -60
    go_to(bench, bench.now_ms + 60 * 60_000)
    assert tasks.cooling_left_s(bench, incubator) is None
    again = [t for t in tasks.today(bench) if t.step.startswith("cool")]
    assert all(t.due_ms > bench.now_ms for t in again)


def test_the_brooder_is_told_in_the_unit_in_use(demo: Workbench) -> None:
    plan = guinea_fowl(demo)
    (warm,) = [t for t in tasks.tasks_of(demo, plan) if t.step == "brooder warm"]
    assert "35 °C under the source in the first week, 32 °C in the second" in warm.how
    demo.temperature_unit = "°F"
    (warm,) = [t for t in tasks.tasks_of(demo, plan) if t.step == "brooder warm"]
    assert "95 °F under the source in the first week, 90 °F in the second" in warm.how
    assert "Heat lamps start fires" in warm.caution


def demo_kinds(bench: Workbench) -> list[str]:
    return [e.kind for e in bench.records(Event)]


def test_another_species_in_mid_course_says_what_changes(bench: Workbench) -> None:
    made = setting_up.add_incubator(bench, "Box", "forced")
    incubator = keeping.one(bench.logbook, Incubator, made)
    start = bench.now_ms - 5 * DAY_MS
    setting_up.set_batch(bench, incubator, "eggs", "chicken", "falling", 12, start)
    (plan,) = planning.plans(bench)
    tasks.done(bench, next(t for t in tasks.tasks_of(bench, plan) if t.step == "weigh 2"))
    said = planning.change_species(bench, plan, "duck")
    assert said.startswith("Duck") and "lockdown" in said and "hatch" in said
    (now,) = planning.plans(bench)
    hatch = now.step("hatch")
    assert hatch is not None and hatch.at_ms == start + 28 * DAY_MS
    assert next(t for t in tasks.tasks_of(bench, now) if t.step == "weigh 2").state == "done", "what was done stays"
    assert "school it followed does not fit" in planning.change_species(bench, now, "leopard_gecko")
    bench.undo()
    bench.undo()
    assert bench.records(Batch)[0].species == "chicken" and bench.records(Batch)[0].regime == "falling"


def test_a_machine_with_plans_is_not_taken_away(bench: Workbench) -> None:
    made = setting_up.add_incubator(bench, "Box", "forced")
    incubator = keeping.one(bench.logbook, Incubator, made)
    planning.add_plan(
        bench, incubator, "chicken", "steady", 12, bench.now_ms + 5 * DAY_MS, "spring", None, "", Habits()
    )
    with pytest.raises(UserError, match="spring is planned for Box"):
        setting_up.remove_incubator(bench, incubator)
    planning.drop_plan(bench, planning.plans(bench)[0])
    setting_up.remove_incubator(bench, incubator)
    assert bench.incubators() == []
    bench.undo()
    setting_up.set_batch(bench, incubator, "", "chicken", "steady", 3, bench.now_ms)
    with pytest.raises(UserError, match="is set in Box"):
        setting_up.remove_incubator(bench, incubator)


def test_the_course_speaks_of_calendar_days(demo: Workbench) -> None:
    """Lockdown at 17:00 today is today, though the day of incubation is yet the one before."""
    sheet = rounds.sheet(demo, demo.incubators()[1])
    assert sheet.course is not None
    assert sheet.course.next_step(demo.now_ms, "UTC").startswith("lockdown today")
