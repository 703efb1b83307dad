"""The next two days as a picture: heat and moisture as fans over their bands, the day's hours and nights below them.

A fan is where 95 % of what will be read lies. Where a change is tried, the future without it stays as an outline.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import timedelta

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QSizePolicy

from stathmis.core.course.profile import Band
from stathmis.core.units import from_inside
from stathmis.logbook.records import Quantity
from stathmis.services.advice.trying import Tried
from stathmis.services.batch.course import Course
from stathmis.services.book import Book
from stathmis.services.clock import HOUR_MS
from stathmis.services.findings.ahead import Ahead, Fan
from stathmis.ui.kit.drawn import Walked
from stathmis.ui.theme import Theme
from stathmis.words import ahead as words
from stathmis.words import dates
from stathmis.words.catalogue import _
from stathmis.words.numbers import unit_word

LEFT, RIGHT, GAP, BELOW = 46, 8, 10, 20
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


class FanPicture(Walked):
    """Hidden where nothing can be foreseen. lane_px: how high each quantity is drawn."""

    def __init__(self, theme: Theme, lane_px: int) -> None:
        super().__init__(theme)
        self._lane_px = lane_px
        self._book: Book | None = None
        self._shown: Shown | None = None
        self._whole = ("", "")
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
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

    def sizeHint(self) -> QSize:
        """Preferred size at the text size in use."""
        count = max(1, len(self.lanes))
        return QSize(self.theme.px(420), self.theme.px(count * (self._lane_px + GAP) + BELOW))

    def minimumSizeHint(self) -> QSize:
        """It can still be read when it is this narrow."""
        return QSize(self.theme.px(240), self.sizeHint().height())

    def _area(self, lane: int) -> QRectF:
        px = self.theme.px
        top = 4 + lane * px(self._lane_px + GAP)
        return QRectF(px(LEFT), top, max(10.0, self.width() - px(LEFT) - px(RIGHT)), px(self._lane_px))

    def _span(self) -> tuple[int, int]:
        assert self._shown is not None
        start = self._shown.found.at_ms
        return start, start + 48 * HOUR_MS

    def _x(self, at_ms: float) -> float:
        start, stop = self._span()
        area = self._area(0)
        return float(area.left() + (at_ms - start) / (stop - start) * area.width())

    def _hours(self) -> list[int]:
        start, stop = self._span()
        return list(range(start + HOUR_MS, stop + 1, HOUR_MS))

    def spots(self) -> Sequence[float]:
        """Hour by hour."""
        return [self._x(at) for at in self._hours()] if self._shown is not None else []

    def tell(self) -> None:
        """The hour that is looked at, or the whole."""
        name, said = self._whole
        if self._book is not None and self._shown is not None and self.at >= 0:
            at_ms = self._hours()[self.at]
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
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(self.theme.font(11))
        for lane, quantity in enumerate(self.lanes):
            self._paint_lane(painter, lane, quantity)
        self._paint_hours(painter)
        if self.at >= 0:
            x = self.spots()[self.at]
            painter.setPen(QPen(QColor(self.theme.inks.ink), 1))
            painter.drawLine(QPointF(x, 4), QPointF(x, self._area(len(self.lanes) - 1).bottom()))
            painter.setPen(QColor(self.theme.inks.ink))
            wide = painter.fontMetrics().horizontalAdvance(self.spoken)
            left = max(2.0, min(x + 6, self.width() - wide - 4.0))
            back = QRectF(left - 3, 2, wide + 6, painter.fontMetrics().height() + 2)
            painter.fillRect(back, QColor(self.theme.inks.card))
            painter.drawText(QPointF(left, 2 + painter.fontMetrics().ascent()), self.spoken)
        self.paint_focus(painter)

    def _paint_lane(self, painter: QPainter, lane: int, quantity: Quantity) -> None:
        assert self._shown is not None and self._book is not None
        shown, inks, area = self._shown, self.theme.inks, self._area(lane)
        unit = self._book.shown_unit(quantity)
        fan, other = shown.found.fans[quantity], shown.tried.get(quantity)
        bands = shown.bands.get(quantity, ())
        edges = [e for _from, _to, band in bands for e in (band.low, band.high)]
        ends = [*edges, *(v for f in (fan, other) if f is not None for v in (f.low.min(), f.high.max()))]
        low, high = (float(from_inside(v, unit)) for v in (min(ends), max(ends)))
        margin = 0.08 * (high - low) + (0.05 if quantity == "temperature" else 0.5)
        low, high = low - margin, high + margin

        def y(value: float) -> float:
            share = (float(from_inside(value, unit)) - low) / (high - low)
            return float(area.bottom() - share * area.height())

        def shape(f: Fan) -> QPolygonF:
            above = [QPointF(self._x(t), y(v)) for t, v in zip(f.times_ms.tolist(), f.high.tolist(), strict=True)]
            below = [QPointF(self._x(t), y(v)) for t, v in zip(f.times_ms.tolist(), f.low.tolist(), strict=True)]
            return QPolygonF([*above, *reversed(below)])

        def line(f: Fan) -> QPolygonF:
            return QPolygonF(
                [QPointF(self._x(t), y(v)) for t, v in zip(f.times_ms.tolist(), f.middle.tolist(), strict=True)]
            )

        color = inks.of(quantity)
        painter.save()
        painter.setClipRect(area)
        painter.setPen(Qt.PenStyle.NoPen)
        for begin, end, band in bands:
            tint = QColor(color)
            tint.setAlpha(inks.tint)
            painter.fillRect(QRectF(QPointF(self._x(begin), y(band.high)), QPointF(self._x(end), y(band.low))), tint)
            painter.setPen(QPen(color, 1))
            for edge in (band.low, band.high):
                painter.drawLine(QPointF(self._x(begin), y(edge)), QPointF(self._x(end), y(edge)))
            painter.setPen(Qt.PenStyle.NoPen)
        if other is not None:
            # as it is: an outline without colour, so that the tried one is told apart without it
            painter.setPen(QPen(QColor(inks.muted), 1, Qt.PenStyle.DashLine))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawPolygon(shape(fan))
            painter.drawPolyline(line(fan))
        filled = other if other is not None else fan
        tint = QColor(color)
        tint.setAlpha(90)
        painter.setBrush(tint)
        painter.setPen(QPen(color, 1))
        painter.drawPolygon(shape(filled))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(color, 2))
        painter.drawPolyline(line(filled))
        if quantity == "humidity":
            self._paint_dry(painter, area)
        painter.restore()
        painter.setPen(QColor(inks.muted))
        for value in (low + margin, high - margin):
            places = 1 if quantity == "temperature" else 0
            at = area.bottom() - (value - low) / (high - low) * area.height()
            painter.drawText(QPointF(2, at + 4), f"{value:.{places}f}")
        painter.setPen(color)
        painter.drawText(QPointF(2, area.center().y() + 4), unit_word(unit))

    def _paint_dry(self, painter: QPainter, area: QRectF) -> None:
        """When the water runs dry."""
        assert self._shown is not None
        for number, at_ms in enumerate(self._shown.dry_ms):
            if at_ms is None:
                continue
            x = self._x(at_ms)
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
        inks, last = self.theme.inks, self._area(len(self.lanes) - 1)
        start, stop = self._span()
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
            x = self._x(at_ms)
            if local.hour >= NIGHT[0] or local.hour < NIGHT[1]:
                painter.fillRect(QRectF(x, 4, self._x(min(stop, at_ms + HOUR_MS)) - x, last.bottom() - 4), shade)
            if local.hour % 6:
                continue
            painter.setPen(QPen(QColor(inks.rule if local.hour else inks.muted), 1))
            painter.drawLine(QPointF(x, 4), QPointF(x, last.bottom() + 3))
            text = dates.weekday(local) if local.hour == 0 else dates.clock(local)
            wide = painter.fontMetrics().horizontalAdvance(text)
            left = min(self.width() - wide - 2.0, x - 0.5 * wide)
            if left > free:
                painter.setPen(QColor(inks.muted))
                painter.drawText(QPointF(left, last.bottom() + self.theme.px(15)), text)
                free = left + wide + 8
        painter.setPen(QPen(QColor(inks.muted), 1))
        painter.drawLine(last.bottomLeft(), last.bottomRight())
