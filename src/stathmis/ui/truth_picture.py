"""The truth of a practice hatch: the true curve, and over it what the log believed, with its U."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen, QPolygonF

from stathmis.core.uncertainty import NORMAL_95
from stathmis.core.units import difference_from_inside, from_inside
from stathmis.services.book import Book
from stathmis.services.clock import DAY_MS, HOUR_MS
from stathmis.services.findings.runs import Run
from stathmis.services.practice.uncovering import Curve
from stathmis.ui.kit.lanes import Lane, Lanes, clipped
from stathmis.ui.theme import Theme
from stathmis.words import dates
from stathmis.words import practice as words

Array = NDArray[np.float64]
LANE_PX = 130
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


class TruthPicture(Lanes):
    """Heat over moisture, day by day."""

    def __init__(self, theme: Theme) -> None:
        super().__init__(theme, LANE_PX)
        self._book: Book | None = None
        self._curves: Sequence[Curve] = ()
        self._whole = ""

    def show_curves(self, book: Book, curves: Sequence[Curve], said: str) -> None:
        """Show them; said: what a screen reader hears of the whole."""
        self._book, self._curves, self._whole = book, curves, said
        self.at = -1
        self.tell()
        self.update()

    def count(self) -> int:
        """How many lanes there are: room for both before anything is shown."""
        return len(self._curves) or 2

    def span(self) -> tuple[int, int]:
        """From when to when it goes, UTC ms."""
        times = self._curves[0].times_ms
        return int(times[0]), int(times[-1])

    def stops(self) -> Sequence[int]:
        """Every three hours."""
        return [int(t) for t in self._curves[0].times_ms[::3]] if self._curves else ()

    def tell(self) -> None:
        """The truth at the hour that is looked at."""
        said = self._whole
        if self._book is not None and self.at >= 0:
            at_ms = self.stops()[self.at]
            values = [float(np.interp(at_ms, c.times_ms, c.true)) for c in self._curves]
            when = dates.moment(self._book.local(at_ms), weekday=True)
            said = f"{when}: {words.truth(self._book, *values)}"
        self.say(words.truth_picture(), said)

    def paintEvent(self, event: QPaintEvent) -> None:
        """Draw it."""
        if not self._curves or self._book is None:
            return
        painter = self.begin()
        for number, curve in enumerate(self._curves):
            self._paint_lane(painter, number, curve)
        (start, stop), free = self.span(), -1e9
        days = range(start // DAY_MS * DAY_MS + DAY_MS, stop, DAY_MS)
        wide = max((painter.fontMetrics().horizontalAdvance(dates.day(self._book.local(d))) for d in days), default=0)
        every = math.ceil((wide + 10) / (self.across(start + DAY_MS) - self.across(start)))
        for number, at_ms in enumerate(days):
            text = dates.day(self._book.local(at_ms)) if number % every == 0 else ""
            free = self.paint_mark(painter, at_ms, text, free, self.theme.inks.rule)
        self.paint_looked_at(painter)

    def _paint_lane(self, painter: QPainter, number: int, curve: Curve) -> None:
        assert self._book is not None
        inks, unit = self.theme.inks, self._book.shown_unit(curve.quantity)
        step = max(1, curve.times_ms.size // MOST)
        run = curve.believed
        ends = [*np.quantile(curve.true, [0.01, 0.99])]
        if run is not None:
            ends += [*np.quantile(run.corrected, [0.02, 0.98])]
        ends += [e for _from, _to, band in curve.asked for e in (band.low, band.high)]
        low, high = (float(from_inside(v, unit)) for v in (min(ends), max(ends)))
        lane = Lane(self.area(number), curve.quantity, unit, low, high)
        color = inks.of(curve.quantity)
        clipped(painter, lane)
        self.paint_bands(painter, lane, curve.asked, edges=False)
        if run is not None:
            times, corrected, u = _by_hour(run)
            values = np.asarray(from_inside(corrected, unit))
            U = NORMAL_95 * np.asarray(difference_from_inside(u, unit))
            tint = QColor(color)
            tint.setAlpha(inks.tint + 25)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(tint)
            painter.drawPolygon(self.between(lane, times, values - U, values + U))
            painter.setPen(QPen(color, 1.2, Qt.PenStyle.DashLine))
            painter.drawPolyline(QPolygonF(self.along(lane, times, values)))
        painter.setPen(QPen(QColor(inks.ink), 1.4))
        true = from_inside(curve.true[::step], unit)
        painter.drawPolyline(QPolygonF(self.along(lane, curve.times_ms[::step], true)))
        painter.restore()
        painter.setPen(QPen(QColor(inks.muted), 1))
        painter.drawLine(lane.area.bottomLeft(), lane.area.bottomRight())
        self.paint_scale(painter, lane)
