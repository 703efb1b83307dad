"""The trace and logger files through the window."""

from __future__ import annotations

from pathlib import Path

import pytest
from PySide6.QtCore import QMimeData, QPointF, Qt, QUrl
from PySide6.QtGui import QDragEnterEvent, QDropEvent
from PySide6.QtWidgets import QLabel, QPushButton
from pytestqt.qtbot import QtBot

from stathmis.logbook.records import LoggerImport
from stathmis.ui.bring_in_view import BringInView
from stathmis.ui.pictures import settle
from stathmis.ui.window import Window


def texts(window: Window) -> str:
    settle()
    labels = window.stack.currentWidget().findChildren(QLabel)
    return " | ".join(label.text() for label in labels if label.isVisible())


def test_trace_draws_the_run_and_counts_time(window: Window, qtbot: QtBot) -> None:
    window.show_page("trace")
    view = window.pages.trace
    settle()
    assert view.traced is not None
    settle()
    shown = texts(window)
    assert "Heat, setting" in shown and "37.5 °C" in shown and "unknown" in shown
    view.show_days(1.0)
    left, right = view.charts.plots["temperature"].plotItem.vb.viewRange()[0]
    assert right - left == pytest.approx(1.0, abs=0.1)
    assert view.charts.plots["humidity"].plotItem.vb.viewRange()[0] == pytest.approx([left, right])
    view.curves["raw"].setChecked(True)
    view.curves["others"].setChecked(True)
    center = view.charts.plots["temperature"].plotItem.vb.mapViewToScene(
        view.charts.plots["temperature"].plotItem.vb.viewRect().center()
    )
    view.charts._point("temperature", center)
    assert "corrected 37." in view._cross.text() and "shown 37." in view._cross.text()


def test_excursions_of_the_eggs_lead_to_their_place(window: Window, qtbot: QtBot) -> None:
    window.show_page("trace")
    view = window.pages.trace
    settle()
    assert view.eggs is not None
    shown = texts(window)
    assert "The eggs' mean so far is 37.5" in shown and "The thermostat swings" in shown
    assert "power off for 80 min" in shown and "short dip of the eggs' temperature" in shown
    go = next(b for b in view.findChildren(QPushButton) if b.accessibleName().startswith("Go to"))
    go.setFocus()
    qtbot.keyClick(go, Qt.Key.Key_Space)
    left, right = view.charts.plots["temperature"].plotItem.vb.viewRange()[0]
    assert view.eggs is not None
    newest = max((e for e in view.eggs.excursions if e.worth_telling), key=lambda e: e.start_ms)
    assert left < window.pages.trace.traced.course.day(newest.start_ms) < right  # type: ignore[union-attr]
    assert right - left < 2.0
    center = view.charts.plots["humidity"].plotItem.vb.mapViewToScene(
        view.charts.plots["humidity"].plotItem.vb.viewRect().center()
    )
    view.charts._point("humidity", center)
    assert "dew point 2" in view._cross.text()


def test_trace_exports_what_it_shows(window: Window, qtbot: QtBot, tmp_path: Path) -> None:
    window.show_page("trace")
    view = window.pages.trace
    settle()
    assert view.traced is not None
    task = view.export_to(tmp_path / "out.csv")
    with qtbot.waitSignal(task.done, timeout=30_000):
        pass
    assert "readings written to out.csv" in window.messages.text.text()
    assert len((tmp_path / "out.csv").read_text(encoding="utf-8").splitlines()) > 40_000


