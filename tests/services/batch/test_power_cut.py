"""A power cut: eggs cool behind the box, larger ones later; bad numbers are asked about."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from making import batch_with_log
from stathmis.core.errors import UserError
from stathmis.logbook.records import Event
from stathmis.services.batch import power_cut
from stathmis.services.desk import Desk
from stathmis.services.findings import judgement
from stathmis.words import power as power_words


def test_eggs_cool_behind_the_box(desk: Desk) -> None:
    course, _ = batch_with_log(desk, np.full(1440, 37.5))
    found = power_cut.cool_down(desk.book, course.incubator, "3", "18")
    assert found.low_c < found.end_c < found.high_c
    assert found.end_c > found.air_c[-1] > found.room_c
    assert (np.diff(found.egg_c) <= 1e-9).all()
    # by hand: a box of 1.5 h, behind it the middle of an egg in still air: 51 min, 1.14 of it, the rest soon over
    slow = 1.14 * (1.5 * np.exp(-3 / 1.5) - 0.845 * np.exp(-3 / 0.845)) / (1.5 - 0.845)
    by_hand = 18 + 19.5 * (slow - 0.14 * np.exp(-3 / 1.5))
    assert found.end_c == pytest.approx(by_hand, abs=0.3)
    said, do = power_cut.words(desk.book, found)
    assert "After 3 h with the lid shut" in said and "pass 30.0 °C after" in said
    assert "do not raise the set point" in do
    # embryos of the last days keep themselves warmer for a while
    late = replace(course, batch=replace(course.batch, set_ms=course.batch.set_ms - 18 * 86_400_000))
    times = np.linspace(0.0, 3.0, 61)
    air = 18 + 19.5 * np.exp(-times / 1.5)
    young, grown = (power_cut.egg_cores(c, desk.book.now_ms, times, air, 58.0) for c in (course, late))
    assert grown[0] == pytest.approx(38.5, abs=0.2) and 0.3 < grown[-1] - young[-1] < grown[30] - young[30] < 2.0
    short = power_cut.cool_down(desk.book, course.incubator, "0,5", "68F")
    assert short.cold_h is None and "Embryos stand this" in power_cut.words(desk.book, short)[1]
    long = power_cut.cool_down(desk.book, course.incubator, "14", "5")
    assert "Warm them" in power_cut.words(desk.book, long)[1]


def test_small_eggs_cool_sooner(desk: Desk) -> None:
    hen, _ = batch_with_log(desk, np.full(1440, 37.5))
    ends = [power_cut.cool_down(desk.book, hen.incubator, "1", "18").end_c]
    desk.undo()
    from stathmis.services import setting_up

    made = setting_up.add_incubator(desk, "Quail box", "forced", 37.6)
    box = next(i for i in desk.book.incubators() if i.id == made)
    setting_up.set_batch(desk, box, "", "coturnix", "steady", 20, desk.now_ms)
    ends.append(power_cut.cool_down(desk.book, box, "1", "18").end_c)
    assert ends[1] < ends[0] - 1.0


@pytest.mark.parametrize(
    ("hours", "room", "says"),
    [("", "18", "How long"), ("2", "warm", "How warm"), ("-1", "18", "no power cut"), ("2", "68", "write 64F"),
     ("500", "18", "no power cut"), ("72.5", "18", "from a few minutes to 72 h"), ("2", "-20.5", "write 64F"),
     ("2", "36.5", "write 64F"), ("0", "18", "no power cut")],
)  # fmt: skip
def test_numbers_that_cannot_be(desk: Desk, hours: str, room: str, says: str) -> None:
    course, _ = batch_with_log(desk, np.full(100, 37.5))
    with pytest.raises(UserError, match=f"(?i){says}"):
        power_cut.cool_down(desk.book, course.incubator, hours, room)


def test_it_is_logged_and_explains_the_excursion(desk: Desk) -> None:
    air = np.full(2880, 37.5)
    air[1000:1180] = 20.0 + 17.5 * np.exp(-np.arange(180) / 90.0)
    course, _ = batch_with_log(desk, air)
    found = power_cut.cool_down(desk.book, course.incubator, "3", "20")
    power_cut.log_power_cut(desk, course.incubator, found, course.batch.set_ms + 1000 * 60_000)
    eggs = judgement.judged_run(desk.book, course).eggs
    assert eggs is not None
    assert any("power off for 3 h" in e.cause for e in eggs.excursions)
    desk.undo()
    assert desk.book.records(Event) == ()


def test_a_cut_that_was_found_is_worked_back_from_what_is_read(desk: Desk) -> None:
    course, _ = batch_with_log(desk, np.full(1440, 37.5))
    box, book = course.incubator, desk.book
    found = power_cut.found_off(book, box, "9", "27", "", "18")
    begin, first, last = found.begin_ms
    assert book.now_ms - 9 * 3_600_000 <= first < begin < last < book.now_ms
    assert found.cut.hours == pytest.approx((book.now_ms - begin) / 3_600_000, abs=0.02)
    core = found.back.core_c
    assert 27.0 < core.low < core.value < core.high < 37.5, "the eggs are behind the air"
    # an egg that is read narrows it, and a colder one makes it longer
    both = power_cut.found_off(book, box, "9", "27", "31", "18").back
    assert both.core_c.high - both.core_c.low < core.high - core.low
    cold = power_cut.found_off(book, box, "9", "27", "28", "18").back
    assert cold.hours.value > both.hours.value and cold.core_c.value < both.core_c.value
    # it was seen well an hour ago: it cannot have been off for longer
    assert power_cut.found_off(book, box, "1", "27", "", "18").back.hours.high <= 1.0
    # Fahrenheit
    warm = power_cut.found_off(book, box, "9", "80.6F", "", "64.4F").back
    assert warm.hours.value == pytest.approx(found.back.hours.value, abs=0.01)
    said = power_words.worked_back(book, found.back, found.begin_ms)
    assert "It went off about" in said and "The eggs are down to about" in said


@pytest.mark.parametrize(
    ("typed", "message"),
    [
        (("9", "", "", "18"), "What do air or eggs read"),
        (("9", "cold", "", "18"), "no temperature"),
        (("9", "80", "", "18"), "no temperature"),
        (("", "27", "", "18"), "last see it well"),
        (("long ago", "27", "", "18"), "last see it well"),
        (("9", "36", "", "36"), "so warm a room"),
        (("9", "27", "", ""), "How warm"),
    ],
)
def test_what_cannot_be_worked_back_is_asked_about(desk: Desk, typed: tuple[str, ...], message: str) -> None:
    course, _ = batch_with_log(desk, np.full(1440, 37.5))
    with pytest.raises(UserError) as error:
        power_cut.found_off(desk.book, course.incubator, *typed)
    assert message in str(error.value)
