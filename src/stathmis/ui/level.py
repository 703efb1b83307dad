"""The level: a slim tube with the band as two notches and a bubble whose place is the value and whose width is ± U.

Filled: inside. Hatched across a notch: can't tell. Hollow, with an arrow toward the band: outside.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QBrush, QColor, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QWidget

from stathmis.core.course.profile import Band
from stathmis.core.units import Quantity
from stathmis.services.findings.corrections import Corrected
from stathmis.ui.kit.drawn import Drawn
from stathmis.ui.theme import Inks, Theme
from stathmis.words.catalogue import _

_BANDS_SHOWN = 3.4
"""The tube spans this many bands."""


@dataclass(frozen=True)
class LevelState:
    """What a level shows, in °C or %. corrected None: an empty tube; band None: no notches. coming: where it will be
    after one hour, two and so on if it goes on as now, each as low, middle and high (95 %)."""

    quantity: Quantity
    band: Band | None
    corrected: Corrected | None = None
    decision: str = "undecided"
    coming: tuple[tuple[float, float, float], ...] = ()


class Level(Drawn):
    """The level as a widget; height: px at normal text size, slim: the small one of a list."""

    def __init__(self, theme: Theme, parent: QWidget | None = None, *, slim: bool = False, height: int = 34) -> None:
        super().__init__(theme, parent)
        self._slim, self._height = slim, 22 if slim else height
        self._state = LevelState("temperature", None)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def sizeHint(self) -> QSize:
        """Preferred size at the text size in use."""
        return QSize(self.theme.px(96 if self._slim else 240), self.theme.px(self._height))

    def minimumSizeHint(self) -> QSize:
        """A level can still be read when it is this narrow."""
        return QSize(self.theme.px(60), self.sizeHint().height())

    def show_state(self, state: LevelState, words: str) -> None:
        """Show a state; words say the same to a screen reader."""
        name = _("Temperature") if state.quantity == "temperature" else _("Humidity")
        told = self.say(name, words)
        if state != self._state or told:
            self._state = state
            self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        """Draw it."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        paint_level(painter, QRectF(self.rect()), self._state, self.theme.inks)


def paint_level(painter: QPainter, area: QRectF, state: LevelState, inks: Inks) -> None:
    """Draw a level into an area."""
    tube_height = area.height() * 0.58
    tube = QRectF(area.left() + 1, area.center().y() - tube_height / 2, area.width() - 2, tube_height)
    radius = tube_height / 2
    painter.setPen(QPen(QColor(inks.rule), 1.4))
    painter.setBrush(QColor(inks.card))
    painter.drawRoundedRect(tube, radius, radius)
    if state.band is None:
        return
    reach = 0.5 * (state.band.high - state.band.low) * _BANDS_SHOWN
    per_unit = tube.width() / (2 * reach)

    def x_of(value: float) -> float:
        return tube.center().x() + (value - state.band.middle) * per_unit  # type: ignore[union-attr]

    color = inks.of(state.quantity)
    low, high = x_of(state.band.low), x_of(state.band.high)
    tint = QColor(color)
    tint.setAlpha(inks.tint)
    painter.fillRect(QRectF(low, tube.top() + 1, high - low, tube.height() - 2), tint)
    if state.corrected is not None:
        _paint_bubble(painter, tube, x_of(state.corrected.value), state.corrected.U * per_unit, state, color, inks.card)
        if state.coming:
            inner = tube.adjusted(radius, 0, -radius, 0)
            ahead = [(x_of(low), x_of(middle), x_of(high)) for low, middle, high in state.coming]
            _paint_wisp(painter, inner, x_of(state.corrected.value), ahead, color)
    painter.setPen(QPen(QColor(inks.ink), 1.8))
    for x in (low, high):
        painter.drawLine(QPointF(x, area.top() + 1), QPointF(x, area.bottom() - 1))


def _paint_bubble(
    painter: QPainter, tube: QRectF, x: float, half: float, state: LevelState, color: QColor, ground: str
) -> None:
    height = tube.height() * 0.6
    half = max(half, height * 0.5)
    inner = tube.adjusted(3, 0, -3, 0)
    left, right = x - half, x + half
    # a bubble off the scale rests at the end of the tube
    if right < inner.left() + height:
        left, right = inner.left(), inner.left() + height
    elif left > inner.right() - height:
        left, right = inner.right() - height, inner.right()
    left, right = max(left, inner.left()), min(right, inner.right())
    bubble = QRectF(left, tube.center().y() - height / 2, right - left, height)
    painter.setPen(QPen(color, 1.6))
    if state.decision == "inside":
        painter.setBrush(color)
        painter.drawRoundedRect(bubble, height / 2, height / 2)
    elif state.decision == "outside":
        painter.setBrush(QColor(ground))
        painter.drawRoundedRect(bubble, height / 2, height / 2)
        _paint_arrow(painter, bubble, tube, color)
    else:
        painter.setBrush(QColor(ground))
        painter.drawRoundedRect(bubble, height / 2, height / 2)
        painter.setBrush(QBrush(color, Qt.BrushStyle.BDiagPattern))
        painter.drawRoundedRect(bubble, height / 2, height / 2)


def _paint_wisp(
    painter: QPainter, tube: QRectF, x: float, ahead: Sequence[tuple[float, float, float]], color: QColor
) -> None:
    """A trail under the tube from where it is to where it goes: a wedge as wide as that is unsure, a dot each hour."""

    def inside(at: float) -> float:
        return min(max(at, tube.left()), tube.right())

    y, deep = tube.bottom() + tube.height() * 0.1, tube.height() * 0.24
    faint = QColor(color)
    faint.setAlpha(70)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(faint)
    low, _middle, high = ahead[-1]
    painter.drawPolygon(
        QPolygonF([QPointF(inside(x), y), QPointF(inside(high), y + deep), QPointF(inside(low), y + deep)])
    )
    for hour, (_low, middle, _high) in enumerate(ahead, 1):
        faint.setAlpha(230 - 40 * hour)
        painter.setBrush(faint)
        size = tube.height() * 0.09
        painter.drawEllipse(QPointF(inside(middle), y + deep * hour / len(ahead)), size, size)


def _paint_arrow(painter: QPainter, bubble: QRectF, tube: QRectF, color: QColor) -> None:
    """A small arrow beside the bubble, toward the band."""
    size = bubble.height() * 0.42
    right = bubble.center().x() < tube.center().x()
    tip = bubble.right() + size * 2.4 if right else bubble.left() - size * 2.4
    back = tip - size * 1.3 if right else tip + size * 1.3
    y = bubble.center().y()
    painter.setBrush(color)
    painter.drawPolygon(QPolygonF([QPointF(tip, y), QPointF(back, y - size), QPointF(back, y + size)]))