def test_another_run_the_room_days_and_a_picture(window: Window, qtbot: QtBot, tmp_path: Path) -> None:
    window.show_page("trace")
    view = window.pages.trace
    settle()
    assert view.eggs is not None
    charts = view.charts
    assert charts is not None and "room" not in charts.plots
    with qtbot.waitSignal(charts.drawn):
        view.curves["room"].setChecked(True)
        view.curves["set_point"].setChecked(True)
    qtbot.waitUntil(lambda: charts.plots["room"].isVisible())
    low, _ = charts.plots["humidity"].plotItem.vb.viewRange()[1]
    assert low < 20.0, "what the room's air alone gives is in view"
    view.beside.setFocus()
    qtbot.keyClick(view.beside, Qt.Key.Key_Down)
    with qtbot.waitSignal(charts.drawn, timeout=20_000):
        view.beside.activated.emit(view.beside.currentIndex())
    settle()
    assert view._beside is not None
    assert view._beside is not None and view._beside.course.batch.name == "26 rock partridge, first set"
    assert "partridge, first set" in charts.plots["temperature"].plotItem.titleLabel.text
    # its own day 0 lies on this one's: the earlier run goes on to day 24, where this one has not come yet
    charts.show_stretch(20.0, 24.0)
    drawn = [i for i in charts.plots["temperature"].plotItem.items if type(i).__name__ == "Curve"]
    assert any(i.xData is not None and i.xData.size and 20 < i.xData.max() < 26 for i in drawn)
    qtbot.mouseClick(view.words.turn, Qt.MouseButton.LeftButton)
    assert "Heat, day 9" in texts(window)
    for action in view.stages.menu().actions():
        if action.text().startswith("lockdown"):
            action.trigger()
    assert charts.plots["temperature"].plotItem.vb.viewRange()[0] == pytest.approx([21.0, 23.0])
    view.picture_to(tmp_path / "run.png")
    assert "Picture written to run.png" in window.messages.text.text()
    from PySide6.QtGui import QImage

    image = QImage(str(tmp_path / "run.png"))
    assert image.width() == 2 * charts.width() and image.height() > 2 * charts.height()
    view.picture_to(tmp_path / "nowhere" / "run.png")
    assert "cannot be written" in window.messages.text.text()


def test_the_expected_hatch_is_on_the_course(window: Window, qtbot: QtBot) -> None:
    qtbot.waitUntil(lambda: "hatch about" in window.pages.course.spoken, timeout=20_000)
    assert "by the temperatures so far" in window.pages.course.spoken


def test_a_folder_is_watched_from_the_preview_on(window: Window, qtbot: QtBot, tmp_path: Path) -> None:
    window.show_place("bring_in")
    view = window.stack.currentWidget()
    assert isinstance(view, BringInView)
    path = tmp_path / "a.csv"
    path.write_text("time,temp °C\n" + "".join(f"2025-04-{d} 08:00,37.5\n" for d in range(10, 20)), encoding="utf-8")
    view.load(path)
    settle()
    assert view.examined is not None
    view.watch.setChecked(True)
    view.store()
    qtbot.waitUntil(lambda: "its folder is watched" in window.messages.text.text(), timeout=20_000)
    assert "Watched folders" in texts(window)
    (tmp_path / "b.csv").write_text("time,temp °C\n2025-04-21 08:00,37.5\n", encoding="utf-8")
    window.folders.look()
    window.folders.look()
    qtbot.waitUntil(lambda: "b.csv: 1 row taken in by itself" in window.messages.text.text(), timeout=20_000)
    window.undo()
    settle()
    stop = next(b for b in view.findChildren(QPushButton) if b.text() == "watch no longer" and b.isVisible())
    stop.setFocus()
    qtbot.keyClick(stop, Qt.Key.Key_Space)
    assert "Watched folders" not in texts(window)


