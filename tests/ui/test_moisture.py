"""Moisture through the window: down the tray by keyboard, a pasted column, doubts at their row, undo."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication, QLabel
from pytestqt.qtbot import QtBot

from stathmis.services.moisture import weights
from stathmis.ui.pictures import settle
from stathmis.ui.window import Window


def opened(window: Window, qtbot: QtBot):  # type: ignore[no-untyped-def]
    qtbot.keyClick(window, Qt.Key.Key_3, Qt.KeyboardModifier.ControlModifier)
    view = window.pages.moisture.eggs
    settle()
    assert view.sheet is not None
    settle()
    return view


def test_down_the_tray_by_keyboard(window: Window, qtbot: QtBot) -> None:
    view = opened(window, qtbot)
    shown = " ".join(label.text() for label in view.findChildren(QLabel) if label.isVisible())
    assert "to lockdown, to lose 13 %" in shown and "Egg 4 loses" in shown
    before = len(weights.weighings(window.desk.book, view.batch_id))
    first, second = view.rows[0], view.rows[1]
    first.edit.setFocus()
    qtbot.keyClicks(first.edit, "584,6")
    qtbot.keyClick(first.edit, Qt.Key.Key_Return)
    assert second.edit.hasFocus()
    qtbot.keyClicks(second.edit, "25.9")
    assert second.problem.isVisible() and "Heavier than before" in second.problem.text()
    assert not view.log_button.isEnabled()
    qtbot.keyClick(second.edit, Qt.Key.Key_Up)
    assert first.edit.hasFocus()
    second.edit.selectAll()
    qtbot.keyClicks(second.edit, "20.4")
    last = view.rows[-1]
    last.edit.setFocus()
    qtbot.keyClick(last.edit, Qt.Key.Key_Return)
    assert "2 weighings logged" in window.messages.text.text()
    assert len(weights.weighings(window.desk.book, view.batch_id)) == before + 2
    window.undo()
    assert len(weights.weighings(window.desk.book, view.batch_id)) == before
    settle()


def test_a_pasted_column_and_new_marks(window: Window, qtbot: QtBot) -> None:
    view = opened(window, qtbot)
    view.mark.setFocus()
    qtbot.keyClicks(view.mark, "11-13")
    qtbot.keyClick(view.mark, Qt.Key.Key_Return)
    assert [r.mark for r in view.rows[-3:]] == ["11", "12", "13"]
    settle()
    assert view.rows[-3].edit.hasFocus()
    QApplication.clipboard().setText("21.0\n21,5\n20.9\n22.2\n")
    qtbot.keyClick(view.rows[-3].edit, Qt.Key.Key_V, Qt.KeyboardModifier.ControlModifier)
    assert [r.edit.text() for r in view.rows[-3:]] == ["21.0", "21,5", "20.9"]
    assert "1 line of what was pasted" in view.problem.text()
    window.refresh()
    settle()
    assert [r.edit.text() for r in view.rows[-3:]] == ["21.0", "21,5", "20.9"], "what is typed stays"
    view.rows[-1].edit.setFocus()
    qtbot.keyClick(view.rows[-1].edit, Qt.Key.Key_Return)
    assert "3 weighings logged" in window.messages.text.text()
    settle()


def test_a_doubt_is_overruled_by_who_knows(window: Window, qtbot: QtBot) -> None:
    view = opened(window, qtbot)
    row = view.rows[0]
    row.eggs.setFocus()
    row.eggs.selectAll()
    qtbot.keyClicks(row.eggs, "26")
    row.edit.setFocus()
    qtbot.keyClicks(row.edit, "545.0")
    assert "2 eggs fewer" in row.problem.text() and row.sure.isVisible()
    view.log()
    assert row.sure.hasFocus()
    qtbot.keyClick(row.sure, Qt.Key.Key_Space)
    view.log()
    assert "1 weighing logged" in window.messages.text.text()
    settle()
