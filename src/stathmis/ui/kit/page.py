"""Pages that scroll, their columns and rows, and rows that fold where there is little room."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from typing import TYPE_CHECKING, TypeVar

from PySide6.QtCore import QEvent, Qt
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import (
    QBoxLayout,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLayout,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from stathmis.ui.kit.pieces import label
from stathmis.words.catalogue import _

if TYPE_CHECKING:
    from stathmis.ui.theme import Theme

W = TypeVar("W", bound=QWidget)

Item = QWidget | QLayout | int | tuple[QWidget | QLayout, int]
"""What stands in a row or column: a widget or layout, one with its share of the room, or room alone."""


def _fill(made: QBoxLayout, items: tuple[Item, ...], spacing: int) -> None:
    made.setSpacing(spacing)
    for item in items:
        if isinstance(item, int):
            made.addStretch(item)
            continue
        inner, share = item if isinstance(item, tuple) else (item, 0)
        if isinstance(inner, QWidget):
            made.addWidget(inner, share)
        else:
            made.addLayout(inner, share)


def row(*items: Item, spacing: int = 8) -> QHBoxLayout:
    """Items side by side: row(name, field, 1) leaves the room to the right of a field."""
    made = QHBoxLayout()
    _fill(made, items, spacing)
    return made


def column(*items: Item, spacing: int = 8) -> QVBoxLayout:
    """Items one under the other."""
    made = QVBoxLayout()
    _fill(made, items, spacing)
    return made


def put(into: QWidget, layout: QLayout, top: int = 0) -> QWidget:
    """Give a widget its layout, without room around it but above."""
    layout.setContentsMargins(0, top, 0, 0)
    into.setLayout(layout)
    return into


def holder(layout: QLayout, top: int = 0) -> QWidget:
    """A widget that only holds a layout."""
    return put(QWidget(), layout, top)


def card(title: str, *items: Item) -> QFrame:
    """A framed group under its heading, where it has one; its buttons are as wide as their words."""
    made = QFrame()
    made.setObjectName("card")
    box = QVBoxLayout(made)
    shown: list[Item] = [row(item, 1) if isinstance(item, QPushButton) else item for item in items]
    _fill(box, (*([label(title, "heading")] if title else []), *shown), 8)
    box.setContentsMargins(16, 12, 16, 14)
    return made


class FieldGrid(QGridLayout):
    """Fields one under the other, each behind its words."""

    def __init__(self, role: str = "muted") -> None:
        super().__init__()
        self.setColumnStretch(1, 1)
        self.setHorizontalSpacing(12)
        self._role, self._at = role, 0

    def add(self, words: str | QWidget, shown: W) -> W:
        """Add one; it is called by its words where it has no name of its own."""
        self.addWidget(label(words, self._role) if isinstance(words, str) else words, self._at, 0)
        self.addWidget(shown, self._at, 1)
        if isinstance(words, str) and not shown.accessibleName():
            shown.setAccessibleName(words)
        self._at += 1
        return shown

    def show(self, shown: QWidget, visible: bool) -> None:
        """Show a field with its words, or leave both away."""
        at = self.getItemPosition(self.indexOf(shown))[0]  # type: ignore[index]
        for column in (0, 1):
            item = self.itemAtPosition(at, column)
            widget = item.widget() if item is not None else None
            if widget is not None:
                widget.setVisible(visible)


def table(
    headings: Sequence[str], shares: Sequence[int], right: Collection[int] = (), spacing: int = 16
) -> QGridLayout:
    """A grid under its headings (looked up here); shares: of the room, by column; right: the columns of numbers."""
    grid = QGridLayout()
    grid.setHorizontalSpacing(spacing)
    grid.setVerticalSpacing(4)
    for at, (text, share) in enumerate(zip(headings, shares, strict=True)):
        heading = label(_(text), "small", wrap=True)
        side = Qt.AlignmentFlag.AlignRight if at in right else Qt.AlignmentFlag.AlignLeft
        heading.setAlignment(side | Qt.AlignmentFlag.AlignBottom)
        grid.addWidget(heading, 0, at)
        grid.setColumnStretch(at, share)
    return grid


class FoldingView(QWidget):
    """A view whose rows stand one under the other where the window is narrow for the text size in use."""

    def __init__(self, theme: Theme, narrow_below: float) -> None:
        super().__init__()
        self.theme = theme
        self._narrow_below = narrow_below
        self._folds: list[QBoxLayout] = []

    @property
    def narrow(self) -> bool:
        """Whether there is little room."""
        return self.width() < self.theme.px(self._narrow_below)

    def folding_row(self, spacing: int = 8) -> QBoxLayout:
        """A row that folds."""
        made = QBoxLayout(QBoxLayout.Direction.LeftToRight)
        made.setSpacing(spacing)
        self._folds.append(made)
        return made

    def folding_columns(self, *shares: int, spacing: int = 28) -> tuple[QBoxLayout, list[QVBoxLayout]]:
        """Columns side by side, each with its share of the room, which fold; and the row they stand in."""
        made, columns = self.folding_row(spacing), [column() for _ in shares]
        for one, share in zip(columns, shares, strict=True):
            made.addLayout(one, share)
        return made, columns

    def fold(self) -> bool:
        """Fold or unfold as the width asks; True when that changed anything."""
        direction = QBoxLayout.Direction.TopToBottom if self.narrow else QBoxLayout.Direction.LeftToRight
        changed = any(row.direction() != direction for row in self._folds)
        for folded in self._folds:
            folded.setDirection(direction)
        return changed

    def resizeEvent(self, event: QResizeEvent) -> None:
        """The width changed."""
        self.fold()
        super().resizeEvent(event)


class _Content(QWidget):
    """The content of a scrolling page: never lower than its wrapped words need at its width."""

    def event(self, event: QEvent) -> bool:
        """After a change of width or content, ask for the height that takes."""
        if event.type() in (QEvent.Type.LayoutRequest, QEvent.Type.Resize):
            layout = self.layout()
            if layout is not None and layout.hasHeightForWidth():
                needed = layout.totalMinimumHeightForWidth(self.width())
                if needed != self.minimumHeight():
                    self.setMinimumHeight(needed)
        return super().event(event)


class Page(FoldingView):
    """A view that scrolls up and down when the window is small; `area` scrolls, `page` holds what it shows."""

    def __init__(self, theme: Theme, narrow_below: float = 800, *, margin: int = 32) -> None:
        super().__init__(theme, narrow_below)
        self.area = QScrollArea()
        self.area.setWidgetResizable(True)
        # what stands on it has the cursor; keys it does not want scroll the page
        self.area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        content = _Content()
        content.setObjectName("page")
        self.page = QVBoxLayout(content)
        self.page.setContentsMargins(margin, 12, margin, 12)
        self.page.setSpacing(8)
        self.area.setWidget(content)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.addWidget(self.area)
        theme.dress(self)

    def columns(self, *shares: int, spacing: int = 28, stretch: int = 0) -> list[QVBoxLayout]:
        """Folding columns below what the page holds already; stretch: their share of the room left in the height."""
        made, columns = self.folding_columns(*shares, spacing=spacing)
        self.page.addLayout(made, stretch)
        return columns
