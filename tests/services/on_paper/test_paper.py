"""The card says what every display should show, and what was written in pencil comes back as it was."""

from __future__ import annotations

from dataclasses import replace
from itertools import pairwise
from pathlib import Path
from tempfile import TemporaryDirectory

import pytest
from hypothesis import given
from hypothesis import strategies as st

import making
from making import machine
from stathmis.core.errors import UserError
from stathmis.core.units import to_inside
from stathmis.logbook.opening import create_logbook
from stathmis.logbook.records import Event, Incubator, Reading
from stathmis.services import rounds, setting_up
from stathmis.services.batch import batches
from stathmis.services.clock import HOUR_MS, FixedClock
from stathmis.services.desk import Desk
from stathmis.services.eggs import findings
from stathmis.services.on_paper import columns, written
from stathmis.services.on_paper.brooder import brooder_card
from stathmis.services.on_paper.card import card
from stathmis.services.on_paper.columns import Column
from stathmis.services.on_paper.round_sheet import round_paper
from stathmis.services.on_paper.written import Visit
from stathmis.services.plan import planning, tasks


def test_a_display_that_shows_this_is_in_the_band(demo: Desk) -> None:
    """Typing either end of what the card says must be judged inside, stage by stage as on Round now."""
    book = demo.book
    for incubator in book.incubators():
        course = batches.running(book, incubator)
        if course is None:
            continue
        made = card(book, course)
        assert made.stages[0].start_ms <= book.now_ms < made.stages[0].stop_ms
        assert all(a.stop_ms == b.start_ms for a, b in pairwise(made.stages))
        told = 0
        for line, shown in made.shown:
            for stage, ends in zip(made.stages, shown, strict=True):
                band = stage.humidity if line.channel.quantity == "humidity" else stage.temperature_c
                if ends is None or band is None:
                    continue
                told += 1
                for end in ends:
                    corrected = line.force.curve.apply(end)[0]
                    inside = float(to_inside(corrected, line.channel.unit))
                    assert band.low - 0.06 <= inside <= band.high + 0.06 or line.channel.quantity == "humidity"
        assert told >= len(made.shown)


def test_the_calendar_has_every_step_on_its_day(demo: Desk) -> None:
    book = demo.book
    course = batches.running(book, book.incubators()[0])
    assert course is not None
    made = card(book, course)
    plan = planning.plan_of(book, course.batch)
    wanted = sorted(t.title for t in tasks.tasks_of(book, plan) if t.state == "open" and t.due_ms >= book.now_ms)
    shown = sorted(step for day in made.days for step in day.steps)
    assert [w for w in wanted if w not in shown] == []
    assert [d.date for d in made.days] == sorted({d.date for d in made.days}), "each day once"
    assert {c.incubator.name for c in made.columns} == {"North cabinet", "Egg room"}
    assert all(c.line.instrument.kind != "logger" for c in made.columns)


@pytest.mark.parametrize(("turns", "alternates"), [(3, True), (5, True), (4, False)])
def test_the_mark_in_the_evening(desk: Desk, turns: int, alternates: bool) -> None:
    """With an odd number of turns the long night falls on the other side each day. Source: common practice."""
    box = machine(desk, "Box")
    setting_up.set_batch(desk, box, "", "chicken", "steady", 12, desk.now_ms - 50 * HOUR_MS)
    plan = planning.plans(desk.book)[0]
    planning.change_way(desk, plan, replace(plan.way, turning="by hand", turns_a_day=turns))
    desk.add("turned", [(Event, {"incubator_id": box.id, "time_ms": desk.now_ms - HOUR_MS, "kind": "turn", "note": "",
                                 "set_point_c": None, "detail": "X"})])  # fmt: skip
    course = batches.running(desk.book, desk.book.one(Incubator, box.id))
    assert course is not None and course.lockdown_day is not None
    made = card(desk.book, course)
    sides = [d.side for d in made.days if d.side]
    # X shows, one of today's turns is done: the others lead to today's evening
    first = "XO"[(turns - 1) % 2]
    wanted = [first if not alternates or i % 2 == 0 else "XO"["XO".index(first) ^ 1] for i in range(len(sides))]
    assert sides == wanted
    # eggs lie still from lockdown on: no mark on any evening after
    stop = desk.book.local(course.at_ms(course.lockdown_day)).date()
    assert all(not d.side for d in made.days if d.date > stop) and len(sides) >= 15


def test_the_round_has_every_machine(demo: Desk) -> None:
    made = round_paper(demo.book)
    assert [p.incubator.name for p in made.places] == [p.name for p in demo.book.places()]
    assert [t.title for t in made.due] == [t.title for t in tasks.today(demo.book) if t.state == "open"]


# ---- typed back


@pytest.fixture
def paper(desk: Desk) -> tuple[Desk, tuple[Column, ...]]:
    box = machine(desk, "Box")
    for name, quantity in (("Lid", "temperature"), ("Card", "humidity")):
        making.instrument(desk, name, quantity, kind="digital", incubator_id=box.id)
    return desk, columns.of_round(desk.book)


NOON = 1_779_105_600_000
"""2026-05-18 12:00 UTC."""


