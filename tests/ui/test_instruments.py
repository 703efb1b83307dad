"""Instruments through the window: checks by every way with the keyboard alone, histories, places, printed sheets."""

from __future__ import annotations

from itertools import pairwise
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QLabel, QPushButton, QWidget
from pytestqt.qtbot import QtBot

from stathmis.logbook import calibrations, readings
from stathmis.logbook.records import CertificatePoint, Channel, Survey
from stathmis.services.clock import DAY_MS, FixedClock
from stathmis.services.files import logger_import
from stathmis.ui.instruments.history_view import HistoryView
from stathmis.ui.instruments.list_view import InstrumentsView
from stathmis.ui.instruments.places_view import PlacesView
from stathmis.ui.instruments.together_view import TogetherView
from stathmis.ui.pictures import settle
from stathmis.ui.window import Window

ALT, CONTROL = Qt.KeyboardModifier.AltModifier, Qt.KeyboardModifier.ControlModifier


def texts(window: Window) -> str:
    settle()
    labels = window.stack.currentWidget().findChildren(QLabel)
    return " | ".join(label.text() for label in labels if label.isVisible())


@pytest.fixture
def instruments(window: Window) -> InstrumentsView:
    window.show_place("instruments")
    settle()
    view = window.stack.currentWidget()
    assert isinstance(view, InstrumentsView)
    return view


def named(window: Window, name: str, quantity: str) -> Channel:
    desk = window.desk
    return next(
        c
        for c in desk.book.records(Channel)
        if desk.book.instrument(c.instrument_id).name == name and c.quantity == quantity
    )


def press(window: Window, qtbot: QtBot, key: Qt.Key, modifier: Qt.KeyboardModifier | None = None) -> None:
    at = window.focusWidget() or window
    qtbot.keyClick(at, key) if modifier is None else qtbot.keyClick(at, key, modifier)


def tab_to(window: Window, qtbot: QtBot, name: str) -> QWidget:
    """Press Tab until the focus is on a control of this name."""
    for _ in range(150):
        focused = window.focusWidget()
        said = focused.accessibleName() or (focused.text() if hasattr(focused, "text") else "")
        if said == name:
            return focused
        press(window, qtbot, Qt.Key.Key_Tab)
    raise AssertionError(f"{name} cannot be reached with Tab")


def open_check(window: Window, qtbot: QtBot, name: str, way: str) -> None:
    """From the drawer to a check by a way, by keyboard."""
    tab_to(window, qtbot, name)
    press(window, qtbot, Qt.Key.Key_Space)
    settle()
    tab_to(window, qtbot, "Way of checking")
    qtbot.keyClicks(window.focusWidget(), way)
    settle()


def type_points(window: Window, qtbot: QtBot, fields: list[str]) -> None:
    """Type field after field, Enter after each; starts at the first point."""
    tab_to(window, qtbot, "Point 1, this one shows")
    for text in fields:
        qtbot.keyClicks(window.focusWidget(), text)
        press(window, qtbot, Qt.Key.Key_Return)


WAYS = [
    # instrument, quantity, way as typed, points as typed, where it reads, what it then is
    (
        "Long stick, °C",
        "temperature",
        "beside",
        ["37.0 37.0 37.5", "36.80 36.81", "39.5 39.5", "39.10 39.11"],
        38.0,
        37.68,
    ),
    ("Long stick, °C", "temperature", "in", ["37.5 37.5", "37.00 37.01", "39.5", "39.00"], 38.0, 37.53),
    ("Long stick, °C", "temperature", "ice", ["0.5 0.5"], 37.5, 37.06),
    ("Long stick, °C", "temperature", "steam", ["97.0 97.5 97.0"], 97.0, 96.83),
    ("Long stick, °C", "temperature", "infra", ["37.5", "36.90", "36"], 37.5, 36.32),
    ("Card hygrometer, % RH", "humidity", "salt", ["70 70", "table", "22", "", "29", "mag", "22"], 50.0, 54.6),
    ("Card hygrometer, % RH", "humidity", "wet", ["50 50", "37.40 37.41", "28.90", ""], 50.0, 53.9),
    ("Card hygrometer, % RH", "humidity", "beside", ["48 48", "52.0 52.1"], 48.0, 52.5),
]


