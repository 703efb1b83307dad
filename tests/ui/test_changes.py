"""What was changed: listed, with what stood there before, and taken back on the page; what lives on in the window."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QWidget
from pytestqt.qtbot import QtBot

from stathmis.services import rounds, setting_up
from stathmis.ui import work
from stathmis.ui.changes_view import ChangesView
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


def test_fields_live_on_while_the_logbook_changes(window: Window, qtbot: QtBot) -> None:
    """Focus, cursor and half-typed text survive any edit elsewhere; cards and fields are not made anew."""
    qtbot.waitUntil(lambda: not work.busy(), timeout=20_000)
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


def test_the_column_says_what_round_says_once_the_box_is_learned(window: Window, qtbot: QtBot) -> None:
    qtbot.waitUntil(lambda: not work.busy() and bool(window.pages.boxes), timeout=20_000)
    first = window.desk.book.incubators()[0]
    assert window.pages.boxes[first.id] is not None
    assert "look at water, lid and hygrometer" in window.column._cards[first.id].accessibleName()
