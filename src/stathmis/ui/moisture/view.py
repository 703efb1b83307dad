"""Moisture: what the eggs ask for, and the water and vents that give it."""

from __future__ import annotations

from functools import partial

from PySide6.QtWidgets import QHBoxLayout, QPushButton, QStackedWidget, QVBoxLayout, QWidget

from stathmis.logbook.records import Incubator
from stathmis.services.batches import Course
from stathmis.services.workbench import Workbench
from stathmis.ui.moisture.eggs_view import EggsView
from stathmis.ui.moisture.water_view import WaterView
from stathmis.ui.pieces import button
from stathmis.ui.theme import Theme

PARTS = (("eggs", "What the eggs ask for", "Alt+A"), ("water", "Water and vents", "Alt+Y"))


class MoistureView(QWidget):
    """The two parts of moisture, one in view."""

    def __init__(self, bench: Workbench, theme: Theme) -> None:
        super().__init__()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        head = QHBoxLayout()
        head.setContentsMargins(32, 8, 32, 0)
        head.setSpacing(20)
        self.tabs: dict[str, QPushButton] = {}
        for key, text, keys in PARTS:
            made = button(text, partial(self.show_part, key), "tab", keys)
            made.setCheckable(True)
            made.setShortcut(keys)
            self.tabs[key] = made
            head.addWidget(made)
        head.addStretch(1)
        layout.addLayout(head)
        self.eggs, self.water = EggsView(bench, theme), WaterView(bench, theme)
        self._stack = QStackedWidget()
        self._stack.addWidget(self.eggs)
        self._stack.addWidget(self.water)
        layout.addWidget(self._stack, 1)
        self._incubator: Incubator | None = None
        self._course: Course | None = None
        self.part = "eggs"
        self._show_tabs()

    def _show_tabs(self) -> None:
        for key, made in self.tabs.items():
            made.setChecked(key == self.part)
        self._stack.setCurrentWidget(self.eggs if self.part == "eggs" else self.water)

    def show_part(self, part: str) -> None:
        """Bring one part into view."""
        self.part = part
        self._show_tabs()
        self._refresh()

    def show_incubator(self, incubator: Incubator, course: Course | None) -> None:
        """Show an incubator and the batch in view as they stand."""
        self._incubator, self._course = incubator, course
        self._refresh()

    def _refresh(self) -> None:
        if self.part == "eggs":
            self.eggs.show_course(self._course)
        elif self._incubator is not None:
            self.water.show_incubator(self._incubator, self._course)
