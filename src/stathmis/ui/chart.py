"""Charts in paper and ink: a plot styled by the theme, and curves that draw only what the pixels can show."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime
from typing import Any

import numpy as np
import pyqtgraph as pg
from numpy.typing import NDArray
from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QColor, QPen
from PySide6.QtWidgets import QGraphicsRectItem

from stathmis.core.series import envelope, gaps
from stathmis.ui.theme import Theme

Array = NDArray[np.float64]
DAY_MS = 86_400_000.0


def styled_plot(theme: Theme, axes: dict[str, Any] | None = None) -> pg.PlotWidget:
    """An empty plot in the theme's inks, without the library's own buttons and menus."""
    plot = pg.PlotWidget(axisItems=axes or {})
    plot.hideButtons()
    plot.setMenuEnabled(False)
    plot.setFrameShape(pg.QtWidgets.QFrame.Shape.NoFrame)
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


class DayAxis(pg.AxisItem):
    """A time axis in days since setting; zoomed in it shows the local time of day as well.

    day_words: how the batch numbers a day.
    """

    def __init__(self, local: Callable[[float], datetime]) -> None:
        super().__init__("bottom")
        self._local = local
        self.set_ms = 0.0
        self.day_words: Callable[[float], str] = lambda day: f"day {np.floor(day):.0f}"

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
            made.append(f"{self.day_words(value)}, {at:%H:%M}")
        return made


class Curve(pg.PlotCurveItem):
    """A long run of readings: on every change of view only the least and most of each pixel column are drawn."""

    def __init__(self, times_ms: NDArray[np.int64], values: Array, set_ms: float, max_gap_s: float, pen: QPen) -> None:
        # a pen of one pixel: anything wider is drawn many times slower
        super().__init__(pen=pen, antialias=False, skipFiniteCheck=False)
        self._times, self._values, self._set_ms = times_ms, values, set_ms
        self._max_gap_ms = max_gap_s * 1000.0
        self._shown: tuple[float, float, int] | None = None
        self._low = float(values.min()) if values.size else 0.0
        self._high = float(values.max()) if values.size else 1.0

    def boundingRect(self) -> QRectF:
        """All readings, also those not drawn at the moment."""
        if not self._times.size:
            return QRectF()
        left = (self._times[0] - self._set_ms) / DAY_MS
        right = (self._times[-1] - self._set_ms) / DAY_MS
        return QRectF(left, self._low, max(right - left, 1e-9), max(self._high - self._low, 1e-9))

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
        view = self.getViewBox()
        if view is None or not self._times.size:
            return
        left, right = view.viewRange()[0]
        columns = max(16, int(view.width()))
        if self._shown == (left, right, columns):
            return
        self._shown = (left, right, columns)
        start, end = self._set_ms + left * DAY_MS, self._set_ms + right * DAY_MS
        times, values = envelope(self._times, self._values, start, end, columns)
        # in a far-out view neighboring columns may be further apart than the longest gap
        longest = max(self._max_gap_ms, 2.5 * (end - start) / columns)
        joined = np.append(gaps(times, longest), False)
        self.setData((times - self._set_ms) / DAY_MS, values, connect=joined.astype(np.int32))
        self.prepareGeometryChange()


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
