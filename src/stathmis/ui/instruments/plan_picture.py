"""An incubator seen from above: each place with how much warmer or colder it is than the mean, by word, number and
tint."""

from __future__ import annotations

from PySide6.QtCore import QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy

from stathmis.core.units import Unit, difference_from_inside, from_inside
from stathmis.services.instruments.places import PLACES, PlacesResult
from stathmis.ui.kit.drawn import Drawn
from stathmis.ui.theme import Theme
from stathmis.words.catalogue import _, as_number
from stathmis.words.numbers import signed

FULL_TINT_K = 1.0
"""A place this much off the mean has the deepest tint."""


class PlanPicture(Drawn):
    """The picture."""

    def __init__(self, theme: Theme) -> None:
        super().__init__(theme)
        self._result: PlacesResult | None = None
        self._unit: Unit = "°C"
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Preferred)

    def sizeHint(self) -> QSize:
        """Preferred size at the text size in use."""
        return QSize(self.theme.px(400), self.theme.px(250))

    def minimumSizeHint(self) -> QSize:
        """Three words side by side must fit."""
        return QSize(self.theme.px(280), self.theme.px(210))

    def show_result(self, result: PlacesResult, unit: Unit, words: str) -> None:
        """Draw a comparison; words say the same to a screen reader."""
        self._result, self._unit = result, unit
        self.say(_("Plan of the places"), words)
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        """Draw it."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        theme, inks = self.theme, self.theme.inks
        foot = theme.px(22)
        area = QRectF(self.rect()).adjusted(1, 1, -1, -1 - foot)
        wide, tall = area.width() / 3, area.height() / 3
        even = self._result.even if self._result is not None else None
        found = {f.cell.place: i for i, f in enumerate(self._result.found)} if self._result is not None else {}
        for row, names in enumerate(PLACES):
            for column, name in enumerate(names):
                cell = QRectF(area.left() + column * wide, area.top() + row * tall, wide, tall)
                index = found.get(name)
                self._cell(painter, cell, name, index if even is not None else None)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(QColor(inks.muted), 1.6))
        painter.drawRect(area)
        painter.setFont(theme.font(12))
        painter.setPen(QColor(inks.muted))
        words = QRectF(area.left(), area.bottom() + 2, area.width(), foot)
        painter.drawText(words, Qt.AlignmentFlag.AlignCenter, _("{unit} · front, door or window side", unit=self._unit))

    def _cell(self, painter: QPainter, cell: QRectF, name: str, index: int | None) -> None:
        theme, inks = self.theme, self.theme.inks
        painter.setPen(QPen(QColor(inks.rule), 1))
        painter.setBrush(QColor(inks.card))
        painter.drawRect(cell)
        inner = cell.adjusted(4, 3, -4, -3)
        painter.setFont(theme.font(12))
        painter.setPen(QColor(inks.muted))
        painter.drawText(inner, Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignHCenter, _(name))
        if index is None or self._result is None or self._result.even is None:
            return
        even = self._result.even
        off = float(even.deviation[index])
        tint = QColor(inks.of("temperature") if off > 0 else inks.of("humidity"))
        tint.setAlpha(int(90 * min(1.0, abs(off) / FULL_TINT_K)))
        painter.fillRect(cell.adjusted(1, 1, -1, -1), tint)
        painter.setPen(QColor(inks.ink))
        painter.drawText(inner, Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignHCenter, _(name))
        painter.setFont(theme.font(17, theme.font().Weight.DemiBold))
        value = float(from_inside(self._result.found[index].value, self._unit))
        painter.drawText(inner, Qt.AlignmentFlag.AlignCenter, as_number(value, ".2f"))
        painter.setFont(theme.font(12))
        less = float(difference_from_inside(off, self._unit))
        word = {even.warmest: _("warmest "), even.coldest: _("coldest ")}.get(index, "") if even.seen else ""
        text = f"{word}{signed(less, 2)}"
        painter.drawText(inner, Qt.AlignmentFlag.AlignBottom | Qt.AlignmentFlag.AlignHCenter, text)
