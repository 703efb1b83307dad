"""Clutches: a wished sex, terms learned from own clutches, airing, substrate, siblings left behind, the young."""

from __future__ import annotations

import re
from itertools import pairwise

import numpy as np
import pytest

import making
from making import batch_late, batch_with_log, found
from stathmis.core.course import clutch as core
from stathmis.core.course.way import Way
from stathmis.core.errors import UserError
from stathmis.logbook.records import Batch, Incubator, Placement, StoredPlan
from stathmis.logbook.snapshot import Series
from stathmis.services import rounds, setting_up
from stathmis.services.batch import batches
from stathmis.services.batch.course import Course
from stathmis.services.clock import DAY_MS
from stathmis.services.desk import Desk
from stathmis.services.eggs import findings, hatching, laying, pull, review
from stathmis.services.eggs.tray import tray
from stathmis.services.files import logger_import
from stathmis.services.findings import judgement
from stathmis.services.instruments import overview
from stathmis.services.plan import clutch, learning, planning, tasks
from stathmis.services.watch import alarms
from stathmis.words import alarms as alarm_words
from stathmis.words import clutch as words
from stathmis.words.numbers import number


def plan(desk: Desk, at: int = -1) -> planning.Plan:
    return planning.plans(desk.book)[at]


def machine(desk: Desk) -> Incubator:
    made = setting_up.add_incubator(desk, "Warm cabinet", "forced")
    return desk.book.one(Incubator, made)


@pytest.mark.parametrize(
    ("wished", "celsius", "days", "males"),
    [("females", 27.5, (60, 75), (0, 15)), ("both", 30.5, (45, 60), (25, 60)), ("males", 32.3, (35, 45), (60, 85))],
)
def test_a_wished_sex_is_held_and_forecast(
    desk: Desk, wished: str, celsius: float, days: tuple[int, int], males: tuple[int, int]
) -> None:
    """26.7-28.3 °C females, about 30-31 a mix, 31.7-33 males (common practice)."""
    setting_up.set_batch(desk, machine(desk), "clutch", "leopard_gecko", "steady", 2, desk.now_ms)
    planning.change_way(desk, plan(desk), Way(wished=wished))  # type: ignore[arg-type]
    course = planning.course(desk.book, plan(desk))
    band = course.band("temperature", desk.now_ms)
    assert band is not None and band.middle == pytest.approx(celsius)
    hatch = plan(desk).step("hatch")
    assert hatch is not None and (hatch.at_ms - desk.now_ms) / DAY_MS == pytest.approx(course.species.days)
    assert days[0] <= course.species.days <= days[1]
    assert course.species.days_low < course.species.days < course.species.days_high
    assert course.phases[-1].end_day == course.species.days_high + 1.0, "the course ends by the same days"
    sheet = clutch.clutch_sheet(desk.book, plan(desk), course)
    assert sheet.males is not None and males[0] <= sheet.males[0] <= males[1] and sheet.males[2] == 0.0
    said = " ".join(words.lines(desk.book, sheet))
    assert f"Held at {number(celsius, 'temperature', '°C')}" in said and "Males to expect" in said
    assert "barren" not in said


@pytest.mark.parametrize(("set_point", "days"), [(None, 55.0), (31.0, 45.0), (37.5, 55.0)])
def test_what_a_machine_was_set_to_for_other_eggs_says_nothing(
    desk: Desk, set_point: float | None, days: float
) -> None:
    made = setting_up.add_incubator(desk, "Warm cabinet", "forced", set_point)
    setting_up.set_batch(desk, desk.book.one(Incubator, made), "clutch", "leopard_gecko", "steady", 2, desk.now_ms)
    assert planning.course(desk.book, plan(desk)).species.days == pytest.approx(days)


def test_a_new_clutch_does_not_stand_where_the_last_one_does(desk: Desk) -> None:
    box = machine(desk)
    setting_up.set_batch(desk, box, "first", "leopard_gecko", "steady", 2, desk.now_ms - DAY_MS)
    planning.change_way(desk, plan(desk), Way(box="upper shelf", airing_day=5))
    planning.add_plan(desk, box, "leopard_gecko", "steady", 2, desk.now_ms + DAY_MS)
    assert (plan(desk).way.box, plan(desk).way.airing_day) == ("", 5)


def test_hot_ones_are_warned_of_and_no_range_leaves_the_possible(desk: Desk) -> None:
    setting_up.set_batch(desk, machine(desk), "clutch", "leopard_gecko", "steady", 2, desk.now_ms)
    planning.change_way(desk, plan(desk), Way(set_c=34.5))
    sheet = clutch.clutch_sheet(desk.book, plan(desk), planning.course(desk.book, plan(desk)))
    said = " ".join(words.lines(desk.book, sheet))
    assert "Above 33.0 °C females are often barren" in said
    low, high = (float(x) for x in re.findall(r"about \d+ %, (\d+) to (\d+) %", said)[0])
    assert 0 <= low < high <= 100


