"""Small pieces every view is made of: labels with a role, rules, scrolling pages, buttons."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Generic, TypeVar

from PySide6.QtCore import QEvent, Qt
from PySide6.QtGui import QResizeEvent, QWheelEvent
from PySide6.QtWidgets import (
    QBoxLayout,
    QComboBox,
    QFrame,
    QLabel,
    QLayout,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

if TYPE_CHECKING:
    from stathmis.ui.theme import Theme

W = TypeVar("W", bound=QWidget)


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

    def fold(self) -> bool:
        """Fold or unfold as the width asks; True when that changed anything."""
        direction = QBoxLayout.Direction.TopToBottom if self.narrow else QBoxLayout.Direction.LeftToRight
        changed = any(row.direction() != direction for row in self._folds)
        for row in self._folds:
            row.setDirection(direction)
        return changed

    def resizeEvent(self, event: QResizeEvent) -> None:
        """The width changed."""
        self.fold()
        super().resizeEvent(event)


def label(text: str = "", role: str = "", ink: str = "", *, wrap: bool = False) -> QLabel:
    """A label in a role ("title", "muted", ...) and ink of the style sheet. Text is plain."""
    made = QLabel(text)
    made.setTextFormat(Qt.TextFormat.PlainText)
    if role:
        made.setProperty("role", role)
    if ink:
        made.setProperty("ink", ink)
    made.setWordWrap(wrap)
    return made


def problem_label() -> QLabel:
    """A hidden line for what is wrong, to stand beside its field."""
    made = label("", "problem", wrap=True)
    made.hide()
    return made


def set_property(widget: QWidget, name: str, value: object) -> None:
    """Change a property the style sheet looks at, and restyle."""
    if widget.property(name) != value:
        widget.setProperty(name, value)
        widget.style().unpolish(widget)
        widget.style().polish(widget)


def set_text(widget: QLabel | QPushButton, text: str) -> None:
    """Show a text, and touch nothing where it is shown already: layouts are not worked out again for nothing."""
    if widget.text() != text:
        widget.setText(text)


def rule() -> QFrame:
    """A hairline."""
    made = QFrame()
    made.setObjectName("rule")
    return made


def button(text: str, on_click: Callable[[], object], role: str = "", tip: str = "") -> QPushButton:
    """A button; role "main", "link", "tab" or "place"."""
    made = QPushButton(text)
    if role:
        made.setProperty("role", role)
    if tip:
        made.setToolTip(tip)
    made.setAutoDefault(False)
    made.clicked.connect(lambda _checked=False: on_click())
    return made


class Chooser(QComboBox):
    """A list to choose from. The mouse wheel scrolls the page it stands on and never changes what is chosen."""

    def wheelEvent(self, event: QWheelEvent) -> None:
        """Left to the page."""
        event.ignore()


def yielding(box: Chooser) -> Chooser:
    """A list that may be narrower than its longest entry, so that long names do not push a page apart."""
    box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
    box.setMinimumContentsLength(8)
    return box


class Pool(Generic[W]):
    """Widgets of one kind, one under the other, that live on: as many as asked for are shown, none is made twice."""

    def __init__(self, page: QBoxLayout, make: Callable[[], W]) -> None:
        self._make, self._made = make, list[W]()
        self._box = QVBoxLayout()
        self._box.setSpacing(page.spacing())
        page.addLayout(self._box)

    def show(self, how_many: int) -> list[W]:
        """So many of them, to be filled in; the others are hidden."""
        while len(self._made) < how_many:
            self._made.append(self._make())
            self._box.addWidget(self._made[-1])
        for i, widget in enumerate(self._made):
            if i >= how_many:
                hide(widget)
            elif widget.isHidden():
                widget.show()
        return self._made[:how_many]


def hide(widget: QWidget) -> None:
    """Hide a widget; one that has the focus gives it up first, else the page would scroll to whatever gets it."""
    focused = widget.focusWidget()
    if focused is not None and focused.hasFocus():
        focused.clearFocus()
    widget.hide()


def clear(layout: QLayout) -> None:
    """Remove and delete everything in a layout."""
    while (item := layout.takeAt(0)) is not None:
        inner, widget = item.layout(), item.widget()
        if inner is not None:
            clear(inner)
        if widget is not None:
            hide(widget)
            widget.deleteLater()


class _Page(QWidget):
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


def scrolling_page(margin: int = 32) -> tuple[QScrollArea, QVBoxLayout]:
    """A page that scrolls up and down when the window is small, and its layout."""
    area = QScrollArea()
    area.setWidgetResizable(True)
    area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    page = _Page()
    page.setObjectName("page")
    layout = QVBoxLayout(page)
    layout.setContentsMargins(margin, 16, margin, 24)
    layout.setSpacing(8)
    area.setWidget(page)
    return area, layout
