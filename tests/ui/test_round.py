"""Round through the real window: typing, verdicts, logging, events, undo."""

from __future__ import annotations

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QLabel, QPushButton, QScrollArea
from pytestqt.qtbot import QtBot

from stathmis.logbook import readings
from stathmis.logbook.records import Event
from stathmis.services import rounds
from stathmis.ui.pictures import settle
from stathmis.ui.window import Window


def words(window: Window) -> str:
    settle()
    shown = window.stack.currentWidget().findChildren(QLabel)
    return " | ".join(label.text() for label in shown if label.isVisible() and label.text())


def test_typing_shows_corrected_value_level_and_verdict(window: Window, qtbot: QtBot) -> None:
    lid = window.pages.round.rows[0]
    assert lid.line.instrument.name == "Lid display"
    lid.edit.setFocus()
    qtbot.keyClicks(lid.edit, "37,0")
    assert lid.judged is not None
    assert lid.judged.corrected.value == pytest.approx(37.51, abs=0.08)
    assert lid.value.text().startswith("37.50 ±")
    assert lid.word.text() == "inside"
    assert "inside" in lid.level.spoken
    assert "On profile" in words(window)


def test_enter_logs_all_and_undo_takes_them_back(window: Window, qtbot: QtBot) -> None:
    before = len(readings.hand_readings(window.desk.book.snapshot, 3, 0, window.desk.now_ms))
    rows = window.pages.round.rows
    for row, text in zip(rows, ("37.0", "37.7", "38.0", "45", "48"), strict=True):
        row.edit.setFocus()
        qtbot.keyClicks(row.edit, text)
    assert window.pages.round.log_button.text() == "Log 5 readings"
    qtbot.keyClick(rows[-1].edit, Qt.Key.Key_Return)
    assert len(readings.hand_readings(window.desk.book.snapshot, 3, 0, window.desk.now_ms)) == before + 1
    assert all(row.edit.text() == "" for row in window.pages.round.rows)
    assert window.messages.text.text() == "5 readings logged. Ctrl+Z takes it back."
    qtbot.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert len(readings.hand_readings(window.desk.book.snapshot, 3, 0, window.desk.now_ms)) == before
    assert "Undone: 5 readings logged" in window.messages.text.text()


def test_a_fahrenheit_number_in_a_celsius_field_is_asked_about(window: Window, qtbot: QtBot) -> None:
    lid = window.pages.round.rows[0]
    qtbot.keyClicks(lid.edit, "98.6")
    assert lid.judged is None
    assert lid.problem.text() == "Is that °F? 98.6 °F is 37.0 °C."
    assert not window.pages.round.log_button.isEnabled()
    qtbot.mouseClick(lid.offer, Qt.MouseButton.LeftButton)
    assert lid.edit.text() == "98.6F"
    assert lid.judged is not None and not lid.problem.isVisible()


def test_after_a_wrong_unit_tab_goes_on_and_enter_takes_the_offer(window: Window, qtbot: QtBot) -> None:
    lid, probe = window.pages.round.rows[:2]
    lid.edit.setFocus()
    qtbot.keyClicks(lid.edit, "98.6")
    qtbot.keyClick(lid.edit, Qt.Key.Key_Tab)
    assert window.focusWidget() is probe.edit, "what is typed next lands in the next field"
    qtbot.keyClicks(window.focusWidget(), "37.7")
    qtbot.keyClick(window.focusWidget(), Qt.Key.Key_Return)
    assert window.focusWidget() is lid.edit and lid.edit.text() == "98.6", "nothing is logged, nothing is lost"
    qtbot.keyClick(lid.edit, Qt.Key.Key_Return)
    assert lid.edit.text() == "98.6F" and lid.judged is not None
    qtbot.keyClick(lid.edit, Qt.Key.Key_Return)
    assert "2 readings logged" in window.messages.text.text()
    assert "Lid display 98.6 °F" in words(window) and "F °F" not in words(window)


