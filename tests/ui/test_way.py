"""Your way through the window: what a batch follows, an own profile written by keyboard, passed on and brought in."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QComboBox, QLabel, QPushButton
from pytestqt.qtbot import QtBot

from stathmis.logbook.records import Batch
from stathmis.services.batch import batches, profiles
from stathmis.services.clock import DAY_MS
from stathmis.services.plan import planning, tasks
from stathmis.ui.pictures import settle
from stathmis.ui.way_view import WayView
from stathmis.ui.window import Window

CONTROL = Qt.KeyboardModifier.ControlModifier


def opened(window: Window, qtbot: QtBot) -> WayView:
    qtbot.keyClick(window, Qt.Key.Key_P, CONTROL)
    view = window.stack.currentWidget()
    assert isinstance(view, WayView)
    settle(0.1)
    return view


def press(view: WayView, name: str, qtbot: QtBot) -> None:
    settle(0.1)
    made = next(b for b in view.findChildren(QPushButton) if b.accessibleName() == name and b.isVisible())
    made.setFocus()
    qtbot.keyClick(made, Qt.Key.Key_Space)
    settle(0.1)


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
    settle(0.1)
    assert not editor.isVisible() and "Dry from nine is kept" in window.messages.text.text()
    (key,) = profiles.own_profiles(window.desk.book)
    course = batches.running(window.desk.book, window.desk.book.incubators()[0])
    assert course is not None
    name = f"What {course.batch.name} follows"
    regime = next(b for b in view.findChildren(QComboBox) if b.accessibleName() == name and b.isVisible())
    regime.setFocus()
    for _ in range(regime.count()):
        if regime.currentData() != key:
            qtbot.keyClick(regime, Qt.Key.Key_Down)
    assert regime.currentData() == key
    regime.activated.emit(regime.currentIndex())
    settle(0.1)
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
    settle(0.2)
    assert "11 days to go" in window.pages.course.accessibleName()
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


def choose(chooser: QComboBox, key: str, qtbot: QtBot) -> None:
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
    settle(0.1)
    planner = window.stack.currentWidget()
    task = planner.step._task  # type: ignore[union-attr]
    link = next(b for b in planner.findChildren(QPushButton) if b.text() == "how it is kept")  # type: ignore[union-attr]
    link.setFocus()
    qtbot.keyClick(link, Qt.Key.Key_Space)
    view = window.stack.currentWidget()
    assert isinstance(view, WayView) and view.way._plan.subject == task.subject
    assert view.way.choosers["turning"].hasFocus()
