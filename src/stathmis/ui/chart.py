"""Charts in paper and ink: a plot styled by the theme, and curves that draw only what the pixels can show."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from datetime import datetime
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QAccessible, QColor, QKeyEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QGraphicsRectItem, QLabel, QWidget

from stathmis.core.series import Pyramid, gaps
from stathmis.core.uncertainty import NORMAL_95
from stathmis.core.units import Unit, difference_from_inside, from_inside
from stathmis.ui.chart_library import pg
from stathmis.ui.kit.drawn import Speaking
from stathmis.ui.theme import Theme
from stathmis.words import dates
from stathmis.words.catalogue import _, as_number, decimal_sign

Array = NDArray[np.float64]
Times = NDArray[np.int64]
DAY_MS = 86_400_000.0
RIBBON_ALPHA = 60
QWIDGETSIZE_MAX = 16_777_215
"""The greatest height of what has none."""
NEAR_PX = 14.0
"""The pointer tells a value it is so near to."""
APART = 5
"""Readings beyond an edge with so many between them that are not are two."""


class Plot(pg.PlotWidget, Speaking):
    """A plot that asks for all the height it may have; the library's own asks for what it happens to have. Left and
    right go from value to value, and tell it."""

    role = QAccessible.Role.Chart

    def __init__(self, theme: Theme, **more: Any) -> None:
        super().__init__(**more)
        self._theme = theme
        self._points: list[tuple[float, str]] = []
        self._at = -1
        self._name = ""
        self.step: Callable[[int], object] | None = None
        """Where values are found otherwise than by a list: called with -1 or 1."""
        self.readout = QLabel(self)
        self.readout.hide()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.scene().sigMouseMoved.connect(self._pointed)

    def sizeHint(self) -> QSize:
        """Its greatest height, where it has one."""
        hint: QSize = super().sizeHint()
        return QSize(hint.width(), self.maximumHeight()) if self.maximumHeight() < QWIDGETSIZE_MAX else hint

    def tell(self, name: str, value: str, points: Sequence[tuple[float, str]] = ()) -> None:
        """What is drawn, in words, and its values from left to right: where each stands, and what it says."""
        self._name, self._points, self._at = name, list(points), -1
        self.readout.hide()
        self.say(name, value)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Left and right."""
        way = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(event.key()))
        if way is None:
            QWidget.keyPressEvent(self, event)
        elif self.step is not None:
            self.step(way)
        elif self._points:
            self._go(min(len(self._points) - 1, max(0, self._at + way)))

    def _pointed(self, where: QPointF) -> None:
        """The value nearest to the pointer, where it is near."""
        if not self._points:
            return
        view = self.plotItem.vb
        x = view.mapSceneToView(where).x()
        nearest = min(range(len(self._points)), key=lambda i: abs(self._points[i][0] - x))
        if abs(view.mapViewToScene(QPointF(self._points[nearest][0], 0.0)).x() - where.x()) <= NEAR_PX:
            self._go(nearest)

    def _go(self, at: int) -> None:
        self._at = at
        self.say(self._name, self._points[at][1])
        self.show_readout(self._points[at][1])

    def show_readout(self, words: str) -> None:
        """A value, written into the corner of the plot."""
        inks = self._theme.inks
        self.readout.setText(words)
        self.readout.setFont(self._theme.font(12))
        self.readout.setStyleSheet(f"background: {inks.card}; color: {inks.ink}; border: 1px solid {inks.muted};")
        self.readout.setContentsMargins(6, 2, 6, 2)
        self.readout.adjustSize()
        self.readout.move(max(0, self.width() - self.readout.width() - 8), 4)
        self.readout.show()

    def paintEvent(self, event: QPaintEvent) -> None:
        """The focus is seen."""
        super().paintEvent(event)
        if self.hasFocus():
            painter = QPainter(self.viewport())
            painter.setPen(QPen(QColor(self._theme.inks.selection), 2))
            painter.drawRect(self.viewport().rect().adjusted(1, 1, -1, -1))


