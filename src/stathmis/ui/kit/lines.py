"""Lists on a page: widgets, lines of text, and what was logged with a way to strike it. All live on as they change."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from typing import Any, Generic, Protocol, TypeVar

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QBoxLayout, QGridLayout, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from stathmis.ui.kit.pieces import button, hide, label, rule, set_property, set_text
from stathmis.words.catalogue import _, begun

W = TypeVar("W", bound=QWidget)


class _Order:
    """Where Tab comes to widgets that are made later: where their list stands, one after the other."""

    def __init__(self) -> None:
        # in the chain of the window from the beginning, and never seen: Tab passes it by
        self.anchor = QWidget()
        self.anchor.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.anchor.hide()
        self._last: QWidget = self.anchor

    def take_in(self, made: QWidget) -> None:
        """What can have the cursor in a new widget comes after what came last."""
        window = self.anchor.window()
        for one in (made, *made.findChildren(QWidget)):
            # a chooser's list is a window of its own
            if one.window() is window and one.focusPolicy() & Qt.FocusPolicy.TabFocus and one.focusProxy() is None:
                QWidget.setTabOrder(self._last, one)
                self._last = one


class Cells(Protocol):
    """A line of a table: what stands in its columns."""

    @property
    def cells(self) -> Sequence[QWidget]:
        """One for each column."""


C = TypeVar("C", bound=Cells)


class Rows(Generic[C]):
    """Lines of a table that live on below its headings, a hairline over each."""

    def __init__(self, grid: QGridLayout, make: Callable[[], C], *, ruled: bool = True) -> None:
        self._grid, self._make, self._ruled = grid, make, ruled
        self._made: list[tuple[C, list[QWidget]]] = []
        self._order = _Order()
        grid.addWidget(self._order.anchor, 0, 0)

    def show(self, how_many: int) -> list[C]:
        """So many of them, to be filled in; the others are hidden."""
        while len(self._made) < how_many:
            made, at = self._make(), 2 * len(self._made) + 1
            over = [rule()] if self._ruled else []
            for line in over:
                self._grid.addWidget(line, at, 0, 1, len(made.cells))
            for column, cell in enumerate(made.cells):
                self._grid.addWidget(cell, at + 1, column)
                self._order.take_in(cell)
            self._made.append((made, [*over, *made.cells]))
        for i, (_made, widgets) in enumerate(self._made):
            for widget in widgets:
                if i >= how_many:
                    hide(widget)
                elif widget.isHidden():
                    widget.show()
        return [made for made, _widgets in self._made[:how_many]]


Said = str | tuple[str, str] | tuple[str, str, str]
"""A text, with its role and its ink where they are not those of the list."""


class Pool(Generic[W]):
    """Widgets of one kind, one under the other, that live on: as many as asked for are shown, none is made twice."""

    def __init__(self, page: QBoxLayout, make: Callable[[], W], spacing: int | None = None) -> None:
        self._make, self._made = make, list[W]()
        self._box = QVBoxLayout()
        self._box.setSpacing(page.spacing() if spacing is None else spacing)
        page.addLayout(self._box)
        self._order = _Order()
        self._box.addWidget(self._order.anchor)

    def show(self, how_many: int) -> list[W]:
        """So many of them, to be filled in; the others are hidden."""
        while len(self._made) < how_many:
            self._made.append(self._make())
            self._box.addWidget(self._made[-1])
            self._order.take_in(self._made[-1])
        for i, widget in enumerate(self._made):
            if i >= how_many:
                hide(widget)
            elif widget.isHidden():
                widget.show()
        return self._made[:how_many]


class Lines(Pool[QLabel]):
    """Lines of text, wrapped, in one role or each in a role and ink of its own."""

    def __init__(self, page: QBoxLayout, role: str = "", *, spacing: int | None = None) -> None:
        super().__init__(page, lambda: label("", role, wrap=True), spacing)
        self._role = role

    def say(self, lines: Iterable[Said]) -> None:
        """Show these."""
        said = [(line, self._role) if isinstance(line, str) else line for line in lines]
        for shown, (text, role, *ink) in zip(self.show(len(said)), said, strict=True):
            set_property(shown, "role", role)
            set_property(shown, "ink", "".join(ink))
            set_text(shown, text)


Line = tuple[str, str, Any]
"""When it was, what it was, and what to strike."""


class _Row(QWidget):
    def __init__(self, strike: Callable[[Any], object], verb: str) -> None:
        super().__init__()
        self._what: Any = None
        self._verb = verb or _("strike")
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(4)
        self._when, self._words = label("", "small"), label("", "small", wrap=True)
        tip = "" if verb else _("It was wrong: leave it out from now on")
        self._strike = button(self._verb, lambda: strike(self._what), "link", tip)
        row.addWidget(self._when)
        row.addWidget(self._words, 1)
        row.addWidget(self._strike)

    def show_line(self, line: Line, width: int) -> None:
        when, words, self._what = line
        set_text(self._when, when)
        self._when.ensurePolished()
        self._when.setFixedWidth(max(width, self._when.sizeHint().width()))
        self._when.setVisible(bool(when))
        set_text(self._words, words)
        self._strike.setAccessibleName(f"{begun(self._verb)} {', '.join(w for w in (words, when) if w)}")


class StrikeList(QWidget):
    """Lines under a title; nothing at all where there are none. strike is given what the line stands for; verb: what
    it does, where that is something else."""

    def __init__(self, strike: Callable[[Any], object], title: str = "", verb: str = "") -> None:
        super().__init__()
        self._shown: object = None
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 4, 0, 0)
        box.setSpacing(4)
        if title:
            box.addWidget(label(title, "name"))
        self._lines = Pool(box, lambda: _Row(strike, verb))
        self.hide()

    def show_lines(self, lines: Sequence[Line], width: int = 0) -> None:
        """Show these lines; width: of their times, px, where they need no more."""
        if (lines, width) == self._shown:
            return
        self._shown = lines, width
        self.setVisible(bool(lines))
        for row, line in zip(self._lines.show(len(lines)), lines, strict=True):
            row.show_line(line, width)