def test_a_field_says_what_it_should_show(window: Window, qtbot: QtBot) -> None:
    """By the correction backwards: what stands there, typed, is inside; a step beyond it is not surely so."""
    lid = window.pages.round.rows[0]
    shown = rounds.should_show(lid.line, window.pages.round.sheet.band("temperature"))
    assert shown is not None and "36.8–37.3 °C on this one" in words(window)
    band = window.pages.round.sheet.band("temperature")
    assert band is not None
    for reading, inside in ((shown[0], True), (shown[1], True), (shown[0] - 0.1, False), (shown[1] + 0.1, False)):
        lid.edit.clear()
        qtbot.keyClicks(lid.edit, f"{reading:.1f}")
        assert lid.judged is not None
        assert (band.low <= lid.judged.corrected.value <= band.high) == inside


def test_a_logger_and_a_hand_reading_that_disagree_are_said(window: Window, qtbot: QtBot) -> None:
    page = window.pages.round
    page.type_into(page.rows[0], "38.6")
    settle()
    assert "The Lid display disagrees: 39.10 ± 0.10 °C." in words(window)
    assert "Check the Lid display: it disagrees with the others" in words(window)
    column = window.column._cards[1]._values["temperature"].text()
    heat = page._grid.together["temperature"]
    assert f"Logged: {column}." in heat._sentence.text() and not heat._value.text().startswith(column.split()[0])


def test_tab_goes_as_the_keeper_does(window: Window, qtbot: QtBot) -> None:
    """Read, log, what to do about it, what is to be done today, what was done: also where lines are made later."""
    page = window.pages.round
    page.type_into(page.rows[0], "37.0")
    settle()
    page.rows[-1].edit.setFocus()
    met: list[str] = []
    for _ in range(30):
        qtbot.keyClick(window.focusWidget(), Qt.Key.Key_Tab)
        focused = window.focusWidget()
        met.append(focused.accessibleName() or focused.text())  # type: ignore[attr-defined]
    wanted = ("Log 1 reading", "Log the water", "Open the water page", "Why?", "Refill the water", "Details", "Strike")
    places = [next(i for i, name in enumerate(met) if name.startswith(begins)) for begins in wanted]
    assert places == sorted(places) and places[:4] == [0, 1, 2, 3]


def test_advice_is_followed_by_its_button(window: Window, qtbot: QtBot) -> None:
    page = window.pages.round
    page.type_into(page.rows[-1], "43")
    settle()
    shown = {b.text(): b for b in page.findChildren(QPushButton) if b.isVisible() and b.text()}
    before = len(window.desk.book.records(Event))
    shown["Log the water"].click()
    assert [e.kind for e in window.desk.book.records(Event)[before:]] == ["water"]
    settle()
    assert not shown["Log the water"].isVisible(), "now it settles, and there is nothing to do but wait"
    window.undo()
    settle()
    shown["Open the water page"].click()
    assert window.pages.page == "moisture" and window.pages.moisture.parts.part == "water"


def test_one_faulty_field_keeps_the_round_waiting(window: Window, qtbot: QtBot) -> None:
    first, second = window.pages.round.rows[:2]
    qtbot.keyClicks(first.edit, "37.0")
    qtbot.keyClicks(second.edit, "warm")
    qtbot.keyClick(first.edit, Qt.Key.Key_Return)
    assert (first.edit.text(), second.edit.text()) == ("37.0", "warm")
    assert "Type a number" in second.problem.text()
    assert window.focusWidget() is second.edit


def test_a_time_in_the_future_is_refused_at_its_field(window: Window, qtbot: QtBot) -> None:
    page = window.pages.round
    qtbot.keyClicks(page.time, "23:50")
    assert "has not come yet" in page.time_problem.text()
    qtbot.keyClicks(page.rows[0].edit, "37.0")
    qtbot.keyClick(page.rows[0].edit, Qt.Key.Key_Return)
    assert page.rows[0].edit.text() == "37.0"
    page.time.clear()
    qtbot.keyClicks(page.time, "yesterday 23:50")
    qtbot.keyClick(page.rows[0].edit, Qt.Key.Key_Return)
    assert any(
        f"{window.desk.book.local(r.time_ms):%d %H:%M}" == "17 23:50"
        for r in readings.hand_readings(window.desk.book.snapshot, page.rows[0].line.channel.id, 0, window.desk.now_ms)
    )


