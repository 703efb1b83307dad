"""The hatch over its hours: eggs pipped, out and dry as they came, when they are expected, and what must be ready; also
while nothing has come yet."""

from __future__ import annotations

from datetime import timedelta

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QBrush, QColor, QFontMetricsF, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy

from stathmis.services.book import Book
from stathmis.services.clock import utc_ms
from stathmis.services.eggs.hatch_course import HatchCourse
from stathmis.ui.kit.drawn import Walked
from stathmis.ui.theme import Theme
from stathmis.words import dates
from stathmis.words.catalogue import _
from stathmis.words.eggs.ready import ready

HIGH, AXIS, ABOVE, RIGHT = 190, 22, 26, 76
STYLES = {"pipped": Qt.PenStyle.DotLine, "out": Qt.PenStyle.DashLine, "dry": Qt.PenStyle.SolidLine}
"""How the line of each stage is drawn: told apart without color."""


class HatchPicture(Walked):
    """Steps of eggs over hours, in words for whoever cannot see them."""

    def __init__(self, theme: Theme) -> None:
        super().__init__(theme)
        self._book: Book | None = None
        self._found: HatchCourse | None = None
        self._times: list[int] = []
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.hide()

    def sizeHint(self) -> QSize:
        """Preferred size at the text size in use."""
        return QSize(self.theme.px(480), self.theme.px(HIGH))

    def minimumSizeHint(self) -> QSize:
        """It can still be read when it is this narrow."""
        return QSize(self.theme.px(300), self.theme.px(HIGH))

    def show_course(self, book: Book, found: HatchCourse) -> None:
        """Show a hatch."""
        self._book, self._found, self.at = book, found, -1
        times = {t for stage in found.stages.values() for t in stage} | {r.due_ms for r in found.ready}
        self._times = sorted(times | {found.expected[1], found.last_ms})
        self.tell()
        self.show()
        self.update()

    def spots(self) -> list[float]:
        """Every time at which something came, is expected, or must be ready."""
        return [self._x(t) for t in self._times]

    def tell(self) -> None:
        """How it stood at a time, or the whole hatch."""
        found, book = self._found, self._book
        assert found is not None and book is not None
        low, middle, high = (book.local(t) for t in found.expected)
        parts = [
            _("expected {span}, about {day}", span=dates.span(low, high), day=dates.moment(middle, weekday=True)),
            *(f"{len(times)} {_(stage)}" for stage, times in found.stages.items() if times),
        ]
        by_when = "; ".join(ready(book, one) for one in found.ready)
        name, whole = _("The hatch over its hours"), ", ".join(parts)
        self.say(name, self.words_at(self.at) if self.at >= 0 else whole, by_when)

    def words_at(self, at: int) -> str:
        """How it stood, or will, at one of its times."""
        found, book, time_ms = self._found, self._book, self._times[at]
        assert found is not None and book is not None
        came = {stage: sum(t <= time_ms for t in times) for stage, times in found.stages.items()}
        told = [f"{n} {_(stage)}" for stage, n in came.items() if n and time_ms <= book.now_ms]
        told += [ready(book, one) for one in found.ready if one.due_ms == time_ms]
        told += [_("expected about now")] if time_ms == found.expected[1] else []
        told += [_("until here stragglers are waited for")] if time_ms == found.last_ms else []
        return f"{dates.moment(book.local(time_ms), weekday=True)}: {', '.join(told)}"

    def _x(self, time_ms: float) -> float:
        found = self._found
        assert found is not None
        room = self.width() - self.theme.px(RIGHT)
        return (time_ms - found.start_ms) / (found.end_ms - found.start_ms) * room

    def paintEvent(self, event: QPaintEvent) -> None:
        """Draw it."""
        found, book = self._found, self._book
        if found is None or book is None:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(self.theme.font(12))
        area = QRectF(0, self.theme.px(ABOVE), self._x(found.end_ms), self.theme.px(HIGH - ABOVE - AXIS))
        self._paint_expected(painter, area)
        self._paint_days(painter, area)
        self._paint_stages(painter, area)
        self._paint_ready(painter, area)
        self._paint_now(painter, area)
        self._paint_looked_at(painter, area)
        self.paint_focus(painter)

    def _paint_looked_at(self, painter: QPainter, area: QRectF) -> None:
        """What is looked at is marked, and told at the top."""
        if not 0 <= self.at < len(self._times):
            return
        inks, x = self.theme.inks, self._x(self._times[self.at])
        painter.setPen(QPen(QColor(inks.selection), 1.6))
        painter.drawLine(QPointF(x, area.top()), QPointF(x, area.bottom()))
        words, metrics = self.words_at(self.at), QFontMetricsF(painter.font())
        box = QRectF(0, 2, metrics.horizontalAdvance(words) + 12, metrics.height() + 4)
        box.moveLeft(min(max(0.0, x - box.width() / 2), self.width() - box.width()))
        painter.setBrush(QColor(inks.card))
        painter.drawRect(box)
        painter.setPen(QColor(inks.ink))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, words)

    def _paint_expected(self, painter: QPainter, area: QRectF) -> None:
        assert self._found is not None and self._book is not None
        found, inks = self._found, self.theme.inks
        low, middle, high = (self._x(t) for t in found.expected)
        tint = QColor(inks.eggs)
        tint.setAlpha(inks.tint + 24)
        painter.fillRect(QRectF(low, area.top(), high - low, area.height()), tint)
        painter.setPen(QPen(QColor(inks.eggs), 1.4, Qt.PenStyle.DashLine))
        painter.drawLine(QPointF(middle, area.top()), QPointF(middle, area.bottom()))
        words = _("expected {day}", day=dates.moment(self._book.local(found.expected[1]), weekday=True))
        wide = QFontMetricsF(painter.font()).horizontalAdvance(words)
        painter.setPen(QColor(inks.eggs))
        painter.drawText(QPointF(min(max(0.0, middle - wide / 2), self.width() - wide), area.top() - 6), words)
        if found.out_by is not None:
            soon, late = (self._x(t) for t in found.out_by)
            hatch = QBrush(QColor(inks.eggs), Qt.BrushStyle.BDiagPattern)
            painter.fillRect(QRectF(soon, area.bottom() - self.theme.px(8), late - soon, self.theme.px(8)), hatch)
        last = self._x(found.last_ms)
        painter.setPen(QPen(QColor(inks.muted), 1, Qt.PenStyle.DotLine))
        painter.drawLine(QPointF(last, area.top()), QPointF(last, area.bottom()))
        painter.setPen(QColor(inks.muted))
        painter.drawText(QPointF(last + 4, area.top() + self.theme.px(12)), _("stragglers"))

    def _paint_days(self, painter: QPainter, area: QRectF) -> None:
        assert self._found is not None and self._book is not None
        found, book = self._found, self._book
        painter.setPen(QPen(QColor(self.theme.inks.muted), 1))
        painter.drawLine(area.bottomLeft(), area.bottomRight())
        midnight = book.local(found.start_ms).replace(hour=0, minute=0, second=0, microsecond=0, tzinfo=None)
        taken = -1e9
        while True:
            midnight += timedelta(days=1)
            at = utc_ms(midnight, book.zone)
            if at > found.end_ms:
                break
            x = self._x(at)
            painter.drawLine(QPointF(x, area.bottom()), QPointF(x, area.bottom() + 4))
            words = f"{dates.weekday(midnight)} {midnight.day}"
            if x > taken:
                painter.drawText(QPointF(x + 3, area.bottom() + self.theme.px(15)), words)
                taken = x + 3 + QFontMetricsF(painter.font()).horizontalAdvance(words) + 8

    def _paint_stages(self, painter: QPainter, area: QRectF) -> None:
        assert self._found is not None and self._book is not None
        found, inks = self._found, self.theme.inks
        most = max(1, found.course.batch.eggs)
        until = min(max(self._book.now_ms, found.start_ms), found.end_ms)
        ended = found.course.batch.ended_ms
        until = until if ended is None else min(until, ended)
        line, lowest = QFontMetricsF(painter.font()).height(), area.top() + area.height()
        for stage, times in reversed(list(found.stages.items())):
            if not times:
                continue
            painter.setPen(QPen(QColor(inks.ink), 1.8, STYLES[stage]))
            at, y = QPointF(self._x(times[0]), area.bottom()), area.bottom()
            for i, time_ms in enumerate(times, start=1):
                x = self._x(time_ms)
                painter.drawLine(at, QPointF(x, y))
                up = area.bottom() - i / most * area.height()
                painter.drawLine(QPointF(x, y), QPointF(x, up))
                at, y = QPointF(x, up), up
            painter.drawLine(at, QPointF(max(at.x(), self._x(until)), y))
            # one under the other where they end together
            lowest = min(y, lowest - line)
            painter.setPen(QColor(inks.ink))
            painter.drawText(QPointF(max(at.x(), self._x(until)) + 6, lowest + 4), f"{len(times)} {_(stage)}")

    def _paint_ready(self, painter: QPainter, area: QRectF) -> None:
        """Pegs: filled is done, hollow is still to be done."""
        assert self._found is not None and self._book is not None
        color = QColor(self.theme.inks.eggs)
        size = self.theme.px(4)
        for one in self._found.ready:
            x = self._x(one.due_ms)
            late = not one.done and one.due_ms < self._book.now_ms
            painter.setPen(QPen(QColor(self.theme.inks.bad) if late else color, 1.6))
            painter.drawLine(QPointF(x, area.bottom()), QPointF(x, area.bottom() - self.theme.px(24)))
            painter.setBrush(color if one.done else QColor(self.theme.inks.paper))
            painter.drawEllipse(QPointF(x, area.bottom() - self.theme.px(24)), size, size)

    def _paint_now(self, painter: QPainter, area: QRectF) -> None:
        assert self._found is not None and self._book is not None
        now = self._book.now_ms
        if not self._found.start_ms <= now <= self._found.end_ms:
            return
        x = self._x(now)
        painter.setPen(QPen(QColor(self.theme.inks.ink), 2))
        painter.drawLine(QPointF(x, area.top()), QPointF(x, area.bottom()))
        painter.drawText(QPointF(x + 4, area.top() + self.theme.px(12)), _("now"))