@pytest.mark.parametrize("case", WAYS, ids=[f"{w[2]} {w[1]}" for w in WAYS])
def test_every_way_by_keyboard_alone(
    window: Window, instruments: InstrumentsView, qtbot: QtBot, case: tuple[str, str, str, list[str], float, float]
) -> None:
    name, quantity, way, fields, shown, true = case
    channel = named(window, name.split(",")[0], quantity)
    now = window.desk.now_ms
    before = window.desk.book.corrections.correct(channel, shown, now)
    open_check(window, qtbot, f"Check {name}", way)
    view = instruments.check
    assert view.draft is not None and view.draft.sets[0].method.name.startswith(way)
    assert all(step in texts(window) for step in view.draft.sets[0].method.steps)
    if way == "wet":
        tab_to(window, qtbot, "Thermometer of the wet bulb")
    type_points(window, qtbot, fields)
    assert view.check is not None and view.check.problems == ()
    assert view.check.correction is not None, view.check.trouble
    assert "When it shows" in texts(window) and "95 %" in texts(window)
    press(window, qtbot, Qt.Key.Key_G, ALT)
    qtbot.waitUntil(lambda: "counts times" in texts(window) and "together: U = k u = " in texts(window), timeout=3000)
    press(window, qtbot, Qt.Key.Key_U, ALT)
    qtbot.waitUntil(lambda: instruments.currentIndex() > 1, timeout=3000)
    assert instruments.currentWidget() is instruments.history
    assert "In force for readings from now on" in window.messages.text.text()
    after = window.desk.book.corrections.correct(channel, shown, now)
    assert after.value == pytest.approx(true, abs=0.03 if quantity == "temperature" else 0.3)
    # the weather moves steam by 0.4 K where only the altitude is known: one that is good for 1 K gains nothing
    assert after.U < before.U or way == "steam"
    # readings before the check keep what was in force then
    assert window.desk.book.corrections.correct(channel, shown, now - 1) == before
    press(window, qtbot, Qt.Key.Key_Z, CONTROL)
    assert window.desk.book.corrections.correct(channel, shown, now) == before


def test_two_ways_in_one_check(window: Window, instruments: InstrumentsView, qtbot: QtBot) -> None:
    open_check(window, qtbot, "Check Long stick, °C", "ice")
    type_points(window, qtbot, ["0.5 0.5"])
    press(window, qtbot, Qt.Key.Key_N, ALT)
    settle()
    assert window.focusWidget().accessibleName() == "Way of checking"
    qtbot.keyClicks(window.focusWidget(), "in")
    settle()
    tab_to(window, qtbot, "Point 1, this one shows")
    for text in ("37.5 38.0", "37.40 37.41"):
        qtbot.keyClicks(window.focusWidget(), text)
        press(window, qtbot, Qt.Key.Key_Return)
    view = instruments.check
    assert view.check is not None and view.check.correction is not None
    assert view.check.correction.model == "averaged" and len(view.check.points) == 2
    tab_to(window, qtbot, "Shape of the correction")
    qtbot.keyClicks(window.focusWidget(), "one")
    assert view.check.correction.model == "offset"
    assert "as you asked" in texts(window)


def test_points_from_the_logs(window: Window, instruments: InstrumentsView, qtbot: QtBot) -> None:
    """The blue probe is read by hand only: its logs give nothing; the reference has none either, and that is said."""
    open_check(window, qtbot, "Check Shelf logger, °C", "beside")
    tab_to(window, qtbot, "Pick from the &logs …")
    press(window, qtbot, Qt.Key.Key_Space)
    press(window, qtbot, Qt.Key.Key_Return)
    assert "readings of the reference" in texts(window)
    # a copy of the logger's own log, 0.2 higher, is a reference it can be held against
    desk, channel = window.desk, named(window, "Shelf logger", "temperature")
    lab = named(window, "Certified probe", "temperature")
    run = readings.series(desk.book.snapshot, channel, desk.now_ms - DAY_MS, desk.now_ms)
    true = readings.Series(run.times_ms, run.shown + 0.2)
    logger_import.keep_series(desk, "lab.csv", {lab.id: true})
    press(window, qtbot, Qt.Key.Key_Return)
    assert "blocks from" in texts(window)
    check = instruments.check.check
    assert check is not None and check.correction is not None
    assert check.corrected_at(37.3)[0] == pytest.approx(37.55, abs=0.01)


