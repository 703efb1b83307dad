"""Plans and their tasks: order never broken, whatever is moved; dates that hold across clock changes; conflicts."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

import making
from stathmis.core.course import schedule
from stathmis.core.course.profile import Band, OwnProfile, Stage
from stathmis.core.course.schedule import Span
from stathmis.core.course.way import CANDLINGS, Way
from stathmis.core.errors import UserError
from stathmis.logbook.records import Batch, Event, StoredPlan, TaskMark
from stathmis.services import knowledge, setting_up
from stathmis.services.batch import batches, profiles
from stathmis.services.clock import DAY_MS, local
from stathmis.services.desk import Desk
from stathmis.services.plan import calendar, conflicts, planning, tasks, turning
from stathmis.services.plan.planning import Plan
from stathmis.words import turning as turning_words

SPECIES = knowledge.species()
HABITS = st.builds(
    Way,
    candling=st.sampled_from(sorted(CANDLINGS)),
    weighing=st.booleans(),
    posted=st.booleans(),
    collecting_days=st.floats(1.0, 10.0),
)
HOUR_MS = 3_600_000


@given(st.sampled_from(sorted(SPECIES)), HABITS, st.dictionaries(st.text(max_size=8), st.floats(-90, 90), max_size=3))
def test_the_order_of_the_steps_is_never_broken(key: str, habits: Way, strange: dict[str, float]) -> None:
    species = SPECIES[key]
    steps = schedule.plan(species, habits)
    assert len({s.key for s in steps}) == len(steps)
    for step in steps:
        assert step.earliest <= step.latest
        text = knowledge.tasks()[step.kind]
        assert text.title and text.why and text.how
    assert schedule.moved(steps, strange)[0].day <= 0


@given(st.sampled_from(sorted(SPECIES)), HABITS, st.data())
def test_moved_steps_take_the_rest_along(key: str, habits: Way, data: st.DataObject) -> None:
    steps = schedule.plan(SPECIES[key], habits)
    names = [s.key for s in steps]
    moves = data.draw(st.dictionaries(st.sampled_from(names), st.floats(-80.0, 120.0), max_size=4))
    found = {s.key: s for s in schedule.moved(steps, moves)}
    assert set(found) == set(names) and found["set"].day == 0.0
    for step in found.values():
        before = found.get(step.after)
        assert before is None or step.day >= before.day + step.gap - 1e-6, (step.key, before)
    default = {s.key: s.day for s in steps}
    for name, step in found.items():
        assert (default[name] < 0) == (step.day < 0), "what prepares comes before setting, the rest after it"
    if not moves:
        assert {k: s.day for k, s in found.items()} == default


def test_the_usual_chicken() -> None:
    """Day 0 to 21, candled on 7 and 14, lockdown on 18 (common practice)."""
    steps = {s.key: s.day for s in schedule.plan(SPECIES["chicken"], Way())}
    assert (steps["set"], steps["candle 1"], steps["candle 2"], steps["lockdown"], steps["hatch"]) == (0, 7, 14, 18, 21)
    assert steps["latest"] == 23 and steps["take off"] == 22 and steps["warm dry"] == -2
    assert [steps[f"weigh {i}"] for i in (1, 2, 3)] == [0, 4, 8]
    gecko = {s.kind for s in schedule.plan(SPECIES["leopard_gecko"], Way())}
    assert "lockdown" not in gecko and {"air", "first shed", "first meal", "next clutch"} <= gecko
    with pytest.raises(ValueError, match="habit"):
        schedule.plan(SPECIES["chicken"], Way(candling="hourly"))


def test_clashes_are_told_by_kind() -> None:
    hens = Span(0, 23, 12, 37.5, 0.3, 18, False)
    later = Span(10, 33, 12, 37.5, 0.3, 28, False)
    emu = Span(0, 50, 4, 36.2, 0.3, 46, False)
    gecko = Span(0, 60, 6, 28.5, 0.5, float("nan"), True)
    assert [(c.kind, c.first, c.second) for c in schedule.clashes([hens, later])] == [("lockdown", 0, 1)]
    assert schedule.clashes([hens, later._replace(start=24, end=47, turn_end=42)]) == ()
    assert {c.kind for c in schedule.clashes([hens, emu])} == {"temperature", "lockdown"}
    assert [c.kind for c in schedule.clashes([hens, gecko])] == ["kinds"]
    assert [c.kind for c in schedule.clashes([hens, hens], capacity=20)] == ["capacity"]
    assert schedule.clashes([hens, hens], capacity=24) == ()


def test_a_clutch_goes_by_its_temperature() -> None:
    points = SPECIES["leopard_gecko"].term_by_temperature
    days = [schedule.term_for(points, c)[1] for c in (25.0, 26.0, 28.5, 31.0, 34.0)]
    assert days == sorted(days, reverse=True) and days[0] == days[1] == 75.0
    shares = [schedule.male_share(c)[0] for c in (26.5, 30.5, 32.5, 35.5)]
    # mostly females low, mixed in between, mostly males at 32 to 33, females again when hot (from memory)
    assert shares[0] < 5 and 20 < shares[1] < 60 and shares[2] > 70 and shares[3] < 10
    assert schedule.storage_loss(7.0) == (0.0, 0.0)
    with pytest.raises(ValueError, match="no less"):
        schedule.storage_loss(-1.0)


def machine(desk: Desk, name: str = "Cabinet") -> int:
    return setting_up.add_incubator(desk, name, "forced", 37.5)


def planned(desk: Desk, days: float = 10.0, species: str = "chicken", **more: object) -> Plan:
    incubator = desk.book.incubators()[0]
    made = planning.add_plan(
        desk,
        incubator,
        species,
        "steady",
        12,
        desk.now_ms + round(days * DAY_MS),
        **more,  # type: ignore[arg-type]
    )
    return next(p for p in planning.plans(desk.book) if p.subject == f"plan {made}")


@pytest.mark.parametrize("zone", ["Europe/Vienna", "America/New_York", "Australia/Lord_Howe", "UTC"])
def test_days_hold_across_clock_changes(desk: Desk, zone: str) -> None:
    """Lockdown is 18 x 24 h after setting; candling is in the evening of its day, before and after the change."""
    machine(desk)
    making.put_setting(desk, "time_zone", zone)
    for month, day in ((3, 20), (10, 20), (4, 1), (10, 1)):
        at = int(datetime(2027, month, day, 9, 0, tzinfo=UTC).timestamp() * 1000)
        made = planned(desk, (at - desk.now_ms) / DAY_MS)
        lockdown, candle = made.step("lockdown"), made.step("candle 1")
        assert lockdown is not None and candle is not None
        assert lockdown.at_ms - made.set_ms == 18 * DAY_MS
        evening = local(candle.at_ms, zone)
        assert (evening.hour, evening.minute) == (20, 30)
        assert evening.date() == local(made.set_ms + 7 * DAY_MS, zone).date()
        times = [s.at_ms for s in made.steps]
        assert times == sorted(times)


def test_backward_from_the_hatch_day(desk: Desk) -> None:
    machine(desk)
    hatch = desk.now_ms + 40 * DAY_MS
    set_ms = planning.set_day_for(SPECIES["duck"], hatch)
    made = planned(desk, (set_ms - desk.now_ms) / DAY_MS, "duck")
    found = made.step("hatch")
    assert found is not None and found.at_ms == hatch
    with pytest.raises(UserError, match="which is over"):
        planned(desk, -3.0)
    with pytest.raises(UserError, match="hardly hatch"):
        planned(desk, 10.0, laid_ms=desk.now_ms - 25 * DAY_MS)
    with pytest.raises(UserError, match="after they are set"):
        planned(desk, 10.0, laid_ms=desk.now_ms + 12 * DAY_MS)


def test_a_plan_is_moved_set_and_taken_back(desk: Desk) -> None:
    machine(desk)
    made = planned(desk, 1.0)
    lockdown = made.step("lockdown")
    assert lockdown is not None
    planning.move_step(desk, made, "lockdown", lockdown.at_ms + 2 * DAY_MS)
    again = planning.plans(desk.book)[0]
    brooder, moved = again.step("brooder warm"), again.step("lockdown")
    assert moved is not None and moved.moved and moved.at_ms == lockdown.at_ms + 2 * DAY_MS
    assert brooder is not None and brooder.at_ms >= moved.at_ms, "what hangs on it follows"
    desk.undo()
    assert planning.plans(desk.book)[0].step("lockdown") == lockdown
    planning.move_step(desk, planning.plans(desk.book)[0], "set", made.set_ms + 5 * DAY_MS)
    shifted = planning.plans(desk.book)[0].step("hatch")
    assert shifted is not None and shifted.at_ms == made.set_ms + (5 + 21) * DAY_MS
    desk.undo()
    # earlier today is still today
    planning.move_step(desk, planning.plans(desk.book)[0], "set", desk.now_ms - 11 * HOUR_MS)
    desk.undo()
    with pytest.raises(UserError, match="That day is over"):
        planning.move_step(desk, planning.plans(desk.book)[0], "set", desk.now_ms - 13 * HOUR_MS)
    for key, says in (("hatch", "choose their day"), ("nothing", "not in this plan")):
        with pytest.raises(UserError, match=says):
            planning.move_step(desk, planning.plans(desk.book)[0], key, desk.now_ms)
    desk.clock.at_ms = made.set_ms + HOUR_MS  # type: ignore[attr-defined]
    planning.set_eggs(desk, planning.plans(desk.book)[0], desk.now_ms)
    running = planning.plans(desk.book)[0]
    assert running.batch is not None and running.subject == made.subject and running.batch.eggs == 12
    assert next(t for t in tasks.tasks_of(desk.book, running) if t.step == "set").state == "done"
    with pytest.raises(UserError, match="their first day stands"):
        planning.move_step(desk, running, "set", desk.now_ms)
    desk.undo()
    assert desk.book.records(Batch) == () and planning.plans(desk.book)[0].batch is None
    desk.redo()
    assert len(desk.book.records(Batch)) == 1
    with pytest.raises(UserError, match="are set"):
        planning.drop_plan(desk, planning.plans(desk.book)[0])


def test_a_running_batch_has_a_plan_of_its_own(demo: Desk) -> None:
    found = [p for p in planning.plans(demo.book) if p.batch is not None]
    assert [p.stored for p in found] == [None, None]
    kept = len(demo.book.records(StoredPlan))
    before = found[0].step("lockdown")
    assert before is not None
    planning.move_step(demo, found[0], "candle 2", before.at_ms - 3 * DAY_MS)
    assert len(demo.book.records(StoredPlan)) == kept + 1
    demo.undo()
    assert len(demo.book.records(StoredPlan)) == kept and planning.plans(demo.book)[0].stored is None


def test_tasks_are_done_skipped_with_reason_and_open_again(desk: Desk) -> None:
    machine(desk)
    made = planned(desk, 1.0)
    names = [t.step for t in tasks.today(desk.book)]
    assert "warm wet" in names or "warm dry" in names
    task = tasks.today(desk.book)[0]
    assert "done" in tasks.done(desk, task)
    assert next(t for t in tasks.today(desk.book) if t.step == task.step).state == "done"
    desk.undo()
    assert tasks.today(desk.book)[0].state == "open"
    with pytest.raises(UserError, match="Why is it left out"):
        tasks.skip(desk, task, " ")
    tasks.skip(desk, task, "no time")
    skipped = next(t for t in tasks.tasks_of(desk.book, planning.plans(desk.book)[0]) if t.step == task.step)
    assert (skipped.state, skipped.note) == ("skipped", "no time")
    tasks.reopen(desk, skipped)
    assert desk.book.records(TaskMark) == ()
    desk.clock.at_ms = made.set_ms + 30 * HOUR_MS  # type: ignore[attr-defined]
    late = next(t for t in tasks.today(desk.book) if t.step == "set")
    assert late.overdue(desk.now_ms) and "was due" in tasks.when_words(desk.book, late)


def test_turning_by_hand_alternates_and_ends(desk: Desk) -> None:
    machine(desk)
    incubator = desk.book.incubators()[0]
    now = desk.now_ms
    setting_up.set_batch(desk, incubator, "hens", "chicken", "steady", 12, now - 5 * DAY_MS)
    plan = planning.plans(desk.book)[0]
    planning.change_way(desk, plan, Way(turning="by hand"))
    task = next(t for t in tasks.today(desk.book) if t.step.startswith("turn"))
    assert "show X" in task.title and tasks.done(desk, task) == "Turned: X is up."
    course = batches.running(desk.book, incubator)
    assert course is not None
    found = turning.turning(desk.book, course)
    assert (found.side, found.next_side, found.today) == ("X", "O", 1)
    assert "X is up since" in turning_words.by_hand(desk.book, found) and "too long" in turning_words.by_hand(
        desk.book, found
    )
    assert turning.log_turn(desk, course, now) == "O"
    assert "an even number" in turning_words.by_hand(desk.book, turning.turning(desk.book, course))
    desk.undo()
    assert [e.detail for e in desk.book.records(Event)] == ["X"]
    for day, hours in ((1, (7, 13, 19)), (2, (7, 19)), (3, (6, 10, 14, 18, 22))):
        midnight = now - (now % DAY_MS) - day * DAY_MS
        for hour in hours:
            desk.add("turned", [(Event, turn(incubator.id, midnight + hour * HOUR_MS))])
    found = turning.turning(desk.book, course)
    assert found.days == (2, 4), "two turns are even, and on the first whole day none is logged"
    assert "as meant on 2 of the last 4 days" in turning_words.by_hand(desk.book, found)
    desk.clock.at_ms = now + 14 * DAY_MS  # type: ignore[attr-defined]
    with pytest.raises(UserError, match="lie still from lockdown"):
        turning.log_turn(desk, course, desk.now_ms)
    assert not any(t.step.startswith("turn") for t in tasks.today(desk.book))


def turn(incubator_id: int, at_ms: int) -> dict[str, object]:
    return {"incubator_id": incubator_id, "time_ms": at_ms, "kind": "turn", "note": "O up", "set_point_c": None}


def test_eggs_that_must_never_be_turned(desk: Desk) -> None:
    machine(desk)
    incubator = desk.book.incubators()[0]
    setting_up.set_batch(desk, incubator, "clutch", "leopard_gecko", "steady", 2, desk.now_ms - DAY_MS)
    course = batches.running(desk.book, incubator)
    assert course is not None
    with pytest.raises(UserError, match="must never be turned"):
        turning.log_turn(desk, course, desk.now_ms)


def test_what_is_in_the_way_is_explained(desk: Desk) -> None:
    machine(desk)
    planned(desk, 5.0, name="first")
    planned(desk, 15.0, name="second", laid_ms=desk.now_ms + round(2.5 * DAY_MS))
    conflicts.set_capacity(desk, desk.book.incubators()[0], 20)
    start = desk.now_ms + 22 * DAY_MS
    conflicts.add_away(desk, start, start + 2 * DAY_MS, "fair")
    said = [f"{c.text} {c.to_do}" for c in conflicts.conflicts(desk.book, planning.plans(desk.book))]
    assert any("Lockdown of first comes while turning and drier air are still due to second" in s for s in said)
    assert any("would hold 24 eggs, and has room for 20" in s for s in said)
    assert any("You are away" in s and "lockdown" in s for s in said)
    assert any("days old at setting, which costs about" in s for s in said)
    with pytest.raises(UserError, match="before it begins"):
        conflicts.add_away(desk, start, start, "")
    with pytest.raises(UserError, match="are over"):
        conflicts.add_away(desk, 0, 1, "")


def test_batches_are_compared_by_what_their_own_profiles_hold(desk: Desk) -> None:
    machine(desk)
    incubator = desk.book.incubators()[0]
    stages = (Stage("setting", 0.0, Band(36.2, 36.8), None),)
    own = profiles.keep_profile(desk, OwnProfile("Cool", "chicken", "", stages, 23.0))
    for name, regime in (("usual", "steady"), ("cool", f"own {own}")):
        setting_up.set_batch(desk, incubator, name, "chicken", regime, 6, desk.now_ms - DAY_MS)
    said = " ".join(conflicts.sharing(desk.book, incubator))
    assert "36.2–36.8 °C" in said and "want" in said and "37.0 °C is nearest to both" in said


def test_the_phone_gets_what_is_to_come(desk: Desk, tmp_path: Path) -> None:
    """Read back by two parsers: icalendar, and vobject (written apart from it)."""
    import icalendar

    machine(desk)
    making.put_setting(desk, "time_zone", "Europe/Vienna")
    made = planned(desk, 3.0, name="Ünlü, hens; best")
    path = tmp_path / "plan.ics"
    assert "entries written" in calendar.write(desk, path)
    raw = path.read_bytes()
    assert all(len(line) <= 75 for line in raw.split(b"\r\n")), "RFC 5545, 3.1: lines of at most 75 octets"
    first = {str(e["UID"]): e for e in icalendar.Calendar.from_ical(raw).walk("VEVENT")}
    lockdown = next(e for uid, e in first.items() if "-lockdown@" in uid)
    step = made.step("lockdown")
    assert step is not None
    assert lockdown["DTSTART"].dt.timestamp() * 1000 == pytest.approx(step.at_ms, abs=1000)
    assert "Ünlü, hens; best" in str(lockdown["SUMMARY"]) and str(lockdown["LOCATION"]) == "Cabinet"
    (alarm,) = lockdown.walk("VALARM")
    assert alarm["TRIGGER"].dt == timedelta(hours=-24)
    again = seen_by_another_parser(raw)
    assert again == {uid: int(e["DTSTART"].dt.timestamp()) for uid, e in first.items()}
    tasks.skip(desk, next(t for t in tasks.tasks_of(desk.book, made) if t.step == "candle 1"), "dark shells")
    planning.move_step(desk, planning.plans(desk.book)[0], "candle 2", made.set_ms + 15 * DAY_MS)
    desk.clock.at_ms += 5 * 60_000  # type: ignore[attr-defined]
    calendar.write(desk, path)
    second = {str(e["UID"]): e for e in icalendar.Calendar.from_ical(path.read_bytes()).walk("VEVENT")}
    assert set(second) == set(first), "the same tasks keep their identifiers"
    assert all(second[u]["SEQUENCE"] > first[u]["SEQUENCE"] for u in first)
    candled = next(e for u, e in second.items() if "-candle-1@" in u)
    assert str(candled["STATUS"]) == "CANCELLED" and not candled.walk("VALARM")
    with pytest.raises(UserError, match="cannot be written"):
        calendar.write(desk, tmp_path / "no" / "plan.ics")


def seen_by_another_parser(raw: bytes) -> dict[str, int]:
    import warnings

    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        import vobject

        read = vobject.readOne(raw.decode("utf-8"))
        return {e.uid.value: int(e.dtstart.value.timestamp()) for e in read.vevent_list}