def test_events_by_key_with_details(window: Window, qtbot: QtBot) -> None:
    page = window.pages.round
    count = len(window.desk.book.records(Event))
    page.note.setFocus()
    qtbot.keyClicks(page.note, "short trough")
    qtbot.keyClick(window, Qt.Key.Key_W, Qt.KeyboardModifier.AltModifier)
    settle()  # a button pressed by its shortcut shows so before it acts
    newest = window.desk.book.records(Event)[-1]
    assert (newest.kind, newest.note) == ("water", "short trough")
    assert "Unplug before filling" in window.messages.text.text()
    assert "short trough" in words(window)
    # the advice now waits for the water to settle
    qtbot.keyClicks(page.rows[-1].edit, "48")
    assert "Water went in 0 min ago" in words(window)
    window.undo()
    assert len(window.desk.book.records(Event)) == count


def test_a_set_point_needs_a_number_that_fits_eggs(window: Window, qtbot: QtBot) -> None:
    page = window.pages.round
    for text, says in (("", "What is the new set point"), ("warm", "What is the new"), ("75", "no set point for eggs")):
        page.note.setText(text)
        page.log_event("set_point")
        assert says in page.event_problem.text()
    page.note.setText("99.7F")
    page.log_event("set_point")
    assert window.desk.book.records(Event)[-1].set_point_c == pytest.approx(37.611, abs=0.001)
    page.log_event("note")
    qtbot.keyClick(window, Qt.Key.Key_N, Qt.KeyboardModifier.AltModifier)
    settle()
    assert "Write it above" in page.event_problem.text()


def test_the_first_field_keeps_the_focus_while_the_page_fills(window: Window, qtbot: QtBot) -> None:
    """What arrives later (tasks, what the box gives) takes neither the focus nor the page's place."""
    window.show_page("round")
    settle()
    for _ in range(3):
        window.refresh()
        settle()
    assert window.pages.round.rows[0].edit.hasFocus()
    area = window.pages.round.findChild(QScrollArea)
    assert area is not None and area.verticalScrollBar().value() == 0


def test_why_shows_readings_rule_and_source(window: Window, qtbot: QtBot) -> None:
    window.pages.round.type_into(window.pages.round.rows[-1], "43")
    settle()
    why = next(
        b for b in window.findChildren(type(window.pages.round.log_button)) if b.text() == "Why?" and b.isVisible()
    )
    why.click()
    assert "Round hygrometer shows 43 % RH; corrected" in words(window)
    assert "settled states of this box" in words(window) and "vapor from the water" in words(window)


def test_typed_readings_survive_a_change_elsewhere(window: Window, qtbot: QtBot) -> None:
    row = window.pages.round.rows[0]
    qtbot.keyClicks(row.edit, "37.0")
    window.refresh()
    assert window.pages.round.rows[0].edit.text() == "37.0"
    window.switch_unit()
    assert window.pages.round.rows[0].value.text().startswith("99.50 ±")
    window.switch_unit()


def test_a_logbook_that_cannot_be_written_keeps_what_was_typed(window: Window, qtbot: QtBot) -> None:
    row = window.pages.round.rows[0]
    qtbot.keyClicks(row.edit, "37.0")
    window.desk.logbook.read_only = True
    qtbot.keyClick(row.edit, Qt.Key.Key_Return)
    assert window.messages.text.text().startswith("Problem: This logbook is read-only; nothing was logged.")
    assert row.edit.text() == "37.0"


