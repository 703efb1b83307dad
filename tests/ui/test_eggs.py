"""Eggs and hatch through the window: candling in the dark with one key an egg, the hatch by counts, undo."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QLabel
from pytestqt.qtbot import QtBot

from stathmis.logbook.records import ShellSeries
from stathmis.services import setting_up
from stathmis.services.eggs import tray
from stathmis.services.plan import planning
from stathmis.ui.pictures import settle
from stathmis.ui.theme import DIM
from stathmis.ui.window import Window


def said(widget: object) -> str:
    settle()
    found = widget.findChildren(QLabel)  # type: ignore[attr-defined]
    return " ".join(label.text() for label in found if label.isVisible())


def test_candling_in_the_dark_by_keyboard(window: Window, qtbot: QtBot) -> None:
    qtbot.keyClick(window, Qt.Key.Key_4, Qt.KeyboardModifier.ControlModifier)
    view = window.pages.eggs
    assert "28 eggs in: 26 alive" in said(view) and "Take out egg 12 (early dead)" in said(view)
    qtbot.keyClick(window, Qt.Key.Key_K, Qt.KeyboardModifier.AltModifier)
    settle()
    assert window.theme.dim and window.theme.inks == DIM and view.picture.hasFocus() and not view._side.isVisible()
    assert view.picture.mark == "1"
    qtbot.keyClick(view.picture, Qt.Key.Key_D)
    assert view.picture.mark == "2", "on to the next egg by itself"
    qtbot.keyClick(view.picture, Qt.Key.Key_Right)
    qtbot.keyClick(view.picture, Qt.Key.Key_Down)
    assert view.picture.mark == "9"
    qtbot.keyClick(view.picture, Qt.Key.Key_A)
    assert "Egg 9 was taken out" in view.problem.text(), "what cannot be is said, in the dark as well"
    view.picture.look_at("8")
    qtbot.keyClick(view.picture, Qt.Key.Key_A)
    assert view.picture.mark == "10", "an egg that is out is passed over"
    qtbot.keyClick(view.picture, Qt.Key.Key_L, Qt.KeyboardModifier.ShiftModifier)
    assert view.course is not None
    egg = tray.tray(window.desk.book, view.course.batch).egg("10")
    assert egg is not None and egg.out and egg.state == "late dead"
    qtbot.keyClick(view.picture, Qt.Key.Key_M)
    assert "M stands for nothing" in view.problem.text()
    qtbot.keyClick(window, Qt.Key.Key_Escape)
    assert not window.theme.dim and window.pages.page == "eggs"
    window.undo()
    egg = tray.tray(window.desk.book, view.course.batch).egg("10")
    assert egg is not None and not egg.out
    view.toggle_dark()
    window.show_page("trace")
    assert not window.theme.dim, "elsewhere the lights are on"
    settle()


def test_a_hatch_by_counts(window: Window, qtbot: QtBot) -> None:
    window.step_incubator(1)
    qtbot.keyClick(window, Qt.Key.Key_5, Qt.KeyboardModifier.ControlModifier)
    view = window.pages.hatch.now
    settle()
    assert view.found is not None
    assert "Yes." in said(view) and "not yet" in said(view)
    view.count.setFocus()
    qtbot.keyClicks(view.count, "40")
    qtbot.keyClick(view.count, Qt.Key.Key_Return)
    assert "40 chicks, and 18 eggs left of 18" in view.problem.text() and view.count.text() == "40"
    view.count.setText("5")
    qtbot.keyClick(view.count, Qt.Key.Key_Return)
    assert "5 out: logged" in window.messages.text.text()
    settle()
    assert "5 of 18, 28 % (12 to 51 %)" in said(view)
    view.kind.setCurrentIndex(view.kind.findData("external pip"))
    view.count.setText("6")
    view.log_count()
    settle()
    assert "Keep it shut." in said(view) and "1 egg pipped and not out" in said(view)
    window.undo()
    window.undo()
    settle()
    assert "not yet" in said(view)


def test_eggs_get_their_places_in_one_go(window: Window, qtbot: QtBot) -> None:
    window.step_incubator(1)
    window.show_page("eggs")
    view = window.pages.eggs
    assert "have no places yet" in said(view) and view.laying.count.text() == "18"
    view.laying.columns.setFocus()
    qtbot.keyClicks(view.laying.columns, "6")
    qtbot.keyClick(view.laying.columns, Qt.Key.Key_Return)
    assert "18 eggs laid out" in window.messages.text.text() and view.picture.isVisible()
    assert view.course is not None and tray.tray(window.desk.book, view.course.batch).size == (3, 6)
    window.undo()
    assert "have no places yet" in said(view)
    settle()


def test_records_and_the_review_of_one(window: Window, qtbot: QtBot) -> None:
    qtbot.keyClick(window, Qt.Key.Key_R, Qt.KeyboardModifier.ControlModifier)
    view = window.stack.currentWidget()
    settle()
    assert view.found is not None
    shown = said(view)
    assert "Review: 26 rock partridge, first set" in shown and "15 of 26, 58 % (39 to 74 %)" in shown
    assert "Most likely: the temperature was low" in shown and "Next time: Raise the set point" in shown
    assert "rock or grey partridge, chukar, 1 batch" in shown
    view.by.setCurrentIndex(view.by.findData("school"))
    view._compare(view.by.currentData())
    assert "steady, 2 batches" in said(view)
    view.choose(view.rows[0].course.batch.id)
    settle()
    assert view.found is not None
    assert "when the hatch is over" in said(view)


def test_the_whole_logbook_goes_out_and_comes_back(window: Window, qtbot: QtBot, tmp_path: Path) -> None:
    window.show_place("records")
    view = window.stack.currentWidget()
    view.write_archive(tmp_path / "all.zip")
    settle()
    assert "rows of" in window.messages.text.text() and not view.stop.isVisible()
    view.restore(tmp_path / "all.zip", tmp_path / "again.stathmis")
    settle()
    assert "again.stathmis holds what was in all.zip" in window.messages.text.text()
    view.restore(tmp_path / "nothing.zip", tmp_path / "third.stathmis")
    settle()
    assert "is no archive" in window.messages.text.text()
    view.write_archive(tmp_path / "stopped.zip")
    view._stop()
    settle()
    assert not (tmp_path / "stopped.zip").exists() or "rows of" in window.messages.text.text()
    assert not list(tmp_path.glob("*.part"))


def test_eggs_change_places_with_space_or_the_pointer(window: Window, qtbot: QtBot) -> None:
    window.show_page("eggs")
    view = window.pages.eggs
    view.picture.setFocus()
    assert "Back is 0.45 ± " in said(view) and "change places" in said(view)
    qtbot.keyClick(view.picture, Qt.Key.Key_Home)
    qtbot.keyClick(view.picture, Qt.Key.Key_Space)
    assert "egg 1 is picked up" in view.picture.spoken
    qtbot.keyClick(view.picture, Qt.Key.Key_Down)
    qtbot.keyClick(view.picture, Qt.Key.Key_Space)
    assert "Eggs 1 and 7 changed places" in window.messages.text.text() and view.course is not None
    sheet = tray.tray(window.desk.book, view.course.batch)
    assert sheet.egg("1").place == (2, 1) and sheet.egg("7").place == (1, 1)  # type: ignore[union-attr]
    window.undo()
    two, nine = (view.picture._area(sheet.egg(m)).center().toPoint() for m in ("2", "9"))  # type: ignore[arg-type]
    qtbot.mousePress(view.picture, Qt.MouseButton.LeftButton, pos=two)
    qtbot.mouseRelease(view.picture, Qt.MouseButton.LeftButton, pos=nine)
    assert "Egg 9 is out of the machine" in view.problem.text(), "what has left does not move"
    view.moving.move_round()
    assert "eggs have changed places" in window.messages.text.text()
    window.undo()
    view.laying.shape.setCurrentIndex(view.laying.shape.findData("ring"))
    view.laying._shape_chosen(view.laying.shape.currentData())
    assert "rings" in window.messages.text.text() and "ring 1, place" in said(view)
    window.undo()
    assert "row 1, place" in said(view)
    settle()


def test_eggs_go_to_another_machine(window: Window, qtbot: QtBot) -> None:
    window.show_page("eggs")
    view = window.pages.eggs
    card = view.moving
    card.machine.setCurrentIndex(card.machine.findText("Spare cabinet"))
    card.marks.setFocus()
    qtbot.keyClick(card.marks, Qt.Key.Key_Return)
    assert "Which eggs?" in card.problem.text()
    qtbot.keyClicks(card.marks, "9, 10")
    qtbot.keyClick(card.marks, Qt.Key.Key_Return)
    assert "Egg 9 does not lie in this machine" in card.problem.text() and card.marks.text() == "9, 10"
    card.marks.setText("1-6")
    qtbot.keyClick(card.marks, Qt.Key.Key_Return)
    assert "6 eggs lie in Spare cabinet now" in window.messages.text.text()
    assert "22 eggs in" in said(view)
    window.show_incubator(next(i.id for i in window.desk.book.incubators() if i.name == "Spare cabinet"))
    window.show_page("eggs")
    assert "6 eggs in: 6 alive" in said(view)
    window.undo()
    assert "No batch is set here" in said(view)
    settle()


def test_an_ended_batch_is_looked_back_at(window: Window, qtbot: QtBot, tmp_path: Path) -> None:
    window.show_place("records")
    records = window.stack.currentWidget()
    records.by.setCurrentIndex(records.by.findData("incubator"))
    records._compare(records.by.currentData())
    assert "1. Old still box, 1 batch" in said(records) and "1. North cabinet, 1 batch" in said(records)
    ended = next(r.course.batch for r in records.rows if "partridge, first set" in r.course.batch.name)
    records.batch_wanted.emit(ended.id)
    settle()
    assert window.pages.page == "hatch" and "Looking back at 26 rock partridge, first set" in said(window.pages)
    assert "ended, day" not in window.pages.course.spoken
    assert "ended on day 2" in window.pages.course.spoken
    window.show_page("trace")
    settle()
    assert window.pages.trace._course is not None and window.pages.trace._course.batch.id == ended.id
    window.show_incubator(ended.incubator_id)
    window.show_page("eggs")
    assert "28 eggs in" in said(window.pages.eggs), "its card leads back to what runs"
    view = window.stack.currentWidget()
    assert view is window.pages
    window.show_place("records")
    records.write_season(2025, tmp_path / "season.html")
    settle()
    assert "Season 2025: written to season.html" in window.messages.text.text()
    records.write_season(2025, tmp_path / "stopped.html")
    records._stop()
    settle()
    assert not (tmp_path / "stopped.html").exists() or "written" in window.messages.text.text()
    assert not list(tmp_path.glob("*.part"))


def test_the_plan_card_says_what_own_hatches_teach(window: Window, qtbot: QtBot) -> None:
    window.show_place("planner")
    card = window.stack.currentWidget().new
    card.species.setCurrentIndex(card.species.findData("partridge"))
    card._offer_regimes()
    card.day.setText("in 60 days")
    card.add()
    assert not card.day.text() or card._waiting, "planned once the earlier hatch is read"
    settle()
    assert "1 own hatch of rock or grey partridge, chukar: expect 24." in card.taught.text()
    assert "planned. Ctrl+Z" in window.messages.text.text()
    plan = max(planning.plans(window.desk.book), key=lambda p: p.set_ms)
    assert plan.species.key == "partridge" and plan.species.days != 24.0
    card.species.setCurrentIndex(card.species.findData("chicken"))
    card._offer_regimes()
    assert not card.taught.isVisible(), "nothing of its own is known of hens"


def test_shells_are_logged_by_keyboard_and_say_what_they_mean(window: Window, qtbot: QtBot) -> None:
    desk = window.desk
    setting_up.add_instrument(
        desk, "Kitchen gun", "infrared gun", [setting_up.NewChannel("temperature", "°C", 0.1, 0.3)], reference=False
    )
    window.show_page("eggs")
    card = window.pages.eggs.shells
    assert card.isVisibleTo(window.pages.eggs) and card.by.currentText() == "Kitchen gun", "guns come first"
    card.values.setFocus()
    qtbot.keyClicks(card.values, "37,9 38.1 warm")
    qtbot.keyClick(card.values, Qt.Key.Key_Return)
    assert "no shell's temperature" in card.problem.text() and card.values.text() == "37,9 38.1 warm", "nothing is lost"
    card.values.selectAll()
    qtbot.keyClicks(card.values, "37,9 38.1 37.8")
    card.over.setFocus()
    qtbot.keyClicks(card.over, "20")
    qtbot.keyClick(card.over, Qt.Key.Key_Return)
    (series,) = desk.book.records(ShellSeries)
    assert (series.shown, series.over_s, series.typed) == ("[37.9, 38.1, 37.8]", 20.0, "37,9 38.1 37.8")
    assert "3 shells: 38." in said(card) and "over the air; on day 13" in said(card)
    assert card.values.text() == "" and card.values.hasFocus()
    window.undo()
    assert desk.book.records(ShellSeries) == ()
