"""Eggs set one by one, in trays of every shape; moved round by the map of warm places, and to other machines."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from making import batch_with_log, instrument
from stathmis.core.errors import UserError
from stathmis.logbook.records import Batch, Egg, TrayShape
from stathmis.logbook.snapshot import Series
from stathmis.services import setting_up
from stathmis.services.batch import batches
from stathmis.services.batch.course import Course
from stathmis.services.clock import DAY_MS, FixedClock
from stathmis.services.desk import Desk
from stathmis.services.eggs import findings, laying, moving, tray
from stathmis.services.eggs.laying import Described
from stathmis.services.eggs.tray_shape import at_edge, beside, places_for, spots, third
from stathmis.services.files import logger_import
from stathmis.services.findings import judgement, trace
from stathmis.services.instruments import places
from stathmis.services.moisture import weights
from stathmis.words import dates

SHAPES: list[TrayShape] = ["grid", "rows", "ring"]


@pytest.mark.parametrize("shape", SHAPES)
@settings(max_examples=30)
@given(st.integers(1, 90), st.integers(1, 30))
def test_no_two_eggs_lie_in_one_place(shape: TrayShape, eggs: int, wide: int) -> None:
    """Every egg has room of its own, and the arrows reach every egg from every other."""
    made = places_for(shape, eggs, wide)
    assert len(set(made)) == len(made) == eggs
    found, (width, depth) = spots(shape, made)
    xy = np.array([found[p] for p in made])
    apart = np.hypot(*(xy[:, None, :] - xy[None, :, :]).transpose(2, 0, 1)) + np.eye(eggs) * 9
    assert apart.min() >= 0.99
    assert (xy.min(axis=0) >= 0.49).all() and (xy.max(axis=0) <= np.array([width, depth]) - 0.49).all()
    reached, todo = {made[0]}, [made[0]]
    while todo:
        at = todo.pop()
        for down, right in ((0, 1), (0, -1), (1, 0), (-1, 0)):
            there = beside(shape, made, at, down, right)
            if there is not None and there not in reached:
                reached.add(there)
                todo.append(there)
    assert reached == set(made)


def test_edge_and_thirds_of_a_tray() -> None:
    grid = places_for("grid", 30, 6)
    assert at_edge("grid", grid, (1, 3)) and not at_edge("grid", grid, (3, 3))
    assert third("grid", grid, (1, 1)) == (0, 0) and third("grid", grid, (5, 6)) == (2, 2)
    ring = places_for("ring", 20, 12)
    assert at_edge("ring", ring, (1, 5)) and not at_edge("ring", ring, (2, 1))


def fresh(desk: Desk) -> Course:
    """Twelve chicken eggs with five days of log."""
    return batch_with_log(desk, np.full(5 * 1440, 37.5))[0]


def again(desk: Desk, course: Course) -> Course:
    """The batch as it stands."""
    found = batches.course_by_id(desk.book, course.batch.id)
    assert found is not None
    return found


def test_one_by_one_with_what_is_known(desk: Desk) -> None:
    course = fresh(desk)
    laid = desk.book.local(course.batch.set_ms - 4 * DAY_MS)
    known = Described("Marans", "hen 7", "own flock", dates.day(laid), "58,3", "brown")
    assert laying.add_egg(desk, course, "A1", known) == "A1"
    assert laying.add_egg(desk, course, "", Described()) == "1"
    egg = tray.tray(desk.book, course.batch).egg("A1")
    assert egg is not None and (egg.breed, egg.mother, egg.source, egg.about) == (
        "Marans",
        "hen 7",
        "own flock",
        "brown",
    )
    assert egg.laid_ms is not None and 3.5 < (course.batch.set_ms - egg.laid_ms) / DAY_MS < 4.5
    (weighed,) = weights.weighings(desk.book, course.batch.id)
    assert (weighed.mark, weighed.mass_g, weighed.time_ms) == ("A1", 58.3, course.batch.set_ms)
    laying.describe(desk, course, "1", Described(breed="Leghorn"))
    for mark, wrong, says in (
        ("A1", Described(), "in the tray already"),
        ("B", Described(mass="580"), "is usual"),
        ("B", Described(mass="many"), "is no mass"),
        ("B", Described(laid="30 Feb"), "no such day"),
        ("B", Described(laid="1 Jan 2020"), "hardly hatch"),
        ("B", Described(laid=f"{desk.book.local(desk.now_ms):%Y-%m-%d}"), "after it was set"),
        ("a much too long mark", Described(), "12 letters at most"),
    ):
        with pytest.raises(UserError, match=says):
            laying.add_egg(desk, course, mark, wrong)
    assert [e.mark for e in desk.book.records(Egg)] == ["A1", "1"]
    desk.undo()
    one = tray.tray(desk.book, course.batch).egg("1")
    assert one is not None and one.breed == ""
    desk.undo()
    desk.undo()
    assert not desk.book.records(Egg) and not weights.weighings(desk.book, course.batch.id), "its mass goes with it"


def test_another_shape_keeps_the_order(desk: Desk) -> None:
    course = fresh(desk)
    laying.lay_out(desk, course, 12, 4)
    laying.change_shape(desk, again(desk, course), "ring")
    assert again(desk, course).batch.tray == "ring"
    sheet = tray.tray(desk.book, again(desk, course).batch)
    assert [e.mark for e in sheet.eggs] == [str(n) for n in range(1, 13)]
    desk.undo()
    assert again(desk, course).batch.tray == "grid" and tray.tray(desk.book, course.batch).size == (3, 4)


def test_swapping_is_told_and_taken_back(desk: Desk) -> None:
    course = fresh(desk)
    laying.lay_out(desk, course, 6, 3)
    findings.log_finding(desk, course, "6", "clear", desk.now_ms, take_out=True)
    moving.swap(desk, course, [("1", "5"), ("2", "3")])
    sheet = tray.tray(desk.book, course.batch)
    one = sheet.egg("1")
    assert (
        one is not None
        and one.place == (2, 2)
        and one.state == "in"
        and (one.findings[-1].from_place, one.findings[-1].to_place) == ("1/1", "2/2")
    )
    for pairs, says in (
        ([("1", "6")], "out of the machine"),
        ([("1", "9")], "no egg 9"),
        ([("1", "1")], "itself"),
        ([("1", "2"), ("2", "3")], "once at a time"),
    ):
        with pytest.raises(UserError, match=says):
            moving.swap(desk, course, pairs)
    desk.undo()
    one = tray.tray(desk.book, course.batch).egg("1")
    assert one is not None and one.place == (1, 1) and not one.findings


def test_the_map_of_warm_places_says_who_moves(desk: Desk) -> None:
    """The back is 0.8 K warmer: front and back change places, and once they have lain as long there, back again."""
    course = fresh(desk)
    stick = instrument(desk, "Stick", step=0.01)
    off = {"back left": 0.4, "back": 0.4, "back right": 0.4, "front left": -0.4, "front": -0.4, "front right": -0.4}
    cells = []
    for name in (n for row in places.PLACES for n in row):
        cells.append(places.Cell(name, stick.id, f"{37.5 + off.get(name, 0.0):.2f} {37.5 + off.get(name, 0.0):.2f}"))
    assert moving.rotation(desk.book, course, tray.tray(desk.book, course.batch)) is None, "without a map, nothing"
    places.keep_survey(desk, course.incubator, places.compare_places(desk.book, cells, "0.02"), None)
    laying.lay_out(desk, course, 12, 4)
    found = moving.rotation(desk.book, course, tray.tray(desk.book, course.batch))
    assert found is not None and found.spread_k == pytest.approx(0.8, abs=0.01)
    warm, cold = ({p[i] for p in found.pairs} for i in (0, 1))
    assert warm == {"1", "2", "3", "4"} and cold == {"9", "10", "11", "12"}
    assert "0.80" in moving.rotation_words(desk.book, found) and "1 with" in moving.rotation_words(desk.book, found)
    moving.swap(desk, course, found.pairs)
    assert isinstance(desk.clock, FixedClock)
    after = moving.rotation(desk.book, course, tray.tray(desk.book, course.batch))
    assert after is None or not {p[0] for p in after.pairs} & cold, "those who come from the cold stay in the warmth"
    desk.clock.at_ms += 5 * DAY_MS + 3_600_000
    even = moving.rotation(desk.book, course, tray.tray(desk.book, course.batch))
    assert even is None or all(one in cold for one, _ in even.pairs)
    desk.clock.at_ms += 4 * DAY_MS
    back = moving.rotation(desk.book, course, tray.tray(desk.book, course.batch))
    assert back is not None and {p[0] for p in back.pairs} <= cold, "now they have had more than their share"


def hatcher(desk: Desk, from_ms: int, celsius: float) -> int:
    """A second machine whose logger shows this from a time on."""
    made = setting_up.add_incubator(desk, "Hatcher", "forced", 37.2)
    logger = instrument(desk, "Hatch logger", step=0.01, incubator_id=made)
    times = np.arange(from_ms, desk.now_ms, 60_000, dtype=np.int64)
    shown = Series(times, np.full(times.size, celsius))
    logger_import.keep_series(desk, "h.csv", {logger.id: shown})
    return made


def test_a_batch_that_changes_machines_keeps_its_course(desk: Desk) -> None:
    """Two days at 37.5 in one machine, then 37.0 in another: the trace follows the eggs."""
    course = fresh(desk)
    moved_ms = course.batch.set_ms + 2 * DAY_MS
    target_id = hatcher(desk, course.batch.set_ms - DAY_MS, 37.0)
    target = next(i for i in desk.book.incubators() if i.id == target_id)
    source = course.incubator
    moving.move_batch(desk, course, target, moved_ms)
    now = again(desk, course)
    assert now.incubator.id == target_id and [(i.id, t) for i, t in now.before] == [(source.id, moved_ms)]
    assert batches.running(desk.book, source) is None and batches.running(desk.book, target) is not None
    run = trace.trace(desk.book, now).temperature.judged
    assert run is not None
    before = run.times_ms < moved_ms
    assert run.corrected[before][-100:].mean() == pytest.approx(37.5, abs=0.05)
    assert run.corrected[~before].mean() == pytest.approx(37.0, abs=0.05)
    assert (np.diff(run.times_ms) > 0).all() and run.names == "Hatch logger with Logger"
    eggs = judgement.judged_run(desk.book, now).eggs
    assert eggs is not None and eggs.mean is not None and 37.0 < eggs.mean.value < 37.5
    assert [e.kind for e in batches.events_along(desk.book, now, 0, desk.now_ms)] == ["moved"]
    for wrong, at, says in (
        (target, desk.now_ms, "already"),
        (source, desk.now_ms + 1, "not come yet"),
        (source, moved_ms - 1, "They came to Hatcher"),
    ):
        with pytest.raises(UserError, match=says):
            moving.move_batch(desk, now, wrong, at)
    desk.undo()
    assert again(desk, course).incubator.id == source.id and not again(desk, course).before


def test_some_eggs_go_and_take_their_stories_along(desk: Desk) -> None:
    course = fresh(desk)
    laying.lay_out(desk, course, 12, 4)
    for mark, kind in (("1", "alive"), ("2", "clear"), ("3", "alive")):
        findings.log_finding(desk, course, mark, kind, desk.now_ms - 3_600_000, take_out=kind == "clear")
    target_id = setting_up.add_incubator(desk, "Hatcher", "forced", 37.2)
    target = next(i for i in desk.book.incubators() if i.id == target_id)
    for marks, says in ((["2"], "does not lie"), (["99"], "does not lie"), ([], "Which eggs")):
        with pytest.raises(UserError, match=says):
            moving.move_some(desk, course, marks, target, desk.now_ms)
    everyone = [str(n) for n in range(1, 13) if n != 2]
    with pytest.raises(UserError, match="all the eggs that are in"):
        moving.move_some(desk, course, everyone, target, desk.now_ms)
    new_id = moving.move_some(desk, course, ["1", "3", "5"], target, desk.now_ms)
    part, rest = batches.course_by_id(desk.book, new_id), again(desk, course)
    assert part is not None and (part.batch.eggs, rest.batch.eggs) == (3, 9)
    there, here = (tray.tray(desk.book, c.batch) for c in (part, rest))
    assert [e.mark for e in there.eggs] == ["1", "3", "5"] and len(here.eggs) == 9
    assert there.egg("1").state == "alive" and here.tally.clear == 1  # type: ignore[union-attr]
    assert there.tally.eggs + here.tally.eggs == 12, "no egg is lost or counted twice"
    assert part.before[0][0].id == course.incubator.id and part.batch.set_ms == course.batch.set_ms
    desk.undo()
    assert len(desk.book.records(Batch)) == 1 and len(tray.tray(desk.book, again(desk, course).batch).eggs) == 12
    desk.redo()
    assert len(desk.book.records(Batch)) == 2


def test_marks_as_they_are_typed() -> None:
    assert moving.marks_in("ALL") is None and moving.marks_in("1-3, 8 A3") == ["1", "2", "3", "8", "A3"]
    with pytest.raises(UserError, match="Which eggs"):
        moving.marks_in(" ")
