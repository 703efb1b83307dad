"""A picture of quantities in lanes over one another, with one axis of time: walked through, told and marked alike."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import ArrayLike
from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF
from PySide6.QtWidgets import QSizePolicy

from stathmis.core.course.profile import Band
from stathmis.core.units import Quantity, Unit, from_inside
from stathmis.ui.kit.drawn import Walked
from stathmis.ui.theme import Theme
from stathmis.words.catalogue import as_number
from stathmis.words.numbers import unit_word

LEFT, RIGHT, GAP, BELOW = 46, 8, 10, 20
TOP = 4.0


class Lane:
    """One quantity drawn in an area: low, high are what is seen of it, in the unit shown."""

    def __init__(self, area: QRectF, quantity: Quantity, unit: Unit, low: float, high: float) -> None:
        self.area, self.quantity, self.unit = area, quantity, unit
        margin = 0.08 * (high - low) + (0.05 if quantity == "temperature" else 0.5)
        self.ends = (low, high)
        self._low, self._high = low - margin, high + margin

    def y(self, shown: float) -> float:
        """Where a value stands, in the unit shown."""
        return float(self.area.bottom() - (shown - self._low) / (self._high - self._low) * self.area.height())


class Lanes(Walked):
    """Whoever draws one says what is drawn (count, span) and at which times it is looked at (stops). lane_px: how high
    a lane is."""

    def __init__(self, theme: Theme, lane_px: int) -> None:
        super().__init__(theme)
        self._lane_px = lane_px
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def count(self) -> int:
        """How many lanes there are."""
        raise NotImplementedError

    def span(self) -> tuple[int, int]:
        """From when to when it goes, UTC ms."""
        raise NotImplementedError

    def stops(self) -> Sequence[int]:
        """The times that are walked through, UTC ms."""
        raise NotImplementedError

    def spots(self) -> Sequence[float]:
        """Stop by stop."""
        return [self.across(at) for at in self.stops()]

    def sizeHint(self) -> QSize:
        """Preferred size at the text size in use."""
        return QSize(self.theme.px(420), self.theme.px(max(1, self.count()) * (self._lane_px + GAP) + BELOW))

    def minimumSizeHint(self) -> QSize:
        """It can still be read when it is this narrow."""
        return QSize(self.theme.px(240), self.sizeHint().height())

    def area(self, lane: int) -> QRectF:
        """Where a lane is drawn."""
        px = self.theme.px
        top = TOP + lane * px(self._lane_px + GAP)
        return QRectF(px(LEFT), top, max(10.0, self.width() - px(LEFT) - px(RIGHT)), px(self._lane_px))

    @property
    def bottom(self) -> float:
        """Of the lowest lane."""
        return self.area(max(0, self.count() - 1)).bottom()

    def across(self, at_ms: float) -> float:
        """Where a time stands (UTC ms)."""
        start, stop = self.span()
        area = self.area(0)
        return float(area.left() + (at_ms - start) / max(1, stop - start) * area.width())

    def begin(self) -> QPainter:
        """A painter for it."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(self.theme.font(11))
        return painter

    def along(self, lane: Lane, times_ms: ArrayLike, shown: ArrayLike) -> list[QPointF]:
        """Values over time, in the unit shown."""
        both = zip(np.asarray(times_ms).tolist(), np.asarray(shown).tolist(), strict=True)
        return [QPointF(self.across(t), lane.y(v)) for t, v in both]

    def between(self, lane: Lane, times_ms: ArrayLike, low: ArrayLike, high: ArrayLike) -> QPolygonF:
        """What lies between two lines."""
        return QPolygonF([*self.along(lane, times_ms, high), *reversed(self.along(lane, times_ms, low))])

    def paint_bands(self, painter: QPainter, lane: Lane, bands: Sequence[tuple[int, int, Band]], edges: bool) -> None:
        """Bands to hold (from, to in UTC ms, band) as a tint; edges: with a line at either."""
        color = self.theme.inks.of(lane.quantity)
        tint = QColor(color)
        tint.setAlpha(self.theme.inks.tint)
        painter.setPen(QPen(color, 1))
        for begin, end, band in bands:
            low, high = (lane.y(float(from_inside(v, lane.unit))) for v in (band.low, band.high))
            painter.fillRect(QRectF(QPointF(self.across(begin), high), QPointF(self.across(end), low)), tint)
            for y in (low, high) if edges else ():
                painter.drawLine(QPointF(self.across(begin), y), QPointF(self.across(end), y))

    def paint_scale(self, painter: QPainter, lane: Lane) -> None:
        """The ends of a lane and its unit."""
        painter.setPen(QColor(self.theme.inks.muted))
        places = 1 if lane.quantity == "temperature" else 0
        for value in lane.ends:
            painter.drawText(QPointF(2, lane.y(value) + 4), as_number(value, f".{places}f"))
        painter.setPen(self.theme.inks.of(lane.quantity))
        painter.drawText(QPointF(2, lane.area.center().y() + 4), unit_word(lane.unit))

    def paint_mark(self, painter: QPainter, at_ms: float, text: str, free: float, ink: str) -> float:
        """A line up at a time, and its word below (empty: none) where there is room right of free; returns what is free
        after it."""
        x, inks = self.across(at_ms), self.theme.inks
        painter.setPen(QPen(QColor(ink), 1))
        painter.drawLine(QPointF(x, TOP), QPointF(x, self.bottom + 3))
        wide = painter.fontMetrics().horizontalAdvance(text)
        left = min(self.width() - wide - 2.0, x - 0.5 * wide)
        if not text or left <= free:
            return free
        painter.setPen(QColor(inks.muted))
        painter.drawText(QPointF(left, self.bottom + self.theme.px(15)), text)
        return left + wide + 8

    def paint_looked_at(self, painter: QPainter) -> None:
        """The stop that is looked at, with what is told of it; and the focus."""
        if self.at >= 0:
            x, inks = self.spots()[self.at], self.theme.inks
            painter.setPen(QPen(QColor(inks.ink), 1))
            painter.drawLine(QPointF(x, TOP), QPointF(x, self.bottom))
            wide = painter.fontMetrics().horizontalAdvance(self.spoken)
            left = max(2.0, min(x + 6, self.width() - wide - 4.0))
            painter.fillRect(QRectF(left - 3, 2, wide + 6, painter.fontMetrics().height() + 2), QColor(inks.card))
            painter.drawText(QPointF(left, 2 + painter.fontMetrics().ascent()), self.spoken)
        self.paint_focus(painter)


def clipped(painter: QPainter, lane: Lane) -> None:
    """Draw within a lane only, until the painter is restored."""
    painter.save()
    painter.setClipRect(lane.area)
    painter.setBrush(Qt.BrushStyle.NoBrush)
