"""Every plan as a row on one calendar: its course, its steps as pegs, today, days away. Arrow keys go about."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QBrush, QColor, QFont, QFontMetricsF, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy

from stathmis.logbook.records import Away
from stathmis.services import clock
from stathmis.services.clock import DAY_MS
from stathmis.services.desk import Desk
from stathmis.services.plan.planning import Plan
from stathmis.services.plan.tasks import Task
from stathmis.ui.kit.drawn import Drawn
from stathmis.ui.theme import Theme
from stathmis.words import dates
from stathmis.words.catalogue import _

_LABELS, _ROW, _HEAD = 190, 54, 40


@dataclass(frozen=True)
class Row:
    """A plan with its tasks, and where it is in the way of another (UTC ms)."""

    plan: Plan
    tasks: tuple[Task, ...]
    clashes: tuple[tuple[int, int], ...]


class PlanCalendar(Drawn):
    """The drawn calendar. chosen: a plan's step is looked at; nudged: it is to be moved by so many days."""

    chosen = Signal(object)
    nudged = Signal(object, int)

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__(theme)
        self._desk = desk
        self._rows: tuple[Row, ...] = ()
        self._away: tuple[Away, ...] = ()
        self._at = ("", "")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def sizeHint(self) -> QSize:
        """As high as its rows at the text size in use."""
        return QSize(self.theme.px(640), self.theme.px(_HEAD + _ROW * max(1, len(self._rows))) + 2)

    def minimumSizeHint(self) -> QSize:
        """It can be read when it is this narrow."""
        return QSize(self.theme.px(420), self.sizeHint().height())

    def show_rows(self, rows: Sequence[Row], away: Sequence[Away]) -> None:
        """Show plans; the step looked at stays where it is still there."""
        self._rows, self._away = tuple(rows), tuple(away)
        if self.task is None and rows:
            first = rows[0]
            now = self._desk.now_ms
            ahead = [t for t in first.tasks if t.due_ms >= now] or list(first.tasks)
            self._at = (first.plan.subject, ahead[0].step)
        self.updateGeometry()
        self._moved()

    @property
    def row(self) -> Row | None:
        """The plan looked at."""
        return next((r for r in self._rows if r.plan.subject == self._at[0]), None)

    @property
    def task(self) -> Task | None:
        """The step looked at."""
        row = self.row
        return next((t for t in row.tasks if t.step == self._at[1]), None) if row is not None else None

    def look_at(self, subject: str, step: str) -> None:
        """Look at a step of a plan."""
        self._at = (subject, step)
        self._moved()

    def _moved(self) -> None:
        task = self.task
        if task is not None:
            at = self._desk.book.local(task.due_ms)
            self.say(_("Calendar of plans"), f"{task.about}, {task.title}, {dates.day(at, weekday=True)}")
        else:
            self.say(_("Calendar of plans"), "empty")
        self.chosen.emit(task)
        self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Left and right to the steps of a plan, up and down to other plans; with Ctrl the step moves by a day."""
        row, task = self.row, self.task
        if row is None or task is None:
            super().keyPressEvent(event)
            return
        step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(event.key()))
        line = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}.get(Qt.Key(event.key()))
        if step is not None and event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.nudged.emit(task, step)
        elif step is not None:
            i = max(0, min(len(row.tasks) - 1, row.tasks.index(task) + step))
            self.look_at(row.plan.subject, row.tasks[i].step)
        elif line is not None:
            other = self._rows[max(0, min(len(self._rows) - 1, self._rows.index(row) + line))]
            near = min(other.tasks, key=lambda t: abs(t.due_ms - task.due_ms))
            self.look_at(other.plan.subject, near.step)
        else:
            super().keyPressEvent(event)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Look at the nearest step of the row under the pointer."""
        self.setFocus()
        r = int((event.position().y() - self.theme.px(_HEAD)) // self.theme.px(_ROW))
        if 0 <= r < len(self._rows):
            x_of = self._scale()
            row = self._rows[r]
            near = min(row.tasks, key=lambda t: abs(x_of(t.due_ms) - event.position().x()))
            self.look_at(row.plan.subject, near.step)

    def _span(self) -> tuple[int, int]:
        now = self._desk.now_ms
        starts = [r.tasks[0].due_ms for r in self._rows if r.tasks]
        ends = [r.plan.end_ms for r in self._rows]
        return max(min([now, *starts]), now - 28 * DAY_MS) - DAY_MS, max([now + 28 * DAY_MS, *ends]) + 2 * DAY_MS

    def _scale(self) -> Callable[[float], float]:
        first, last = self._span()
        left = float(min(self.theme.px(_LABELS), 0.3 * self.width()))
        per_ms = (self.width() - left - 2) / (last - first)
        return lambda ms: left + max(0.0, (ms - first) * per_ms)

    def paintEvent(self, event: QPaintEvent) -> None:
        """Draw it."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        x_of = self._scale()
        self._paint_days(painter, x_of)
        head, high = self.theme.px(_HEAD), self.theme.px(_ROW)
        machine = ""
        for i, row in enumerate(self._rows):
            area = QRectF(0, head + i * high, self.width(), high)
            self._paint_row(painter, area, row, x_of, with_machine=row.plan.incubator.name != machine)
            machine = row.plan.incubator.name
        inks = self.theme.inks
        x = x_of(self._desk.now_ms)
        painter.setPen(QPen(QColor(inks.ink), 2))
        painter.drawLine(QPointF(x, head - 4), QPointF(x, self.height() - 1))
        self.paint_focus(painter)

    def _paint_days(self, painter: QPainter, x_of: Callable[[float], float]) -> None:
        """Weeks as hairlines with their Mondays, days away hatched."""
        inks, theme = self.theme.inks, self.theme
        first, last = self._span()
        head = theme.px(_HEAD)
        for away in self._away:
            if away.to_ms < first or away.from_ms > last:
                continue
            band = QRectF(x_of(away.from_ms), head, x_of(away.to_ms) - x_of(away.from_ms), self.height() - head)
            painter.fillRect(band, QBrush(QColor(inks.rule), Qt.BrushStyle.FDiagPattern))
            painter.setFont(theme.font(11))
            painter.setPen(QColor(inks.muted))
            painter.drawText(QPointF(band.left(), head - theme.px(2)), away.note or _("away"))
        painter.setFont(theme.font(12))
        metrics = QFontMetricsF(painter.font())
        book, right = self._desk.book, 0.0
        monday = clock.midnight(first, book.zone, -book.local(first).weekday())
        while monday < last:
            day = book.local(monday)
            if monday >= first:
                x = x_of(monday)
                painter.setPen(QPen(QColor(inks.rule), 1))
                painter.drawLine(QPointF(x, theme.px(22)), QPointF(x, self.height()))
                words = dates.day(day)
                fits = x + metrics.horizontalAdvance(words) + 4 < self.width()
                if x > right and x > x_of(first) and fits:
                    painter.setPen(QColor(inks.muted))
                    painter.drawText(QPointF(x + 3, theme.px(18)), words)
                    right = x + metrics.horizontalAdvance(words) + 10
            monday = clock.midnight(monday, book.zone, 7)

    def _paint_row(
        self, painter: QPainter, area: QRectF, row: Row, x_of: Callable[[float], float], *, with_machine: bool
    ) -> None:
        inks, theme, plan = self.theme.inks, self.theme, row.plan
        painter.setPen(QPen(QColor(inks.rule), 1))
        if with_machine:
            painter.drawLine(QPointF(0, area.top()), QPointF(area.right(), area.top()))
        chosen = plan.subject == self._at[0]
        left = x_of(self._span()[0]) - 8
        painter.setPen(QColor(inks.ink))
        painter.setFont(theme.font(13, QFont.Weight.DemiBold if chosen else QFont.Weight.Normal))
        metrics = QFontMetricsF(painter.font())
        name = metrics.elidedText(plan.name, Qt.TextElideMode.ElideRight, left)
        painter.drawText(QPointF(0, area.top() + theme.px(22)), name)
        painter.setFont(theme.font(11))
        painter.setPen(QColor(inks.muted))
        state = "" if plan.batch is not None else _("planned, ")
        about = QFontMetricsF(painter.font()).elidedText(
            f"{state}{plan.incubator.name}", Qt.TextElideMode.ElideRight, left
        )
        painter.drawText(QPointF(0, area.top() + theme.px(38)), about)
        middle = area.top() + theme.px(32)
        self._paint_course(painter, plan, x_of, middle)
        for start, end in row.clashes:
            band = QRectF(x_of(start), middle + theme.px(11), x_of(end) - x_of(start), theme.px(5))
            painter.fillRect(band, QBrush(QColor(inks.doubt), Qt.BrushStyle.BDiagPattern))
        looked_at = self._at[1] if chosen else ""
        for task in sorted(row.tasks, key=lambda t: t.step == looked_at):
            self._paint_peg(painter, task, x_of(task.due_ms), middle, looked_at=task.step == looked_at)

    def _paint_course(self, painter: QPainter, plan: Plan, x_of: Callable[[float], float], middle: float) -> None:
        theme = self.theme
        lockdown, hatch, warm = plan.step("lockdown"), plan.step("hatch"), plan.step("warm dry")
        late = plan.end_ms
        stretches = [(warm.at_ms if warm else plan.set_ms, plan.set_ms, 5.0, 60)]
        until = hatch.earliest_ms if hatch is not None else late
        stop = lockdown.at_ms if lockdown is not None else until
        stretches += [(plan.set_ms, stop, 10.0, 100), (stop, max(stop, until), 18.0, 170)]
        stretches.append((max(stop, until), hatch.latest_ms if hatch is not None else late, 13.0, 120))
        for start, end, depth, shade in stretches:
            if end <= start:
                continue
            tint = QColor(theme.inks.eggs)
            tint.setAlpha(shade)
            high = theme.px(depth)
            painter.fillRect(QRectF(x_of(start) + 1, middle - high / 2, x_of(end) - x_of(start) - 2, high), tint)

    def _paint_peg(self, painter: QPainter, task: Task, x: float, middle: float, *, looked_at: bool) -> None:
        """A peg: filled is done, crossed is left out, hollow is to come."""
        inks, theme = self.theme.inks, self.theme
        size = theme.px(5 if looked_at else 3)
        top = middle - theme.px(16)
        color = QColor(inks.selection if looked_at else inks.ink if task.state == "open" else inks.muted)
        painter.setPen(QPen(color, 1.2))
        painter.drawLine(QPointF(x, top + size), QPointF(x, middle + theme.px(3)))
        painter.setBrush(color if task.state == "done" else QColor(inks.paper))
        painter.drawEllipse(QPointF(x, top), size, size)
        if task.state == "skipped":
            painter.drawLine(QPointF(x - size, top + size), QPointF(x + size, top - size))
        if looked_at:
            painter.setFont(theme.font(11, QFont.Weight.DemiBold))
            words = task.title
            wide = QFontMetricsF(painter.font()).horizontalAdvance(words)
            high = theme.px(15)
            # on paper of its own, above the pegs it would run into
            plate = QRectF(min(x + size + 2, self.width() - wide - 8), top - high + theme.px(2), wide + 6, high)
            painter.fillRect(plate, QColor(inks.paper))
            painter.drawText(plate, Qt.AlignmentFlag.AlignCenter, words)
