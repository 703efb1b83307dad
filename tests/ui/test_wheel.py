"""The mouse wheel scrolls the page and never changes a closed list, slider or number field under it."""

from __future__ import annotations

from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QWheelEvent
from PySide6.QtWidgets import QAbstractSlider, QAbstractSpinBox, QApplication, QComboBox, QScrollBar, QWidget

from stathmis.ui.batch_pages import PAGES as _PAGES
from stathmis.ui.incubator_column import PLACES as OTHERS
from stathmis.ui.window import Window

PAGES = [key for key, _ in _PAGES]


def fields_under_the_wheel(view: QWidget) -> list[QWidget]:
    """What the toolkit would let the wheel change, where it can be seen."""
    kinds = (QComboBox, QAbstractSpinBox, QAbstractSlider)
    found = [w for kind in kinds for w in view.findChildren(kind) if not isinstance(w, QScrollBar)]
    return [w for w in found if w.isVisible() and w.isEnabled()]


def value_of(field: QWidget) -> object:
    return field.currentIndex() if isinstance(field, QComboBox) else field.property("value")


def turn(field: QWidget, by: int) -> None:
    middle = QPointF(field.rect().center())
    wheel = QWheelEvent(
        middle,
        field.mapToGlobal(middle),
        QPoint(),
        QPoint(0, by),
        Qt.MouseButton.NoButton,
        Qt.KeyboardModifier.NoModifier,
        Qt.ScrollPhase.NoScrollPhase,
        False,
    )
    QApplication.sendEvent(field, wheel)


def test_the_wheel_changes_no_field(window: Window) -> None:
    for place in (*PAGES, *(key for key, _ in OTHERS)):
        if place in PAGES:
            window.show_page(place)
        else:
            window.show_place(place)
        QApplication.processEvents()
        fields = fields_under_the_wheel(window.stack.currentWidget())
        assert fields or place not in ("enter", "way", "planner", "records"), "nothing to try it on"
        for field in fields:
            before = value_of(field)
            for focused in (False, True):
                if focused:
                    field.setFocus()
                turn(field, 120)
                turn(field, -120)
                turn(field, -120)
                assert value_of(field) == before, f"{place}: {field.accessibleName()} was changed by the wheel"
