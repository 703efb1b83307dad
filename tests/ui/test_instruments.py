"""Checks through the window: typed points to a correction in force; and the trace and logger files."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QLabel
from pytestqt.qtbot import QtBot

from stathmis.logbook import keeping, readings
from stathmis.logbook.records import Channel, LoggerImport
from stathmis.services.checking import PointEntry
from stathmis.ui import background
from stathmis.ui.bring_in_view import BringInView
from stathmis.ui.instruments_view import InstrumentsView
from stathmis.ui.pictures import settle
from stathmis.ui.window import Window


def texts(window: Window) -> str:
    settle(0.05)
    labels = window.stack.currentWidget().findChildren(QLabel)
    return " | ".join(label.text() for label in labels if label.isVisible())


@pytest.fixture
def instruments(window: Window) -> InstrumentsView:
    window.show_place("instruments")
    view = window.stack.currentWidget()
    assert isinstance(view, InstrumentsView)
    return view


def stick(window: Window) -> Channel:
    """The slow stick thermometer nobody has checked."""
    return next(c for c in keeping.all_of(window.bench.logbook, Channel) if c.resolution == 0.5 and c.accuracy == 0.8)


def test_a_check_by_keyboard_alone(window: Window, instruments: InstrumentsView, qtbot: QtBot) -> None:
    channel = stick(window)
    before = window.bench.corrections.correct(channel, 38.0, window.bench.now_ms)
    made = instruments.buttons[channel.id]
    made.setFocus()
    qtbot.keyClick(made, Qt.Key.Key_Space)
    view = instruments.check
    for text in ("37.0 37.0 37.5", "36.80 36.81", "39.5 39.5", "39.10 39.11"):
        field = window.focusWidget()
        qtbot.keyClicks(field, text)
        qtbot.keyClick(field, Qt.Key.Key_Return)
    assert view.check is not None and view.check.correction is not None
    assert len(view.check.points) == 2
    assert "When it shows" in texts(window) and "± " in texts(window)
    assert view.chart is not None
    qtbot.keyClick(window, Qt.Key.Key_U, Qt.KeyboardModifier.AltModifier)
    settle(0.3)
    assert instruments.currentIndex() == 0
    after = window.bench.corrections.correct(channel, 38.0, window.bench.now_ms)
    assert after.value < before.value - 0.2
    assert after.U < before.U
    # readings before the check keep what was in force then
    assert window.bench.corrections.correct(channel, 38.0, window.bench.now_ms - 1) == before
    qtbot.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert window.bench.corrections.correct(channel, 38.0, window.bench.now_ms) == before


def test_for_the_past_too_judges_history_anew(window: Window, instruments: InstrumentsView) -> None:
    channel = stick(window)
    instruments.buttons[channel.id].click()  # type: ignore[attr-defined]
    instruments.check.fill([PointEntry("38.0 38.0", "37.50 37.52")])
    raw = readings.series(window.bench.logbook, channel, 0, window.bench.now_ms).shown.copy()
    instruments.check.put_to_use(past=True)
    run = readings.series(window.bench.logbook, channel, 0, window.bench.now_ms)
    np.testing.assert_array_equal(run.shown, raw)
    corrected, _ = window.bench.corrections.correct_series(channel, run)
    assert (raw - corrected).mean() == pytest.approx(0.44, abs=0.03)


def test_faulty_points_are_marked_at_their_row(window: Window, instruments: InstrumentsView, qtbot: QtBot) -> None:
    instruments.buttons[stick(window).id].click()  # type: ignore[attr-defined]
    view = instruments.check
    view.fill([PointEntry("38.0", "37.5"), PointEntry("warm", "37.5"), PointEntry("38.0", "99.5")])
    assert "Type a number" in view.rows[1].problem.text()
    assert "Is that °F" in view.rows[2].problem.text()
    view.put_to_use(past=False)
    assert "Some rows cannot be read" in window.messages.text.text()
    view.unevenness.setText("-1")
    view.edited()
    assert view.check is None and not view.use_now.isEnabled()
    assert "from 0 up" in texts(window)
    qtbot.keyClick(window, Qt.Key.Key_Escape)
    assert instruments.currentIndex() == 0


def test_enter_at_the_last_field_adds_a_point(window: Window, instruments: InstrumentsView, qtbot: QtBot) -> None:
    instruments.buttons[stick(window).id].click()  # type: ignore[attr-defined]
    view = instruments.check
    count = len(view.rows)
    view.step_from(view.rows[-1].reference)
    assert len(view.rows) == count + 1


def test_the_list_says_which_can_decide(window: Window, instruments: InstrumentsView) -> None:
    shown = texts(window)
    assert "Certified probe" in shown and "never checked" in shown
    assert "± 0.95 °C" in shown
    assert "−7.8 ± 1.8 %" in shown


def test_trace_draws_the_run_and_counts_time(window: Window, qtbot: QtBot) -> None:
    window.show_page("trace")
    view = window.pages.trace
    qtbot.waitUntil(lambda: view.traced is not None and not background.busy(), timeout=10_000)
    settle(0.1)
    shown = texts(window)
    assert "Heat, setting" in shown and "37.5 °C" in shown and "unknown" in shown
    view.show_days(1.0)
    left, right = view._plots["temperature"].plotItem.vb.viewRange()[0]
    assert right - left == pytest.approx(1.0, abs=0.1)
    assert view._plots["humidity"].plotItem.vb.viewRange()[0] == pytest.approx([left, right])
    view.raw.setChecked(True)
    view.others.setChecked(True)
    center = view._plots["temperature"].plotItem.vb.mapViewToScene(
        view._plots["temperature"].plotItem.vb.viewRect().center()
    )
    view._show_cross("temperature", center)
    assert "corrected 37." in view._cross.text() and "shown 37." in view._cross.text()


def test_trace_exports_what_it_shows(window: Window, qtbot: QtBot, tmp_path: Path) -> None:
    window.show_page("trace")
    view = window.pages.trace
    qtbot.waitUntil(lambda: view.traced is not None and not background.busy(), timeout=10_000)
    task = view.export_to(tmp_path / "out.csv")
    with qtbot.waitSignal(task.done, timeout=30_000):
        pass
    assert "readings written to out.csv" in window.messages.text.text()
    assert len((tmp_path / "out.csv").read_text(encoding="utf-8").splitlines()) > 40_000


def test_a_logger_file_through_the_preview(window: Window, qtbot: QtBot, tmp_path: Path) -> None:
    window.show_place("bring_in")
    view = window.stack.currentWidget()
    assert isinstance(view, BringInView)
    path = tmp_path / "porch.csv"
    rows = (
        ["Zeit;Temp (°F);Feuchte"]
        + [f"{d}.04.2026 10:00;99,{d % 10};48,5" for d in range(10, 29)]
        + ["29.04.2026 10:00;hot;48"]
    )
    path.write_text("\n".join(rows) + "\n", encoding="utf-8-sig")
    qtbot.keyClicks(view.path, str(path))
    qtbot.keyClick(view.path, Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: view.examined is not None and not background.busy(), timeout=20_000)
    shown = texts(window)
    assert "19 rows" in shown and "1 row: a value is not a number (line 21)" in shown
    assert view.take_in.text() == "&Take in 19 rows"
    qtbot.keyClick(window, Qt.Key.Key_T, Qt.KeyboardModifier.AltModifier)
    qtbot.waitUntil(lambda: len(keeping.all_of(window.bench.logbook, LoggerImport)) == 2, timeout=20_000)
    qtbot.waitUntil(lambda: not background.busy(), timeout=5000)
    settle(0.1)
    assert "19 rows taken in" in window.messages.text.text()
    view.load(path)
    qtbot.waitUntil(lambda: view.examined is not None and not background.busy(), timeout=20_000)
    assert view.take_in.text() == "Nothing new to take in"
    assert not view.take_in.isEnabled()
    window.undo()
    qtbot.waitUntil(lambda: view.take_in.isEnabled() and not background.busy(), timeout=20_000)
    assert len(keeping.all_of(window.bench.logbook, LoggerImport)) == 1


def test_files_that_cannot_be_brought_in_say_why(window: Window, qtbot: QtBot, tmp_path: Path) -> None:
    window.show_place("bring_in")
    view = window.stack.currentWidget()
    assert isinstance(view, BringInView)
    binary = tmp_path / "picture.csv"
    binary.write_bytes(b"\x89PNG\x00\x01" * 100)
    view.load(binary)
    assert "not a text file" in view.problem.text() and view.problem.isVisible()
    view.load(tmp_path / "nowhere.csv")
    assert "cannot be read" in view.problem.text()
    good = tmp_path / "good.csv"
    good.write_text("time,temp °C\n2026-05-01 10:00,37.5\n2026-05-01 10:05,37.5\n", encoding="utf-8")
    view.load(good)
    qtbot.waitUntil(lambda: view.examined is not None and not background.busy(), timeout=20_000)
    target, unit = view._uses[1]
    unit.setCurrentText("%")
    assert "does not fit that instrument" in view.problem.text()
    unit.setCurrentText("°C")
    target.setCurrentIndex(0)
    qtbot.waitUntil(lambda: not background.busy(), timeout=20_000)
    settle(0.05)
    assert "No column goes to an instrument" in view.problem.text()