def hatched_clutch(desk: Desk, celsius: float, days: float) -> Course:
    """A clutch kept at a temperature that hatched after so many days, and was ended."""
    course, _ = batch_with_log(desk, np.full(int(days * 1440), celsius), "leopard_gecko")
    making.mend(desk, Incubator, course.incubator.id, name=f"Cabinet {course.batch.id}")
    laying.lay_out(desk, course, 2)
    for mark in ("1", "2"):
        findings.log_finding(desk, course, mark, "out", desk.now_ms)
    setting_up.end_batch(desk, course.batch)
    making.mend(desk, Batch, course.batch.id, set_ms=desk.now_ms - round(days * DAY_MS))
    return course


def test_69_days_at_28_3_move_the_forecast(desk: Desk) -> None:
    """One keeper's geckos at 28.3 °C took 69 days on average: own terms beat any table (common practice)."""
    listed = planning.to_be_expected(desk.book, "leopard_gecko", machine(desk), "steady", desk.now_ms)
    course = hatched_clutch(desk, 28.3, 69.0)
    desk.clock.at_ms += 75 * DAY_MS  # type: ignore[attr-defined]
    hatched_clutch(desk, 28.3, 69.0)
    taught = learning.learnt(desk.book, "leopard_gecko")
    assert taught.ratio.own == 2 and "days for their temperature" in " ".join(learning.lines(desk.book, taught, 2))
    kept = learning.for_plan(taught)
    assert kept.term_ratio is not None and kept.term_ratio[0] > 1.05
    machine_held = desk.book.one(Incubator, course.incubator.id)
    way = Way(set_c=28.3)
    later = desk.now_ms + DAY_MS
    planning.add_plan(desk, machine_held, "leopard_gecko", "steady", 2, later, way=way, learned=kept)
    usual, expected = Way(set_c=28.3), plan(desk).species
    assert usual == way and expected.days == pytest.approx(69.0, abs=1.5)
    assert expected.days_low < 69.0 < expected.days_high
    assert expected.days_high - expected.days_low < listed.days_high - listed.days_low, "own clutches narrow it"
    # another temperature follows the list's slope, drawn toward the own term
    warmer = learning.for_plan(taught)
    planning.add_plan(desk, machine_held, "leopard_gecko", "steady", 2, later + 1, way=Way(set_c=31.0), learned=warmer)
    assert plan(desk).species.days < expected.days
    # set, the batch goes by the very days of its plan
    first = next(p for p in planning.plans(desk.book) if p.set_ms == later)
    assert first.stored is not None
    making.mend(desk, StoredPlan, first.stored.id, set_ms=desk.now_ms)
    planning.set_eggs(desk, next(p for p in planning.plans(desk.book) if p.set_ms == desk.now_ms), desk.now_ms)
    running = batches.running(desk.book, machine_held)
    assert running is not None and running.species.days == pytest.approx(expected.days)


def test_a_python_clutch_of_43_days(desk: Desk) -> None:
    """Small pythons take 43-50 days at 31-32 °C (common practice): inside what is forecast, and no alarm."""
    course, _ = batch_with_log(desk, np.full(43 * 1440, 31.5), "small_python")
    expected = course.species
    assert expected.days_low <= 43.0 <= expected.days_high
    assert alarms.alarms(desk.book) == []


@pytest.mark.parametrize("weekday", range(7))
def test_the_box_is_aired_on_the_keepers_own_weekday(desk: Desk, weekday: int) -> None:
    setting_up.set_batch(desk, machine(desk), "clutch", "corn_snake", "steady", 9, desk.now_ms)
    planning.change_way(desk, plan(desk), Way(airing_day=weekday))
    aired = [desk.book.local(s.at_ms) for s in plan(desk).steps if s.kind == "air"]
    assert len(aired) >= 7 and {at.weekday() for at in aired} == {weekday}
    gaps = {(b.date() - a.date()).days for a, b in pairwise(aired)}
    assert gaps == {7}


def test_a_females_own_rhythm_gives_the_next_clutch(desk: Desk) -> None:
    box = machine(desk)
    for laid in (60, 45, 30, 16):
        set_ms = desk.now_ms + DAY_MS
        laid_ms = desk.now_ms - min(laid, 20) * DAY_MS
        made = planning.add_plan(desk, box, "leopard_gecko", "steady", 2, set_ms, laid_ms=laid_ms, mother="Saffron")
        making.mend(desk, StoredPlan, made, laid_ms=desk.now_ms - laid * DAY_MS)
    newest = max(planning.plans(desk.book), key=lambda p: p.laid_ms or 0)
    sheet = clutch.clutch_sheet(desk.book, newest, planning.course(desk.book, newest))
    assert sheet.next_ms is not None and sheet.next_ms[2] == 3
    middle = (0.5 * (sheet.next_ms[0] + sheet.next_ms[1]) - desk.now_ms) / DAY_MS
    assert middle == pytest.approx(-16 + (15 + 15 + 14) / 3, abs=0.01)
    assert "by 3 intervals of her own" in " ".join(words.lines(desk.book, sheet))
    assert core.next_clutch([0.0, 100.0]) == (116.0, 122.0), "a winter between two seasons is no rhythm"


