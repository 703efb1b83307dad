"""Tasks and plans at any moment of any batch: nothing is told twice, nothing is lost, and what is told can be done."""

from __future__ import annotations

import shutil
from pathlib import Path

import icalendar
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from stathmis.core.errors import UserError
from stathmis.core.schedule import Habits
from stathmis.logbook import keeping
from stathmis.logbook.opening import create_logbook
from stathmis.logbook.records import TaskMark
from stathmis.services import knowledge, setting_up
from stathmis.services.clock import DAY_MS, FixedClock
from stathmis.services.plan import calendar, conflicts, lockdown, planning, preflight, tasks
from stathmis.services.workbench import Workbench

NOW_MS = 1_779_093_600_000
ZONES = ("UTC", "Europe/Vienna", "America/New_York", "Australia/Lord_Howe")


def fresh(folder: Path, zone: str) -> Workbench:
    """A new logbook in a zone, with one machine."""
    shutil.rmtree(folder / "log", ignore_errors=True)
    (folder / "log").mkdir()
    logbook = create_logbook(folder / "log" / "log.stathmis", {"name": "Any", "time_zone": zone})
    bench = Workbench(logbook, FixedClock(NOW_MS))
    setting_up.add_incubator(bench, "Cabinet", "forced", 37.5)
    return bench


@settings(max_examples=40, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    st.sampled_from(sorted(knowledge.species())),
    st.sampled_from(ZONES),
    st.floats(-30.0, 70.0),
    st.sampled_from(["machine", "by hand", "none"]),
    st.booleans(),
)
def test_at_any_time_of_any_batch(
    tmp_path: Path, species: str, zone: str, day: float, turned: str, posted: bool
) -> None:
    bench = fresh(tmp_path, zone)
    try:
        set_ms = NOW_MS + 20 * DAY_MS
        habits = Habits(turning=turned, posted=posted)
        planning.add_plan(bench, bench.incubators()[0], species, "steady", 8, set_ms, "eggs", None, "", habits)
        if day >= 0:
            bench.clock.at_ms = set_ms  # type: ignore[attr-defined]
            planning.set_eggs(bench, planning.plans(bench)[0], set_ms)
        bench.clock.at_ms = set_ms + round(day * DAY_MS)  # type: ignore[attr-defined]
        bench.changed()
        (plan,) = planning.plans(bench)
        found = tasks.today(bench)
        assert len({(t.subject, t.step) for t in found}) == len(found)
        for task in found:
            assert task.title and task.why and task.how and tasks.when_words(bench, task)
            assert task.earliest_ms <= task.due_ms <= task.latest_ms and tasks.window_words(bench, task)
            assert "{" not in task.how, "temperatures are in the unit in use"
        if plan.species.stop_turning_day is None:
            assert not any(t.step.startswith("turn") for t in found)
        if plan.batch is None:
            assert preflight.preflight(bench, plan).headline
        else:
            lockdown_step = plan.step("lockdown")
            assert lockdown.due(bench, plan) <= (lockdown_step is not None)
        for task in [t for t in found if t.state == "open"]:
            tasks.done(bench, task)
        left = [t for t in tasks.today(bench) if t.state == "open"]
        assert all(t.daily for t in left), "what is done is not asked for again, but what comes every day"
        conflicts.conflicts(bench, planning.plans(bench))
    finally:
        bench.logbook.close()


@settings(max_examples=12, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.sampled_from(sorted(knowledge.species())), st.sampled_from(ZONES), st.integers(1, 300))
def test_the_phone_shows_what_the_planner_shows(tmp_path: Path, species: str, zone: str, days: int) -> None:
    bench = fresh(tmp_path, zone)
    try:
        planning.add_plan(bench, bench.incubators()[0], species, "steady", 8, NOW_MS + days * DAY_MS)
        path = tmp_path / "plan.ics"
        calendar.write(bench, path)
        events = icalendar.Calendar.from_ical(path.read_bytes()).walk("VEVENT")
        (plan,) = planning.plans(bench)
        shown = {int(e["DTSTART"].dt.timestamp()) for e in events}
        told = {s.at_ms // 1000 for s in plan.steps if s.at_ms >= NOW_MS - tasks.FORGOTTEN_MS}
        assert shown == told
        assert len({str(e["UID"]) for e in events}) == len(events)
    finally:
        bench.logbook.close()


def test_nothing_planned_is_said_and_a_read_only_logbook_still_exports(bench: Workbench, tmp_path: Path) -> None:
    with pytest.raises(UserError, match="Nothing is planned"):
        calendar.write(bench, tmp_path / "plan.ics")
    assert not (tmp_path / "plan.ics").exists()
    setting_up.add_incubator(bench, "Cabinet", "forced", 37.5)
    planning.add_plan(bench, bench.incubators()[0], "chicken", "steady", 8, bench.now_ms + 3 * DAY_MS)
    bench.logbook.read_only = True
    assert "entries" in calendar.write(bench, tmp_path / "plan.ics")
    with pytest.raises(UserError, match="read-only"):
        tasks.done(bench, tasks.today(bench)[0])
    bench.logbook.read_only = False
    assert keeping.all_of(bench.logbook, TaskMark) == []