class Beyond(pg.GraphicsObject):
    """What runs off the upper or lower edge of a chart: a mark at the edge where it does, with how far it went."""

    def __init__(self, days: Array, values: Array, low: float, high: float, theme: Theme) -> None:
        super().__init__()
        self._theme, self._marks = theme, list[tuple[float, float, bool]]()
        for below, out in ((True, values < low), (False, values > high)):
            for part in np.split(np.flatnonzero(out), np.flatnonzero(np.diff(np.flatnonzero(out)) > APART) + 1):
                if part.size:
                    at = part[np.argmin(values[part]) if below else np.argmax(values[part])]
                    self._marks.append((float(days[at]), float(values[at]), below))
        self.setZValue(10)

    @property
    def count(self) -> int:
        """So many times."""
        return len(self._marks)

    def boundingRect(self) -> QRectF:
        """All that is in view."""
        return QRectF(self.viewRect())

    def viewRangeChanged(self) -> None:
        """The marks stay at the edges."""
        self.prepareGeometryChange()

    def paint(self, painter: QPainter, *_: object) -> None:
        """Draw those in view, each with its value where there is room."""
        view, to_pixels = self.viewRect(), painter.transform()
        painter.resetTransform()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(self._theme.font(11))
        ink = QColor(self._theme.inks.ink)
        painter.setPen(ink)
        painter.setBrush(ink)
        free = {True: -1e9, False: -1e9}
        for day, value, below in sorted(self._marks):
            if not view.left() <= day <= view.right():
                continue
            ends = [to_pixels.map(QPointF(day, y)) for y in (view.top(), view.bottom())]
            edge = max(ends, key=lambda p: p.y()) if below else min(ends, key=lambda p: p.y())
            y, tip = (edge.y() - 8, edge.y() - 1) if below else (edge.y() + 8, edge.y() + 1)
            painter.drawPolygon(QPolygonF([QPointF(edge.x() - 4, y), QPointF(edge.x() + 4, y), QPointF(edge.x(), tip)]))
            words = as_number(value, ".1f")
            if edge.x() + 6 > free[below]:
                painter.drawText(QPointF(edge.x() + 6, edge.y() - 2 if below else edge.y() + 10), words)
                free[below] = edge.x() + 10 + painter.fontMetrics().horizontalAdvance(words)
        painter.setTransform(to_pixels)


def styled_plot(theme: Theme, axes: dict[str, Any] | None = None) -> Plot:
    """An empty plot in the theme's inks, without the library's own buttons and menus."""
    plot = Plot(theme, axisItems={"left": ValueAxis("left"), **(axes or {})}, enableMenu=False)
    plot.hideButtons()
    plot.setFrameShape(pg.QtWidgets.QFrame.Shape.NoFrame)
    # both are worked out anew at every change, and none is wanted: each chart sets its own range, in its own unit
    plot.disableAutoRange()
    for side in ("left", "bottom"):
        plot.getAxis(side).enableAutoSIPrefix(False)
    restyle(plot, theme)
    return plot


def restyle(plot: pg.PlotWidget, theme: Theme) -> None:
    """Follow a change of theme or text size."""
    inks = theme.inks
    plot.setBackground(QColor(inks.paper))
    for side in ("left", "bottom"):
        axis = plot.getAxis(side)
        axis.setPen(pg.mkPen(inks.rule))
        axis.setTextPen(pg.mkPen(inks.muted))
        axis.setTickFont(theme.font(12))
        axis.setStyle(tickTextOffset=6, tickLength=-4)
    plot.getAxis("left").setWidth(theme.px(48))
    plot.getAxis("bottom").setHeight(theme.px(24))


class ValueAxis(pg.AxisItem):
    """An axis of values, with the decimal sign of the window's language."""

    def tickStrings(self, values: list[float], scale: float, spacing: float) -> list[str]:
        """ "37.5", or "37,5"."""
        found: list[str] = super().tickStrings(values, scale, spacing)
        return [text.replace(".", decimal_sign()) for text in found]


class DayAxis(pg.AxisItem):
    """A time axis in days since setting; zoomed in it shows the local time of day as well.

    day_words: how the batch numbers a day.
    """

    def __init__(self, local: Callable[[float], datetime]) -> None:
        super().__init__("bottom")
        self._local = local
        self.set_ms = 0.0
        self.day_words: Callable[[float], str] = lambda day: _("day {floor:.0f}", floor=np.floor(day))

    def tickSpacing(self, minVal: float, maxVal: float, size: float) -> list[tuple[float, float]]:
        """Whole days when far out, quarters of a day or hours when near."""
        span = max(maxVal - minVal, 1e-9)
        for step in (1 / 288, 1 / 96, 1 / 24, 1 / 8, 0.25, 1.0, 2.0, 5.0, 10.0, 20.0, 50.0):
            if span / step <= size / 90:
                return [(step, 0.0)]
        return [(100.0, 0.0)]

    def tickStrings(self, values: list[float], scale: float, spacing: float) -> list[str]:
        """ "day 5", or "day 5, 14:00"."""
        if spacing >= 1.0:
            return [self.day_words(round(v)) for v in values]
        made = []
        for value in values:
            at = self._local(self.set_ms + value * DAY_MS)
            made.append(f"{self.day_words(value)}, {dates.clock(at)}")
        return made


