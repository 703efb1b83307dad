"""A practice hatch: the same number is the same world, what is logged is done to it, and the cover comes off
honestly."""

from __future__ import annotations

import shutil
from collections.abc import Callable, Iterator
from contextlib import AbstractContextManager, contextmanager
from pathlib import Path

import numpy as np
import pytest

from stathmis.core.errors import UserError
from stathmis.core.hatch.embryos import HARDSHIPS
from stathmis.logbook.opening import LogbookError, open_logbook
from stathmis.logbook.records import Batch, Channel, Event, Weighing
from stathmis.services import rounds
from stathmis.services.batch import batches
from stathmis.services.clock import HOUR_MS, FixedClock
from stathmis.services.desk import Desk
from stathmis.services.eggs import review
from stathmis.services.eggs.tray import tray
from stathmis.services.findings.runs import lately
from stathmis.services.moisture.water import events_of, setting_at
from stathmis.services.plan import lockdown, planning
from stathmis.services.practice import deeds, keepers, progress, uncovering, under_way
from stathmis.services.practice.lessons import FREE, LESSONS, lesson_of
from stathmis.services.practice.under_way import Practice
from stathmis.services.practice.world import DAY_S, Act, World, hatched
from stathmis.words import practice as words

Practised = Callable[..., AbstractContextManager[Practice]]


@pytest.fixture
def practised(lessons: Callable[[str, int], Path], tmp_path: Path) -> Practised:
    """A lesson to go on with: as it is taken over, or where the test left it."""
    return lambda key, seed=1: _practised(tmp_path / f"{key} {seed}.stathmis", lessons(key, seed))


@contextmanager
def _practised(path: Path, taken_over: Path) -> Iterator[Practice]:
    if not path.exists():
        shutil.copy(taken_over, path)
    clock = FixedClock(under_way.SET_MS)
    logbook = open_logbook(path)
    try:
        yield Practice.resume(Desk(logbook, clock), clock)
    finally:
        logbook.close()


@pytest.mark.parametrize("key", [*LESSONS, FREE])
def test_a_steady_hand_hatches_and_who_does_nothing_does_not(key: str) -> None:
    lesson = lesson_of(key, 1)
    end = (World(lesson, 1).species.days_high + uncovering.STRAGGLERS_D) * DAY_S
    world, other = (uncovering.lived(key, 1, hand, end) for hand in (keepers.steady_hand, keepers.nothing_done))
    assert hatched(world.came()) >= 0.3 * lesson.eggs
    assert hatched(other.came()) < 0.5 * hatched(world.came())


def test_the_same_number_is_the_same_world_however_it_is_gone_through() -> None:
    """Step by step, or to the end at once: the same truth, displays and chicks."""
    lesson, acts = LESSONS["season"], [Act(0.0, "eggs in"), Act(40_000.0, "set point", 37.2), Act(90_000.0, "water")]
    whole = uncovering.lived("season", 5, acts, 6 * DAY_S)
    steps = World(lesson, 5)
    for until in np.arange(0.2, 6.01, 0.2) * DAY_S:
        due = [a for a in acts if steps.now_s <= a.at_s < until]
        for act in due:
            steps.go_on(max(steps.now_s, act.at_s))
            steps.go_on(steps.now_s, [act])
        steps.go_on(float(until))
    assert [tuple(r) for r in whole.rows] == [tuple(r) for r in steps.rows]
    assert (whole.eggs.bears == World(lesson, 5).eggs.bears).all()
    assert not (whole.eggs.bears == World(lesson, 6).eggs.bears).all()
    display = lesson.displays[0]
    for _quantity, sensor in display.shows:
        twice = {whole.shows(display.name, sensor, whole.rows[40], "temperature") for _ in range(3)}
        assert len(twice) == 1


def test_what_is_logged_is_done_and_the_loggers_write(practised: Practised) -> None:
    with practised("dry cupboard") as practice:
        desk, incubator = practice.desk, practice.incubator
        logger = next(c for c in desk.book.records(Channel) if desk.book.instrument(c.instrument_id).kind == "logger")
        before = practice.now_ms
        rounds.log_event(desk, incubator, "set_point", "", practice.clock.at_ms, 38.0)
        rounds.log_event(desk, incubator, "water", "filled", practice.clock.at_ms)
        step = practice.go_on(practice.to_hour(under_way.EVENING_H))
        assert step.until_ms == practice.now_ms > before
        assert practice.world.box.machine.set_point_c == pytest.approx(38.0 + practice.world.off_k)
        run = lately(desk.book, incubator, "temperature", before, practice.now_ms)
        assert run is not None and run.dense and abs(float(run.corrected[-10:].mean()) - 38.0) < 0.4
        assert {a.what for a in practice.acts} >= {"eggs in", "set point", "water"}
        # what was struck before going on was never done
        rounds.log_event(desk, incubator, "set_point", "", practice.clock.at_ms, 30.0)
        desk.undo()
        practice.go_on(practice.to_hour(under_way.MORNING_H))
        assert practice.world.box.machine.set_point_c == pytest.approx(38.0 + practice.world.off_k)
        del logger


