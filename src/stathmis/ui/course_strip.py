"""The course: a strip from warm-up to take-off, its phases as stretches of different depth, today's mark, and pegs."""

from __future__ import annotations

from collections.abc import Callable
from math import floor

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QFont, QFontMetricsF, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from stathmis.logbook.records import Event
from stathmis.services.batch.course import Course
from stathmis.services.book import Book
from stathmis.ui.kit.drawn import Drawn
from stathmis.ui.theme import Theme
from stathmis.words import dates
from stathmis.words.catalogue import _

_DEPTH = {"warm-up": 6.0, "setting": 12.0, "incubation": 12.0, "lockdown": 20.0, "hatch": 14.0, "dry": 6.0}
_SHADE = {"warm-up": 70, "setting": 100, "incubation": 100, "lockdown": 170, "hatch": 120, "dry": 60}


class CourseStrip(Drawn):
    """Draws a batch's course at a time; pegs above it are events (open) and the days to come (filled)."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(theme, parent)
        self._course: Course | None = None
        self._book: Book | None = None
        self._events: list[Event] = []
        self._shift: tuple[float, float] | None = None
        self._shown: object = None
        self._words = ""
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def sizeHint(self) -> QSize:
        """Preferred size at the text size in use."""
        return QSize(400, self.theme.px(74))

    minimumSizeHint = sizeHint

    def show_course(self, book: Book, course: Course | None, events: list[Event]) -> None:
        """Show a batch's course with its events so far."""
        shown = course, events, book.now_ms // 60_000
        self._book, same = book, shown == self._shown
        if same:
            return
        self._shown, self._course, self._events = shown, course, events
        self.setVisible(course is not None)
        if course is not None:
            now = book.now_ms
            phase = course.phase(now)
            stands = _(phase.name) if phase else _("over")
            words = f"{course.day_text(now)}, {stands}; {course.next_step(now, book.zone)}"
            if course.batch.ended_ms is not None:
                words = _("ended on {day_words}", day_words=course.day_words(course.day(course.batch.ended_ms), 1))
            self._words = words
        self._say()

    def _say(self) -> None:
        words = self._words
        if self._shift is not None and self._course is not None and self._book is not None:
            at = self._book.local(self._course.at_ms(self._course.species.days + self._shift[0]))
            words += _("; hatch about {at} by the temperatures so far", at=dates.day(at, weekday=True))
        self.say(_("Course"), words)
        self.update()

    def shows(self, course: Course) -> bool:
        """Whether this batch is the one in view."""
        return self._course is not None and self._course.batch.id == course.batch.id

    def show_shift(self, shift_days: float | None, U_days: float = 0.0) -> None:
        """Show where the temperatures so far move the hatch, later or (negative) earlier; None: not known."""
        shift = None if shift_days is None else (shift_days, U_days)
        if shift != self._shift:
            self._shift = shift
            self._say()

    def paintEvent(self, event: QPaintEvent) -> None:
        """Draw it."""
        course, book = self._course, self._book
        if course is None or book is None:
            return
        theme, inks = self.theme, self.theme.inks
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        first, last = course.phases[0].start_day, course.phases[-1].end_day
        per_day = (self.width() - 2) / (last - first)

        def x_of(day: float) -> float:
            return 1 + (day - first) * per_day

        middle = theme.px(42)
        self._paint_phases(painter, course, book, x_of, middle)
        for item in self._events:
            if item.kind != "note":
                self._peg(painter, x_of(course.day(item.time_ms)), middle, filled=False)
        if course.lockdown_day is not None:
            self._peg(painter, x_of(course.lockdown_day), middle, filled=True)
        self._peg(painter, x_of(course.species.days), middle, filled=True)
        self._paint_window(painter, course, x_of, middle)
        ended = course.batch.ended_ms
        marked = course.day(book.now_ms if ended is None else ended)
        day = min(max(marked, first), last)
        painter.setPen(QPen(QColor(inks.ink), 2))
        painter.drawLine(QPointF(x_of(day), middle - theme.px(24)), QPointF(x_of(day), middle + theme.px(14)))
        painter.setFont(theme.font(12, QFont.Weight.DemiBold))
        label = f"{_('now') if ended is None else _('ended')}, {course.day_words(floor(marked * 10) / 10, 1)}"
        width = QFontMetricsF(painter.font()).horizontalAdvance(label)
        left = min(max(x_of(day) - width / 2, 0), self.width() - width)
        painter.drawText(QPointF(left, middle - theme.px(28)), label)

    def _paint_phases(
        self, painter: QPainter, course: Course, book: Book, x_of: Callable[[float], float], middle: float
    ) -> None:
        theme, inks = self.theme, self.theme.inks
        painter.setFont(theme.font(12))
        metrics = QFontMetricsF(painter.font())
        taken: list[tuple[float, float]] = []
        # where there is no room for all words, what comes late in this order goes without
        order = ("hatch", "lockdown", "setting", "incubation", "warm-up", "dry")
        for phase in sorted(course.phases, key=lambda p: order.index(p.name)):
            left, right = x_of(phase.start_day), x_of(phase.end_day)
            depth = theme.px(_DEPTH[phase.name])
            shade = QColor(inks.eggs)
            shade.setAlpha(_SHADE[phase.name])
            painter.fillRect(QRectF(left + 1, middle - depth / 2, right - left - 2, depth), shade)
            words = _(phase.name)
            if phase.name in ("lockdown", "hatch"):
                begins = book.local(course.at_ms(phase.start_day))
                words += f" {dates.weekday(begins)} {begins.day}"
            width = metrics.horizontalAdvance(words)
            start = min(max((left + right - width) / 2, 0.0), self.width() - width)
            if phase.name == "lockdown" and taken:
                start = min(start, taken[0][0] - theme.px(8) - width)
            if all(start > end + theme.px(6) or start + width < begin - theme.px(6) for begin, end in taken):
                painter.setPen(QColor(inks.muted))
                painter.drawText(QPointF(start, middle + theme.px(28)), words)
                taken.append((start, start + width))

    def _paint_window(self, painter: QPainter, course: Course, x_of: Callable[[float], float], middle: float) -> None:
        """A bracket where the hatch is to be expected by the temperatures so far."""
        if self._shift is None:
            return
        shift, U = self._shift
        species, theme = course.species, self.theme
        low = x_of(species.days_low + shift - U)
        high = min(x_of(species.days_high + shift + U), self.width() - 2.0)
        y, tick = middle - theme.px(13), theme.px(5)
        painter.setPen(QPen(QColor(theme.inks.eggs), 1.6))
        painter.drawLine(QPointF(low, y), QPointF(high, y))
        for x in (low, high):
            painter.drawLine(QPointF(x, y), QPointF(x, y + tick))
        painter.setBrush(QColor(theme.inks.paper))
        painter.drawEllipse(QPointF(x_of(species.days + shift), y), theme.px(3), theme.px(3))

    def _peg(self, painter: QPainter, x: float, middle: float, *, filled: bool) -> None:
        color = QColor(self.theme.inks.eggs if filled else self.theme.inks.muted)
        size = self.theme.px(3)
        painter.setPen(QPen(color, 1.2))
        painter.drawLine(QPointF(x, middle - self.theme.px(16) + size), QPointF(x, middle + self.theme.px(4)))
        painter.setBrush(color if filled else Qt.BrushStyle.NoBrush)
        painter.drawEllipse(QPointF(x, middle - self.theme.px(16)), size, size)
