"""The truth of a practice hatch: the true curve, and over it what the log believed, with its U."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QSizePolicy

from stathmis.core.uncertainty import NORMAL_95
from stathmis.core.units import difference_from_inside, from_inside
from stathmis.services.book import Book
from stathmis.services.findings.runs import Run
from stathmis.services.practice.uncovering import Curve
from stathmis.ui.kit.drawn import Walked
from stathmis.ui.theme import Theme
from stathmis.words import dates
from stathmis.words import practice as words
from stathmis.words.numbers import unit_word

Array = NDArray[np.float64]
LEFT, RIGHT, GAP, BELOW, LANE = 46, 8, 10, 20, 130
DAY_MS, HOUR_MS = 86_400_000, 3_600_000
MOST = 700


def _by_hour(run: Run) -> tuple[Array, Array, Array]:
    """Times (UTC ms), values and their standard uncertainty as means of the hours that were read: a thermostat's swing
    is nobody's belief."""
    hours, first = np.unique(run.times_ms // HOUR_MS, return_index=True)
    count = np.diff(np.append(first, run.times_ms.size))
    return (
        np.asarray((hours + 0.5) * HOUR_MS, dtype=np.float64),
        np.add.reduceat(run.corrected, first) / count,
        np.add.reduceat(run.u, first) / count,
    )


class TruthPicture(Walked):
    """Heat over moisture, day by day."""

    def __init__(self, theme: Theme) -> None:
        super().__init__(theme)
        self._book: Book | None = None
        self._curves: Sequence[Curve] = ()
        self._whole = ""
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def show_curves(self, book: Book, curves: Sequence[Curve], said: str) -> None:
        """Show them; said: what a screen reader hears of the whole."""
        self._book, self._curves, self._whole = book, curves, said
        self.at = -1
        self.tell()
        self.update()

    def sizeHint(self) -> QSize:
        """Preferred size at the text size in use."""
        return QSize(self.theme.px(420), self.theme.px(2 * (LANE + GAP) + BELOW))

    def minimumSizeHint(self) -> QSize:
        """It can still be read when it is this narrow."""
        return QSize(self.theme.px(240), self.sizeHint().height())

    def _area(self, lane: int) -> QRectF:
        px = self.theme.px
        return QRectF(px(LEFT), 4 + lane * px(LANE + GAP), max(10.0, self.width() - px(LEFT) - px(RIGHT)), px(LANE))

    def _x(self, at_ms: float) -> float:
        times, area = self._curves[0].times_ms, self._area(0)
        return float(area.left() + (at_ms - times[0]) / max(1, times[-1] - times[0]) * area.width())

    def _hours(self) -> np.ndarray:
        return self._curves[0].times_ms[::3] if self._curves else np.empty(0, dtype=np.int64)

    def spots(self) -> Sequence[float]:
        """Every three hours."""
        return [self._x(float(t)) for t in self._hours()]

    def tell(self) -> None:
        """The truth at the hour that is looked at."""
        said = self._whole
        if self._book is not None and self.at >= 0:
            at_ms = int(self._hours()[self.at])
            values = [float(np.interp(at_ms, c.times_ms, c.true)) for c in self._curves]
            when = dates.moment(self._book.local(at_ms), weekday=True)
            said = f"{when}: {words.truth(self._book, *values)}"
        self.say(words.truth_picture(), said)

    def paintEvent(self, event: QPaintEvent) -> None:
        """Draw it."""
        if not self._curves or self._book is None:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(self.theme.font(11))
        for lane, curve in enumerate(self._curves):
            self._paint_lane(painter, lane, curve)
        inks, last = self.theme.inks, self._area(len(self._curves) - 1)
        times, free = self._curves[0].times_ms, -1e9
        for at_ms in range(int(times[0]) // DAY_MS * DAY_MS + DAY_MS, int(times[-1]), DAY_MS):
            x = self._x(at_ms)
            painter.setPen(QPen(QColor(inks.rule), 1))
            painter.drawLine(QPointF(x, 4), QPointF(x, last.bottom() + 3))
            text = dates.day(self._book.local(at_ms))
            wide = painter.fontMetrics().horizontalAdvance(text)
            if x - 0.5 * wide > free and x + 0.5 * wide < self.width():
                painter.setPen(QColor(inks.muted))
                painter.drawText(QPointF(x - 0.5 * wide, last.bottom() + self.theme.px(15)), text)
                free = x + 0.5 * wide + 12
        if self.at >= 0:
            x = self.spots()[self.at]
            painter.setPen(QPen(QColor(inks.ink), 1))
            painter.drawLine(QPointF(x, 4), QPointF(x, last.bottom()))
            wide = painter.fontMetrics().horizontalAdvance(self.spoken)
            left = max(2.0, min(x + 6, self.width() - wide - 4.0))
            painter.fillRect(QRectF(left - 3, 2, wide + 6, painter.fontMetrics().height() + 2), QColor(inks.card))
            painter.drawText(QPointF(left, 2 + painter.fontMetrics().ascent()), self.spoken)
        self.paint_focus(painter)

    def _paint_lane(self, painter: QPainter, lane: int, curve: Curve) -> None:
        assert self._book is not None
        inks, area, unit = self.theme.inks, self._area(lane), self._book.shown_unit(curve.quantity)
        step = max(1, curve.times_ms.size // MOST)
        true = np.asarray(from_inside(curve.true[::step], unit))
        run = curve.believed
        low, high = (float(v) for v in np.quantile(true, [0.01, 0.99]))
        if run is not None:
            ends = np.asarray(from_inside(np.quantile(run.corrected, [0.02, 0.98]), unit))
            low, high = min(low, float(ends[0])), max(high, float(ends[1]))
        for _begin, _end, band in curve.asked:
            # the bands are worth seeing where they are near
            low, high = (min(low, float(from_inside(band.low, unit))), max(high, float(from_inside(band.high, unit))))
        margin = 0.1 * (high - low) + 0.05
        low, high = low - margin, high + margin

        def y(value: float) -> float:
            return float(area.bottom() - (value - low) / (high - low) * area.height())

        painter.save()
        painter.setClipRect(area)
        color = inks.of(curve.quantity)
        for begin, end, band in curve.asked:
            tint = QColor(color)
            tint.setAlpha(inks.tint)
            edges = [y(float(from_inside(v, unit))) for v in (band.high, band.low)]
            painter.fillRect(QRectF(QPointF(self._x(begin), edges[0]), QPointF(self._x(end), edges[1])), tint)
        if run is not None:
            times, corrected, u = _by_hour(run)
            values = np.asarray(from_inside(corrected, unit))
            U = NORMAL_95 * np.asarray(difference_from_inside(u, unit))
            xs = [self._x(float(t)) for t in times]
            tint = QColor(color)
            tint.setAlpha(inks.tint + 25)
            above = [QPointF(x, y(v)) for x, v in zip(xs, (values + U).tolist(), strict=True)]
            below = [QPointF(x, y(v)) for x, v in zip(xs, (values - U).tolist(), strict=True)]
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(tint)
            painter.drawPolygon(QPolygonF([*above, *reversed(below)]))
            painter.setPen(QPen(color, 1.2, Qt.PenStyle.DashLine))
            painter.drawPolyline(QPolygonF([QPointF(x, y(v)) for x, v in zip(xs, values.tolist(), strict=True)]))
        painter.setPen(QPen(QColor(inks.ink), 1.4))
        painter.drawPolyline(
            QPolygonF(
                [QPointF(self._x(float(t)), y(v)) for t, v in zip(curve.times_ms[::step], true.tolist(), strict=True)]
            )
        )
        painter.restore()
        painter.setPen(QPen(QColor(inks.muted), 1))
        painter.drawLine(area.bottomLeft(), area.bottomRight())
        places = 1 if curve.quantity == "temperature" else 0
        for value in (low + margin, high - margin):
            painter.drawText(QPointF(2, y(value) + 4), f"{value:.{places}f}")
        painter.setPen(color)
        painter.drawText(QPointF(2, area.center().y() + 4), unit_word(unit))
