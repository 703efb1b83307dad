"""A keeper's first day from an empty logbook, by keyboard alone, then closed and opened again."""

from __future__ import annotations

from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication, QWidget
from pytestqt.qtbot import QtBot

from stathmis.logbook import readings
from stathmis.logbook.opening import create_logbook, open_logbook
from stathmis.logbook.records import Channel, Event
from stathmis.services.batch import batches
from stathmis.services.clock import FixedClock
from stathmis.services.desk import Desk
from stathmis.services.findings import trace
from stathmis.ui import work
from stathmis.ui.pictures import settle
from stathmis.ui.theme import Theme
from stathmis.ui.window import Window

NOW_MS = 1_779_093_600_000
ALT, CONTROL = Qt.KeyboardModifier.AltModifier, Qt.KeyboardModifier.ControlModifier


def tab_to(window: Window, qtbot: QtBot, name: str) -> QWidget:
    """Press Tab until the focus is on a control of this name."""
    for _ in range(120):
        focused = window.focusWidget()
        if focused is not None:
            said = focused.accessibleName() or (focused.text() if hasattr(focused, "text") else "")
            if said == name:
                return focused
        qtbot.keyClick(window.focusWidget() or window, Qt.Key.Key_Tab)
    raise AssertionError(f"{name} cannot be reached with Tab")


def type_at(window: Window, qtbot: QtBot, name: str, text: str) -> None:
    field = tab_to(window, qtbot, name)
    field.selectAll()  # type: ignore[attr-defined]
    qtbot.keyClicks(field, text)


def test_first_day(qtbot: QtBot, qapp: QApplication, tmp_path: Path) -> None:
    path = tmp_path / "mine.stathmis"
    desk = Desk(create_logbook(path, {"name": "", "time_zone": "UTC", "altitude_m": "0"}), FixedClock(NOW_MS))
    window = Window(desk, Theme(qapp, "light"))
    window.show()
    qtbot.waitExposed(window)
    window.activateWindow()
    qtbot.waitUntil(window.isActiveWindow, timeout=5000)

    # three questions
    type_at(window, qtbot, "You call it", "Attic box")
    type_at(window, qtbot, "Eggs", "14")
    type_at(window, qtbot, "Set at", "2026-05-13 08:40")
    instrument = window.stack.currentWidget().instrument  # type: ignore[union-attr]
    instrument.name.setFocus()
    qtbot.keyClicks(instrument.name, "Old dial")
    type_at(window, qtbot, "It shows now, temperature", "36.8")
    type_at(window, qtbot, "It shows now, humidity", "47")
    tab_to(window, qtbot, "Start")
    qtbot.keyClick(window.focusWidget(), Qt.Key.Key_Space)
    assert window.column.isVisible()

    # a reference with its certificate
    qtbot.keyClick(window, Qt.Key.Key_N, CONTROL)
    enter = window.stack.currentWidget()
    enter.instrument.name.setFocus()  # type: ignore[union-attr]
    qtbot.keyClicks(enter.instrument.name, "Lab glass")  # type: ignore[union-attr]
    tab_to(window, qtbot, "it is a reference; I have its certificate")
    qtbot.keyClick(window.focusWidget(), Qt.Key.Key_Space)
    type_at(window, qtbot, "Certificate (k = 2)", "37.5 0,05 0.04")
    tab_to(window, qtbot, "Enter the instrument")
    qtbot.keyClick(window.focusWidget(), Qt.Key.Key_Space)
    assert "Lab glass entered" in window.messages.text.text()

    # the dial is checked and reads 0.6 low
    qtbot.keyClick(window, Qt.Key.Key_I, CONTROL)
    tab_to(window, qtbot, "Check Old dial, °C")
    qtbot.keyClick(window.focusWidget(), Qt.Key.Key_Space)
    for text in ("36.9 36.9", "37.45 37.45"):
        qtbot.keyClicks(window.focusWidget(), text)
        qtbot.keyClick(window.focusWidget(), Qt.Key.Key_Return)
    tab_to(window, qtbot, "&Use this from now")
    qtbot.keyClick(window.focusWidget(), Qt.Key.Key_Space)
    assert "In force" in window.messages.text.text()

    # the round: what reads 36.9 is 37.5, on profile; then water
    qtbot.keyClick(window, Qt.Key.Key_1, CONTROL)
    qtbot.keyClicks(window.focusWidget(), "36,9")
    assert window.pages.round.rows[0].value.text().startswith("37.50 ±")
    assert window.pages.round.rows[0].word.text() == "inside"
    qtbot.keyClick(window.focusWidget(), Qt.Key.Key_Return)
    type_at(window, qtbot, "Details of what you did", "both cups")
    qtbot.keyClick(window.focusWidget(), Qt.Key.Key_W, ALT)
    settle()
    assert [e.note for e in desk.book.records(Event)] == ["both cups"]

    # a logger's file for the dial's humidity, by way of the preview
    log = tmp_path / "log.csv"
    log.write_text(
        "time;humidity %\n"
        + "".join(f"2026-05-18 {h:02d}:{m:02d};4{m % 10},5\n" for h in range(2, 8) for m in range(60)),
        encoding="utf-8",
    )
    qtbot.keyClick(window, Qt.Key.Key_B, CONTROL)
    qtbot.keyClicks(window.focusWidget(), str(log))
    qtbot.keyClick(window.focusWidget(), Qt.Key.Key_Return)
    view = window.stack.currentWidget()
    qtbot.waitUntil(lambda: view.examined is not None and not work.busy(), timeout=20_000)  # type: ignore[union-attr]
    qtbot.keyClick(window, Qt.Key.Key_T, ALT)
    qtbot.waitUntil(lambda: "360 rows taken in" in window.messages.text.text(), timeout=20_000)

    # the trace counts the time, and undo and redo go through everything
    qtbot.keyClick(window, Qt.Key.Key_2, CONTROL)
    settle()
    assert window.pages.trace.traced is not None
    for _ in range(3):
        qtbot.keyClick(window, Qt.Key.Key_Z, CONTROL)
    assert desk.book.records(Event) == ()
    for _ in range(3):
        qtbot.keyClick(window, Qt.Key.Key_Z, CONTROL | Qt.KeyboardModifier.ShiftModifier)
    assert len(desk.book.records(Event)) == 1
    settle()
    window.close()

    again = Desk(open_logbook(path), FixedClock(NOW_MS))
    course = batches.running(again.book, again.book.incubators()[0])
    assert course is not None and (course.batch.eggs, course.day(NOW_MS)) == (14, pytest.approx(5.0))
    traced = trace.trace(again.book, course)
    assert traced.temperature.runs[0].corrected.tolist() == pytest.approx([37.4, 37.5], abs=0.01)
    assert traced.temperature.runs[0].shown.tolist() == [36.8, 36.9]
    assert traced.humidity.runs[0].times_ms.size == 361, "what the file brought, and the first answer"
    dial = next(c for c in again.book.records(Channel) if c.quantity == "temperature")
    assert readings.hand_readings(again.book.snapshot, dial.id, 0, NOW_MS)[-1].typed == "36,9"
    assert len(traced.events) == 1
    again.logbook.close()
    window.deleteLater()