@pytest.mark.parametrize("key", [*LESSONS, FREE])
def test_the_log_that_is_taken_over_says_how_the_machine_stands(key: str, practised: Practised) -> None:
    with practised(key) as practice:
        machine, events = practice.world.box.machine, events_of(practice.desk.book, practice.incubator)
        said = setting_at(events, practice.now_ms)
        assert said.surface_cm2 == pytest.approx(machine.water_cm2, abs=1.0)
        assert said.opening == pytest.approx(machine.vent, abs=0.01)


def test_an_amount_is_poured_and_without_one_it_is_filled(practised: Practised) -> None:
    with practised("dry cupboard") as practice:
        practice.go_on(practice.now_ms + 18 * HOUR_MS)
        state, brim = practice.world.box.state, practice.world.box.machine.trough_ml
        left = state.water_ml
        assert left < brim - 20.0
        rounds.log_event(practice.desk, practice.incubator, "water", "15 ml", practice.clock.at_ms)
        practice.do("look at turner")
        assert state.water_ml == pytest.approx(left + 15.0, abs=2.0)
        rounds.log_event(practice.desk, practice.incubator, "water", "", practice.clock.at_ms)
        practice.do("look at turner")
        assert state.water_ml == pytest.approx(brim, abs=2.0)


def test_it_goes_on_where_it_was_left(practised: Practised) -> None:
    with practised("believe", 7) as practice:
        rounds.log_event(practice.desk, practice.incubator, "vent", "half", practice.clock.at_ms)
        for _ in range(3):
            practice.go_on(practice.to_hour(under_way.EVENING_H))
        deeds.weigh(practice)
        now, shows, mass = practice.now_ms, [s.text for s in practice.displays()], deeds.mass_g(practice)
        rows = practice.world.rows[-1]
    with practised("believe", 7) as again:
        assert again.now_ms == now and [s.text for s in again.displays()] == shows
        assert again.world.rows[-1] == rows and deeds.mass_g(again) == pytest.approx(mass)
        assert again.desk.book.records(Weighing)
    with practised("believe", 7) as broken:
        with broken.desk.edit("broken") as edit:
            edit.set(under_way.SETTING, "{}")
        with pytest.raises(UserError, match="cannot be read"):
            Practice.resume(broken.desk, broken.clock)


def test_what_is_done_at_the_machine_is_answered(practised: Practised) -> None:
    with practised("season") as practice:
        with pytest.raises(UserError, match="too early"):
            deeds.finish(practice)
        with pytest.raises(UserError, match="nothing to candle"):
            deeds.candle(practice)
        assert "moves" in deeds.look_at_turner(practice)
        for _ in range(7):
            practice.go_on(practice.to_hour(under_way.EVENING_H))
        assert "stood still" in deeds.look_at_turner(practice) and "moves" in deeds.look_at_turner(practice)
        assert "window" in deeds.look_in(practice)
        deeds.weigh(practice)
        deeds.candle(practice)
        counted = tray(practice.desk.book, practice.desk.book.records(Batch)[0]).counted
        clear = sum(f.count for f in counted if f.kind == "clear")
        assert clear == int(practice.world.eggs.infertile.sum())
        cold = practice.world.room_at(practice.world.now_s)[0]
        deeds.warm_room(practice)
        assert practice.world.room_at(practice.world.now_s)[0] == pytest.approx(cold + 7.0)
        lid = next(c for _i, c in practice.instruments() if _i.kind == "lid display" and c.quantity == "temperature")
        bench = practice.bench(lid)
        assert float(bench["ice"]) == pytest.approx(-0.6, abs=0.15)
        own, reference = (float(t) for t in bench["beside"].split(" / "))
        assert own - reference == pytest.approx(-0.6, abs=0.25)
        moist = next(c for _i, c in practice.instruments() if _i.kind == "lid display" and c.quantity == "humidity")
        assert float(practice.bench(moist)["salt"]) == pytest.approx(75.4 - 6.0 + 0.3 * 7, abs=2.0)


def test_posted_eggs_are_set_when_the_keeper_says_so_and_rest_helps(practised: Practised) -> None:
    with practised("posted eggs") as practice:
        assert practice.course is None and practice.world.set_s is None
        with pytest.raises(UserError, match="No eggs"):
            deeds.weigh(practice)
        practice.go_on(practice.to_hour(under_way.EVENING_H))
        practice.go_on(practice.to_hour(under_way.MORNING_H))
        deeds.set_eggs(practice)
        practice.go_on(practice.to_hour(under_way.EVENING_H))
        assert practice.course is not None and practice.world.rested
    at_once = World(LESSONS["posted eggs"], 1)
    at_once.go_on(-DAY_S, [])
    at_once.go_on(-DAY_S, [Act(-DAY_S, "eggs in")])
    assert not at_once.rested and at_once.eggs.posted > practice.world.eggs.posted


