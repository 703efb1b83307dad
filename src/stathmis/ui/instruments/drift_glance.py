"""An instrument's checks at a glance: the errors they found with their U, over the years, against what may be lost."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy

from stathmis.services.instruments.history import History
from stathmis.ui.kit.drawn import Drawn
from stathmis.ui.theme import Theme
from stathmis.words.catalogue import _
from stathmis.words.numbers import count, places_for, signed, unit_word

WIDE, HIGH = 80, 32


class DriftGlance(Drawn):
    """A point a check, where its error was against the tolerance: inside the two lines it still tells."""

    def __init__(self, theme: Theme) -> None:
        super().__init__(theme)
        self._found: History | None = None
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)

    def sizeHint(self) -> QSize:
        """Preferred size at the text size in use."""
        return QSize(self.theme.px(WIDE), self.theme.px(HIGH))

    def show_history(self, name: str, found: History) -> None:
        """Show the checks of an instrument."""
        self._found = found
        unit, places = unit_word(found.channel.unit), places_for(found.channel.resolution / 10)
        words = _("never checked")
        if found.checks:
            first, last = found.checks[0], found.checks[-1]
            words = _(
                "{checks}; error {first} at the first, {last} ± {U:.{places}f} {unit} at the last",
                checks=count(len(found.checks), "{n} check", "{n} checks"),
                first=signed(first.error, places),
                last=signed(last.error, places),
                U=last.U,
                places=places,
                unit=unit,
            )
        self.say(_("Drift of {name}", name=name), words)
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        """Draw it."""
        found = self._found
        if found is None:
            return
        painter = QPainter(self)
        if not found.checks:
            painter.setPen(QColor(self.theme.inks.muted))
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, "–")
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        inks, color = self.theme.inks, self.theme.inks.of(found.channel.quantity)
        area = QRectF(5, 3, self.width() - 10, self.height() - 6)
        middle, reach = found.in_force_error, 1.6 * found.tolerance
        for one in found.checks:
            reach = max(reach, abs(one.error - middle) + one.U)
        times = [c.calibration.done_ms for c in found.checks]
        first, span = times[0], max(1, times[-1] - times[0])

        def y_of(error: float) -> float:
            return area.center().y() - (error - middle) / reach * area.height() / 2

        tint = QColor(color)
        tint.setAlpha(inks.tint)
        top, bottom = y_of(middle + found.tolerance), y_of(middle - found.tolerance)
        painter.fillRect(QRectF(area.left(), top, area.width(), bottom - top), tint)
        painter.setPen(QPen(QColor(inks.ink), 1))
        for y in (top, bottom):
            painter.drawLine(QPointF(area.left(), y), QPointF(area.right(), y))
        before: QPointF | None = None
        for one, at in zip(found.checks, times, strict=True):
            share = (at - first) / span if len(times) > 1 else 0.5
            here = QPointF(area.left() + 4 + share * (area.width() - 8), y_of(one.error))
            painter.setPen(QPen(color, 1.4))
            painter.drawLine(QPointF(here.x(), y_of(one.error - one.U)), QPointF(here.x(), y_of(one.error + one.U)))
            if before is not None:
                painter.setPen(QPen(color, 1, Qt.PenStyle.DotLine))
                painter.drawLine(before, here)
            painter.setPen(QPen(color, 1.4))
            painter.setBrush(QColor(inks.card))
            painter.drawEllipse(here, 2.6, 2.6)
            before = here
