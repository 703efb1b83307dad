"""A share with its doubt: a line from 0 to 100 %, a stretch for where it may lie, a mark where it is."""

from __future__ import annotations

from math import isfinite

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy

from stathmis.ui.kit.drawn import Drawn
from stathmis.ui.theme import Theme


class IntervalBar(Drawn):
    """filled: from nothing up to the share, as a weight is; else a mark alone, as a rate is."""

    def __init__(self, theme: Theme, *, filled: bool = False) -> None:
        super().__init__(theme)
        self._filled = filled
        self._share, self._low, self._high = float("nan"), 0.0, 1.0
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def show_share(self, name: str, share: float, low: float, high: float, words: str) -> None:
        """Show a share (0 to 1) between low and high; words say it."""
        self._share, self._low, self._high = share, low, high
        if self.say(name, words):
            self.update()

    def sizeHint(self) -> QSize:
        """Preferred size at the text size in use."""
        return QSize(self.theme.px(160), self.theme.px(20))

    def minimumSizeHint(self) -> QSize:
        """It can still be read when it is this narrow."""
        return QSize(self.theme.px(56), self.theme.px(20))

    def paintEvent(self, event: QPaintEvent) -> None:
        """Draw it."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        inks, wide, middle = self.theme.inks, self.width() - 8.0, self.height() / 2.0
        painter.setPen(QPen(QColor(inks.muted), 1))
        painter.drawLine(QPointF(4, middle), QPointF(4 + wide, middle))
        for at in (0.0, 0.5, 1.0):
            painter.drawLine(QPointF(4 + at * wide, middle - 4), QPointF(4 + at * wide, middle + 4))
        if not isfinite(self._share):
            return
        color = QColor(inks.eggs)
        high = 0.3 * self.height()
        painter.setPen(Qt.PenStyle.NoPen)
        if self._filled:
            painter.setBrush(color)
            painter.drawRect(QRectF(4, middle - high, self._share * wide, 2 * high))
            painter.setPen(QPen(QColor(inks.ink), 1.6))
            painter.drawLine(QPointF(4 + self._low * wide, middle), QPointF(4 + self._high * wide, middle))
            for end in (self._low, self._high):
                painter.drawLine(QPointF(4 + end * wide, middle - 4), QPointF(4 + end * wide, middle + 4))
            return
        tint = QColor(color)
        tint.setAlpha(110)
        painter.setBrush(tint)
        spread = QRectF(4 + self._low * wide, middle - high, max(2.0, (self._high - self._low) * wide), 2 * high)
        painter.drawRoundedRect(spread, high, high)
        painter.setPen(QPen(QColor(inks.ink), 2.4))
        at = 4 + self._share * wide
        painter.drawLine(QPointF(at, middle - high - 2), QPointF(at, middle + high + 2))
