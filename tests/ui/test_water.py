"""Water and vents through the window, by keyboard: what holds water, what is wet, what every mix gives, undo."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QApplication, QCheckBox, QLabel
from pytestqt.qtbot import QtBot

from stathmis.logbook.records import DroppedState
from stathmis.services import setting_up
from stathmis.services.moisture import water
from stathmis.ui.moisture.water_view import WaterView
from stathmis.ui.pictures import settle
from stathmis.ui.window import Window


def opened(window: Window, qtbot: QtBot) -> WaterView:
    qtbot.keyClick(window, Qt.Key.Key_3, Qt.KeyboardModifier.ControlModifier)
    qtbot.keyClick(window, Qt.Key.Key_Y, Qt.KeyboardModifier.AltModifier)
    view = window.pages.moisture.water
    settle()
    assert view.sheet is not None
    settle()
    return view


def said(view: WaterView) -> str:
    return " ".join(label.text() for label in view.findChildren(QLabel) if label.isVisible())


def test_a_mix_is_found_taken_over_and_logged(window: Window, qtbot: QtBot) -> None:
    view = opened(window, qtbot)
    assert "look at the water first" in said(view) and "Once that is mended: long trough + short trough" in said(view)
    view.grid.setFocus()
    start = view.grid.cell
    qtbot.keyClick(view.grid, Qt.Key.Key_Right)
    qtbot.keyClick(view.grid, Qt.Key.Key_Down)
    cell = view.grid.cell
    assert start is not None and cell is not None and cell.opening > start.opening
    assert f"{cell.rh:.0f} ±" in view.looked_at.text() and cell.combination.words in view.grid.spoken
    qtbot.keyClick(view.grid, Qt.Key.Key_Return)
    assert view.log_button.hasFocus() and view.vent.text() == "3/4"
    before = len(water.events_of(window.desk.book, view.incubator))  # type: ignore[arg-type]
    qtbot.keyClick(view.log_button, Qt.Key.Key_Space)
    assert "logged" in window.messages.text.text() and "Unplug" in window.messages.text.text()
    now = water.setting_at(water.events_of(window.desk.book, view.incubator), window.desk.now_ms)  # type: ignore[arg-type]
    assert now.opening == 0.75 and now.surface_cm2 == cell.combination.surface_cm2
    window.undo()
    assert len(water.events_of(window.desk.book, view.incubator)) == before  # type: ignore[arg-type]
    settle()


def test_the_grid_is_walked_to_its_edges_and_clicked(window: Window, qtbot: QtBot) -> None:
    grid = opened(window, qtbot).grid
    cells = grid._grid.cells if grid._grid is not None else ()
    high, wide = len(cells), len(cells[0])
    grid.setFocus()
    for key, at in (
        (Qt.Key.Key_Up, lambda: grid._at[0] == 0),
        (Qt.Key.Key_Left, lambda: grid._at == (0, 0)),
        (Qt.Key.Key_Down, lambda: grid._at == (high - 1, 0)),
        (Qt.Key.Key_Right, lambda: grid._at == (high - 1, wide - 1)),
    ):
        for _ in range(max(high, wide) + 1):
            qtbot.keyClick(grid, key)
        assert at()
    # what is looked at stays when the grid is drawn anew, as far as there is such a cell
    assert grid._grid is not None
    fewer = replace(grid._grid, cells=tuple(line[: wide - 1] for line in cells[: high - 1]))
    grid.show_grid(fewer, grid._now)  # type: ignore[arg-type]
    assert grid._at == (high - 2, wide - 2)
    left, row, head, width = grid._measures()
    for r, c in ((0, 0), (1, 2), (high - 2, wide - 2)):
        spot = QPoint(round(left + (c + 0.5) * width), round(head + (r + 0.5) * row))
        qtbot.mouseClick(grid, Qt.MouseButton.LeftButton, pos=spot)
        assert grid._at == (r, c)
    qtbot.mouseClick(grid, Qt.MouseButton.LeftButton, pos=QPoint(2, 2))
    assert grid._at == (high - 2, wide - 2), "a title is no cell"


def test_lockdown_has_its_own_picture_and_school(window: Window, qtbot: QtBot) -> None:
    view = opened(window, qtbot)
    view.choices["lockdown"].click()
    assert view.grid.cell is not None and view.sheet is not None
    band = view.sheet.grids["lockdown"].band
    assert band is not None and (band.low, band.high) == (65.0, 75.0)
    assert "The way to lockdown" in said(view) and "1 h" in said(view).replace("\u00a0", " ")
    assert view.choices["lockdown"].isChecked() and not view.choices["now"].isChecked()
    settle()


def test_what_is_no_trough_or_opening_is_said_at_its_field(window: Window, qtbot: QtBot) -> None:
    view = opened(window, qtbot)
    view.name.setFocus()
    qtbot.keyClicks(view.name, "cup")
    qtbot.keyClick(view.name, Qt.Key.Key_Tab)
    qtbot.keyClicks(QApplication.focusWidget(), "0")
    qtbot.keyClick(QApplication.focusWidget(), Qt.Key.Key_Return)
    assert "above 0 cm²" in view.new_problem.text() and view.new_problem.isVisible()
    assert view.name.text() == "cup" and view.surface.text() == "0", "nothing typed is lost"
    view.surface.setText("8 x 8")
    qtbot.keyClick(view.surface, Qt.Key.Key_Return)
    assert [s.name for s in water.surfaces(window.desk.book, view.incubator)][-1] == "cup"  # type: ignore[arg-type]
    view.vent.setText("sideways")
    qtbot.keyClick(view.vent, Qt.Key.Key_Return)
    assert "is no opening" in view.problem.text() and view.vent.text() == "sideways"
    window.undo()
    settle()


def test_a_settled_state_is_left_out_by_its_tick(window: Window, qtbot: QtBot) -> None:
    view = opened(window, qtbot)
    boxes = [b for b in view.findChildren(QCheckBox) if b.isVisible() and b.isChecked()]
    boxes[0].setFocus()
    qtbot.keyClick(boxes[0], Qt.Key.Key_Space)
    assert len(window.desk.book.records(DroppedState)) == 1
    settle()
    window.undo()
    assert window.desk.book.records(DroppedState) == ()
    settle()


def test_an_egg_by_caliper(window: Window, qtbot: QtBot) -> None:
    qtbot.keyClick(window, Qt.Key.Key_3, Qt.KeyboardModifier.ControlModifier)
    view = window.pages.moisture.eggs
    settle()
    assert view.sheet is not None
    for key, text in (("mark", "2"), ("length", "41"), ("breadth", "")):
        view.sizes[key].setText(text)
    qtbot.keyClick(view.sizes["length"], Qt.Key.Key_Return)
    assert "belong together" in view.size_problem.text() and view.sizes["length"].text() == "41"
    view.sizes["breadth"].setText("31.5")
    qtbot.keyClick(view.sizes["breadth"], Qt.Key.Key_Return)
    assert "Egg 2 weighed 22.3" in window.messages.text.text() and view.sizes["mark"].hasFocus()
    settle()
    assert "when laid" in " ".join(label.text() for label in view.findChildren(QLabel) if label.isVisible())


def test_an_empty_box_asks_for_its_water(empty_window: Window, qtbot: QtBot) -> None:
    setting_up.add_incubator(empty_window.desk, "Box", "forced")
    empty_window.show_incubator(empty_window.desk.book.incubators()[0].id)
    view = opened(empty_window, qtbot)
    assert "Enter what holds water" in said(view) and not view.grid.isVisible()
    assert "Nothing yet" in said(view)