def test_a_file_that_fits_two_ways_is_asked_about(window: Window, qtbot: QtBot, tmp_path: Path) -> None:
    window.show_place("bring_in")
    view = window.stack.currentWidget()
    assert isinstance(view, BringInView)
    path = tmp_path / "shed.csv"
    path.write_text("Date and time,Temp\n03/04/2025 10:00,55.2\n03/04/2025 10:10,55.4\n", encoding="utf-8")
    view.load(path)
    assert "Day or month first?" in view.problem.text() and view.take_in.isHidden()
    offered = [view.order.itemText(i) for i in range(view.order.count())]
    assert offered[:1] == ["choose …"] and {"day first: 3 Apr", "month first: 4 Mar"} <= set(offered)
    view.order.setFocus()
    qtbot.keyClicks(view.order, "month")
    assert "Temp: 55.2 °F or 55.2 °C? Both fit." in view.problem.text()
    settle()
    unit = next(c for c in view.findChildren(type(view.order)) if c.accessibleName() == "Temp is in" and c.isVisible())
    assert unit.itemText(unit.findData("°F")) == "°F (12.9 °C)"
    unit.setFocus()
    qtbot.keyClicks(unit, "°F")
    settle()
    assert view.take_in.isVisible()
    assert view.take_in.text() == "&Take in 2 rows"
    view.decimal.setFocus()
    qtbot.keyClick(view.decimal, Qt.Key.Key_Down)
    assert view.decimal.currentData() == ","
    settle()


def test_a_logger_file_through_the_preview(window: Window, qtbot: QtBot, tmp_path: Path) -> None:
    window.show_place("bring_in")
    view = window.stack.currentWidget()
    assert isinstance(view, BringInView)
    before = len(window.desk.book.records(LoggerImport))
    path = tmp_path / "porch.csv"
    rows = (
        ["Zeit;Temp (°F);Feuchte"]
        + [f"{d}.04.2026 10:00;99,{d % 10};48,5" for d in range(10, 29)]
        + ["29.04.2026 10:00;hot;48"]
    )
    path.write_text("\n".join(rows) + "\n", encoding="utf-8-sig")
    qtbot.keyClicks(view.path, str(path))
    qtbot.keyClick(view.path, Qt.Key.Key_Return)
    settle()
    assert view.examined is not None
    shown = texts(window)
    assert "20 rows" in shown and "1 value left out: a value is not a number (line 21)" in shown
    assert view.take_in.text() == "&Take in 20 rows"
    qtbot.keyClick(window, Qt.Key.Key_T, Qt.KeyboardModifier.AltModifier)
    qtbot.waitUntil(lambda: len(window.desk.book.records(LoggerImport)) == before + 1, timeout=20_000)
    settle()
    assert "20 rows taken in" in window.messages.text.text()
    view.load(path)
    settle()
    assert view.examined is not None
    assert view.take_in.text() == "Nothing new to take in"
    assert not view.take_in.isEnabled()
    window.undo()
    settle()
    assert view.take_in.isEnabled()
    assert len(window.desk.book.records(LoggerImport)) == before


def test_a_file_is_dropped_on_the_page(window: Window, tmp_path: Path) -> None:
    window.show_place("bring_in")
    view = window.stack.currentWidget()
    assert isinstance(view, BringInView) and view.acceptDrops()
    path = tmp_path / "dropped.csv"
    path.write_text("time,°C\n2026-05-17 08:00,37.5\n2026-05-17 08:05,37.6\n")

    def drop(carried: QMimeData) -> bool:
        """Whether the page takes it."""
        where, how, none = QPointF(40, 40), Qt.DropAction.CopyAction, Qt.KeyboardModifier.NoModifier
        entering = QDragEnterEvent(where.toPoint(), how, carried, Qt.MouseButton.LeftButton, none)
        entering.ignore()
        view.dragEnterEvent(entering)
        view.dropEvent(QDropEvent(where, how, carried, Qt.MouseButton.LeftButton, none))
        return entering.isAccepted()

    words, files = QMimeData(), QMimeData()
    words.setText("not a file")
    assert not drop(words) and view.plan is None
    files.setUrls([QUrl.fromLocalFile(str(path))])
    assert drop(files) and view.path.text() == str(path) and view.plan is not None
    settle()


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
    settle()
    assert view.examined is not None
    target, unit = view._uses[1]
    unit.setCurrentText("%")
    assert "does not fit that instrument" in view.problem.text()
    unit.setCurrentText("°C")
    target.setCurrentIndex(0)
    settle()
    assert "No column goes to an instrument" in view.problem.text()
