"""A lesson played through, and the practice pages, by keyboard in the real window."""

from __future__ import annotations

import shutil
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from pytestqt.qtbot import QtBot

from stathmis.logbook.opening import create_logbook, open_logbook
from stathmis.services import rounds
from stathmis.services.clock import FixedClock
from stathmis.services.desk import Desk
from stathmis.services.practice import progress, under_way
from stathmis.services.practice.under_way import Practice
from stathmis.ui import application, work
from stathmis.ui.logbooks import Logbooks
from stathmis.ui.pictures import settle
from stathmis.ui.practise_view import PractiseView
from stathmis.ui.theme import Theme
from stathmis.ui.uncovering_view import UncoveringView
from stathmis.ui.window import Window
from windows import press


@pytest.fixture
def practised(qtbot: QtBot, lessons: Callable[[str, int], Path], tmp_path: Path, theme: Theme) -> Iterator[Window]:
    """The window of a lesson just taken over, a few days before its hatch."""
    clock = FixedClock(under_way.SET_MS)
    desk = Desk(open_logbook(Path(shutil.copy(lessons("at the pip", 1), tmp_path / "practice.stathmis"))), clock)
    window = Window(desk, theme, None, Practice.resume(desk, clock))
    window.data = tmp_path
    window.show()
    qtbot.waitExposed(window)
    window.activateWindow()
    qtbot.waitUntil(window.isActiveWindow, timeout=5000)
    settle()
    yield window
    window.close()
    window.deleteLater()
    assert not work.busy()


def test_whoever_has_no_machine_yet_can_practise(qtbot: QtBot, empty_window: Window) -> None:
    window = empty_window
    start = window.stack.currentWidget()
    start.practise.click()  # type: ignore[attr-defined]
    settle()
    assert isinstance(window.stack.currentWidget(), PractiseView)
    press(qtbot, window, "Esc")
    assert window.stack.currentWidget() is start
    press(qtbot, window, "Ctrl+Shift+P")
    assert isinstance(window.stack.currentWidget(), PractiseView)
    # nothing else is there before the first answers
    press(qtbot, window, "Ctrl+J")
    assert isinstance(window.stack.currentWidget(), PractiseView)


@pytest.mark.heavy("a hatch played from its pip to its uncovering")
def test_a_lesson_is_played_through_by_keyboard(qtbot: QtBot, practised: Window, tmp_path: Path) -> None:
    """Displays typed into Round, the lockdown ticked, on from night to night, a hint, the end, and the cover off."""
    window, bar = practised, practised.bar
    assert "Opening at the pip" in bar._when.text() and "Lid display" in bar._shows.text()
    press(qtbot, window, "F7")
    press(qtbot, window, "Ctrl+Shift+D")
    page = window.pages.round
    typed = [row for row in page.rows if row.edit.text()]
    assert len(typed) == 2 and window.focusWidget() is typed[0].edit
    qtbot.keyClick(typed[0].edit, Qt.Key.Key_Return)
    settle()
    assert rounds.logged_lately(window.desk.book, page.sheet, 2)
    press(qtbot, window, "Ctrl+Shift+H")
    assert bar._told.text()
    bar.deeds["weigh"].setFocus()
    qtbot.keyClick(bar.deeds["weigh"], Qt.Key.Key_Space)
    assert "tray weighs" in bar._told.text()
    assert page.lockdown.isVisible() and page.lockdown.run is not None
    for step in page.lockdown.run.steps:
        tick = page.lockdown.ticks[step.key]
        tick.setFocus()
        qtbot.keyClick(tick, Qt.Key.Key_Space)
        settle()
    pressed = 0
    while bar.practice.course is not None and bar.practice.course.day(bar.practice.now_ms) < 22.0:
        press(qtbot, window, "F9" if pressed in (1, 6) else "F6")
        pressed += 1
        assert pressed < 20
    assert bar.practice.world.turner_out and bar.deeds["look in"].isVisible()
    bar.deeds["look in"].click()
    assert "window" in bar._told.text()
    bar.deeds["finish"].setFocus()
    qtbot.keyClick(bar.deeds["finish"], Qt.Key.Key_Space)
    settle()
    assert bar.practice.over and bar.cover.isVisible() and not bar.ways["night"].isVisible()
    bar.cover.setFocus()
    qtbot.keyClick(bar.cover, Qt.Key.Key_Space)
    settle()
    view = window.stack.currentWidget()
    assert isinstance(view, UncoveringView) and view.found is not None
    assert f"{view.found.out} of 24" in view._compared.text() and view.picture.isVisible()
    qtbot.keyClick(view.picture, Qt.Key.Key_Right)
    assert "true" in view.picture.spoken
    assert progress.scores(tmp_path) == {"at the pip": view.found.score}


def test_what_instruments_show_at_the_bench_folds_out(qtbot: QtBot, practised: Window) -> None:
    bar = practised.bar
    bar.check.click()
    assert bar._bench.isVisible() and "in ice slush" in bar._bench.text() and "table salt" in bar._bench.text()
    bar.check.click()
    assert not bar._bench.isVisible()
    practised.show_place("uncovering")
    settle()
    view = practised.stack.currentWidget()
    assert isinstance(view, UncoveringView) and "stays on" in view._title.text() and not view.picture.isVisible()


def test_a_lesson_is_begun_from_the_ladder_in_a_window_of_its_own(
    qtbot: QtBot, window: Window, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    launched: list[Path] = []
    monkeypatch.setattr(Logbooks, "launch", lambda self, path: launched.append(path))
    window.data = tmp_path
    progress.keep(tmp_path, "believe", 70)
    press(qtbot, window, "Ctrl+Shift+P")
    view = window.stack.currentWidget()
    assert isinstance(view, PractiseView)
    # the first without a score
    assert view.lessons["dry cupboard"].go.hasFocus() and "70 points" in view.lessons["believe"]._score.text()
    lesson = view.lessons["dry cupboard"]
    lesson.number.setText("none")
    lesson.begin()
    assert lesson.problem.isVisible() and not launched
    lesson.number.setText("3")
    qtbot.keyClick(lesson.number, Qt.Key.Key_Return)
    assert launched == [progress.logbook(tmp_path, "dry cupboard", 3)] and launched[0].exists()
    # a second time it is gone on with
    written = launched[0].stat().st_mtime_ns
    lesson.begin()
    assert len(launched) == 2 and launched[0].stat().st_mtime_ns == written


def test_a_practice_logbook_opens_in_its_own_time(lessons: Callable[[str, int], Path], tmp_path: Path) -> None:
    desk = Desk(open_logbook(Path(shutil.copy(lessons("believe", 1), tmp_path / "practice.stathmis"))), FixedClock(0))
    practice = application._practice(desk)
    assert practice is not None and desk.now_ms == practice.now_ms > 0
    with desk.edit("broken") as edit:
        edit.set(under_way.SETTING, "[]")
    desk.clock = FixedClock(5)
    # what cannot be gone on with can still be looked at, in the computer's own time
    assert application._practice(desk) is None and desk.now_ms == 5
    desk.logbook.close()
    other = Desk(create_logbook(tmp_path / "real.stathmis", {"time_zone": "UTC"}), FixedClock(0))
    assert application._practice(other) is None
    other.logbook.close()
