"""First pictures of long runs, advice that builds on the last change, humidity that changes within a stage."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

import making
from making import batch_with_log
from stathmis.core.course.profile import Band, with_humidity
from stathmis.core.course.profile import phases as phases_of
from stathmis.services import knowledge, rounds, setting_up
from stathmis.services.batch import profiles
from stathmis.services.clock import DAY_MS
from stathmis.services.desk import Desk
from stathmis.services.findings import trace


def test_the_first_picture_of_a_long_run_holds_its_peaks(desk: Desk, monkeypatch: pytest.MonkeyPatch) -> None:
    rng = np.random.default_rng(3)
    air = 37.5 + rng.normal(0, 0.05, 14 * 1440)
    air[9000:9020] = 33.0
    air[15000:15010] = 39.2
    course, _ = batch_with_log(desk, air)
    assert trace.outline(desk.book, course) is None, "a short run is as quick as a whole"
    monkeypatch.setattr(trace, "LONG_RUN", 1000)
    first, whole = trace.outline(desk.book, course), trace.trace(desk.book, course)
    assert first is not None and first.outline and not whole.outline
    coarse, full = first.temperature.judged, whole.temperature.judged
    assert coarse is not None and full is not None
    assert coarse.times_ms.size < full.times_ms.size / 500
    assert (coarse.times_ms[0], coarse.times_ms[-1]) == (full.times_ms[0], full.times_ms[-1])
    # corrected least and most are those of the whole: a correction that rises keeps them so
    assert coarse.corrected.min() == pytest.approx(full.corrected.min(), abs=1e-9)
    assert coarse.corrected.max() == pytest.approx(full.corrected.max(), abs=1e-9)
    assert first.temperature.shares == () and first.temperature.days == ()


def test_the_next_step_is_chosen_by_what_the_last_one_did(desk: Desk) -> None:
    air = np.full(2 * 1440, 36.8)
    air[-600:] = 37.1
    course, _ = batch_with_log(desk, air)
    plain = rounds.sheet(desk.book, course.incubator)
    before = making.told(desk, plain, plain.verdict("temperature"), None)[0]
    assert before.text.startswith("Raise the set point by 0.4 °C"), "one for one where nothing is known"
    acted = desk.now_ms - 605 * 60_000
    rounds.log_event(desk, course.incubator, "set_point", "38.1 °C", acted, 38.1)
    sheet = rounds.sheet(desk.book, course.incubator)
    after = making.told(desk, sheet, sheet.verdict("temperature"), None)[0]
    # 0.6 K more on the dial gave 0.3 K: twice the step is needed for the rest
    assert after.text.startswith("Raise the set point by 0.8 °C")
    assert "the set point was changed 10 h 5 min ago" in after.why[0] and "0.5 times as far" in after.why[1]


def test_what_was_learned_makes_no_leap_of_the_set_point(desk: Desk) -> None:
    air = np.full(2 * 1440, 36.7)
    air[-600:] = 36.9
    course, _ = batch_with_log(desk, air)
    rounds.log_event(desk, course.incubator, "set_point", "38.1 °C", desk.now_ms - 605 * 60_000, 38.1)
    sheet = rounds.sheet(desk.book, course.incubator)
    action = making.told(desk, sheet, sheet.verdict("temperature"), None)[0]
    assert action.text.startswith("Raise the set point by 1.0 °C"), "three times 0.6 might overheat the eggs"


def test_water_that_went_in_is_told_with_what_it_did(demo: Desk) -> None:
    cabinet = demo.book.incubators()[0]
    sheet = rounds.sheet(demo.book, cabinet)
    verdicts = sheet.verdict("temperature"), sheet.verdict("humidity")
    assert not any("Last:" in a.note for a in making.told(demo, sheet, *verdicts)), "four days ago is too long"
    rounds.log_event(demo, cabinet, "water", "a cup", demo.now_ms - 20 * 3_600_000)
    again = rounds.sheet(demo.book, cabinet)
    (action, *_) = making.told(demo, again, again.verdict("temperature"), again.verdict("humidity"))
    assert action.text.startswith("Add water surface")
    assert action.note.startswith("Last: water went in 20 h ago (a cup); since then")


@given(st.lists(st.tuples(st.floats(-1, 17.9), st.integers(20, 80)), max_size=5), st.floats(-2, 22))
def test_changes_of_humidity_touch_the_setting_alone(changes: list[tuple[float, int]], day: float) -> None:
    species, regimes = knowledge.species()["chicken"], knowledge.regimes()
    course = phases_of(species, regimes["steady"], "forced")
    bands = [(d, Band(float(low), low + 5.0)) for d, low in sorted(changes)]
    made = with_humidity(course, bands)
    assert made[0] == course[0] and made[-3:] == course[-3:]
    assert all(a.end_day == b.start_day for a, b in pairwise(made))
    phase = next((p for p in made if p.start_day <= day < p.end_day), None)
    if phase is not None and phase.name == "setting":
        held = [band for d, band in bands if d <= day]
        assert phase.humidity == (held[-1] if held else Band(45.0, 55.0))


def test_what_a_batch_follows_outlives_the_program(desk: Desk) -> None:
    from stathmis.logbook.opening import open_logbook
    from stathmis.services.batch import batches

    made = setting_up.add_incubator(desk, "Cabinet", "forced")
    setting_up.add_incubator(desk, "Egg room", "room")
    own = profiles.start_from(desk.book, "chicken", "falling")
    profiles.keep_profile(desk, own)
    at = desk.now_ms - 8 * DAY_MS
    setting_up.set_batch(desk, desk.book.incubators()[0], "", "chicken", "own 1", 6, at, "from 1")
    path, clock = desk.logbook.path, desk.clock
    desk.logbook.close()
    again = Desk(open_logbook(path), clock)
    course = batches.running(again.book, again.book.incubators()[0])
    assert course is not None and (course.regime_name, course.day_text(again.now_ms)) == ("My chicken", "day 9 of 22")
    assert course.band("humidity", again.now_ms) == Band(30.0, 40.0)
    room = again.book.room()
    assert room is not None and room.name == "Egg room" and [i.id for i in again.book.incubators()] == [made]
    again.logbook.close()