@pytest.mark.parametrize(
    ("kind", "dry", "says"), [("perlite", 400, "320 to 400 g"), ("sand and peat", 500, "50 to 100 g")]
)
def test_water_for_a_substrate(kind: str, dry: float, says: str) -> None:
    said = words.substrate(kind, dry)
    assert says in said and "no drop falls" in said
    with pytest.raises(ValueError, match="mass"):
        core.water_for(kind, 0.0)


def late_clutch(desk: Desk, day: float = 58.0, eggs: int = 4) -> Course:
    course = batch_late(desk, day, "leopard_gecko", eggs)
    laying.lay_out(desk, course, eggs)
    return course


def test_eggs_left_after_their_siblings(desk: Desk) -> None:
    course = late_clutch(desk)
    found(desk, course, "1", "out", 30.0)
    assert "siblings" not in said_of(desk, course)
    found(desk, course, "2", "out", 50.0)
    said = said_of(desk, course)
    assert "2 eggs are left, and the siblings have been out for 2 d" in said and "wait one more day" in said
    found(desk, course, "3", "out", 75.0)
    said = said_of(desk, course)
    assert "1 egg is left" in said and "last resort" in said and "through the shell only" in said
    findings.log_finding(desk, course, "4", "late dead", desk.now_ms)
    findings.log_finding(desk, course, "4", "removed", desk.now_ms)
    assert "siblings" not in said_of(desk, course), "none is left to wait for"


def said_of(desk: Desk, course: Course) -> str:
    sheet = tray(desk.book, course.batch)
    return " ".join(words.under_way(desk.book, hatching.hatching(desk.book, course, sheet), sheet))


def test_each_young_to_its_first_meal(desk: Desk) -> None:
    course = late_clutch(desk)
    found(desk, course, "1", "out", 9 * 24.0)
    assert "damp paper until the first shed" in said_of(desk, course)
    pull.take(desk, course, 1, desk.now_ms - 8 * DAY_MS)
    for kind, hours, next_step in (
        ("first shed", 40.0, "now apart from the others"),
        ("apart", 39.0, "first meal about"),
        ("first meal", 2.0, "first meal 18 May."),
    ):
        found(desk, course, "1", kind, hours)
        assert next_step in said_of(desk, course), kind
    assert tray(desk.book, course.batch).tally.hatched == 1, "what comes later changes no count"


CHICKS = re.compile(r"chick|brooder|feather|fluff|pip|zip|may i open|lockdown|turner|yolk feeds", re.IGNORECASE)


@pytest.mark.parametrize("species", ["leopard_gecko", "corn_snake", "ball_python"])
def test_no_word_of_chicks_for_a_clutch(desk: Desk, species: str) -> None:
    course = batch_late(desk, 60.0, species, 4)
    laying.lay_out(desk, course, 4)
    found(desk, course, "1", "out", 60.0)
    found(desk, course, "2", "external pip", 30.0)
    sheet = tray(desk.book, course.batch)
    state = hatching.hatching(desk.book, course, sheet)
    said = [*words.under_way(desk.book, state, sheet), *words.may_open()]
    said += pull.lines(desk.book, course, pull.take_off(desk.book, course, sheet))
    said += [part for told in pull.afterwards(desk.book, course) for part in told]
    for task in tasks.tasks_of(desk.book, plan(desk)):
        said += [task.title, task.why, task.how]
    said += review.lines(desk.book, review.batch_review(desk.book, course))
    assert [text for text in said if CHICKS.search(text)] == []


