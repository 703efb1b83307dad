"""Water and vents in the logbook: what is typed, what the log settled to, and what is made of it."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

import making
from stathmis.core.checks.steady import steady_part, time_constant
from stathmis.core.errors import UserError
from stathmis.logbook import readings
from stathmis.logbook.records import Channel, Event, Incubator
from stathmis.logbook.snapshot import Series
from stathmis.services import rounds
from stathmis.services.batch import batches
from stathmis.services.batch.course import Course
from stathmis.services.desk import Desk
from stathmis.services.files import logger_import
from stathmis.services.findings import box, combinations
from stathmis.services.findings.box import BoxSheet
from stathmis.services.moisture import sizes, water, weights
from stathmis.services.moisture import states as own_states
from stathmis.words import box as box_words

HOUR_MS = 3_600_000


@pytest.mark.parametrize(
    ("text", "cm2"),
    [("120", 120.0), ("20 x 6", 120.0), ("20x6,5 cm", 130.0), ("12,5 cm²", 12.5), ("round 20", 314.159)],
)
def test_a_surface_as_typed(text: str, cm2: float) -> None:
    assert water.area_in(text) == pytest.approx(cm2, rel=1e-4)


@pytest.mark.parametrize(
    ("text", "says"), [("0", "above 0 cm²"), ("0 x 12", "above 0 cm²"), ("wide", "is no surface"), ("900000", "not mm")]
)
def test_a_surface_of_nothing_is_refused(text: str, says: str) -> None:
    with pytest.raises(UserError, match=says):
        water.area_in(text)


@given(st.integers(0, 100))
def test_an_opening_is_typed_as_it_is_shown(percent: int) -> None:
    opening = percent / 100.0
    assert water.opening_in(water.opening_typed(opening)) == pytest.approx(opening, abs=0.005)
    assert water.opening_in(f"{percent} %") == pytest.approx(opening)


def test_notes_say_how_far_and_how_much() -> None:
    said = {"from a third to half open": 0.5, "half": 0.5, "1/3": 1 / 3, "to 40 %": 0.4, "closed": 0.0, "red one": None}
    assert {note: water.opening_in_note(note) for note in said} == pytest.approx(said)
    poured = {"long trough, 330 ml": 330.0, "0,3 l warm": 300.0, "both filled": None}
    assert {note: water.amount_in_note(note) for note in poured} == poured
    for text in ("sideways", "1/0", "140 %", "2"):
        with pytest.raises(UserError, match="is no opening"):
            water.opening_in(text)


@given(st.floats(4.0, 60.0), st.floats(-25.0, 25.0).filter(lambda a: abs(a) > 4), st.integers(0, 10**6))
def test_a_step_gives_back_its_end_and_its_time_constant(minutes: float, step: float, seed: int) -> None:
    rng = np.random.default_rng(seed)
    t = np.arange(0.0, 6 * 3600.0, 60.0)
    v = 50.0 - step * np.exp(-t / (60.0 * minutes)) + rng.normal(0, 0.1, t.size)
    tau, u = time_constant(t, v)
    assert abs(np.log(tau / (60.0 * minutes))) < max(3.0 * u, 0.3)
    found = steady_part(t, v)
    assert found is not None and found.mean == pytest.approx(50.0, abs=2.0)


def test_what_drifts_all_day_is_no_state() -> None:
    t = np.arange(0.0, 14 * 3600.0, 300.0)
    assert steady_part(t, 60.0 - t / 3600.0 * 2.0) is None
    assert steady_part(t[:3], np.full(3, 50.0)) is None
    by_hand = steady_part([1800.0, 9000.0, 50_000.0], [70.0, 50.0, 52.0], by_hand=True)
    assert by_hand is not None and by_hand.mean == 51.0, "the reading taken too soon does not count"


def cabinet(desk: Desk) -> tuple[Incubator, Course]:
    incubator = desk.book.incubators()[0]
    course = batches.running(desk.book, incubator)
    assert course is not None
    return incubator, course


def looked_at(desk: Desk) -> BoxSheet:
    return box.box_sheet(desk.book, *cabinet(desk))


def test_changes_are_logged_and_taken_back(demo: Desk) -> None:
    incubator, _ = cabinet(demo)
    long, short, tray = water.surfaces(demo.book, incubator)
    before = len(demo.book.records(Event))
    wet = {long.id: 1.0, short.id: 0.5, tray.id: 0.0}
    assert water.log_change(demo, incubator, wet, 1 / 3, demo.now_ms, 200.0) == 2
    now = water.setting_at(water.events_of(demo.book, incubator), demo.now_ms)
    assert (now.surface_cm2, now.opening) == (pytest.approx(345.0), pytest.approx(1 / 3))
    assert "long trough and part of short trough, 345 cm² wet; 200 ml poured" in demo.book.records(Event)[-2].note
    demo.undo()
    assert len(demo.book.records(Event)) == before
    demo.redo()
    with pytest.raises(UserError, match="how it stood already"):
        water.log_change(demo, incubator, wet, 1 / 3, demo.now_ms)
    with pytest.raises(UserError, match="There is a Long Trough already"):
        water.add_surface(demo, incubator, "Long Trough", "12", "")
    with pytest.raises(UserError, match="is no volume"):
        water.add_surface(demo, incubator, "cup", "12", "-3")
    rounds.log_event(demo, incubator, "vent", "the red one", demo.now_ms)
    assert water.setting_at(water.events_of(demo.book, incubator), demo.now_ms).opening is None, "how far was not said"
    assert "how far the vent is open is not said" in box_words.headline(looked_at(demo))


def test_the_log_teaches_what_this_box_does(demo: Desk) -> None:
    sheet = looked_at(demo)
    assert sheet.used >= 10 and all(s.used for s in sheet.states)
    hidden = {(0.0, 1 / 3): 17.3, (260.0, 1 / 3): 42.9, (430.0, 1 / 3): 53.1, (430.0, 0.5): 47.7}
    for (surface, opening), rh in hidden.items():
        near = [s.state.rh for s in sheet.states if s.state and abs(s.state.vent - opening) < 0.01]
        # the driest lies far below the jars its hygrometer was checked in
        assert any(abs(v - rh) < (1.5 if surface else 2.0) for v in near), (surface, opening, near)
    cells = [c for row in sheet.grids["now"].cells for c in row]
    assert max(c.U for c in cells) < 6.0
    for opening in {c.opening for c in cells}:
        column = [c.rh for c in cells if c.opening == opening]
        assert column == sorted(column), "more water is moister"
    for row in sheet.grids["now"].cells:
        assert [c.rh for c in row] == sorted((c.rh for c in row), reverse=True), "more vent is drier"
    said = " ".join(
        [box_words.headline(sheet), *box_words.lines(demo.book, sheet), *box_words.ramp_lines(demo.book, sheet)]
    )
    assert "Once that is mended" in said and "A filling lasts about" in said and "a dry hatch wants" in said
    assert "Unplug before filling" in said and "hatch tray" in said
    wet = [s.cell.combination.surface_cm2 for s in sheet.ramp]
    assert wet == sorted(wet) and all(s.wait_s >= 3600.0 for s in sheet.ramp)


def test_a_state_is_left_out_and_used_again(demo: Desk) -> None:
    sheet = looked_at(demo)
    incubator, _ = cabinet(demo)
    only_dry = next(s for s in sheet.states if s.setting.surface_cm2 == 0.0)
    own_states.drop(demo, incubator, only_dry)
    less = looked_at(demo)
    assert less.used == sheet.used - 1
    again = next(s for s in less.states if s.since_ms == only_dry.since_ms)
    assert not again.used
    own_states.include(demo, again)
    assert looked_at(demo).used == sheet.used
    for found in sheet.states:
        if found.setting.opening != 0.5:
            own_states.drop(demo, incubator, found)
    said = box_words.unmoved(looked_at(demo))
    assert "The vent was never moved" in said


def test_a_wick_that_falls_dry_is_found(demo: Desk) -> None:
    """The humidity of the last hours sinks though nothing was done: the water is doubted, not the vent."""
    incubator, _ = cabinet(demo)
    own = [c for c in demo.book.records(Channel) if demo.book.instrument(c.instrument_id).name == "Shelf logger"]
    warm, moist = own
    newest = readings.series(demo.book.snapshot, moist, demo.now_ms - 2 * HOUR_MS, demo.now_ms)
    demo.clock.at_ms = demo.now_ms + 5 * HOUR_MS  # type: ignore[attr-defined]
    times = newest.times_ms[-1] + np.arange(1, 280, dtype=np.int64) * 60_000
    shown = float(newest.shown[-1]) - np.minimum(np.arange(1, 280) / 12.0, 14.0)
    series = {moist.id: Series(times, shown), warm.id: Series(times, np.full(times.size, 37.4))}
    logger_import.keep_series(demo, "later.csv", series)
    sheet = looked_at(demo)
    assert sheet.misfit is not None and sheet.misfit.difference < -8.0
    text = box_words.doubt(sheet)
    assert "drier than this water and vent" in text and "look at the water first" in text
    round_sheet = rounds.sheet(demo.book, incubator)
    humid = round_sheet.verdict("humidity")
    actions = making.told(demo, round_sheet, None, humid, sheet)
    assert any("look at the water first" in a.text for a in actions)


def test_advice_names_the_mix_and_what_it_gives(demo: Desk) -> None:
    """The trough was emptied three hours ago: the advice is to fill it, with the humidity this box then has."""
    incubator, course = cabinet(demo)
    own = water.surfaces(demo.book, incubator)
    water.log_change(demo, incubator, {own[0].id: 1.0}, None, demo.now_ms - 4 * HOUR_MS)
    sheet = box.box_sheet(demo.book, incubator, course)
    found = combinations.change(sheet.grids["now"], sheet.now)
    assert found is not None and found.fill and box_words.change_words(found).startswith("Fill the")
    assert abs(found.cell.rh - 50.0) < 5.0 and found.cell.inside > 0.5


def test_an_unknown_box_says_what_is_missing(desk: Desk) -> None:
    from stathmis.services import setting_up

    setting_up.add_incubator(desk, "Box", "forced")
    incubator = desk.book.incubators()[0]
    sheet = box.box_sheet(desk.book, incubator, None)
    assert "Enter what holds water" in box_words.headline(sheet)
    made = water.add_surface(desk, incubator, "cup", "80", "")
    assert "what is wet is not said" in box_words.headline(box.box_sheet(desk.book, incubator, None))
    water.log_change(desk, incubator, {made: 1.0}, 0.5, desk.now_ms)
    sheet = box.box_sheet(desk.book, incubator, None)
    assert sheet.trial is not None and sheet.trial.after < sheet.trial.before
    assert any("To learn most from one trial" in line for line in box_words.lines(desk.book, sheet))
    assert max(c.U for row in sheet.grids["now"].cells for c in row) > 10.0, "wide while nothing is known"


def test_eggs_by_caliper_and_candle(demo: Desk) -> None:
    _, course = cabinet(demo)
    words = sizes.log_size(demo, course, "3", "41", "31,5", "9", demo.now_ms)
    # 0.548 x 4.1 x 3.15^2 = 22.3 g (Hoyt 1979)
    assert words.startswith("Egg 3 weighed 22.3 ± 0.9 g when laid and has lost about")
    for typed, says in (
        (("", "", ""), "nothing to log"),
        (("41", "", ""), "belong together"),
        (("31", "41", ""), "is no egg"),
        (("80", "60", ""), "would weigh"),
        (("", "", "40"), "more than half such an egg"),
        (("", "", "deep"), "is no depth"),
    ):
        with pytest.raises(UserError, match=says):
            sizes.log_size(demo, course, "3", *typed, demo.now_ms)
    from stathmis.services.findings import loss

    sheet = loss.loss_sheet(demo.book, course, weights.weighings(demo.book, course.batch.id))
    assert sheet is not None
    said = " ".join(sizes.lines(demo.book, sheet))
    assert "At setting it had lost" in said and "trust the scale" in said
    demo.undo()
    assert sizes.sizes(demo.book, course.batch.id) == []