def test_for_the_past_too_judges_history_anew(window: Window, instruments: InstrumentsView, qtbot: QtBot) -> None:
    channel = named(window, "Long stick", "temperature")
    raw = readings.series(window.desk.book.snapshot, channel, 0, window.desk.now_ms).shown.copy()
    open_check(window, qtbot, "Check Long stick, °C", "beside")
    type_points(window, qtbot, ["38.0 38.0", "37.50 37.52"])
    press(window, qtbot, Qt.Key.Key_P, ALT)
    settle()
    run = readings.series(window.desk.book.snapshot, channel, 0, window.desk.now_ms)
    np.testing.assert_array_equal(run.shown, raw)
    corrected, _ = window.desk.book.corrections.correct_series(channel, run)
    assert (raw - corrected).mean() == pytest.approx(0.44, abs=0.03)


def test_as_left_does_not_reach_back(window: Window, instruments: InstrumentsView, qtbot: QtBot) -> None:
    open_check(window, qtbot, "Check Long stick, °C", "ice")
    type_points(window, qtbot, ["0.0 0.0"])
    view = instruments.check
    assert view.use_past.isEnabled()
    tab_to(window, qtbot, "As found or as left")
    qtbot.keyClicks(window.focusWidget(), "as")
    press(window, qtbot, Qt.Key.Key_Down)
    assert view.draft is not None and view.draft.state == "as left"
    assert view.use_now.isEnabled() and not view.use_past.isEnabled()
    press(window, qtbot, Qt.Key.Key_U, ALT)
    qtbot.waitUntil(lambda: "as left · in force" in texts(window), timeout=3000)


def test_faults_are_marked_at_their_field(window: Window, instruments: InstrumentsView, qtbot: QtBot) -> None:
    open_check(window, qtbot, "Check Long stick, °C", "beside")
    type_points(window, qtbot, ["38.0", "37.5", "warm", "37.5", "38.0", "99.5"])
    view = instruments.check
    rows = view.sets[0].rows
    assert "Type a number" in rows[1].note.text() and rows[1].shown.property("wrong")
    assert "Is that °F" in rows[2].note.text() and rows[2].edits["reference"].property("wrong")
    assert not rows[1].edits["reference"].property("wrong") and not rows[0].shown.property("wrong")
    added = len(rows)
    view.sets[0].add_row()
    settle()
    tops = [r.shown.mapTo(view, QPoint(0, 0)).y() for r in view.sets[0].rows]
    assert len(tops) == added + 1 and min(b - a for a, b in pairwise(tops)) > rows[0].shown.height(), (
        "none over another"
    )
    press(window, qtbot, Qt.Key.Key_U, ALT)
    settle()
    assert "Some fields cannot be read" in window.messages.text.text()
    edit = tab_to(window, qtbot, "Air differs between the two sensors, plus or minus")
    press(window, qtbot, Qt.Key.Key_A, CONTROL)
    qtbot.keyClicks(edit, "-1")
    assert edit.property("wrong") and "cannot be negative" in texts(window)
    assert not view.use_now.isEnabled()
    press(window, qtbot, Qt.Key.Key_Escape)
    assert instruments.currentIndex() == 0


def test_readings_settle_as_they_come(window: Window, instruments: InstrumentsView, qtbot: QtBot) -> None:
    clock = window.desk.clock
    assert isinstance(clock, FixedClock)
    open_check(window, qtbot, "Check Blue probe, °C", "beside")
    tab_to(window, qtbot, "Point 1, this one shows")
    for i, text in enumerate(("36.9", " 37.3", " 37.5", " 37.5")):
        clock.at_ms += 60_000 if i else 0
        qtbot.keyClicks(window.focusWidget(), text)
    press(window, qtbot, Qt.Key.Key_Return)
    qtbot.keyClicks(window.focusWidget(), "37.40")
    note = instruments.check.sets[0].rows[0].note
    assert "not settled" in note.text() and "rising" in note.text()
    edit = instruments.check.sets[0].rows[0].shown
    edit.setFocus()
    press(window, qtbot, Qt.Key.Key_End)
    for _ in range(4):
        clock.at_ms += 120_000
        qtbot.keyClicks(edit, " 37.6")
    assert ": settled, less than 0.05 °C to go" in note.text()