@pytest.mark.parametrize(
    ("text", "above", "at"),
    [
        ("17 May 8:10", None, "2026-05-17 08:10"),
        ("17.5. 8:10", None, "2026-05-17 08:10"),
        ("May 17 8:10", None, "2026-05-17 08:10"),
        ("2026-05-17 08:10", None, "2026-05-17 08:10"),
        ("18.12. 8:10", None, "2025-12-18 08:10"),
        ("yesterday 21:30", None, "2026-05-17 21:30"),
        ("8:10", None, "2026-05-18 08:10"),
        ("20:30", "2026-05-16 08:10", "2026-05-16 20:30"),
        ("20.30", "2026-05-16 08:10", "2026-05-16 20:30"),
        ("8:30 pm", "2026-05-16 08:10", "2026-05-16 20:30"),
        ("7:00", "2026-05-16 20:30", "2026-05-17 07:00"),
    ],
)
def test_times_as_they_stand_on_paper(desk: Desk, text: str, above: str | None, at: str) -> None:
    desk.clock = FixedClock(NOON)
    before = None if above is None else written.when(above, None, desk.book)
    assert f"{desk.book.local(written.when(text, before, desk.book)):%Y-%m-%d %H:%M}" == at


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("", "When was that"),
        ("17 May", "At what hour of 17 May"),
        ("19 May 2026 8:10", "not come yet"),
        ("x", "Type a day"),
    ],
)
def test_times_that_cannot_be(desk: Desk, text: str, says: str) -> None:
    with pytest.raises(UserError, match=says):
        written.when(text, None, desk.book)


@given(hours=st.lists(st.integers(1, 20), min_size=1, max_size=12))
def test_any_run_of_visits_comes_back(hours: list[int]) -> None:
    """Visits less than a day apart, written as hours alone after the first, are read as they were."""
    with TemporaryDirectory() as folder:
        logbook = create_logbook(Path(folder) / "l.stathmis", {"time_zone": "Europe/Berlin"})
        try:
            desk = Desk(logbook, FixedClock(NOON))
            start = NOON - (sum(hours) + 1) * HOUR_MS
            times = [start + sum(hours[: i + 1]) * HOUR_MS for i in range(len(hours))]
            above, read = None, []
            for i, at in enumerate(times):
                local = desk.book.local(at)
                above = written.when(f"{local:%Y-%m-%d %H:%M}" if i == 0 else f"{local:%H:%M}", above, desk.book)
                read.append(above)
            assert read == times
        finally:
            logbook.close()


def test_all_rows_in_one_edit_and_never_twice(paper: tuple[Desk, tuple[Column, ...]]) -> None:
    desk, cols = paper
    visits = [Visit("17 May 8:10", ("37.4", "48")), Visit("20:30", ("37,5", "")), Visit("", ("", ""))]
    assert written.keep(desk, cols, visits) == (3, 2)
    typed = {(r.time_ms, r.typed) for r in desk.book.records(Reading)}
    morning, evening = (written.when(t, None, desk.book) for t in ("17 May 8:10", "17 May 20:30"))
    assert typed == {(morning, "37.4"), (morning, "48"), (evening, "37,5")}
    with pytest.raises(UserError, match="nothing new"):
        written.keep(desk, cols, visits)
    assert written.keep(desk, cols, [*visits, Visit("21:00", ("37.6", ""))]) == (1, 1)
    assert desk.undo() == "1 visit typed back" and desk.undo() == "2 visits typed back"
    assert desk.book.records(Reading) == ()


def test_one_doubtful_cell_keeps_all_waiting(paper: tuple[Desk, tuple[Column, ...]]) -> None:
    desk, cols = paper
    for wrong in (Visit("17 May 8:10", ("99.5", "")), Visit("soon", ("37.5", "")), Visit("17 May 8:10", ("", "148"))):
        with pytest.raises(UserError, match="not clear yet"):
            written.keep(desk, cols, [Visit("16 May 8:10", ("37.4", "")), wrong])
        assert desk.book.records(Reading) == ()


def test_what_is_typed_back_is_judged_as_if_logged_then(paper: tuple[Desk, tuple[Column, ...]]) -> None:
    desk, cols = paper
    written.keep(desk, cols, [Visit("18 May 8:30", ("37.4", "48"))])
    sheet = rounds.sheet(desk.book, cols[0].incubator)
    assert sorted(j.shown for j in sheet.latest) == [37.4, 48.0]


def test_the_brooder_cools_week_by_week(desk: Desk) -> None:
    """35 °C under the source at first, about 3 °C lower each week. Source: common practice."""
    course = making.batch_late(desk, 21.5)
    made = brooder_card(desk.book, course)
    assert [w.celsius for w in made.weeks] == [35.0, 32.0, 29.0, 26.0, 23.0]
    assert made.weeks[0].start_ms == made.begins_ms == course.at_ms(21.0)
    assert made.feed_by_ms - made.begins_ms == course.way.feed_limit_h * HOUR_MS
    findings.log_count(desk, course, "out", 3, desk.now_ms - 10 * HOUR_MS)
    made = brooder_card(desk.book, course)
    assert made.chicks == 3 and made.begins_ms == desk.now_ms - 10 * HOUR_MS, "from the first chick on"
