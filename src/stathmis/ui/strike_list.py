"""What was logged, line by line, each with a way to strike it. Its lines live on as the list changes."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from stathmis.ui.pieces import Pool, button, label, set_text
from stathmis.words.catalogue import _

Line = tuple[str, str, Any]
"""When it was, what it was, and what to strike."""


class _Row(QWidget):
    def __init__(self, strike: Callable[[Any], object]) -> None:
        super().__init__()
        self._what: Any = None
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(4)
        self._when, self._words = label("", "small"), label("", "small", wrap=True)
        tip = _("It was wrong: leave it out from now on")
        self._strike = button(_("strike"), lambda: strike(self._what), "link", tip)
        row.addWidget(self._when)
        row.addWidget(self._words, 1)
        row.addWidget(self._strike)

    def show_line(self, line: Line, width: int) -> None:
        when, words, self._what = line
        set_text(self._when, when)
        self._when.setFixedWidth(width)
        self._when.setVisible(bool(when))
        set_text(self._words, words)
        self._strike.setAccessibleName(_("Strike {words}", words=", ".join(w for w in (words, when) if w)))


class StrikeList(QWidget):
    """Lines under a title; nothing at all where there are none. strike is given what the line stands for."""

    def __init__(self, strike: Callable[[Any], object], title: str = "") -> None:
        super().__init__()
        self._shown: object = None
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 4, 0, 0)
        box.setSpacing(4)
        if title:
            box.addWidget(label(title, "name"))
        self._lines = Pool(box, lambda: _Row(strike))
        self.hide()

    def show_lines(self, lines: Sequence[Line], width: int = 0) -> None:
        """Show these lines; width: of their times, px."""
        if (lines, width) == self._shown:
            return
        self._shown = lines, width
        self.setVisible(bool(lines))
        for row, line in zip(self._lines.show(len(lines)), lines, strict=True):
            row.show_line(line, width)
