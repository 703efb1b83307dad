"""A page in parts: a line of names over a stack, one part in view, each with its key."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from functools import partial

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QStackedWidget, QWidget

from stathmis.ui.kit.page import column, holder, put, row
from stathmis.ui.kit.pieces import button
from stathmis.ui.theme import Theme


class PartTabs(QWidget):
    """Parts of a page. chosen: the key of the part that came into view."""

    chosen = Signal(str)

    def __init__(self, theme: Theme, parts: Sequence[tuple[str, str, str, Callable[[], QWidget]]]) -> None:
        """parts: key, name, keyboard shortcut and what makes each, when it first comes into view; the first is."""
        super().__init__()
        self._make = {key: make for key, _, _, make in parts}
        self._made: dict[str, QWidget] = {}
        self._stack = QStackedWidget()
        self.tabs = {key: button(text, partial(self.show_part, key), "tab", keys) for key, text, keys, _ in parts}
        for key, _, keys, _ in parts:
            self.tabs[key].setShortcut(keys)
        head = row(*self.tabs.values(), 1, spacing=20)
        names = holder(head)
        head.setContentsMargins(32, 8, 32, 0)
        theme.dress(names)
        put(self, column(names, (self._stack, 1), spacing=0))
        self._bring(parts[0][0])

    def show_part(self, part: str) -> None:
        """Bring one part into view."""
        self._bring(part)
        self.chosen.emit(part)

    def ready(self) -> Iterator[None]:
        """Make the parts that were not in view yet, one a step."""
        for part in self._make:
            self._part(part)
            yield

    def _part(self, part: str) -> QWidget:
        if part not in self._made:
            self._made[part] = self._make[part]()
            self._stack.addWidget(self._made[part])
        return self._made[part]

    def _bring(self, part: str) -> None:
        self.part = part
        shown = self._part(part)
        for key, made in self.tabs.items():
            made.setChecked(key == part)
        self._stack.setCurrentWidget(shown)
