"""A batch day by day: the temperature and humidity its eggs had against what was asked, and when eggs died."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QFontMetricsF, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy

from stathmis.core.course.profile import Band
from stathmis.core.units import Quantity
from stathmis.services.batch.course import Course
from stathmis.services.book import Book
from stathmis.services.eggs.weeks import Week, cells
from stathmis.services.findings.corrections import Corrected
from stathmis.ui.kit.drawn import Walked
from stathmis.ui.theme import Theme
from stathmis.words.catalogue import _, as_number
from stathmis.words.numbers import band_text, value_text

LEFT, TOP = 96, 6
LANES = (64, 64, 52)
"""Heights of heat, moisture and deaths, px."""
LANE: tuple[Quantity, Quantity] = ("temperature", "humidity")


@dataclass(frozen=True)
class _Lane:
    """One quantity's days: a mean and a band each, None where there was none, and what the lane spans."""

    quantity: Quantity
    means: tuple[Corrected | None, ...]
    bands: tuple[Band | None, ...]

    @property
    def span(self) -> tuple[float, float]:
        """Lowest and highest value to be shown, with room around."""
        known = [v for m in self.means if m is not None for v in (m.value - m.U, m.value + m.U)]
        known += [v for b in self.bands if b is not None for v in (b.low, b.high)]
        if not known:
            return 0.0, 1.0
        room = 0.15 * max(max(known) - min(known), 0.2)
        return min(known) - room, max(known) + room