def test_a_females_pairing_gives_her_first_clutch(desk: Desk) -> None:
    day = desk.now_ms - 10 * DAY_MS
    clutch.log_pairing(desk, "leopard_gecko", "Fig", day)
    (found_,) = clutch.awaited(desk.book)
    # three to five weeks after pairing: common practice
    assert ((found_.soon_ms - day) / DAY_MS, (found_.late_ms - day) / DAY_MS) == (21.0, 35.0)
    assert "Fig, paired" in words.awaited(desk.book, found_) and "approximate" in words.awaited(desk.book, found_)
    with pytest.raises(UserError, match="Which female"):
        clutch.log_pairing(desk, "leopard_gecko", "  ", day)
    with pytest.raises(UserError, match="still to come"):
        clutch.log_pairing(desk, "leopard_gecko", "Fig", desk.now_ms + DAY_MS)
    # once she has laid she is not awaited, and next time her own days count
    laid = day + 30 * DAY_MS
    desk.clock.at_ms = laid + DAY_MS  # type: ignore[attr-defined]
    planning.add_plan(desk, machine(desk), "leopard_gecko", "steady", 2, desk.now_ms, "", laid, "fig")
    assert clutch.awaited(desk.book) == []
    again = laid + 200 * DAY_MS
    desk.clock.at_ms = again + DAY_MS  # type: ignore[attr-defined]
    clutch.log_pairing(desk, "leopard_gecko", "Fig", again)
    (second,) = clutch.awaited(desk.book)
    middle = 0.5 * (second.soon_ms + second.late_ms)
    assert second.own == 1 and (middle - again) / DAY_MS == pytest.approx(30.0, abs=0.01)
    assert "by 1 earlier pairing of hers" in words.awaited(desk.book, second)
    desk.clock.at_ms = second.late_ms + 31 * DAY_MS  # type: ignore[attr-defined]
    assert clutch.awaited(desk.book) == []


@pytest.fixture
def two_boxes(desk: Desk) -> tuple[Course, Course]:
    """Two clutches in one machine, a logger for all on the shelf, another in the box of the second."""
    first, _ = batch_with_log(desk, np.full(1440 * 3, 28.5), "leopard_gecko")
    made = setting_up.set_batch(desk, first.incubator, "Other", "leopard_gecko", "steady", 2, first.batch.set_ms)
    own = making.instrument(desk, "Box logger", accuracy=0.2)
    batch = desk.book.one(Batch, made)
    desk.clock.at_ms -= DAY_MS  # type: ignore[attr-defined]
    setting_up.move_instrument(
        desk, own.instrument_id, first.incubator.id, at_egg_top=True, place=words.box("Other"), batch=batch
    )
    desk.clock.at_ms += DAY_MS  # type: ignore[attr-defined]
    # the box stands too near the heater
    times = desk.now_ms - np.arange(1430, 0, -1, dtype=np.int64) * 60_000
    logger_import.keep_series(desk, "box.csv", {own.id: Series(times, np.full(1430, 32.0))})
    courses = [batches.course_by_id(desk.book, b.id) for b in (first.batch, batch)]
    assert courses[0] is not None and courses[1] is not None
    return courses[0], courses[1]


def test_a_boxs_own_instrument_judges_its_clutch_alone(desk: Desk, two_boxes: tuple[Course, Course]) -> None:
    shelf, box = two_boxes
    book = desk.book
    for course, celsius in ((shelf, 28.5), (box, 32.0)):
        sheet = rounds.sheet(book, shelf.incubator, batch_id=course.batch.id)
        verdict = sheet.verdict("temperature")
        assert verdict is not None and verdict.corrected.value == pytest.approx(celsius, abs=0.2)
        assert len(sheet.lines) == 1
        run = judgement.judged_run(book, course).trace.temperature.judged
        assert run is not None and run.corrected[-1] == pytest.approx(celsius, abs=0.2)
    # before the box had its own, the shelf's said it
    run = judgement.judged_run(book, box).trace.temperature.judged
    assert run is not None and run.corrected[0] == pytest.approx(28.5, abs=0.2)
    (alarm,) = alarms.alarms(book)
    said = alarm_words.said(book, alarm).words
    assert "Other" in said and alarm.warm
    told = clutch.clutch_sheet(book, planning.plan_of(book, box.batch), box)
    assert told.mean_c is not None and told.mean_c[0] > 29.5, "one of three days at 32"
    # two instruments in two boxes are not held against each other
    assert overview.side_by_side(book, shelf.incubator, "temperature") is None
    desk.undo()


def test_taken_out_of_the_box_the_shelf_says_it_again(desk: Desk, two_boxes: tuple[Course, Course]) -> None:
    shelf, box = two_boxes
    own = desk.book.records(Placement, batch_id=box.batch.id)[0]
    setting_up.move_instrument(desk, own.instrument_id, None, at_egg_top=True)
    hung = desk.book.hung_in(box.incubator, "temperature", shelf.batch.set_ms, desk.now_ms + DAY_MS)
    spans = sorted((start, stop, p.batch_id) for p, start, stop in hung)
    assert [batch for _start, _stop, batch in spans] == [None, box.batch.id, None]
    assert [b[0] - a[1] for a, b in pairwise(spans)] == [1, 1], "no moment is told twice, none left out"
    assert all(p.batch_id is None for p, _a, _b in desk.book.hung_in(shelf.incubator, "temperature", 0, desk.now_ms))
