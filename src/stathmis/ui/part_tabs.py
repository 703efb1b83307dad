"""A page in parts: a line of names over a stack, one part in view, each with its key."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QStackedWidget, QVBoxLayout, QWidget

from stathmis.ui.pieces import button


class PartTabs(QWidget):
    """Parts of a page. chosen: the key of the part that came into view."""

    chosen = Signal(str)

    def __init__(self, parts: Sequence[tuple[str, str, str, QWidget]]) -> None:
        """parts: key, name, keyboard shortcut and widget of each; the first is in view."""
        super().__init__()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        head = QHBoxLayout()
        head.setContentsMargins(32, 8, 32, 0)
        head.setSpacing(20)
        self.tabs: dict[str, QPushButton] = {}
        self._widgets: dict[str, QWidget] = {}
        self._stack = QStackedWidget()
        for key, text, keys, widget in parts:
            made = button(text, partial(self.show_part, key), "tab", keys)
            made.setCheckable(True)
            made.setShortcut(keys)
            self.tabs[key], self._widgets[key] = made, widget
            head.addWidget(made)
            self._stack.addWidget(widget)
        head.addStretch(1)
        layout.addLayout(head)
        layout.addWidget(self._stack, 1)
        self.part = parts[0][0]
        self.tabs[self.part].setChecked(True)

    def show_part(self, part: str) -> None:
        """Bring one part into view."""
        self.part = part
        for key, made in self.tabs.items():
            made.setChecked(key == part)
        self._stack.setCurrentWidget(self._widgets[part])
        self.chosen.emit(part)