class DaysPicture(Walked):
    """Left and right, or the pointer, go from day to day; what a day was is told below and to a screen reader."""

    def __init__(self, theme: Theme) -> None:
        super().__init__(theme)
        self._book: Book | None = None
        self._course: Course | None = None
        self._days: Sequence[Week] = ()
        self._lanes: tuple[_Lane, ...] = ()
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def sizeHint(self) -> QSize:
        """Preferred size at the text size in use."""
        return QSize(self.theme.px(480), self.theme.px(TOP + sum(LANES) + 44))

    def minimumSizeHint(self) -> QSize:
        """It can still be read when it is this narrow."""
        return QSize(self.theme.px(280), self.sizeHint().height())

    def show_days(self, book: Book, course: Course, days: Sequence[Week]) -> None:
        """Show the days of a batch."""
        self._book, self._course, self._days, self.at = book, course, days, -1
        middles = [course.at_ms(0.5 * (d.first_day + d.last_day)) for d in days]
        means = ([d.eggs_c for d in days], [d.humidity for d in days])
        self._lanes = tuple(
            _Lane(q, tuple(values), tuple(course.band(q, at) for at in middles))
            for q, values in zip(LANE, means, strict=True)
        )
        self.tell()
        self.update()

    def tell(self) -> None:
        """A day, or the whole batch."""
        total = sum(d.died for d in self._days)
        name = _("The batch day by day: temperature, humidity and deaths")
        if not 0 <= self.at < len(self._days):
            told = _("{days} days, {died:.0f} died; left and right go through them", days=len(self._days), died=total)
            self.say(name, told)
            return
        self.say(name, self.day_words(self.at))

    def day_words(self, at: int) -> str:
        """What a day was."""
        assert self._book is not None and self._course is not None
        days, died, eggs, damp, worst = cells(self._book, self._course, self._days[at])
        unit = self._book.temperature_unit
        told = _(
            "Day {days}: eggs {eggs} {unit}, air {damp} % RH, {died} died",
            days=days,
            eggs=eggs,
            unit=unit,
            damp=damp,
            died=died,
        )
        return f"{told}; {worst}" if worst else told

    def _x(self, day: float) -> float:
        first, last = self._days[0].first_day, self._days[-1].last_day
        left = self.theme.px(LEFT)
        return left + (day - first) / max(1e-9, last - first) * (self.width() - left - self.theme.px(8))

    def spots(self) -> list[float]:
        """The middle of each day."""
        return [self._x(0.5 * (d.first_day + d.last_day)) for d in self._days]

    def paintEvent(self, event: QPaintEvent) -> None:
        """Draw it."""
        if not self._days or self._book is None or self._course is None:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(self.theme.font(12))
        top = float(self.theme.px(TOP))
        for lane, height in zip(self._lanes, LANES, strict=False):
            self._paint_lane(painter, lane, QRectF(0, top, self.width(), self.theme.px(height)))
            top += self.theme.px(height)
        area = QRectF(0, top, self.width(), self.theme.px(LANES[2]))
        self._paint_deaths(painter, area)
        self._paint_axis(painter, area.bottom())
        if 0 <= self.at < len(self._days):
            day = self._days[self.at]
            painter.setPen(QPen(QColor(self.theme.inks.selection), 1.4))
            left, right = self._x(day.first_day), self._x(day.last_day)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(QRectF(left, self.theme.px(TOP), right - left, area.bottom() - self.theme.px(TOP)))
            painter.setPen(QColor(self.theme.inks.ink))
            below = QRectF(0, area.bottom() + self.theme.px(20), self.width(), self.theme.px(20))
            painter.drawText(below, Qt.AlignmentFlag.AlignLeft, self.day_words(self.at))
        self.paint_focus(painter)

    def _paint_lane(self, painter: QPainter, lane: _Lane, area: QRectF) -> None:
        inks, color = self.theme.inks, self.theme.inks.of(lane.quantity)
        low, high = lane.span
        pad = self.theme.px(6)

        def y_of(value: float) -> float:
            return area.bottom() - pad - (value - low) / (high - low) * (area.height() - 2 * pad)

        tint = QColor(color)
        tint.setAlpha(inks.tint + 20)
        for day, band in zip(self._days, lane.bands, strict=True):
            if band is not None:
                left, right = self._x(day.first_day), self._x(day.last_day)
                painter.fillRect(QRectF(left, y_of(band.high), right - left, y_of(band.low) - y_of(band.high)), tint)
        before: QPointF | None = None
        for day, mean in zip(self._days, lane.means, strict=True):
            if mean is None:
                before = None
                continue
            x = 0.5 * (self._x(day.first_day) + self._x(day.last_day))
            here = QPointF(x, y_of(mean.value))
            painter.setPen(QPen(color, 1))
            painter.drawLine(QPointF(x, y_of(mean.value - mean.U)), QPointF(x, y_of(mean.value + mean.U)))
            painter.setPen(QPen(color, 2))
            if before is not None:
                painter.drawLine(before, here)
            before = here
        self._name_lane(painter, lane, area)
        painter.setPen(QPen(QColor(inks.rule), 1))
        painter.drawLine(QPointF(0, area.bottom()), QPointF(self.width(), area.bottom()))

    def _name_lane(self, painter: QPainter, lane: _Lane, area: QRectF) -> None:
        assert self._book is not None
        unit = self._book.shown_unit(lane.quantity)
        title = _("eggs") if lane.quantity == "temperature" else _("air")
        bands = [b for b in lane.bands if b is not None]
        asked = band_text(bands[0].low, bands[0].high, lane.quantity, unit) if bands else ""
        means = [m for m in lane.means if m is not None]
        middle = sum(m.value for m in means) / len(means) if means else None
        painter.setPen(self.theme.inks.of(lane.quantity))
        words = [title, asked]
        if middle is not None:
            words.append(_("mean {mean}", mean=value_text(middle, means[0].U, lane.quantity, unit)))
        line = QFontMetricsF(painter.font()).height()
        for i, text in enumerate(w for w in words if w):
            painter.drawText(QPointF(0, area.top() + (i + 1) * line), text)

    def _paint_deaths(self, painter: QPainter, area: QRectF) -> None:
        inks, color = self.theme.inks, QColor(self.theme.inks.eggs)
        most = max(0.5, *(d.died for d in self._days))
        painter.setPen(color)
        line = QFontMetricsF(painter.font()).height()
        for i, text in enumerate((_("died a day"), _("up to {most:.1f}", most=max(d.died for d in self._days)))):
            painter.drawText(QPointF(0, area.top() + (i + 1) * line), text)
        room = area.height() - self.theme.px(16)
        for day in self._days:
            if day.died <= 0.02:
                continue
            left, right = self._x(day.first_day), self._x(day.last_day)
            high = day.died / most * room
            painter.setPen(QPen(color, 1))
            painter.setBrush(color)
            painter.drawRect(QRectF(left + 1, area.bottom() - high, max(2.0, right - left - 2), high))
        painter.setPen(QPen(QColor(inks.muted), 1))
        painter.drawLine(QPointF(self.theme.px(LEFT), area.bottom()), QPointF(self.width(), area.bottom()))

    def _paint_axis(self, painter: QPainter, y: float) -> None:
        assert self._course is not None
        painter.setPen(QColor(self.theme.inks.muted))
        metrics = QFontMetricsF(painter.font())
        step = max(1, round(len(self._days) / 9))
        for day in self._days[::step]:
            words = as_number(self._course.numbered(day.first_day), ".0f")
            x = self._x(day.first_day)
            painter.drawLine(QPointF(x, y), QPointF(x, y + 4))
            painter.drawText(QPointF(x - metrics.horizontalAdvance(words) / 2, y + self.theme.px(16)), words)
        painter.drawText(QPointF(0, y + self.theme.px(16)), _("day"))
