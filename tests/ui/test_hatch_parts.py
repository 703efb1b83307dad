"""The parts of Hatch through the window: taking off and opening by count, what is refused, looking back, reports."""

from __future__ import annotations

from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QFontMetrics
from PySide6.QtWidgets import QLabel, QPushButton, QScrollArea
from pytestqt.qtbot import QtBot

from stathmis.logbook.records import Batch, BreakOut, Event
from stathmis.services.batch import batches
from stathmis.services.eggs import findings, moving, tray
from stathmis.ui.pictures import settle
from stathmis.ui.theme import Theme
from stathmis.ui.window import Window

HOUR_MS = 3_600_000


def said(widget: object) -> str:
    settle()
    found = widget.findChildren(QLabel)  # type: ignore[attr-defined]
    return " ".join(label.text() for label in found if label.isVisible())


def wait(qtbot: QtBot) -> None:
    settle()


def guinea(window: Window, part: str) -> int:
    """The guinea fowl, which have no marks, on a part of Hatch; returns the batch's id."""
    window.step_incubator(1)
    window.show_page("hatch")
    window.pages.hatch.show_part(part)
    course = window.pages.hatch.course
    assert course is not None
    return course.batch.id


def test_taking_off_by_count(window: Window, qtbot: QtBot) -> None:
    desk = window.desk
    batch_id = guinea(window, "take-off")
    view = window.pages.hatch.take_off
    assert "Nothing is out of its shell yet." in said(view) and "Wash hands" in said(view)
    assert "Stragglers may still come" in said(view) and "Heat lamps start fires" in said(view)
    course = batches.course_by_id(desk.book, batch_id)
    assert course is not None
    findings.log_count(desk, course, "out", 6, desk.now_ms - 14 * HOUR_MS)
    assert view.count.text() == "6" and "6 chicks: 6 dry and ready." in said(view)
    for text, weak, says in (("9", "", "9 to take off, and 6 chicks are out"), ("2", "3", "More weak ones")):
        view.count.setText(text)
        view.weak["weak"].setText(weak)
        view.bands.setText("blue")
        view.brooder.setFocus()
        qtbot.keyClick(view.brooder, Qt.Key.Key_Return)
        assert says in view.problem.text()
        assert (view.count.text(), view.weak["weak"].text(), view.bands.text()) == (text, weak, "blue"), (
            "nothing is lost"
        )
    view.weak["weak"].setText("some")
    view.take()
    assert "some is no count" in view.problem.text()
    view.weak["weak"].setText("1")
    view.count.setText("4")
    view.take()
    assert "4 taken off" in window.messages.text.text() and view.bands.text() == ""
    assert "2 dry and ready, 4 taken off" in said(view) and "1 weak: cannot stand" in said(view)
    window.undo()
    assert "6 dry and ready." in said(view)
    view.end_batch()
    wait(qtbot)
    assert "18 guinea fowl eggs ended" in window.messages.text.text()
    assert window.pages.hatch.parts.part == "opened" and "Looking back at 18 guinea fowl eggs" in said(window.pages)
    window.undo()
    assert "Looking back" not in said(window.pages), "undone it runs again"
    wait(qtbot)


def test_opening_eggs_without_marks(window: Window, qtbot: QtBot) -> None:
    desk = window.desk
    batch_id = guinea(window, "opened")
    view = window.pages.hatch.opened
    assert "The hatch is still to come" in said(view)
    ended = next(b for b in desk.book.records(Batch) if "partridge, first set" in b.name)
    window.show_batch(ended.id)
    window.pages.hatch.show_part("opened")
    assert "1 egg did not hatch and is not opened." in said(view) and "3 of 5 yolk not drawn in" in said(view)
    view.eggs.setFocus()
    qtbot.keyClicks(view.eggs, "m")
    view.count.setText("3")
    qtbot.keyClick(view.eggs, Qt.Key.Key_Return)
    assert "3 eggs opened, and 1 did not hatch" in view.problem.text() and "died in the middle" in said(view)
    view.count.setText("1")
    view.note.setText("small")
    qtbot.keyClick(view.note, Qt.Key.Key_Return)
    assert "1 egg: died in the middle" in window.messages.text.text() and "1 egg: died in the middle; small" in said(
        view
    )
    assert "0 eggs did not hatch" in said(view) and not view.eggs.isVisible()
    strike = next(b for b in view.findChildren(QPushButton) if b.isVisible() and b.text() == "strike")
    assert strike.accessibleName().startswith("Strike 1 egg: died in the middle")
    strike.click()
    assert "1 egg did not hatch" in said(view) and len(desk.book.records(BreakOut)) == 3
    assert batch_id
    wait(qtbot)


def test_a_finished_batch_may_be_mended_and_it_is_marked(window: Window, qtbot: QtBot) -> None:
    """Eggs of the spring set, ended: a finding entered afterwards is allowed and says so."""
    window.show_page("hatch")
    window.pages.hatch.show_part("take-off")
    window.pages.hatch.take_off.end_batch()
    wait(qtbot)
    window.show_page("eggs")
    view = window.pages.eggs
    assert "This batch has ended: what is entered now is marked as later." in said(view)
    assert not view.moving._row.isVisible(), "what has ended goes nowhere"
    view.picture.setFocus()
    qtbot.keyClick(view.picture, Qt.Key.Key_Home)
    qtbot.keyClick(view.picture, Qt.Key.Key_B)
    view.picture.look_at("1")
    assert "dead in shell (entered after the end)" in said(view)
    view.picture.look_at("9")
    qtbot.keyClick(view.picture, Qt.Key.Key_H)
    assert "Egg 9 was taken out" in view.problem.text(), "no chick comes from an egg that was gone"
    view.picture.look_at("2")
    qtbot.keyClick(view.picture, Qt.Key.Key_H)
    view.at.setText("1 h ago")
    view.picture.look_at("2")
    qtbot.keyClick(view.picture, Qt.Key.Key_Y)
    assert "this comes after it" in view.problem.text() or "Type a time" in view.problem.text(), "dry before out"
    wait(qtbot)


