"""The next two days, and a change tried first, by keyboard in the real window."""

from __future__ import annotations

import pytest
from PySide6.QtCore import Qt
from pytestqt.qtbot import QtBot

from stathmis.logbook.records import Event, StoredForecast
from stathmis.ui.pictures import settle
from stathmis.ui.try_view import TryView
from stathmis.ui.window import Window
from windows import press


def test_the_next_two_days_fold_out_and_are_walked_along(qtbot: QtBot, window: Window) -> None:
    settle()
    page = window.pages.round
    assert "Ahead:" in page.ahead_link.text() and not page.ahead.isVisible()
    press(qtbot, window, "Ctrl+Shift+A")
    picture = page.ahead._picture
    assert picture is not None and picture.isVisible() and picture.lanes == ("temperature", "humidity")
    picture.setFocus()
    whole = picture.spoken
    qtbot.keyClick(picture, Qt.Key.Key_Home)
    first = picture.spoken
    qtbot.keyClick(picture, Qt.Key.Key_Right)
    assert len({whole, first, picture.spoken}) == 3 and "°C" in picture.spoken and "% RH" in picture.spoken
    # no wedge under a level that goes nowhere
    assert not page._grid.together["temperature"].level._state.coming
    press(qtbot, window, "Ctrl+Shift+A")
    assert not page.ahead.isVisible() and "Ahead:" in page.ahead_link.text()


def test_the_trace_goes_on_as_a_fan(qtbot: QtBot, window: Window) -> None:
    window.show_page("trace")
    settle()
    trace = window.pages.trace
    assert trace.ahead is not None and trace.charts is not None and trace.charts.scene is not None
    assert trace.charts.scene.ahead is trace.ahead
    now = trace.traced.course.day(trace.traced.until_ms)  # type: ignore[union-attr]
    trace.show_days(1.0)
    left, right = trace.charts.plots["temperature"].viewRange()[0]
    assert left == pytest.approx(now - 1.0, abs=0.1) and right == pytest.approx(now + 2.0, abs=0.1)
    trace.curves["ahead"].setChecked(False)
    settle()
    trace.show_days(1.0)
    assert trace.charts.plots["temperature"].viewRange()[0][1] < now + 0.2


def test_forecasts_are_kept_in_the_window_every_ten_minutes(window: Window) -> None:
    window._foresee()
    settle()
    first = len(window.desk.book.records(StoredForecast))
    assert first >= 2
    window._foresee()
    settle()
    assert len(window.desk.book.records(StoredForecast)) == first


def test_a_change_is_tried_and_then_done_by_keyboard(qtbot: QtBot, window: Window) -> None:
    before = len(window.desk.book.records(Event))
    press(qtbot, window, "Ctrl+J")
    view = window.stack.currentWidget()
    assert isinstance(view, TryView) and view.what.hasFocus() and view.picture.isVisible()
    assert not view.do_button.isVisible()
    qtbot.keyClicks(view.what, "Set the")
    assert view.what.currentData() == "vent"
    view.amount.setFocus()
    view.amount.setText("ajar")
    qtbot.keyClick(view.amount, Qt.Key.Key_Return)
    assert view.problem.isVisible() and "ajar" in view.problem.text()
    view.amount.setText("open")
    qtbot.keyClick(view.amount, Qt.Key.Key_Return)
    settle()
    assert not view.problem.isVisible() and view.tried is not None and "Vents" in view._verdict.text()
    assert "Tried:" in view.picture.spoken
    for what, hidden in (("power", view.amount), ("night", view.lasts), ("water", view.amount)):
        view.what.choose(what)
        assert not hidden.isVisible()
    view.what.choose("vent")
    qtbot.mouseClick(view.do_button, Qt.MouseButton.LeftButton)
    settle()
    assert len(window.desk.book.records(Event)) == before + 1 and not view.do_button.isVisible()
    window.undo()
    assert len(window.desk.book.records(Event)) == before


def test_where_nothing_was_read_it_is_said(window: Window) -> None:
    window.show_incubator(window.desk.book.incubators()[2].id)
    window.show_place("try")
    settle()
    view = window.stack.currentWidget()
    assert isinstance(view, TryView) and "Too little was read" in view._nothing.text()
    assert not view.picture.isVisible()
