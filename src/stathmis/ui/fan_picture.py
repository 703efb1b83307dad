"""The next two days as a picture: heat and moisture as fans over their bands, the day's hours and nights below them.

A fan is where 95 % of what will be read lies. Where a change is tried, the future without it stays as an outline.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import timedelta

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen, QPolygonF

from stathmis.core.course.profile import Band
from stathmis.core.units import Quantity, from_inside
from stathmis.services.advice.trying import Tried
from stathmis.services.batch.course import Course
from stathmis.services.book import Book
from stathmis.services.clock import HOUR_MS
from stathmis.services.findings.ahead import Ahead, Fan
from stathmis.ui.kit.lanes import TOP, Lane, Lanes, clipped
from stathmis.ui.theme import Theme
from stathmis.words import ahead as words
from stathmis.words import dates
from stathmis.words.catalogue import _

NIGHT = (22, 6)
ORDER: tuple[Quantity, ...] = ("temperature", "humidity")


@dataclass(frozen=True, eq=False)
class Shown:
    """What is drawn: the future as it is, the tried one beside it by quantity (empty: none), bands to hold by quantity
    as (from, to in UTC ms, band), and when the water runs dry either way (UTC ms)."""

    found: Ahead
    tried: Mapping[Quantity, Fan]
    bands: Mapping[Quantity, Sequence[tuple[int, int, Band]]]
    dry_ms: tuple[int | None, int | None] = (None, None)


Bands = Mapping[Quantity, Sequence[tuple[int, int, Band]]]


def bands_of(course: Course | None, found: Ahead) -> Bands:
    """The bands to hold over the next two days, stage by stage."""
    if course is None:
        return {}
    start, stop = found.at_ms, found.at_ms + 48 * HOUR_MS
    made: dict[Quantity, list[tuple[int, int, Band]]] = {q: [] for q in ORDER}
    for phase in course.phases:
        begin, end = max(start, course.at_ms(phase.start_day)), min(stop, course.at_ms(phase.end_day))
        for quantity in ORDER:
            band = phase.temperature_c if quantity == "temperature" else phase.humidity
            if begin < end and band is not None:
                made[quantity].append((begin, end, band))
    return made


def shown_of(found: Ahead, tried: Tried | None, bands: Bands) -> Shown:
    """The next two days, with what is tried beside them where anything is."""
    dry = [one.at_ms if one is not None else None for one in (found.dry, tried.dry if tried is not None else None)]
    return Shown(found, tried.fans if tried is not None else {}, bands, (dry[0], dry[1]))


class FanPicture(Lanes):
    """Hidden where nothing can be foreseen. lane_px: how high each quantity is drawn."""

    def __init__(self, theme: Theme, lane_px: int) -> None:
        super().__init__(theme, lane_px)
        self._book: Book | None = None
        self._shown: Shown | None = None
        self._whole = ("", "")
        self.hide()

    def show_ahead(self, book: Book, shown: Shown | None, name: str, said: str) -> None:
        """Show the next two days; name, said: what a screen reader hears of the whole."""
        self._book, self._shown, self._whole = book, shown, (name, said)
        self.setVisible(shown is not None and bool(shown.found.fans))
        self.at = -1
        self.tell()
        self.updateGeometry()
        self.update()

    @property
    def lanes(self) -> tuple[Quantity, ...]:
        """What is drawn, from above."""
        return tuple(q for q in ORDER if self._shown is not None and q in self._shown.found.fans)

    def count(self) -> int:
        """How many lanes there are."""
        return len(self.lanes)

    def span(self) -> tuple[int, int]:
        """From when to when it goes, UTC ms."""
        start = self._shown.found.at_ms if self._shown is not None else 0
        return start, start + 48 * HOUR_MS

    def stops(self) -> Sequence[int]:
        """Hour by hour."""
        start, stop = self.span()
        return range(start + HOUR_MS, stop + 1, HOUR_MS) if self._shown is not None else ()

    def tell(self) -> None:
        """The hour that is looked at, or the whole."""
        name, said = self._whole
        if self._book is not None and self._shown is not None and self.at >= 0:
            at_ms = self.stops()[self.at]
            parts: list[str] = []
            for quantity in self.lanes:
                for fan in (self._shown.found.fans[quantity], self._shown.tried.get(quantity)):
                    if fan is not None and np.isfinite(fan.at(at_ms)[0]):
                        first = not parts
                        low, _middle, high = fan.at(at_ms)
                        text = words.at(self._book, fan, at_ms, quantity) if first else ""
                        parts.append(text or words.span(self._book, low, high, quantity))
            said = "; ".join(parts) or said
        self.say(name, said)

    def paintEvent(self, event: QPaintEvent) -> None:
        """Draw it."""
        if self._shown is None or self._book is None:
            return
        painter = self.begin()
        for number, quantity in enumerate(self.lanes):
            self._paint_lane(painter, number, quantity)
        self._paint_hours(painter)
        self.paint_looked_at(painter)

    def _paint_lane(self, painter: QPainter, number: int, quantity: Quantity) -> None:
        assert self._shown is not None and self._book is not None
        shown, inks = self._shown, self.theme.inks
        unit = self._book.shown_unit(quantity)
        fan, other = shown.found.fans[quantity], shown.tried.get(quantity)
        bands = shown.bands.get(quantity, ())
        ends = [e for _from, _to, band in bands for e in (band.low, band.high)]
        ends += [v for f in (fan, other) if f is not None for v in (f.low.min(), f.high.max())]
        lane = Lane(self.area(number), quantity, unit, *(float(from_inside(v, unit)) for v in (min(ends), max(ends))))

        def paint(one: Fan, pens: tuple[QPen, QPen]) -> None:
            low, middle, high = (from_inside(v, unit) for v in (one.low, one.middle, one.high))
            painter.setPen(pens[0])
            painter.drawPolygon(self.between(lane, one.times_ms, low, high))
            painter.setPen(pens[1])
            painter.drawPolyline(QPolygonF(self.along(lane, one.times_ms, middle)))

        color = inks.of(quantity)
        clipped(painter, lane)
        self.paint_bands(painter, lane, bands, edges=True)
        if other is not None:
            # as it is: an outline without colour, so that the tried one is told apart without it
            pen = QPen(QColor(inks.muted), 1, Qt.PenStyle.DashLine)
            paint(fan, (pen, pen))
        tint = QColor(color)
        tint.setAlpha(90)
        painter.setBrush(tint)
        paint(other if other is not None else fan, (QPen(color, 1), QPen(color, 2)))
        if quantity == "humidity":
            self._paint_dry(painter, lane.area)
        painter.restore()
        self.paint_scale(painter, lane)

    def _paint_dry(self, painter: QPainter, area: QRectF) -> None:
        """When the water runs dry."""
        assert self._shown is not None
        for number, at_ms in enumerate(self._shown.dry_ms):
            if at_ms is None:
                continue
            x = self.across(at_ms)
            tried = bool(self._shown.tried)
            ink = QColor(self.theme.inks.muted if tried and number == 0 else self.theme.inks.ink)
            painter.setPen(QPen(ink, 1.4, Qt.PenStyle.DotLine))
            painter.drawLine(QPointF(x, area.top()), QPointF(x, area.bottom()))
            word = _("dry")
            wide = painter.fontMetrics().horizontalAdvance(word)
            left = x + 4 if x + wide + 8 < area.right() else x - wide - 4
            painter.drawText(QPointF(left, area.top() + painter.fontMetrics().ascent()), word)

    def _paint_hours(self, painter: QPainter) -> None:
        """Midnights and six o'clocks, and the nights in between."""
        assert self._book is not None
        inks = self.theme.inks
        start, stop = self.span()
        first = self._book.local(start).replace(minute=0, second=0, microsecond=0)
        shade = QColor(inks.ink)
        shade.setAlpha(14)
        free = -1e9
        for hour in range(1, 50):
            at = first + timedelta(hours=hour)
            at_ms = round(at.timestamp() * 1000)
            # across a change of the clocks the hours of the day are asked again
            local = self._book.local(at_ms)
            if not start <= at_ms <= stop:
                continue
            if local.hour >= NIGHT[0] or local.hour < NIGHT[1]:
                left, right = self.across(at_ms), self.across(min(stop, at_ms + HOUR_MS))
                painter.fillRect(QRectF(left, TOP, right - left, self.bottom - TOP), shade)
            if local.hour % 6 == 0:
                text = dates.weekday(local) if local.hour == 0 else dates.clock(local)
                free = self.paint_mark(painter, at_ms, text, free, inks.rule if local.hour else inks.muted)
        painter.setPen(QPen(QColor(inks.muted), 1))
        last = self.area(self.count() - 1)
        painter.drawLine(last.bottomLeft(), last.bottomRight())