@pytest.mark.heavy("one lesson lived to its end, and again for each kind of decision")
def test_a_lesson_through_to_the_uncovering(practised: Practised) -> None:
    """Lockdown done by its list, the lid left shut: the review, the truth, and the score beside the steady hand's."""
    with practised("at the pip") as practice:
        desk = practice.desk
        plan = planning.plan_of(desk.book, desk.book.records(Batch)[0])
        practice.go_on(practice.to_hour(under_way.MORNING_H))
        for step in lockdown.run(desk.book, plan).steps:
            lockdown.tick(desk, lockdown.run(desk.book, plan), step.key)
        told = []
        while practice.course is not None and practice.course.day(practice.now_ms) < 22.0:
            told += practice.until_something().came
            deeds.look_in(practice)
        assert any("pipped" in line for line in told) and practice.world.turner_out
        deeds.finish(practice)
        assert practice.over and practice.course is None
        found = uncovering.uncover(practice)
        assert found.out == hatched(practice.world.came()) and 0 < found.score <= 140
        assert found.steady > found.nothing and found.lesson.key == "at the pip"
        died = sum(n for _of, n in found.died)
        assert found.out + found.infertile + died <= found.lesson.eggs
        assert {of for of, _n in found.died} <= set(HARDSHIPS) and dict(found.cost).keys() >= {"heat", "lids", "helper"}
        # nobody moved the set point, neither keeper nor steady hand
        assert dict(found.cost)["heat"] == 0
        for curve in found.curves:
            assert curve.believed is not None and curve.asked and curve.times_ms.size == curve.true.size
        assert all(abs(b.off) <= b.U for b in found.beliefs)
        batch = desk.book.records(Batch)[0]
        course = batches.course_by_id(desk.book, batch.id)
        assert course is not None
        told_of = review.batch_review(desk.book, course)
        assert told_of.tally.hatched == found.out and told_of.weighed is not None
        texts = [words.would_have(name, more) for name, more in found.cost]
        texts += [words.believed(desk.book, b.name, b.quantity, b.off, b.U) for b in found.beliefs]
        assert all(texts) and len({words.title(k) for k in (*LESSONS, FREE)}) == len(LESSONS) + 1


@pytest.mark.heavy("a hatch lived anew for each kind of decision")
def test_what_one_decision_cost_is_told_by_living_it_otherwise(practised: Practised) -> None:
    """Eggs in and nothing more: the steady hand's set point alone, in a box that is 0.9 K cool, hatches no fewer."""
    with practised("believe") as practice:
        while practice.course is not None and practice.course.day(practice.now_ms) < 22.5:
            practice.go_on(practice.now_ms + 24 * HOUR_MS)
        deeds.finish(practice)
        cost = dict(uncovering.uncover(practice).cost)
        assert cost["water"] >= 1 and cost["heat"] >= 0
        # stopped half-way it tells what it has
        stopped = uncovering.uncover(practice, cancelled=lambda: True)
        assert stopped.cost == () and stopped.steady > 0


def test_an_event_of_the_keeper_in_the_room_is_nothing_done_to_the_machine(practised: Practised) -> None:
    with practised("believe") as practice:
        room = practice.desk.book.room()
        assert room is not None
        rounds.log_event(practice.desk, room, "note", "drafty", practice.clock.at_ms)
        count = len(practice.acts)
        practice.go_on(practice.now_ms + HOUR_MS)
        assert len(practice.acts) == count and practice.desk.book.records(Event)


def test_the_best_score_of_a_lesson_is_kept(tmp_path: Path) -> None:
    assert progress.scores(tmp_path) == {}
    assert progress.keep(tmp_path, "believe", 60) and not progress.keep(tmp_path, "believe", 50)
    assert progress.keep(tmp_path, "believe", 80) and progress.keep(tmp_path, "season", 0)
    assert progress.scores(tmp_path) == {"believe": 80, "season": 0}
    (progress.folder(tmp_path) / progress.FILE).write_text("[1", encoding="utf-8")
    assert progress.scores(tmp_path) == {}
    blocked = tmp_path / "file"
    blocked.write_text("", encoding="utf-8")
    with pytest.raises(LogbookError, match="cannot be kept"):
        progress.keep(blocked, "believe", 1)


@pytest.mark.heavy("five keepers live the same hatch")
def test_a_careful_keeper_hatches_more_than_a_careless_one() -> None:
    """Both by script and through the services, the careful one by the advice: one world of the shortest lesson."""
    import practise

    found = practise.one("hurry", 4)
    assert found.careful >= 1.5 * found.careless and found.careful >= found.nothing
    assert "too dry in lockdown" in found.causes