def test_the_drawer_says_which_can_decide(window: Window, instruments: InstrumentsView) -> None:
    shown = texts(window)
    assert "Certified probe" in [b.text() for b in instruments.names.values()]  # type: ignore[attr-defined]
    assert "never checked" in shown and "± 0.95 °C" in shown
    assert "checked 36 days ago; next by 10 Oct 2026" in shown


def test_histories_drift_and_paper(window: Window, instruments: InstrumentsView, qtbot: QtBot, tmp_path: Path) -> None:
    tab_to(window, qtbot, "History of Round hygrometer, % RH")
    press(window, qtbot, Qt.Key.Key_Space)
    view = instruments.history
    assert isinstance(view, HistoryView)
    shown = texts(window)
    assert "Drift +" in shown and "% RH a year from 4 checks" in shown and "passes ± 5.0 % RH on" in shown
    assert "Against nature itself: magnesium chloride at 21.5 °C" in shown
    tab_to(window, qtbot, "between two checks, go straight from one to the next")
    channel = named(window, "Round hygrometer", "humidity")
    midway = window.desk.now_ms - 120 * DAY_MS
    held = window.desk.book.corrections.correct(channel, 50.0, midway).value
    press(window, qtbot, Qt.Key.Key_Space)
    between = window.desk.book.corrections.correct(window.desk.book.channel(channel.id), 50.0, midway).value
    assert between < held - 0.3
    one = calibrations.calibrations(window.desk.book.snapshot)[-1]
    view.write_sheet(one, tmp_path / "sheet.pdf")
    assert "Sheet written" in window.messages.text.text()
    from pypdf import PdfReader

    pages = PdfReader(tmp_path / "sheet.pdf").pages
    text = " ".join(" ".join(page.extract_text() for page in pages).split())
    for part in (
        "Check of ",
        "What makes up U",
        "How it leads to a reference",
        "To cut out and tape",
        "contributes",
    ):
        assert part in text
    assert len(pages) <= 2
    view.write_sheet(one, tmp_path / "nowhere" / "sheet.pdf")
    assert "cannot be written" in window.messages.text.text()
    press(window, qtbot, Qt.Key.Key_Escape)
    assert instruments.currentIndex() == 0


def test_details_and_certificates(window: Window, instruments: InstrumentsView, qtbot: QtBot) -> None:
    tab_to(window, qtbot, "History of Certified probe, °C")
    press(window, qtbot, Qt.Key.Key_Space)
    edit = tab_to(window, qtbot, "Response time in seconds")
    qtbot.keyClicks(edit, "30")
    press(window, qtbot, Qt.Key.Key_Return)
    probe = named(window, "Certified probe", "temperature")
    assert probe.response_s == 30.0
    edit = tab_to(window, qtbot, "Display steps")
    press(window, qtbot, Qt.Key.Key_A, CONTROL)
    qtbot.keyClicks(edit, "0")
    press(window, qtbot, Qt.Key.Key_Return)
    assert "numbers above 0" in texts(window)
    points = tab_to(window, qtbot, "Points of a new one")
    qtbot.keyClicks(points, "37.5 0.08")
    dated = tab_to(window, qtbot, "Dated")
    qtbot.keyClicks(dated, "2026-05-10")
    press(window, qtbot, Qt.Key.Key_Return)
    assert "is not reading, correction and U" in texts(window) and window.focusWidget() is points
    qtbot.keyClicks(points, " 0,03")
    edit = tab_to(window, qtbot, "May drift in a year by ±")
    press(window, qtbot, Qt.Key.Key_A, CONTROL)
    qtbot.keyClicks(edit, "0.05")
    press(window, qtbot, Qt.Key.Key_Return)
    assert "Certificate entered" in window.messages.text.text()
    assert "10 May 2026" in texts(window)
    assert window.desk.book.corrections.correct(probe, 37.5, window.desk.now_ms).value == pytest.approx(37.58)
    press(window, qtbot, Qt.Key.Key_Z, CONTROL)
    assert len(window.desk.book.records(CertificatePoint, channel_id=probe.id)) == 4


