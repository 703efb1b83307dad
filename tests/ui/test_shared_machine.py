"""Two batches in one machine, and the room beside it, through the window."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QComboBox, QLabel
from pytestqt.qtbot import QtBot

from stathmis.logbook.records import Event
from stathmis.services import setting_up
from stathmis.services.clock import DAY_MS
from stathmis.ui.incubator_column import Card
from stathmis.ui.pictures import settle
from stathmis.ui.window import Window


def shown(window: Window) -> str:
    settle()
    return " | ".join(label.text() for label in window.pages.findChildren(QLabel) if label.isVisible())


def test_each_of_two_batches_can_be_looked_at(window: Window, qtbot: QtBot) -> None:
    desk = window.desk
    at = desk.now_ms - 6 * DAY_MS
    setting_up.set_batch(desk, desk.book.incubators()[0], "12 quail", "coturnix", "lean", 12, at)
    settle()
    text = shown(window)
    assert "2 batches together" in text and "Lockdown of " in text and "inside 37.3" in text
    chooser = next(
        b
        for b in window.pages.findChildren(QComboBox)
        if b.isVisible() and b.accessibleName() == "Which batch of this incubator is in view"
    )
    assert chooser.currentText() == "12 quail", "the newest is in view"
    assert "day 6 of 17.5" in window.pages.course.spoken
    chooser.setFocus()
    qtbot.keyClick(chooser, Qt.Key.Key_Up)
    chooser.activated.emit(chooser.currentIndex())
    settle()
    assert "day 13 of 24" in window.pages.course.spoken
    window.show_page("trace")
    settle()
    assert window.pages.trace.eggs is not None
    assert window.pages.trace.traced is not None
    assert window.pages.trace.traced.course.batch.name == "30 rock partridge, set A"
    card = next(c for c in window.column.findChildren(Card) if c.accessibleName().startswith("North cabinet"))
    assert any("and 1 more" in label.text() for label in card.findChildren(QLabel))
    window.undo()
    settle()
    assert "2 batches together" not in shown(window)
    settle()


def test_the_room_is_read_like_a_machine(window: Window, qtbot: QtBot) -> None:
    room = window.desk.book.room()
    assert room is not None
    window.show_page("trace")
    settle()
    window.show_incubator(room.id)
    text = shown(window)
    assert "the room around the incubators" in text and "its air decides how much water" in text
    assert "Nothing to hold" not in text
    assert not window.pages.tabs["trace"].isVisible() and not window.pages.tabs["moisture"].isVisible()
    view = window.pages.round
    assert [k for k, b in view._event_buttons.items() if b.isVisible()] == ["note"]
    warm, moist = view.rows
    warm.edit.setFocus()
    qtbot.keyClicks(warm.edit, "21,4")
    qtbot.keyClicks(moist.edit, "44")
    qtbot.keyClick(moist.edit, Qt.Key.Key_Return)
    assert "2 readings logged" in window.messages.text.text()
    assert "21.4" in shown(window)
    view.note.setText("window was open")
    view.log_event("note")
    assert window.desk.book.records(Event, incubator_id=room.id)[-1].note == "window was open"
    qtbot.keyClick(window, Qt.Key.Key_PageDown, Qt.KeyboardModifier.ControlModifier)
    assert window.pages.incubator is not None and window.pages.incubator.name == "North cabinet"
    assert window.pages.page == "trace", "where the keeper was before the room"
    settle()