class _Columns:
    """What a curve and its ribbon share: the points of the view, chosen again only when the view moved.

    set_ms: the run's own setting, day 0 of the axis; unit: what values (°C or %) are drawn in.
    """

    def __init__(self, pyramid: Pyramid, set_ms: float, max_gap_s: float, unit: Unit) -> None:
        self.pyramid, self.set_ms, self.max_gap_ms, self.unit = pyramid, set_ms, max_gap_s * 1000.0, unit
        self._key: tuple[float, float, int] | None = None

    def box(self, margin: float = 0.0) -> QRectF:
        """All readings, also those not drawn at the moment."""
        times = self.pyramid.times_ms
        if not times.size:
            return QRectF()
        left, right = ((t - self.set_ms) / DAY_MS for t in (times[0], times[-1]))
        low, high = (float(from_inside(v, self.unit)) for v in (self.pyramid.low, self.pyramid.high))
        low, high = low - margin, high + margin
        return QRectF(left, low, max(right - left, 1e-9), max(high - low, 1e-9))

    def moved(self, view: pg.ViewBox | None) -> tuple[Times, Array, NDArray[np.bool_]] | None:
        """Times, values, and which are joined to the next, for a view; None where it did not move."""
        if view is None or not self.pyramid.times_ms.size:
            return None
        left, right = view.viewRange()[0]
        columns = max(16, int(view.width()))
        if self._key == (left, right, columns):
            return None
        self._key = (left, right, columns)
        start, end = self.set_ms + left * DAY_MS, self.set_ms + right * DAY_MS
        times, values = self.pyramid.envelope(start, end, columns)
        # in a far-out view neighboring columns may be further apart than the longest gap
        longest = max(self.max_gap_ms, 2.5 * (end - start) / columns)
        return times, np.asarray(from_inside(values, self.unit)), gaps(times, longest)


class Curve(pg.PlotCurveItem):
    """A long run of readings: on every change of view only the least and most of each pixel column are drawn."""

    def __init__(self, pyramid: Pyramid, set_ms: float, max_gap_s: float, unit: Unit, pen: QPen) -> None:
        # a pen of one pixel: anything wider is drawn many times slower
        super().__init__(pen=pen, antialias=False, skipFiniteCheck=False)
        self._columns = _Columns(pyramid, set_ms, max_gap_s, unit)

    def boundingRect(self) -> QRectF:
        """All readings."""
        return self._columns.box()

    def dataBounds(self, ax: int, frac: float = 1.0, orthoRange: object = None) -> tuple[float, float]:
        """Extent along one axis."""
        box = self.boundingRect()
        return (box.left(), box.right()) if ax == 0 else (box.top(), box.bottom())

    def viewRangeChanged(self) -> None:
        """The view moved: choose the points again."""
        super().viewRangeChanged()
        self.choose_points()

    def choose_points(self) -> None:
        """Least and most of each pixel column in view, with breaks where readings are missing."""
        found = self._columns.moved(self.getViewBox())
        if found is None:
            return
        times, values, near = found
        joined = np.append(near, False)
        self.setData((times - self._columns.set_ms) / DAY_MS, values, connect=joined.astype(np.int32))
        self.prepareGeometryChange()