def test_side_by_side(window: Window, instruments: InstrumentsView, qtbot: QtBot) -> None:
    tab_to(window, qtbot, "Side by side")
    press(window, qtbot, Qt.Key.Key_Space)
    assert instruments.findChildren(TogetherView)
    shown = texts(window)
    assert "Not a vote" in shown and "North cabinet, temperature" in shown and "North cabinet, humidity" in shown
    assert "counts for" in shown and "under 1 %" in shown and "normalized error" in shown
    press(window, qtbot, Qt.Key.Key_Escape)
    assert instruments.tab == "drawer"


def test_a_map_by_keyboard(window: Window, instruments: InstrumentsView, qtbot: QtBot) -> None:
    tab_to(window, qtbot, "Places and set point")
    press(window, qtbot, Qt.Key.Key_Space)
    settle()
    view = instruments.findChildren(PlacesView)[0]
    assert "Map of" in texts(window) and "warmer than front left" in texts(window)
    tab_to(window, qtbot, "Reading back left")
    for text in ("38.0 38.0", "38.1", "38.0", "37.5", "37,5", "37.5", "37.2", "37.2", "37.1"):
        qtbot.keyClicks(window.focusWidget(), text)
        press(window, qtbot, Qt.Key.Key_Return)
    assert "Back is 1.00 ± " in texts(window)
    before = len(window.desk.book.records(Survey))
    press(window, qtbot, Qt.Key.Key_K, ALT)
    settle()
    assert len(window.desk.book.records(Survey)) == before + 1
    assert view.cells["back"].text() == "" and "Map of 18 May 2026" in texts(window)
    window.undo()
    assert len(window.desk.book.records(Survey)) == before
    qtbot.keyClicks(view.cells["front"], "cold")
    assert "front: Type a number" in texts(window)


def test_layers_in_the_still_box(window: Window, instruments: InstrumentsView, qtbot: QtBot) -> None:
    instruments.show_tab("places")
    view = instruments.findChildren(PlacesView)[0]
    view.incubator.setCurrentText("Old still box")
    settle()
    assert "heat lies in layers" in texts(window)
    for edit, text in zip(
        (view.egg_top, *view.levels[0], *view.levels[1]), ("6", "2", "37.0", "10", "39.0"), strict=True
    ):
        edit.setFocus()
        qtbot.keyClicks(edit, text)
    assert "At the egg tops 38." in texts(window) and "for each cm up" in texts(window)
    press(window, qtbot, Qt.Key.Key_H, ALT)
    settle()
    assert window.desk.book.records(Survey)[-1].kind == "heights"


def test_what_is_at_hand_is_ticked_once_and_begins_the_check(
    window: Window, instruments: InstrumentsView, qtbot: QtBot
) -> None:
    card = instruments.at_hand
    assert card.isVisibleTo(instruments) and "what each would tell" in texts(window)
    box = card.boxes["fever"]
    box.setFocus()
    press(window, qtbot, Qt.Key.Key_Space)
    settle()
    assert window.desk.book.settings.at_hand == {"fever"}
    assert "Long stick by fever thermometer: ± 0.42 °C, better, but not enough" in texts(window)
    tab_to(window, qtbot, next(n for n in names_of(card) if n.startswith("Begin: Long stick")))
    press(window, qtbot, Qt.Key.Key_Space)
    settle()
    assert instruments.currentWidget() is instruments.check
    assert instruments.check.draft is not None and instruments.check.draft.sets[0].method.key == "fever"
    assert "It holds its highest" in texts(window)
    # hatches and weighed eggs are looked at on pages of their own
    instruments.leave()
    for thing in ("fever", "scale", "hatches"):
        card.boxes[thing].click()
    settle()
    weigh, hatched = (next(n for n in names_of(card) if w in n) for w in ("by scale", "by past hatches"))
    tab_to(window, qtbot, hatched)
    press(window, qtbot, Qt.Key.Key_Space)
    settle()
    assert instruments.currentWidget() is instruments.history
    instruments.leave()
    tab_to(window, qtbot, weigh)
    press(window, qtbot, Qt.Key.Key_Space)
    settle()
    assert window.pages.page == "moisture" and window.stack.currentWidget() is window.pages


def names_of(widget: QWidget) -> list[str]:
    return [b.accessibleName() for b in widget.findChildren(QPushButton) if b.isVisibleTo(widget)]
