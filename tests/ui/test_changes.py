"""What was changed: listed, with what stood there before, and taken back on the page; what lives on in the window."""

from __future__ import annotations

import sqlite3
from contextlib import closing

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication, QLineEdit, QScrollArea, QWidget
from pytestqt.qtbot import QtBot

from stathmis.logbook import live
from stathmis.logbook.live import LiveReading
from stathmis.services import rounds, setting_up
from stathmis.services.clock import DAY_MS, FixedClock
from stathmis.services.plan import conflicts
from stathmis.services.reading_field import interpret
from stathmis.ui import work
from stathmis.ui.changes_view import ChangesView
from stathmis.ui.pictures import VIEWS, go, settle
from stathmis.ui.window import Window


def test_edits_are_listed_with_what_was_overwritten(window: Window, qtbot: QtBot) -> None:
    setting_up.set_place(window.desk, "Lower shed", 250.0)
    qtbot.keyClick(window, Qt.Key.Key_H, Qt.KeyboardModifier.ControlModifier)
    view = window.stack.currentWidget()
    assert isinstance(view, ChangesView) and view.table.hasFocus()
    shown = [view.model.index(0, c).data() for c in range(3)]
    assert shown[1:] == ["place changed", "2"]
    assert "setting name: Upper Terrace → Lower shed" in view._details.text()
    assert view.back.text() == "Take back: place changed"
    view.back.setFocus()
    qtbot.keyClick(view.back, Qt.Key.Key_Space)
    assert window.desk.book.name == "Upper Terrace"
    assert view.model.index(0, 1).data() == "place changed (taken back)"
    assert view.table.currentIndex().row() == 0, "the chosen one stays chosen"
    view.again.click()
    assert window.desk.book.name == "Lower shed" and not view.again.isEnabled()


def test_the_logbook_is_checked_on_request(window: Window, qtbot: QtBot) -> None:
    window.show_place("changes")
    view = window.stack.currentWidget()
    assert isinstance(view, ChangesView)
    qtbot.keyClick(view.check, Qt.Key.Key_Space)
    assert not view.check.isEnabled() and "Checking" in view._details.text()
    qtbot.waitUntil(view.check.isEnabled, timeout=20_000)
    assert view._details.text().startswith("The logbook is as it was written")
    with closing(sqlite3.connect(window.desk.logbook.path)) as raw, raw:
        raw.execute("UPDATE weighing SET mass_g = mass_g + 1 WHERE id = 1")
    view.check.click()
    qtbot.waitUntil(view.check.isEnabled, timeout=20_000)
    assert "weighing" in view._details.text() and " g, was " in view._details.text()
    said = window.messages.text.text()
    assert "One thing in the logbook is not as it was written" in said
    assert "No backup without a fault was found" in said


def test_fields_live_on_while_the_logbook_changes(window: Window, qtbot: QtBot) -> None:
    """Focus, cursor and half-typed text survive any edit elsewhere; cards and fields are not made anew."""
    settle()
    view = window.pages.round
    field = view.rows[1].edit
    field.setFocus()
    qtbot.keyClicks(field, "37.")
    field.setCursorPosition(1)
    cards = list(window.column._cards.values())
    fields = [row.edit for row in view.rows]
    rounds.log_event(window.desk, window.desk.book.incubators()[0], "note", "elsewhere", window.desk.now_ms)
    setting_up.set_place(window.desk, "Shed", 300.0)
    window.desk.undo()
    assert [row.edit for row in view.rows] == fields and list(window.column._cards.values()) == cards
    assert field.hasFocus() and field.text() == "37." and field.cursorPosition() == 1
    window.desk.undo()
    before = {id(w) for w in window.findChildren(QWidget)}
    window.refresh()
    window.refresh()
    assert {id(w) for w in window.findChildren(QWidget)} <= before, "nothing changed, nothing is made anew"


@pytest.mark.heavy("every page is visited, and edited beside")
def test_focus_scroll_and_typing_survive_edits_on_every_page(window: Window, qtbot: QtBot) -> None:
    """Whatever is edited elsewhere, by this keeper or by a probe: nothing moves under the hand."""
    desk, moved = window.desk, []
    other = desk.book.incubators()[1]
    for name in VIEWS:
        go(window, name)
        settle()
        view = window.stack.currentWidget()
        edits = [e for e in view.findChildren(QLineEdit) if e.isVisible() and e.isEnabled()][:1]
        for edit in edits:
            edit.setFocus()
            qtbot.keyClicks(edit, "4")
        bars = [a.verticalScrollBar() for a in view.findChildren(QScrollArea) if a.isVisible()]
        for bar in bars:
            bar.setValue(bar.maximum() // 2)
        stood = QApplication.focusWidget(), [e.text() for e in edits], [bar.value() for bar in bars]
        with desk.edit("much at once"):
            rounds.log_event(desk, other, "note", "elsewhere", desk.now_ms)
            rounds.log_event(desk, other, "water", "", desk.now_ms)
            setting_up.set_place(desk, "Shed", 900.0)
        conflicts.add_away(desk, desk.now_ms + 40 * DAY_MS, desk.now_ms + 42 * DAY_MS, "fair")
        desk.undo()
        settle()
        if (QApplication.focusWidget(), [e.text() for e in edits], [bar.value() for bar in bars]) != stood:
            moved.append(name)
        desk.undo()
    assert not moved


def test_the_column_says_what_round_says_once_the_box_is_learned(window: Window, qtbot: QtBot) -> None:
    qtbot.waitUntil(lambda: not work.busy() and bool(window.pages.boxes), timeout=20_000)
    first = window.desk.book.incubators()[0]
    assert window.pages.boxes[first.id] is not None
    assert "look at water, lid and hygrometer" in window.column._cards[first.id].accessibleName()


def test_one_reading_costs_few_statements_and_makes_no_widget(window: Window, qtbot: QtBot) -> None:
    """With three incubators; a live batch makes none either, and leaves a page that does not show it alone."""
    desk = window.desk
    assert isinstance(desk.clock, FixedClock)
    settle()
    lines = [x for x in rounds.sheet(desk.book, desk.book.incubators()[0]).lines if x.channel.quantity == "humidity"]
    channel = lines[0].channel
    statements: list[str] = []
    with desk.logbook.reading() as connection:
        connection.set_trace_callback(statements.append)
    with desk.logbook.writing() as writing:
        writing.connection.set_trace_callback(statements.append)

    def log(value: str) -> int:
        """How many widgets a reading makes."""
        before = {id(w) for w in window.findChildren(QWidget)}
        desk.clock.at_ms += 4_000  # type: ignore[attr-defined]
        rounds.log_round(desk, {channel.id: interpret(value, channel)}, desk.now_ms)
        QApplication.processEvents()
        return sum(id(w) not in before for w in window.findChildren(QWidget))

    log("41")
    settle()
    statements.clear()
    assert log("42") == 0 and len(statements) <= 20, statements
    before = {id(w) for w in window.findChildren(QWidget)}
    live.store_live(desk.logbook, [LiveReading(channel.id, desk.now_ms + 1, 43.0)])
    window.live.on_stored([])
    assert {id(w) for w in window.findChildren(QWidget)} <= before
    window.show_page("eggs")
    shown: list[object] = []
    window.pages.show_incubator = lambda *how: shown.append(how)  # type: ignore[method-assign]
    window.live.on_stored([])
    assert not shown, "eggs do not change by a reading"
