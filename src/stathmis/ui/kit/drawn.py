"""What we draw ourselves, and what a screen reader hears of it: a name, a value, and a description."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from html import escape

from PySide6.QtCore import QObject, Qt
from PySide6.QtGui import (
    QAccessible,
    QAccessibleInterface,
    QAccessibleValueChangeEvent,
    QColor,
    QFocusEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPen,
)
from PySide6.QtWidgets import QAccessibleWidget, QWidget

from stathmis.ui.theme import Theme

_FOCUS_WIDE = 2.0


class Speaking:
    """Mixed into a widget of ours: it tells a screen reader what it shows, and whoever rests the pointer on it."""

    spoken = ""
    role = QAccessible.Role.Graphic
    """What it is to whoever cannot see it."""
    _interface: QAccessibleInterface | None = None

    def say(self, name: str, value: str, description: str = "") -> bool:
        """Tell what is shown: what it is, how it stands, and more about it. False where that was told already."""
        assert isinstance(self, QWidget)
        if (name, value, description) == (self.accessibleName(), self.spoken, self.accessibleDescription()):
            return False
        self.spoken = value
        self.setAccessibleName(name)
        self.setAccessibleDescription(description)
        # a name that looks like markup is a name
        self.setToolTip(f"<span>{escape('. '.join(part for part in (value or name, description) if part))}</span>")
        if QAccessible.isActive():
            QAccessible.updateAccessibility(QAccessibleValueChangeEvent(self, value))
        self.update()
        return True


class Drawn(QWidget, Speaking):
    """A picture that follows the theme, speaks, and shows its focus where it can have it."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.theme = theme
        theme.changed.connect(self._restyled)

    def _restyled(self) -> None:
        self.updateGeometry()
        self.update()

    def focusInEvent(self, event: QFocusEvent) -> None:
        """The focus is seen."""
        super().focusInEvent(event)
        self.update()

    def focusOutEvent(self, event: QFocusEvent) -> None:
        """The focus is elsewhere."""
        super().focusOutEvent(event)
        self.update()

    def paint_focus(self, painter: QPainter) -> None:
        """A frame while it has the focus."""
        if self.hasFocus():
            painter.setPen(QPen(QColor(self.theme.inks.selection), _FOCUS_WIDE))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(self.rect().adjusted(1, 1, -1, -1))


class Walked(Drawn):
    """A picture of many values: left, right, Home and End, or the pointer, go from one to the next and tell it.

    Whoever draws one says where each value stands across (spots) and tells the one that is looked at (tell).
    """

    def __init__(self, theme: Theme) -> None:
        super().__init__(theme)
        self.at = -1
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)

    def spots(self) -> Sequence[float]:
        """Where each value stands, px from the left, rising."""
        raise NotImplementedError

    def tell(self) -> None:
        """Tell the value that is looked at (self.at), or the whole where that is -1."""
        raise NotImplementedError

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Left and right go from value to value, Home and End to the first and last."""
        last = len(self.spots()) - 1
        goal = {
            Qt.Key.Key_Right: min(last, self.at + 1),
            Qt.Key.Key_Left: max(0, self.at - 1),
            Qt.Key.Key_Home: 0,
            Qt.Key.Key_End: last,
        }.get(Qt.Key(event.key()))
        if goal is None or last < 0:
            super().keyPressEvent(event)
        else:
            self._go(goal)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """The value nearest to the pointer."""
        spots, x = self.spots(), event.position().x()
        if spots:
            self._go(min(range(len(spots)), key=lambda i: abs(spots[i] - x)))

    def _go(self, at: int) -> None:
        if at != self.at:
            self.at = at
            self.tell()
            self.update()


class _Spoken(QAccessibleWidget):
    """A picture of ours as a screen reader asks for it."""

    def __init__(self, shown: QWidget, role: QAccessible.Role, value: Callable[[], str]) -> None:
        super().__init__(shown, role)
        self._value = value

    def text(self, what: QAccessible.Text) -> str:
        """Besides what any widget tells: the value."""
        return self._value() if what == QAccessible.Text.Value else super().text(what)


def _interface(_kind: str, asked: QObject) -> QAccessibleInterface | None:
    if not isinstance(asked, Speaking) or not isinstance(asked, QWidget):
        return None
    # held as long as what it speaks for: Qt does not
    asked._interface = _Spoken(asked, asked.role, lambda: asked.spoken)
    return asked._interface


QAccessible.installFactory(_interface)
