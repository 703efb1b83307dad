"""Backups through the window: what each holds, going back to one, looking at a copy, the second folder."""

from __future__ import annotations

import argparse
import shutil
from pathlib import Path

import pytest
from PySide6.QtCore import Qt, QTimer
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from stathmis.core.errors import UserError
from stathmis.logbook import backups, edits
from stathmis.services.clock import DAY_MS, FixedClock
from stathmis.services.files import backing_up
from stathmis.ui import application, work
from stathmis.ui.backups_view import BackupsView
from stathmis.ui.pictures import settle
from stathmis.ui.theme import Theme
from stathmis.ui.window import Window

NOW_MS = 1_779_093_600_000


def view_of(window: Window, qtbot: QtBot) -> BackupsView:
    """The page, with what every backup holds."""
    qtbot.keyClick(window, Qt.Key.Key_B, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
    view = window.stack.currentWidget()
    assert isinstance(view, BackupsView)
    qtbot.waitUntil(lambda: not work.busy() and view._job is None, timeout=20_000)
    return view


def test_going_back_by_keyboard_and_again_forward(
    demo_file: Path, tmp_path: Path, qtbot: QtBot, theme: Theme, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("XDG_CONFIG_HOME", str(tmp_path))
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path))
    path = Path(shutil.copy(demo_file, tmp_path / "log.stathmis"))
    options = argparse.Namespace(logbook=path, demo=False, look=False, pictures=None, now=None, theme="light", text=1.0)
    clock = FixedClock(NOW_MS)
    desk = application._begin(options, clock, tmp_path)
    assert desk is not None
    app = QApplication.instance()
    assert isinstance(app, QApplication)
    before = desk.book.temperature_unit
    backing_up.back_up(desk)
    desk.set_temperature_unit("°F" if before == "°C" else "°C")
    said: list[str] = []

    def drive() -> None:
        window = next(w for w in app.topLevelWidgets() if isinstance(w, Window) and w.isVisible())
        try:
            qtbot.waitUntil(window.isActiveWindow)
            view = view_of(window, qtbot)
            (line,) = view.list.show(len(view._paths))
            said.append(line._holds.text() + " | " + line._sound.text())
            line.back.setFocus()
            qtbot.keyClick(line.back, Qt.Key.Key_Space)
            assert line.asked.isVisible() and line.really.hasFocus()
            qtbot.keyClick(window, Qt.Key.Key_Escape)
            assert not line.asked.isVisible() and window.stack.currentWidget() is view
            qtbot.keyClick(line.back, Qt.Key.Key_Space)
            qtbot.keyClick(line.really, Qt.Key.Key_Space)
        finally:
            window.close()

    QTimer.singleShot(0, drive)
    closed, _code = application._show(app, theme, application._settings(), desk, options, None)
    back_to = closed.back_to
    assert back_to is not None and back_to.parent == backups.folder_of(path)
    told = application._go_back(desk, back_to)
    again = application._begin(options, clock, tmp_path)
    assert again is not None and again.book.temperature_unit == before
    assert "readings; newest entry" in said[0] and said[0].endswith("| as it was written")
    aside = backups.all_of(path)[-1]
    assert aside.name.startswith("log put aside 2026-05-18 ")
    from stathmis.services import notify

    heard: list[object] = []
    notify.listen(heard.append)
    told()
    notify.listen(None)
    assert aside.name in str(heard[0])
    again.logbook.close()


def test_a_logbook_nobody_can_work_with_is_said_in_words(
    tmp_path: Path,
    monkeypatch: pytest.MonkeyPatch,
    capsys: pytest.CaptureFixture[str],
    caplog: pytest.LogCaptureFixture,
) -> None:
    def broken(*_of: object) -> None:
        raise ZeroDivisionError("half a page")

    monkeypatch.setattr(application, "_logbook", broken)
    options = argparse.Namespace(logbook=None, demo=True, look=False, pictures=None, now=None)
    assert application._begin(options, FixedClock(NOW_MS), tmp_path) is None
    said = capsys.readouterr().err
    assert said == "stathmis: The logbook cannot be worked with (ZeroDivisionError: half a page). Try a backup.\n"
    caplog.clear()


def test_a_copy_is_looked_at(demo_file: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    scratch = tmp_path / "scratch"
    scratch.mkdir()
    path = Path(shutil.copy(demo_file, tmp_path / "log 2026-05-17.stathmis"))
    before = path.read_bytes()
    options = argparse.Namespace(logbook=path, demo=False, look=True, pictures=None, now=None)
    desk = application._begin(options, FixedClock(NOW_MS + 400 * DAY_MS), scratch)
    assert desk is not None and desk.read_only and desk.logbook.path.parent == scratch
    newest = edits.history(desk.logbook, 1)[0].at_ms
    assert desk.book.incubators() and newest <= desk.now_ms <= NOW_MS, "shown as things stood then"
    desk.logbook.close()
    assert path.read_bytes() == before and [p.name for p in tmp_path.iterdir() if p != scratch] == [path.name]
    started: list[list[str]] = []
    monkeypatch.setattr("stathmis.ui.backups_view.QProcess.startDetached", lambda _p, a: (bool(started.append(a)), 0))
    said: list[str] = []
    monkeypatch.setattr("stathmis.ui.backups_view.notify.tell", lambda kind, words: said.append(words))
    BackupsView.look_at(None, path)  # type: ignore[arg-type]
    assert started == [["-m", "stathmis", "--look", str(path)]] and "could not be started" in said[0]


def test_the_second_folder(window: Window, qtbot: QtBot, tmp_path: Path) -> None:
    view, desk = view_of(window, qtbot), window.desk
    assert view._none.isVisible()

    def keep(text: str) -> str:
        view.folder.setFocus()
        view.folder.selectAll()
        qtbot.keyClicks(view.folder, text) if text else qtbot.keyClick(view.folder, Qt.Key.Key_Delete)
        qtbot.keyClick(view.folder, Qt.Key.Key_Return)
        return view._problem.text() if view._problem.isVisible() else ""

    stick = tmp_path / "stick"
    assert "is no folder that is there" in keep(str(stick))
    assert view.folder.text() == str(stick), "what was typed stays"
    assert "is no folder" in keep("relative")
    assert "where the logbook itself lies" in keep(str(desk.logbook.path.parent))
    stick.mkdir()
    assert keep(str(stick)) == "" and backing_up.second_folder(desk.book) == stick
    backing_up.back_up(desk)
    assert len(list(stick.rglob("*.stathmis"))) == 1
    desk.undo()
    assert backing_up.second_folder(desk.book) is None
    desk.redo()
    assert keep("") == "" and backing_up.second_folder(desk.book) is None
    # a stick that was pulled out: the one beside the logbook is made all the same
    desk.undo()
    shutil.rmtree(stick)
    with pytest.raises(UserError, match="second folder"):
        backing_up.back_up(desk, again=True)
    told, told_before = set[str](), window.messages.text.text()
    for _hour in range(2):
        application._back_up_beside(desk, told)
        settle()
        said = window.messages.text.text()
        assert ("beside the logbook only" in said) == (not _hour)
        window.messages.text.setText(told_before)
    view.refresh()
    qtbot.waitUntil(lambda: not work.busy() and view._job is None, timeout=20_000)
    (line,) = view.list.show(1)
    assert line.look.isEnabled() and not view._none.isVisible()
