"""Your way through the window: what a batch follows, an own profile written by keyboard, passed on and brought in."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QComboBox, QLabel, QPushButton
from pytestqt.qtbot import QtBot

from stathmis.logbook.records import Batch
from stathmis.services.batch import batches, profiles
from stathmis.services.batch.species import all_species
from stathmis.services.clock import DAY_MS
from stathmis.services.plan import planning, tasks
from stathmis.ui.pictures import settle
from stathmis.ui.way_view import WayView
from stathmis.ui.window import Window

CONTROL = Qt.KeyboardModifier.ControlModifier


def opened(window: Window, qtbot: QtBot) -> WayView:
    qtbot.keyClick(window, Qt.Key.Key_Y, CONTROL | Qt.KeyboardModifier.ShiftModifier)
    view = window.stack.currentWidget()
    assert isinstance(view, WayView)
    settle()
    return view


def press(view: WayView, name: str, qtbot: QtBot) -> None:
    settle()
    made = next(b for b in view.findChildren(QPushButton) if name in (b.accessibleName(), b.text()) and b.isVisible())
    made.setFocus()
    qtbot.keyClick(made, Qt.Key.Key_Space)
    settle()


def test_an_own_profile_from_school_to_batch(window: Window, qtbot: QtBot, tmp_path: Path) -> None:
    view = opened(window, qtbot)
    assert view.species.hasFocus() and view.species.currentData() == "partridge"
    press(view, "Make my own from this: falling", qtbot)
    editor = view.editor
    assert editor.isVisible() and editor.name.hasFocus()
    editor.name.selectAll()
    qtbot.keyClicks(editor.name, "Dry from nine")
    second = editor._edits[1]["from_day"]
    second.setFocus()
    second.selectAll()
    qtbot.keyClicks(second, "99")
    assert not editor.keep.isEnabled()
    shown = [p.text() for p in editor.findChildren(QLabel) if p.isVisible() and p.property("role") == "problem"]
    assert shown == ["It begins after the stage before it, which begins at 99."]
    second.selectAll()
    qtbot.keyClicks(second, "9")
    low = editor._edits[0]["heat_low"]
    low.setFocus()
    low.selectAll()
    qtbot.keyClicks(low, "99.1F")
    editor.keep.setFocus()
    qtbot.keyClick(editor.keep, Qt.Key.Key_Space)
    settle()
    assert not editor.isVisible() and "Dry from nine is kept" in window.messages.text.text()
    (key,) = profiles.own_profiles(window.desk.book)
    course = batches.running(window.desk.book, window.desk.book.incubators()[0])
    assert course is not None
    # what is followed counts from the first day where the keeper says so
    choose(view.since, True, qtbot)
    name = f"What {course.batch.name} follows"
    regime = next(b for b in view.findChildren(QComboBox) if b.accessibleName() == name and b.isVisible())
    regime.setFocus()
    for _ in range(regime.count()):
        if regime.currentData() != key:
            qtbot.keyClick(regime, Qt.Key.Key_Down)
    assert regime.currentData() == key
    regime.activated.emit(regime.currentIndex())
    settle()
    again = batches.running(window.desk.book, window.desk.book.incubators()[0])
    assert again is not None and again.regime_name == "Dry from nine"
    band = again.band("temperature", again.at_ms(1.0))
    assert band is not None and round(band.low, 2) == 37.28
    window.undo()
    assert window.desk.book.records(Batch)[-2].regime == "steady"
    path = tmp_path / "dry.stathmis-profile.toml"
    view.write_to(profiles.own_profiles(window.desk.book)[key], path)
    view.bring_in(path)
    assert "Dry from nine 2 is among your profiles" in window.messages.text.text()
    path.write_text("stathmis_profile = 1\nname = 'x'\n", encoding="utf-8")
    view.bring_in(path)
    assert "species is missing" in window.messages.text.text() and len(profiles.own_profiles(window.desk.book)) == 2


def test_leaving_the_editor_leaves_everything_as_it_was(window: Window, qtbot: QtBot) -> None:
    view = opened(window, qtbot)
    press(view, "Make my own from this: lean", qtbot)
    window.switch_unit()
    assert view.editor._edits[0]["heat_low"].text().startswith("99"), "the unit is switched under one's hands"
    rows = len(view.editor._edits)
    press(view, "Add a stage after stage 1", qtbot)
    assert len(view.editor._edits) == rows + 1 and not view.editor.keep.isEnabled()
    press(view, "Remove stage 2", qtbot)
    assert len(view.editor._edits) == rows and view.editor.keep.isEnabled()
    window.switch_unit()
    qtbot.keyClick(window, Qt.Key.Key_Escape)
    assert not view.editor.isVisible() and window.stack.currentWidget() is view
    assert profiles.own_profiles(window.desk.book) == {}
    qtbot.keyClick(window, Qt.Key.Key_Escape)
    assert window.stack.currentWidget() is window.pages


def test_days_counted_down_show_everywhere(window: Window, qtbot: QtBot) -> None:
    view = opened(window, qtbot)
    course = batches.running(window.desk.book, window.desk.book.incubators()[0])
    assert course is not None
    profiles.follow(window.desk, course.batch, course.batch.regime, "down")
    window.show_page("trace")
    qtbot.waitUntil(lambda: window.pages.trace.eggs is not None, timeout=20_000)
    settle()
    assert "11 days to go" in window.pages.course.spoken
    charts = window.pages.trace.charts
    assert charts is not None
    axis = charts._axes["temperature"]
    assert axis.tickStrings([0.0, 10.0], 1.0, 5.0) == ["24 to go", "14 to go"]
    assert view is not window.stack.currentWidget()


def say(view: WayView, name: str, text: str, qtbot: QtBot) -> None:
    """Type into a field of the way, and Enter."""
    edit = view.way.fields[name]
    edit.setFocus()
    edit.selectAll()
    qtbot.keyClicks(edit, text)
    qtbot.keyClick(edit, Qt.Key.Key_Return)


def choose(chooser: QComboBox, key: object, qtbot: QtBot) -> None:
    """By the arrow keys, as far as it takes."""
    chooser.setFocus()
    while chooser.currentData() != key:
        step = Qt.Key.Key_Down if chooser.findData(key) > chooser.currentIndex() else Qt.Key.Key_Up
        qtbot.keyClick(chooser, step)


def test_the_way_of_a_batch_by_keyboard_is_obeyed(window: Window, qtbot: QtBot) -> None:
    view, book = opened(window, qtbot), lambda: window.desk.book
    choose(
        view.way.batch,
        next(f"batch {p.batch.id}" for p in planning.plans(book()) if p.batch and p.species.key == "partridge"),
        qtbot,
    )
    # the machine's own counter: said here, and on Round
    say(view, "counter_day", "18", qtbot)
    said = "The machine's counter stops turning on Fri, 3 days early: set it to day 21."
    assert view.way._counter.text() == said
    qtbot.keyClick(window, Qt.Key.Key_1, CONTROL)
    assert window.pages.round._turning.text() == said
    # by hand, every two hours: the fields change, Round and the list of tasks follow
    opened(window, qtbot)
    choose(view.way.choosers["turning"], "by hand", qtbot)
    assert not view.way.fields["counter_day"].isVisible() and view.way.fields["turns_a_day"].isVisible()
    say(view, "turns_a_day", "8", qtbot)
    qtbot.keyClick(window, Qt.Key.Key_1, CONTROL)
    assert "No turn by hand is logged." in window.pages.round._turning.text()
    assert any(t.step.startswith("turn") and "partridge" in t.about for t in tasks.today(book()))
    # what cannot be is said there, and nothing is kept
    opened(window, qtbot)
    say(view, "turns_a_day", "99", qtbot)
    assert view.way._problem.text() == "Turns a day: 99? Write a whole number from 1 to 48."
    assert planning.plans(book())[1].way.turns_a_day == 8 and view.way.fields["turns_a_day"].text() == "99"
    say(view, "turns_a_day", "8", qtbot)
    assert view.way._problem.isHidden()
    # candled on days of one's own: the planner has them
    say(view, "candling_days", "8, 16", qtbot)
    (plan,) = [p for p in planning.plans(book()) if p.species.key == "partridge"]
    assert [round((s.at_ms - plan.set_ms) / DAY_MS) for s in plan.steps if s.kind == "candle"] == [8, 16]
    # taken back step by step, to before the batch had a plan of its own, the same batch stays in view
    chosen = view.way.batch.currentData()
    window.undo()
    assert view.way.fields["candling_days"].text() == "" and view.way.choosers["candling"].isEnabled()
    for _step in range(3):
        window.undo()
    assert view.way.batch.currentData() == chosen and view.way.choosers["turning"].currentData() == "machine"
    assert view.way.fields["counter_day"].text() == "" and view.way._counter.isHidden()


def test_from_a_step_to_its_way(window: Window, qtbot: QtBot) -> None:
    window.show_place("planner")
    settle()
    planner = window.stack.currentWidget()
    task = planner.step._task  # type: ignore[union-attr]
    link = next(b for b in planner.findChildren(QPushButton) if b.text() == "how it is kept")  # type: ignore[union-attr]
    link.setFocus()
    qtbot.keyClick(link, Qt.Key.Key_Space)
    view = window.stack.currentWidget()
    assert isinstance(view, WayView) and view.way._plan.subject == task.subject
    assert view.way.choosers["turning"].hasFocus()


def test_a_species_of_ones_own_by_keyboard(window: Window, qtbot: QtBot) -> None:
    view = opened(window, qtbot)
    press(view, "A species of your own…", qtbot)
    editor = view.species_editor
    assert editor.isVisible() and editor.name.hasFocus() and not editor.keep.isEnabled()
    assert editor.problem.isHidden(), "an empty name is no fault before anything is typed"
    qtbot.keyClicks(editor.name, "teal")
    days = editor.fields["days"]
    days.setFocus()
    days.selectAll()
    qtbot.keyClicks(days, "3")
    assert editor.problem.text().startswith("Days to the hatch: “3”?") and not editor.keep.isEnabled()
    days.selectAll()
    qtbot.keyClicks(days, "23.5")
    assert editor.keep.isEnabled()
    qtbot.keyClick(days, Qt.Key.Key_Return)
    settle()
    assert not editor.isVisible() and view.species.currentText() == "teal" and view.species.hasFocus()
    # it is offered wherever eggs are set or planned, and its schools stand there
    assert any(label.text() == "steady" for label in view.findChildren(QLabel) if label.isVisible())
    for place, chooser in (("enter", lambda v: v.batch.species), ("planner", lambda v: v.new.species)):
        window.show_place(place)
        settle()
        shown = chooser(window.stack.currentWidget())
        assert shown.findText("teal") >= 0, place
    # changed, left with Esc, and taken away
    opened(window, qtbot)
    view.species.choose(next(key for key in all_species(window.desk.book) if key.startswith("own ")))
    press(view, "Change it", qtbot)
    assert editor.fields["days"].text() == "23.5"
    qtbot.keyClick(window, Qt.Key.Key_Escape)
    assert not editor.isVisible() and window.stack.currentWidget() is view
    press(view, "Take it away", qtbot)
    assert view.species.findText("teal") < 0 and "Ctrl+Z brings it back" in window.messages.text.text()
    window.undo()
    assert view.species.findText("teal") >= 0


def test_eggs_as_they_came_and_what_cannot_be(window: Window, qtbot: QtBot) -> None:
    view = opened(window, qtbot)
    for name, text in (("received", "34"), ("cracked", "3"), ("kept_c", "72F"), ("rested_h", "4")):
        edit = view.delivery.fields[name]
        edit.setFocus()
        edit.selectAll()
        qtbot.keyClicks(edit, text)
        qtbot.keyClick(edit, Qt.Key.Key_Return)
        assert view.delivery._problem.isHidden(), name
    said = view.delivery._share.text()
    assert "34 eggs came, 30 set; 3 cracked: 9 % were poor" in said
    assert "Kept at 22.2 °C" in said and "They rested 4 h" in said
    odd = view.delivery.fields["odd"]
    odd.setFocus()
    qtbot.keyClicks(odd, "99")
    qtbot.keyClick(odd, Qt.Key.Key_Return)
    assert "34 eggs came." in view.delivery._problem.text() and odd.text() == "99", "it stays to be mended"
    window.undo()
    assert view.delivery.fields["rested_h"].text() == ""


def test_a_way_is_passed_on_and_brought_in(window: Window, qtbot: QtBot, tmp_path: Path) -> None:
    view = opened(window, qtbot)
    choose(view.way.choosers["turning"], "by hand", qtbot)
    say(view, "turns_a_day", "7", qtbot)
    path = tmp_path / "mine.stathmis-way.toml"
    view.way.write_to(path)
    assert 'turning = "by hand"' in path.read_text(encoding="utf-8")
    # for eggs of another species what belongs to the first is left out
    other = next(f"batch {p.batch.id}" for p in planning.plans(window.desk.book) if p.batch and "guinea" in p.name)
    view.way.turn_to(other)
    view.way.bring_in(path)
    (guinea,) = [p for p in planning.plans(window.desk.book) if p.batch and "guinea" in p.name]
    assert (guinea.way.turning, guinea.way.turns_a_day) == ("by hand", 7)
    assert "of another species" in window.messages.text.text()
    path.write_text('stathmis_way = 1\n[way]\nturns_a_day = 0\nhabit = "odd"\n', encoding="utf-8")
    view.way.bring_in(path)
    assert view.way._problem.text().startswith("This way cannot be used: habit is not known; turns_a_day cannot be 0.")
    path.unlink()
    view.way.bring_in(path)
    assert "cannot be read" in view.way._problem.text()


def test_what_is_typed_is_drawn_and_explained(window: Window, qtbot: QtBot) -> None:
    view = opened(window, qtbot)
    view.way.show_all()
    days = view.way.fields["term_days"]
    days.setFocus()
    assert view.way._reason.text().startswith("Breeds differ by a day or two")
    qtbot.keyClicks(days, "2")
    assert view.way._preview_words.isHidden(), "two days are no term yet"
    qtbot.keyClicks(days, "3")
    assert "hatch Wed 27 May" in view.way._preview_words.text() and "Enter keeps it" in view.way._preview_words.text()
    assert "of 23" in view.way._preview.spoken and planning.plans(window.desk.book)[1].way.term_days is None
    qtbot.keyClick(days, Qt.Key.Key_Return)
    assert view.way._preview_words.isHidden() and "from now on" in window.messages.text.text()


def test_a_species_is_written_in_a_small_window_with_large_text(window: Window, qtbot: QtBot) -> None:
    window.resize(1024, 700)
    window.theme.scale = 1.5
    window.theme.choose("dark")
    try:
        view = opened(window, qtbot)
        press(view, "A species of your own…", qtbot)
        content = view.area.widget()
        assert content is not None and view.species_editor.isVisible()
        assert content.width() <= view.area.viewport().width(), "it runs off the right edge"
    finally:
        window.theme.scale = 1.0
        window.theme.choose("light")
        settle()
