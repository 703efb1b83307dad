"""A bar of time: inside, outside, can't tell, unknown, told apart by filling and by words."""

from __future__ import annotations

from PySide6.QtCore import QRectF, QSize, Qt
from PySide6.QtGui import QBrush, QColor, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy

from stathmis.core.adherence import Adherence
from stathmis.ui.kit.drawn import Drawn
from stathmis.ui.theme import Theme
from stathmis.words.catalogue import as_number


def percent(part: float, whole: float) -> str:
    """A share in words: "<1 %" rather than 0 for a little."""
    if whole <= 0:
        return "–"
    share = 100.0 * part / whole
    if 0 < share < 1:
        return "<1 %"
    if 99 < share < 100:
        return ">99 %"
    return f"{as_number(share, '.0f')} %"


class ShareBar(Drawn):
    """Shares of one phase as a bar: filled inside, hollow outside, hatched undecided, dotted unknown."""

    def __init__(self, theme: Theme) -> None:
        super().__init__(theme)
        self._quantity = ""
        self._adherence: Adherence | None = None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def show_time(self, quantity: str, adherence: Adherence) -> None:
        """Show the shares of a stretch of time."""
        self._quantity, self._adherence = quantity, adherence
        self.update()

    def sizeHint(self) -> QSize:
        """Preferred size at the text size in use."""
        return QSize(self.theme.px(64), self.theme.px(14))

    minimumSizeHint = sizeHint

    def paintEvent(self, event: QPaintEvent) -> None:
        """Draw it."""
        a = self._adherence
        total = a.known_s + a.unknown_s if a is not None else 0.0
        if a is None or total <= 0:
            return
        painter = QPainter(self)
        color, inks = self.theme.inks.of(self._quantity), self.theme.inks
        left, height = 0.5, float(self.height() - 1)
        for part, brush in (
            (a.inside_s, QBrush(color)),
            (a.undecided_s, QBrush(color, Qt.BrushStyle.BDiagPattern)),
            (a.outside_s, QBrush(QColor(inks.card))),
            (a.unknown_s, QBrush(QColor(inks.muted), Qt.BrushStyle.Dense6Pattern)),
        ):
            width = (self.width() - 1) * part / total
            if part > 0:
                width = max(width, 2.0)
                painter.setPen(QPen(color, 1))
                painter.setBrush(QBrush(QColor(inks.card)))
                painter.drawRect(QRectF(left, 0.5, width, height))
                painter.setBrush(brush)
                painter.drawRect(QRectF(left, 0.5, width, height))
                left += width
