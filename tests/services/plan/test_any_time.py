"""Tasks and plans at any moment of any batch: nothing is told twice, nothing is lost, and what is told can be done."""

from __future__ import annotations

import shutil
from pathlib import Path

import icalendar
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from stathmis.core.course.way import Way
from stathmis.core.errors import UserError
from stathmis.logbook.opening import create_logbook
from stathmis.logbook.records import TaskMark
from stathmis.services import knowledge, setting_up
from stathmis.services.clock import DAY_MS, FixedClock
from stathmis.services.desk import Desk
from stathmis.services.plan import calendar, conflicts, lockdown, planning, preflight, tasks

NOW_MS = 1_779_093_600_000
ZONES = ("UTC", "Europe/Vienna", "America/New_York", "Australia/Lord_Howe")


def fresh(folder: Path, zone: str) -> Desk:
    """A new logbook in a zone, with one machine."""
    shutil.rmtree(folder / "log", ignore_errors=True)
    (folder / "log").mkdir()
    logbook = create_logbook(folder / "log" / "log.stathmis", {"name": "Any", "time_zone": zone})
    desk = Desk(logbook, FixedClock(NOW_MS))
    setting_up.add_incubator(desk, "Cabinet", "forced", 37.5)
    return desk


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
    desk = fresh(tmp_path, zone)
    try:
        set_ms = NOW_MS + 20 * DAY_MS
        habits = Way(turning=turned, posted=posted)
        planning.add_plan(desk, desk.book.incubators()[0], species, "steady", 8, set_ms, "eggs", None, "", habits)
        if day >= 0:
            desk.clock.at_ms = set_ms  # type: ignore[attr-defined]
            planning.set_eggs(desk, planning.plans(desk.book)[0], set_ms)
        desk.clock.at_ms = set_ms + round(day * DAY_MS)  # type: ignore[attr-defined]
        (plan,) = planning.plans(desk.book)
        found = tasks.today(desk.book)
        assert len({(t.subject, t.step) for t in found}) == len(found)
        for task in found:
            assert task.title and task.why and task.how and tasks.when_words(desk.book, task)
            assert task.earliest_ms <= task.due_ms <= task.latest_ms and tasks.window_words(desk.book, task)
            assert "{" not in task.how, "temperatures are in the unit in use"
        if plan.species.stop_turning_day is None:
            assert not any(t.step.startswith("turn") for t in found)
        if plan.batch is None:
            assert preflight.preflight(desk.book, plan).headline
        else:
            lockdown_step = plan.step("lockdown")
            assert lockdown.due(desk.book, plan) <= (lockdown_step is not None)
        for task in [t for t in found if t.state == "open"]:
            tasks.done(desk, task)
        left = [t for t in tasks.today(desk.book) if t.state == "open"]
        assert all(t.daily for t in left), "what is done is not asked for again, but what comes every day"
        conflicts.conflicts(desk.book, planning.plans(desk.book))
    finally:
        desk.logbook.close()


@settings(max_examples=12, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.sampled_from(sorted(knowledge.species())), st.sampled_from(ZONES), st.integers(1, 300))
def test_the_phone_shows_what_the_planner_shows(tmp_path: Path, species: str, zone: str, days: int) -> None:
    desk = fresh(tmp_path, zone)
    try:
        planning.add_plan(desk, desk.book.incubators()[0], species, "steady", 8, NOW_MS + days * DAY_MS)
        path = tmp_path / "plan.ics"
        calendar.write(desk, path)
        events = icalendar.Calendar.from_ical(path.read_bytes()).walk("VEVENT")
        (plan,) = planning.plans(desk.book)
        shown = {int(e["DTSTART"].dt.timestamp()) for e in events}
        told = {s.at_ms // 1000 for s in plan.steps if s.at_ms >= NOW_MS - tasks.FORGOTTEN_MS}
        assert shown == told
        assert len({str(e["UID"]) for e in events}) == len(events)
    finally:
        desk.logbook.close()


def test_nothing_planned_is_said_and_a_read_only_logbook_still_exports(desk: Desk, tmp_path: Path) -> None:
    with pytest.raises(UserError, match="Nothing is planned"):
        calendar.write(desk, tmp_path / "plan.ics")
    assert not (tmp_path / "plan.ics").exists()
    setting_up.add_incubator(desk, "Cabinet", "forced", 37.5)
    planning.add_plan(desk, desk.book.incubators()[0], "chicken", "steady", 8, desk.now_ms + 3 * DAY_MS)
    desk.logbook.read_only = True
    assert "entries" in calendar.write(desk, tmp_path / "plan.ics")
    with pytest.raises(UserError, match="read-only"):
        tasks.done(desk, tasks.today(desk.book)[0])
    desk.logbook.read_only = False
    assert desk.book.records(TaskMark) == ()
