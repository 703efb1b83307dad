"""Everyone: what a screen reader hears of every page, what eyes can tell apart, what a finger can hit."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import pytest
from PySide6.QtCore import QMimeData, QPoint, QPointF, QRect, Qt, QUrl
from PySide6.QtGui import QAccessible, QAccessibleInterface, QDragEnterEvent, QDropEvent, QImage, QMouseEvent
from PySide6.QtWidgets import QAbstractButton, QApplication, QComboBox, QLabel, QLineEdit, QScrollArea, QWidget
from pytestqt.qtbot import QtBot

from stathmis.ui import reminder
from stathmis.ui.drops import Drops
from stathmis.ui.kit.drawn import Speaking
from stathmis.ui.logbooks import Logbooks
from stathmis.ui.pictures import VIEWS, bring, go, settle
from stathmis.ui.window import Window
from visits import Visits, checked_in

TEXT, MARKS = 4.5, 3.0
"""Least contrast. Source: WCAG 2.1, 1.4.3 and 1.4.11."""
TARGET = 28
NOW_MS = 1_779_093_600_000
ASKED = {
    QAccessible.Role.PushButton,
    QAccessible.Role.CheckBox,
    QAccessible.Role.RadioButton,
    QAccessible.Role.EditableText,
    QAccessible.Role.ComboBox,
    QAccessible.Role.Graphic,
    QAccessible.Role.Chart,
    QAccessible.Role.List,
    QAccessible.Role.Table,
}


def tree(interface: QAccessibleInterface) -> Iterator[QAccessibleInterface]:
    """All that can be seen, as a screen reader walks it."""
    for i in range(interface.childCount()):
        child = interface.child(i)
        if child is None or not child.isValid() or child.state().invisible:
            continue
        yield child
        yield from tree(child)


@pytest.mark.parametrize("view", VIEWS)
def test_a_screen_reader_hears_every_page(visits: Visits, view: str) -> None:
    visits.ask("light", view, everything_is_heard)


@checked_in("light")
def everything_is_heard(shown: Window, view: str) -> None:
    heard = list(tree(QAccessible.queryAccessibleInterface(shown)))
    assert len(heard) > 20
    for one in heard:
        if one.role() in ASKED:
            about = f"{one.role()} in {view}: {type(one.object()).__name__}"
            assert one.text(QAccessible.Text.Name).strip(), about
    drawn = [one for one in shown.stack.currentWidget().findChildren(QWidget) if isinstance(one, Speaking)]
    assert drawn or view in ("records", "live", "bring-in", "enter", "changes", "opened", "written")
    for one in drawn:
        if one.isVisible():
            asked = QAccessible.queryAccessibleInterface(one)
            assert asked.role() == one.role and asked.text(QAccessible.Text.Name)
            assert asked.text(QAccessible.Text.Value) == one.spoken


def test_levels_course_tray_and_charts_tell_their_values(window: Window, qtbot: QtBot) -> None:
    def value(shown: QWidget) -> str:
        return QAccessible.queryAccessibleInterface(shown).text(QAccessible.Text.Value)

    go(window, "round")
    settle()
    grid = window.pages.round._grid
    assert value(grid.together["humidity"].level).startswith("34.") and "outside, low" in value(
        grid.together["humidity"].level
    )
    assert value(grid.rows[0].level) == "37.50 ± 0.10 °C, inside"
    assert value(window.pages.course).startswith("day 13")
    card = QAccessible.queryAccessibleInterface(window.column._cards[1])
    assert card.role() == QAccessible.Role.Button and "outside" in card.text(QAccessible.Text.Name)
    go(window, "eggs")
    settle()
    picture = window.pages.eggs.picture
    picture.setFocus()
    before = value(picture)
    qtbot.keyClick(picture, Qt.Key.Key_Right)
    assert value(picture) != before and value(picture).startswith("egg 2, row 1")
    go(window, "moisture")
    settle()
    plot = window.pages.moisture.eggs.make_chart().plot
    plot.setFocus()
    qtbot.keyClick(plot, Qt.Key.Key_Right)
    first = value(plot)
    qtbot.keyClick(plot, Qt.Key.Key_Right)
    assert QAccessible.queryAccessibleInterface(plot).role() == QAccessible.Role.Chart
    assert "% lost" in first and value(plot) != first and plot.readout.text() == value(plot)
    go(window, "trace")
    settle()
    charts = window.pages.trace.charts
    assert charts is not None
    lane = charts.plots["humidity"]
    lane.setFocus()
    qtbot.keyClick(lane, Qt.Key.Key_Left)
    assert "% RH" in value(lane) and "corrected" in value(lane)
    go(window, "review")
    settle()
    days = window.pages.hatch.review.days
    days.setFocus()
    qtbot.keyClick(days, Qt.Key.Key_End)
    assert value(days).startswith("Day 25") and "died" in value(days)


def test_the_hatch_tells_each_of_its_times(window: Window, qtbot: QtBot) -> None:
    go(window, "hatch")
    settle()
    picture = window.pages.hatch.now.picture
    asked = QAccessible.queryAccessibleInterface(picture)
    assert asked.text(QAccessible.Text.Value).startswith("expected 27 to 29 May, about Thu 28 May")
    assert "Have the brooder ready: by Sun 24 May 10:00" in asked.text(QAccessible.Text.Description)
    picture.setFocus()
    qtbot.keyClick(picture, Qt.Key.Key_Home)
    assert asked.text(QAccessible.Text.Value) == "Sun 24 May 10:00: ○ Have the brooder ready: by Sun 24 May 10:00"
    qtbot.keyClick(picture, Qt.Key.Key_End)
    assert "stragglers are waited for" in asked.text(QAccessible.Text.Value)
    where = QPointF(picture.spots()[3], 40.0)
    none, buttons, keys = Qt.MouseButton.NoButton, Qt.MouseButton.NoButton, Qt.KeyboardModifier.NoModifier
    move = QMouseEvent(QMouseEvent.Type.MouseMove, where, picture.mapToGlobal(where), none, buttons, keys)
    QApplication.sendEvent(picture, move)
    assert "expected about now" in asked.text(QAccessible.Text.Value)


def luminance(rgb: np.ndarray) -> np.ndarray:
    """Relative luminance of colors, shape (..., 3) of 0 to 255. Source: WCAG 2.1."""
    share = rgb / 255.0
    linear = np.where(share <= 0.04045, share / 12.92, ((share + 0.055) / 1.055) ** 2.4)
    return np.asarray(linear @ np.array([0.2126, 0.7152, 0.0722]))


def contrast(image: QImage, area: QRect) -> float:
    """Of the ground (the color most of it has) and what stands out most from it."""
    part = image.copy(area).convertToFormat(QImage.Format.Format_RGBX8888)
    colors, counts = np.unique(np.frombuffer(part.constBits(), dtype=np.uint32), return_counts=True)
    light = luminance(colors.view(np.uint8).reshape(-1, 4)[:, :3].astype(float))
    ground = light[np.argmax(counts)]
    ratios = (np.maximum(light, ground) + 0.05) / (np.minimum(light, ground) + 0.05)
    return float(ratios.max())


CONTRASTED = ["round", "records", "instruments", "planner", "hatch", "review", "eggs", "moisture"]


@pytest.mark.parametrize("view", CONTRASTED)
@pytest.mark.parametrize("setting", ["light", "dark", "strong"])
def test_words_and_marks_stand_out_in_the_picture(visits: Visits, view: str, setting: str) -> None:
    visits.ask(setting, view, all_stands_out)


@checked_in("light", CONTRASTED)
@checked_in("dark", CONTRASTED)
@checked_in("strong", CONTRASTED)
def all_stands_out(shown: Window, view: str) -> None:
    image = shown.grab().toImage()
    seen = 0
    for one in shown.findChildren(QWidget):
        if not isinstance(one, QLabel | QLineEdit | Speaking) or not one.isVisible():
            continue
        if isinstance(one, QLabel) and not one.text().strip():
            continue
        area = QRect(one.mapTo(shown, QPoint(0, 0)), one.size()).intersected(shown.rect())
        whole = one.visibleRegion().boundingRect().size() == one.size()
        if not whole or area.width() < 4 or (isinstance(one, QLineEdit) and not one.text()):
            continue
        seen += 1
        least = MARKS if isinstance(one, Speaking) else TEXT
        found = contrast(image, area)
        if isinstance(one, Speaking) and not one.spoken:
            continue
        assert found >= least, f"{found:.1f} in {view}: {type(one).__name__} {getattr(one, 'text', str)()!r}"
    assert seen > 10


@pytest.mark.parametrize("view", VIEWS)
def test_a_finger_hits_what_is_to_be_hit(visits: Visits, view: str) -> None:
    visits.ask("light", view, all_is_large_enough)


@checked_in("light")
def all_is_large_enough(shown: Window, view: str) -> None:
    for made in shown.findChildren(QWidget):
        inside = isinstance(made.parent(), QComboBox)
        if isinstance(made, QAbstractButton | QComboBox | QLineEdit) and made.isVisible() and not inside:
            assert made.height() >= TARGET, f"{made.height()} px in {view}: {made.accessibleName() or made.text()}"  # type: ignore[union-attr]


@pytest.mark.parametrize("view", VIEWS)
def test_the_focus_is_seen_wherever_tab_leads(visits: Visits, view: str) -> None:
    visits.ask("light", view, focus_is_seen)


@checked_in("light")
def focus_is_seen(shown: Window, view: str) -> None:
    shown.activateWindow()
    settle()
    assert shown.isActiveWindow()
    stood, seen = shown.focusWidget(), 0
    for made in shown.findChildren(QWidget):
        if not made.isVisible() or not made.isEnabled() or not made.focusPolicy() & Qt.FocusPolicy.TabFocus:
            continue
        focused = shown.focusWidget()
        if focused is not None:
            focused.clearFocus()
        before = made.grab().toImage()
        made.setFocus(Qt.FocusReason.TabFocusReason)
        if not made.hasFocus():
            continue
        seen += 1
        name = made.accessibleName() or getattr(made, "text", str)()
        assert made.grab().toImage() != before, f"{type(made).__name__} {name} in {view}"
    if stood is not None:
        stood.setFocus()
    assert seen > 5


@pytest.mark.parametrize("view", VIEWS)
def test_at_twice_the_text_nothing_runs_off(visits: Visits, view: str) -> None:
    visits.ask("large", view, nothing_runs_off)


@checked_in("large")
def nothing_runs_off(shown: Window, view: str) -> None:
    for area in shown.stack.currentWidget().findChildren(QScrollArea):
        if area.isVisible() and area.widget() and area.objectName() != "beyond":
            assert area.widget().width() <= area.viewport().width(), f"{view} runs off the right edge"


def test_the_round_of_five_instruments_stands_on_one_screen(visits: Visits) -> None:
    shown = visits.window
    bring(shown, "round")
    bar = shown.pages.round.area.verticalScrollBar()
    assert len(shown.pages.round.rows) == 5 and (shown.width(), shown.height()) == (1280, 800)
    assert bar.maximum() == 0


def test_files_are_dropped_anywhere(window: Window, tmp_path: object, monkeypatch: pytest.MonkeyPatch) -> None:
    launched: list[object] = []
    monkeypatch.setattr(Logbooks, "launch", lambda self, path: launched.append(path))

    def drop(name: str) -> bool:
        path = tmp_path / name  # type: ignore[operator]
        path.write_text("time;temperature °C\n2026-05-18 08:00;37.5\n2026-05-18 08:05;37.6\n", encoding="utf-8")
        data = QMimeData()
        data.setUrls([QUrl.fromLocalFile(str(path))])
        buttons, keys = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
        enter = QDragEnterEvent(QPoint(5, 5), Qt.DropAction.CopyAction, data, buttons, keys)
        QApplication.sendEvent(window, enter)
        if enter.isAccepted():
            QApplication.sendEvent(window, QDropEvent(QPointF(5, 5), Qt.DropAction.CopyAction, data, buttons, keys))
        settle()
        return enter.isAccepted()

    assert isinstance(window._drops, Drops)
    assert drop("porch.csv") and window._place == "bring_in"
    assert "porch.csv" in window.stack.currentWidget().path.text()  # type: ignore[union-attr]
    assert drop("other.stathmis") and len(launched) == 1
    assert drop("photo.png") and "neither a logger's file" in window.messages.text.text()


def test_a_notification_is_a_call_to_the_portal() -> None:
    """Source: XDG Desktop Portal documentation, org.freedesktop.portal.Notification, AddNotification (id, vardict)."""
    made = reminder.portal_message("Turn the eggs", "North cabinet", urgent=True)
    assert (made.service(), made.interface(), made.member()) == (
        "org.freedesktop.portal.Desktop",
        "org.freedesktop.portal.Notification",
        "AddNotification",
    )
    name, about = made.arguments()
    assert name == "stathmis-Turn the eggs"
    assert about == {"title": "Turn the eggs", "body": "North cabinet", "priority": "urgent"}
