"""Shells measured together: corrected, cooled while aimed at, held against the air; held where the way says so."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from making import batch_with_log, mend
from stathmis.core.course.way import Way
from stathmis.core.egg_heat import own_heat, shell_cooling
from stathmis.core.errors import UserError
from stathmis.logbook.records import Channel, Incubator, ShellSeries
from stathmis.services import setting_up
from stathmis.services.batch import batches
from stathmis.services.batch.course import Course
from stathmis.services.desk import Desk
from stathmis.services.eggs import shells
from stathmis.services.findings import judgement
from stathmis.services.findings.shells import shells as measured
from stathmis.services.plan import planning
from stathmis.services.setting_up import NewChannel
from stathmis.words import shells as words


def gun(desk: Desk, accuracy: float = 0.2, unit: str = "°C") -> Channel:
    channels = [NewChannel("temperature", unit, 0.1, accuracy, None)]  # type: ignore[arg-type]
    made = setting_up.add_instrument(desk, "Gun", "infrared gun", channels, reference=False)
    return desk.book.records(Channel, instrument_id=made)[0]


def late(desk: Desk, day: float = 17.0, air_c: float = 37.5) -> Course:
    course, _ = batch_with_log(desk, np.full(round(day * 1440), air_c))
    return course


def now(desk: Desk, course: Course) -> Course:
    found = batches.course_by_id(desk.book, course.batch.id)
    assert found is not None
    return found


def test_shells_are_taken_as_they_were_when_the_lid_was_lifted(desk: Desk) -> None:
    course, channel = late(desk), gun(desk)
    true = 38.0
    cooled = shell_cooling([15.0, 30.0, 45.0, 60.0], true, true - 8.0)
    typed = " ".join(f"{true - k + d:.1f}" for k, d in zip(cooled, (0.2, -0.2, 0.1, -0.1), strict=True))
    assert shells.log_shells(desk, course, channel, typed.replace(".", ","), "60", desk.now_ms) == 4
    (found,) = measured(desk.book, now(desk, course))
    assert found.eggs == 4 and found.mean.value == pytest.approx(true, abs=0.06)
    assert np.mean([float(w) for w in typed.split()]) < true - 0.3, "as they were shown they would be too cold"
    # the gun's accuracy, the eggs' differences and half of the cooling are in it
    assert 0.35 < found.mean.U < 0.8
    assert found.air is not None and found.air.value == pytest.approx(37.5, abs=0.01)
    assert found.usual_k == pytest.approx(float(own_heat(course.species.egg_g, 17 / 21).shell_k), abs=0.02)
    said = " ".join(words.told(desk.book, course, found))
    assert "+0.5 ±" in said and "K over the air; on day 17 +0.5 K is usual" in said
    desk.undo()
    assert measured(desk.book, now(desk, course)) == ()


@pytest.mark.parametrize(
    ("text", "over", "message"),
    [
        ("", "", "Which temperatures"),
        ("warm", "", "no shell's"),
        ("37.8 100", "", "no shell's"),
        ("37.8", "0", "seconds"),
        (" ".join(["37.8"] * 61), "", "Which"),
        ("37.8", "soon", "seconds"),
    ],
)
def test_what_is_no_shell_is_asked_about(desk: Desk, text: str, over: str, message: str) -> None:
    course, channel = late(desk, 10.0), gun(desk)
    with pytest.raises(UserError) as error:
        shells.log_shells(desk, course, channel, text, over, desk.now_ms)
    assert message in str(error.value) and error.value.to_do
    assert not desk.book.records(ShellSeries)


def test_either_unit_and_whatever_stands_between(desk: Desk) -> None:
    course, channel = late(desk, 10.0), gun(desk, unit="°F")
    for text in ("100.4 100.6;100,2\n100.4F", "38C, 38.11C, 37.89C 38C"):
        assert shells.log_shells(desk, course, channel, text, "1", desk.now_ms) == 4
    one, other = (found.mean.value for found in measured(desk.book, now(desk, course)))
    assert one == pytest.approx(other, abs=0.02) and one == pytest.approx(38.05, abs=0.1)


def held_by_shell(desk: Desk, course: Course) -> Course:
    plan = next(p for p in planning.plans(desk.book) if p.batch is not None and p.batch.id == course.batch.id)
    planning.change_way(desk, plan, replace(plan.way, held="shell"), whole=True)
    return now(desk, course)


def test_where_the_shell_is_held_the_air_follows_the_embryos(desk: Desk) -> None:
    """Shell 37.5-38.0 °C (common practice of large hatcheries); a full machine needs less heat late."""
    course = held_by_shell(desk, late(desk))
    asked = [course.band("temperature", course.at_ms(day)) for day in (0.1, 9.0, 15.0, 18.5, 20.5)]
    middles = [band.middle for band in asked if band is not None]
    assert middles[0] == pytest.approx(37.75) and middles == sorted(middles, reverse=True)
    own = own_heat(course.species.egg_g, np.array([0.1, 9.0, 15.0, 18.5, 20.5]) / course.species.days).shell_k
    np.testing.assert_allclose(np.array(middles) + np.maximum(own, 0.0), 37.75, atol=0.06)
    # phases follow each other without gaps, humidity is asked as before
    ends = [p.end_day for p in course.phases]
    assert [p.start_day for p in course.phases][1:] == ends[:-1]
    plain = replace(course, way=Way())
    for day in np.arange(0.05, 23.0, 0.37):
        assert course.band("humidity", course.at_ms(day)) == plain.band("humidity", course.at_ms(day))
        phase, same = course.phase(course.at_ms(day)), plain.phase(course.at_ms(day))
        assert phase is not None and same is not None and phase.name == same.name


def test_what_shells_show_moves_what_is_asked_and_what_the_eggs_feel(desk: Desk) -> None:
    course, channel = late(desk), gun(desk, accuracy=0.1)
    course = held_by_shell(desk, course)
    before = course.band("temperature", desk.now_ms)
    usual = course.warmed_by(desk.now_ms)
    # these eggs are twice as warm over their air as most
    shells.log_shells(desk, course, channel, "38.5 38.6 38.4 38.5 38.6 38.4", "10", desk.now_ms)
    moved = now(desk, course)
    after = moved.band("temperature", desk.now_ms)
    assert before is not None and after is not None and 0.2 < before.middle - after.middle < 0.6
    assert 1.4 < moved.own_heat < 2.3
    assert float(moved.warmed_by(desk.now_ms).core_k) == pytest.approx(moved.own_heat * float(usual.core_k))
    (found,) = measured(desk.book, moved)
    assert found.usual_k == pytest.approx(float(usual.shell_k)), "what is usual is not what these showed"
    said = " ".join(words.told(desk.book, moved, found))
    assert "Warmer than 37.5–38.0 °C" in said and "The air asked for follows it" in said
    eggs = judgement.judged_run(desk.book, moved).eggs
    assert eggs is not None
    assert eggs.core[-1] - eggs.felt[-1] == pytest.approx(float(moved.warmed_by(desk.now_ms).core_k), abs=0.01)
    # a gun that may be half a degree off tells next to nothing
    desk.undo()
    shells.log_shells(desk, course, gun(desk, accuracy=2.0), "38.5 38.6 38.4", "10", desk.now_ms)
    assert now(desk, course).own_heat == pytest.approx(1.0, abs=0.1)


def test_young_eggs_and_eggs_without_air_say_nothing_of_their_heat(desk: Desk) -> None:
    course, channel = late(desk, 5.0), gun(desk, accuracy=0.1)
    shells.log_shells(desk, course, channel, "39 39 39", "10", desk.now_ms)
    assert now(desk, course).own_heat == 1.0
    shells.log_shells(desk, course, channel, "37.5", "10", course.batch.set_ms - 4 * 3_600_000)
    first = measured(desk.book, now(desk, course))[0]
    assert first.own_k is None and "No air was read" in " ".join(words.told(desk.book, course, first))


def test_a_gecko_has_no_shell_to_hold(desk: Desk) -> None:
    course, _ = batch_with_log(desk, np.full(1440 * 30, 28.5), "leopard_gecko")
    assert held_by_shell(desk, course).phases == course.phases
    assert float(course.warmed_by(desk.now_ms).core_k) == 0.0
    assert isinstance(course.incubator, Incubator)


@pytest.mark.parametrize(
    "shown", ["", "{}", "[]", "[[37]]", '["x"]', "[1e999]", "[NaN]", "37.5", "[" * 9, "[" * 100_000, f"[{'1,' * 99}1]"]
)
def test_a_series_that_was_altered_by_hand_says_nothing(desk: Desk, shown: str) -> None:
    course, channel = late(desk), gun(desk, accuracy=0.1)
    shells.log_shells(desk, course, channel, "38.5 38.6 38.4", "10", desk.now_ms)
    mend(desk, ShellSeries, desk.book.records(ShellSeries)[0].id, shown=shown)
    assert measured(desk.book, now(desk, course)) == () and now(desk, course).own_heat == 1.0