def test_what_is_typed_for_one_incubator_waits_while_another_is_looked_at(window: Window, qtbot: QtBot) -> None:
    qtbot.keyClicks(window.pages.round.rows[0].edit, "37.0")
    window.step_incubator(1)
    qtbot.keyClicks(window.pages.round.rows[0].edit, "39.0")
    window.step_incubator(-1)
    assert window.pages.round.rows[0].edit.text() == "37.0"
    qtbot.keyClick(window.pages.round.rows[0].edit, Qt.Key.Key_Return)
    window.step_incubator(1)
    assert window.pages.round.rows[0].edit.text() == "39.0"
    window.step_incubator(-1)
    assert window.pages.round.rows[0].edit.text() == "", "what was logged is not offered again"


def test_a_wrong_reading_is_struck_and_stays_in_the_file(window: Window, qtbot: QtBot) -> None:
    lid = window.pages.round.rows[0].line.channel
    qtbot.keyClicks(window.pages.round.rows[0].edit, "31.0")
    qtbot.keyClick(window.pages.round.rows[0].edit, Qt.Key.Key_Return)
    settle()
    strike = next(
        b for b in window.findChildren(QPushButton) if b.accessibleName().startswith("Strike Lid display 31.0 °C")
    )
    strike.click()
    assert "Struck: Lid display 31.0 °C" in window.messages.text.text()
    typed = [r.typed for r in readings.hand_readings(window.desk.book.snapshot, lid.id, 0, window.desk.now_ms)]
    assert "31.0" not in typed
    with window.desk.logbook.reading() as connection:
        why = connection.execute("SELECT withdrawn_why FROM reading WHERE typed = '31.0'").fetchone()[0]
    assert why == "struck by the keeper"
    window.undo()
    typed = [r.typed for r in readings.hand_readings(window.desk.book.snapshot, lid.id, 0, window.desk.now_ms)]
    assert "31.0" in typed


def test_a_power_cut_on_the_round(window: Window, qtbot: QtBot) -> None:
    view = window.pages.round

    def cuts() -> list[Event]:
        return [e for e in window.desk.book.records(Event) if e.kind == "power"]

    view.toggle_power_cut()
    settle()
    panel = view.power_cut
    assert panel.isVisible() and panel.hours.hasFocus()
    qtbot.keyClicks(panel.hours, "3")
    assert panel.says.text().startswith("After 3 h with the lid shut the eggs are at about")
    panel.room.setFocus()
    panel.room.selectAll()
    qtbot.keyClicks(panel.room, "68")
    assert "64F" in panel.problem.text() and not panel.log.isEnabled()
    panel.room.selectAll()
    qtbot.keyClicks(panel.room, "68F")
    panel.log.click()
    assert "Power cut logged" in window.messages.text.text() and not panel.isVisible()
    assert (window.desk.book.records(Event)[-1].minutes, window.desk.book.records(Event)[-1].room_c) == (180.0, 20.0)
    window.undo()
    assert len(cuts()) == 1, "the one of the demo's story"


def test_a_power_cut_that_was_found_by_keyboard(window: Window, qtbot: QtBot) -> None:
    view = window.pages.round
    view.toggle_power_cut()
    settle()
    panel, desk = view.power_cut, window.desk
    for edit, text in ((panel.seen, "8"), (panel.air, "27.5"), (panel.egg, "30")):
        edit.setFocus()
        qtbot.keyClicks(edit, text)
    assert "It went off about" in panel.says.text() and "The eggs are down to about" in panel.says.text()
    assert not panel.hours.isEnabled() and panel.problem.isHidden()
    panel.log.click()
    (event,) = [e for e in desk.book.records(Event) if e.kind == "power" and e.time_ms > desk.now_ms - 9 * 3_600_000]
    assert event.minutes is not None and event.time_ms + event.minutes * 60_000 == pytest.approx(
        desk.now_ms, abs=61_000
    )
    assert panel.isHidden() and panel.air.text() == ""
    view.toggle_power_cut()
    assert panel.hours.isEnabled(), "the next one begins anew"
    panel.air.setFocus()
    qtbot.keyClicks(panel.air, "hot")
    assert "When did you last see it well?" in panel.problem.text()
    panel.seen.setFocus()
    qtbot.keyClicks(panel.seen, "8")
    assert "no temperature of a box" in panel.problem.text()
    assert not panel.log.isEnabled()
