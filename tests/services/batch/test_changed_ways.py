"""A way changed in mid-batch: from now on, or from the first day; what was asked before stands, or does not."""

from __future__ import annotations

from itertools import pairwise

import pytest
from hypothesis import given
from hypothesis import strategies as st

from making import batch_late
from stathmis.core.course import profile
from stathmis.core.course.profile import Band, Phase
from stathmis.core.course.way import Way
from stathmis.logbook.records import EarlierWay
from stathmis.services.batch import batches, profiles, vents
from stathmis.services.batch.course import Course
from stathmis.services.clock import DAY_MS, HOUR_MS
from stathmis.services.desk import Desk
from stathmis.services.eggs import findings
from stathmis.services.plan import planning

BAND = Band(37.0, 38.0)


def now(desk: Desk, course: Course) -> Course:
    again = batches.course_by_id(desk.book, course.batch.id)
    assert again is not None
    return again


def later(desk: Desk, days: float) -> None:
    desk.clock.at_ms += round(days * DAY_MS)  # type: ignore[attr-defined]


def middles(course: Course, *days: float) -> list[float]:
    found = (course.band("temperature", course.at_ms(day)) for day in days)
    return [round(band.middle, 2) for band in found if band is not None]


def test_from_now_on_leaves_what_was_asked(desk: Desk) -> None:
    course = batch_late(desk, 5.0)
    planning.change_way(desk, planning.plan_of(desk.book, course.batch), Way(set_c=37.9), whole=False)
    assert middles(now(desk, course), 1.0, 4.9, 5.1, 17.0) == [37.5, 37.5, 37.9, 37.9]
    later(desk, 4.0)
    planning.change_way(desk, planning.plan_of(desk.book, course.batch), Way(set_c=37.2), whole=False)
    kept = now(desk, course)
    assert middles(kept, 1.0, 6.0, 9.5) == [37.5, 37.9, 37.2] and len(kept.earlier) == 2
    # one that changes no band leaves no trace in it
    later(desk, 1.0)
    way = Way(set_c=37.2, feed_limit_h=36.0)
    planning.change_way(desk, planning.plan_of(desk.book, course.batch), way, whole=False)
    assert len(desk.book.records(EarlierWay)) == 2 and now(desk, course).way.feed_limit_h == 36.0
    for _ in range(3):
        desk.undo()
    assert middles(now(desk, course), 1.0, 6.0, 9.5) == [37.5, 37.5, 37.5] and not desk.book.records(EarlierWay)


def test_what_is_changed_together_is_one_change(desk: Desk) -> None:
    course = batch_late(desk, 5.0)
    for way in (Way(set_c=37.9), Way(set_c=37.9, tolerance_k=0.5), Way(set_c=37.9, setting_rh=(30.0, 40.0))):
        planning.change_way(desk, planning.plan_of(desk.book, course.batch), way, whole=False)
        later(desk, 2 / 1440)
    kept = now(desk, course)
    assert len(desk.book.records(EarlierWay)) == 1 and middles(kept, 4.0, 6.0) == [37.5, 37.9]
    moist = [kept.band("humidity", kept.at_ms(day)) for day in (4.0, 6.0)]
    assert moist == [Band(45.0, 55.0), Band(30.0, 40.0)]


def test_a_school_followed_from_now_on(desk: Desk) -> None:
    course = batch_late(desk, 5.0)
    profiles.follow(desk, course.batch, "moist", "from 0", whole=False)
    kept = now(desk, course)
    moist = [kept.band("humidity", kept.at_ms(day)) for day in (4.0, 6.0)]
    assert moist == [Band(45.0, 55.0), Band(55.0, 65.0)] and kept.regime_name == "moist"
    later(desk, 1.0)
    profiles.follow(desk, kept.batch, "lean", "from 0")
    assert now(desk, course).band("humidity", kept.at_ms(6.5)) == Band(25.0, 40.0)


PHASES = st.lists(st.floats(0.1, 9.0), min_size=1, max_size=5)


@given(PHASES, PHASES, st.floats(-3.0, 60.0))
def test_two_courses_spliced_are_one_without_gaps(one: list[float], other: list[float], day: float) -> None:
    def course(spans: list[float], name: str) -> tuple[Phase, ...]:
        edges = [-2.0, *(-2.0 + sum(spans[: i + 1]) for i in range(len(spans)))]
        return tuple(Phase(name, a, b, BAND, None) for a, b in pairwise(edges))

    before, after = course(one, "before"), course(other, "after")
    made = profile.spliced(before, after, day)
    assert made and all(a.end_day == b.start_day for a, b in pairwise(made))
    assert made[-1].end_day == (after[-1].end_day if after[-1].end_day > day else min(before[-1].end_day, day))
    for phase in made:
        assert phase.start_day < phase.end_day
        assert phase.name == "after" or phase.start_day < day


@pytest.mark.parametrize(("day", "out", "wanted"), [(5.0, False, 0.3), (18.5, False, 0.6), (20.5, True, 1.0)])
def test_vents_by_stage(desk: Desk, day: float, out: bool, wanted: float) -> None:
    course = batch_late(desk, day)
    way = Way(vent_setting=30.0, vent_lockdown=60.0, vent_hatching=100.0)
    planning.change_way(desk, planning.plan_of(desk.book, course.batch), way)
    if out:
        findings.log_count(desk, course, "out", 1, desk.now_ms - HOUR_MS)
    kept = now(desk, course)
    assert vents.wanted(desk.book, kept, desk.now_ms) == wanted and vents.at_lockdown(kept) == 0.6
    assert vents.wanted(desk.book, course, desk.now_ms) is None, "the usual way has none"