class Ribbon(pg.GraphicsObject):
    """A tinted ribbon of half-width U around a long run; breaks where readings are missing.

    u: standard uncertainty of each reading, K or %.
    """

    def __init__(self, pyramid: Pyramid, u: Array, set_ms: float, max_gap_s: float, unit: Unit, color: QColor) -> None:
        super().__init__()
        self._columns, self._u = _Columns(pyramid, set_ms, max_gap_s, unit), u
        self._factor = NORMAL_95 * float(difference_from_inside(1.0, unit))
        self._widest = self._factor * float(u.max()) if u.size else 0.0
        self._color = QColor(color)
        self._color.setAlpha(RIBBON_ALPHA)
        self._shapes: list[QPolygonF] = []
        self.setZValue(-5)

    def boundingRect(self) -> QRectF:
        """All readings with their uncertainty."""
        return self._columns.box(self._widest)

    def viewRangeChanged(self) -> None:
        """The view moved: shape it again."""
        found = self._columns.moved(self.getViewBox())
        if found is None:
            return
        times, values, near = found
        pyramid = self._columns.pyramid
        at = np.clip(np.searchsorted(pyramid.times_ms, times), 0, pyramid.times_ms.size - 1)
        days, U = (times - self._columns.set_ms) / DAY_MS, self._factor * self._u[at]
        # two points a column, least and most: the ribbon runs along the outer ones
        top, bottom = values + U, values - U
        if times.size > 3:
            top, bottom = _outer(top, np.maximum), _outer(bottom, np.minimum)
        self._shapes = []
        cuts = np.flatnonzero(~near) + 1
        for part in np.split(np.arange(times.size), cuts):
            if part.size > 1:
                x = np.concatenate([days[part], days[part][::-1]])
                y = np.concatenate([top[part], bottom[part][::-1]])
                self._shapes.append(pg.functions.arrayToQPolygonF(x, y))
        self.update()

    def paint(self, painter: QPainter, *_: object) -> None:
        """Fill it."""
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(self._color)
        for shape in self._shapes:
            painter.drawPolygon(shape)


class Marks(pg.GraphicsObject):
    """Upright lines at some days, each with its word at the top where there is room: day, word, and in which row."""

    def __init__(self, marks: Sequence[tuple[float, str, int]], theme: Theme) -> None:
        super().__init__()
        self._marks, self._theme = sorted(marks), theme
        self.setZValue(-10)

    def boundingRect(self) -> QRectF:
        """All that is in view."""
        return QRectF(self.viewRect())

    def viewRangeChanged(self) -> None:
        """The view moved: the lines reach from edge to edge of it."""
        self.prepareGeometryChange()

    def paint(self, painter: QPainter, *_: object) -> None:
        """Draw those in view."""
        view, inks = self.viewRect(), self._theme.inks
        shown = [mark for mark in self._marks if view.left() <= mark[0] <= view.right()]
        painter.setPen(pg.mkPen(inks.muted, width=1, style=Qt.PenStyle.DotLine))
        for day, _word, _row in shown:
            painter.drawLine(QPointF(day, view.top()), QPointF(day, view.bottom()))
        # words are written in pixels
        to_pixels = painter.transform()
        painter.resetTransform()
        painter.setFont(self._theme.font(11))
        painter.setPen(QColor(inks.muted))
        high = painter.fontMetrics().height()
        top = min(to_pixels.map(corner).y() for corner in (view.topLeft(), view.bottomLeft())) + high
        free_from: dict[int, float] = {}
        for day, word, line in shown:
            x = to_pixels.map(QPointF(day, view.top())).x() + 4
            if word and x >= free_from.get(line, -1e9):
                painter.drawText(QPointF(x, top + line * high), word)
                free_from[line] = x + painter.fontMetrics().horizontalAdvance(word) + 8
        painter.setTransform(to_pixels)


def _outer(edge: Array, which: np.ufunc) -> Array:
    """Each point with its neighbors' further one: the two points of a column share it."""
    padded = np.concatenate([edge[:1], edge, edge[-1:]])
    return np.asarray(which(which(padded[:-2], padded[1:-1]), padded[2:]))


def band_item(left: float, right: float, low: float, high: float, color: QColor, alpha: int) -> QGraphicsRectItem:
    """A tinted rectangle: a phase's band."""
    item = QGraphicsRectItem(QRectF(left, low, right - left, high - low))
    tint = QColor(color)
    tint.setAlpha(alpha)
    item.setBrush(tint)
    item.setPen(QPen(Qt.PenStyle.NoPen))
    item.setZValue(-20)
    return item


def edge_line(left: float, right: float, level: float, color: QColor) -> pg.PlotCurveItem:
    """A thin line along a band's edge."""
    return pg.PlotCurveItem([left, right], [level, level], pen=pg.mkPen(color, width=1))