def test_an_ended_batch_has_all_its_pages_until_one_goes_back(window: Window, qtbot: QtBot) -> None:
    ended = next(b for b in window.desk.book.records(Batch) if "partridge, first set" in b.name)
    window.pages.round.type_into(window.pages.round.rows[0], "37.0")
    window.show_batch(ended.id)
    for page in ("trace", "moisture", "eggs", "hatch", "trace"):
        window.show_page(page)
        assert f"Looking back at {ended.name}" in said(window.pages), page
        wait(qtbot)
    assert window.pages.trace.traced is not None and window.pages.trace.traced.course.batch.id == ended.id
    window.show_page("round")
    view = window.pages.round
    assert "here is its last round" in said(window.pages) and not view.rows[0].edit.isEnabled()
    assert view.rows[0].edit.text() == "", "what is half typed is of now"
    assert not view.log_button.isVisible() and not view.note.isVisible() and not view.today.isVisible()
    assert view.sheet.course is not None and view.sheet.course.batch.id == ended.id
    qtbot.keyClick(window, Qt.Key.Key_Escape)
    assert "Looking back" not in said(window.pages) and view.rows[0].edit.isEnabled() and view.today.isVisible()
    assert view.rows[0].edit.text() == "37.0"
    window.show_page("trace")
    assert "Looking back" not in said(window.pages), "the one that runs is in view again"
    wait(qtbot)


def test_a_report_that_cannot_be_written_says_so(window: Window, qtbot: QtBot, tmp_path: Path) -> None:
    ended = next(b for b in window.desk.book.records(Batch) if "partridge, first set" in b.name)
    window.show_batch(ended.id)
    window.pages.hatch.show_part("review")
    panel = window.pages.hatch.review
    qtbot.waitUntil(lambda: panel.found is not None, timeout=30_000)
    panel.write_report(tmp_path / "nowhere" / "r.pdf")
    wait(qtbot)
    assert "r.pdf cannot be written" in window.messages.text.text() and not (tmp_path / "nowhere").exists()
    panel.write_report(tmp_path / "named without ending")
    wait(qtbot)
    assert (tmp_path / "named without ending.pdf").read_bytes().startswith(b"%PDF")


def test_a_batch_that_moved_is_seen_where_it_went(window: Window, qtbot: QtBot) -> None:
    """Round, Trace and the column follow the eggs; the old machine is free, and both logs tell of it."""
    desk = window.desk
    window.show_page("eggs")
    card = window.pages.eggs.moving
    card.machine.setCurrentIndex(card.machine.findText("Spare cabinet"))
    card.marks.setText("all")
    card.go()
    assert "The batch lies in Spare cabinet now" in window.messages.text.text()
    assert "No batch is set here." in said(window.pages.eggs)
    window.show_page("round")
    assert "Eggs moved: 30 rock partridge, set A to Spare cabinet" in said(window.pages.round)
    spare = next(i for i in desk.book.incubators() if i.name == "Spare cabinet")
    window.show_incubator(spare.id)
    assert "Eggs moved: 30 rock partridge, set A from North cabinet" in said(window.pages.round)
    window.show_page("trace")
    wait(qtbot)
    assert "Heat, setting" in said(window.pages.trace), "the run before the move is still its own"
    assert len([e for e in desk.book.records(Event) if e.kind == "moved"]) == 2
    window.undo()
    wait(qtbot)
    assert not [e for e in desk.book.records(Event) if e.kind == "moved"]


@pytest.mark.parametrize("shape", ["rows", "ring"])
def test_parts_and_trays_fit_a_small_window_with_large_text(
    window: Window, theme: Theme, qtbot: QtBot, shape: str
) -> None:
    window.resize(1024, 700)
    theme.scale = 1.5
    theme.choose("light")
    try:
        window.show_page("eggs")
        laying = window.pages.eggs.laying
        laying.shape.setCurrentIndex(laying.shape.findData(shape))
        laying._shape_chosen(laying.shape.currentData())
        for part in ("", "now", "take-off", "opened", "review"):
            if part:
                window.show_page("hatch")
                window.pages.hatch.show_part(part)
            wait(qtbot)
            for area in window.pages.findChildren(QScrollArea):
                if area.isVisible() and area.widget():
                    assert area.widget().width() <= area.viewport().width(), f"{part or shape} runs off the edge"
            for made in window.pages.findChildren(QLabel):
                if made.isVisible() and made.text() and not made.wordWrap():
                    needed = QFontMetrics(made.font()).horizontalAdvance(made.text())
                    assert made.width() + 2 >= needed, f"cut off in {part or shape}: {made.text()}"
        course = window.pages.hatch.course
        assert course is not None and tray.tray(window.desk.book, course.batch).batch.tray == shape
        assert moving.marks_in("1-3") == ["1", "2", "3"]
    finally:
        theme.scale = 1.0
        theme.choose("light")
