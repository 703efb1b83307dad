"""What opening the lid would do: the humidity as it falls and comes back, by this box's own log, over the line below
which a pipped egg's membrane dries."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QSizePolicy

from stathmis.services.eggs.hatching import SAFE_RH, Hatching, after_opening
from stathmis.ui.kit.drawn import Drawn
from stathmis.ui.theme import Theme
from stathmis.words.catalogue import _, as_number

HIGH, LEFT, BELOW = 110, 44, 20


class LidCurve(Drawn):
    """Hidden where the humidity, or what a lid does here, is not known."""

    def __init__(self, theme: Theme) -> None:
        super().__init__(theme)
        self._found: Hatching | None = None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.hide()

    def sizeHint(self) -> QSize:
        """Preferred size at the text size in use."""
        return QSize(self.theme.px(320), self.theme.px(HIGH))

    def minimumSizeHint(self) -> QSize:
        """It can still be read when it is this narrow."""
        return QSize(self.theme.px(220), self.theme.px(HIGH))

    def show_hatching(self, found: Hatching) -> None:
        """Show what an opening now would do."""
        self._found = found
        known = found.rh is not None and found.lid is not None
        self.setVisible(known)
        if found.rh is not None and found.lid is not None:
            words = _(
                "from {now:.0f} to about {low:.0f} % RH, back after about {minutes:.0f} min",
                now=found.rh[0],
                low=max(0.0, found.rh[0] - found.lid.drop),
                minutes=found.lid.recovery_min,
            )
            self.say(_("What opening the lid now would do to the humidity"), words)
            self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        """Draw it."""
        found = self._found
        if found is None or found.rh is None or found.lid is None:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(self.theme.font(12))
        inks, px = self.theme.inks, self.theme.px
        minutes, values = after_opening(found.rh[0], found.lid)
        low = min(min(values), SAFE_RH) - 4.0
        high = max(max(values), SAFE_RH) + found.rh[1] + 3.0
        area = QRectF(px(LEFT), 4, self.width() - px(LEFT) - 8, px(HIGH - BELOW) - 4)

        def place(minute: float, rh: float) -> QPointF:
            x = area.left() + minute / minutes[-1] * area.width()
            return QPointF(x, area.bottom() - (rh - low) / (high - low) * area.height())

        painter.setPen(QPen(QColor(inks.muted), 1))
        painter.drawLine(area.bottomLeft(), area.bottomRight())
        for minute in range(0, int(minutes[-1]) + 1, 15 if minutes[-1] <= 90 else 30):
            at = place(minute, low)
            painter.drawLine(at, QPointF(at.x(), at.y() + 4))
            painter.drawText(QPointF(at.x() - 4, at.y() + px(15)), f"{minute}")
        painter.drawText(QPointF(0, area.bottom() + px(15)), _("min"))
        painter.setPen(QPen(QColor(inks.bad), 1.4, Qt.PenStyle.DashLine))
        painter.drawLine(place(0, SAFE_RH), place(minutes[-1], SAFE_RH))
        painter.drawText(QPointF(0, place(0, SAFE_RH).y() + 4), f"{as_number(SAFE_RH, '.0f')} %")
        color = inks.of("humidity")
        wide = found.rh[1]
        tint = QColor(color)
        tint.setAlpha(inks.tint + 30)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(tint)
        above = [place(m, v + wide) for m, v in zip(minutes, values, strict=True)]
        below = [place(m, v - wide) for m, v in zip(minutes, values, strict=True)]
        painter.setClipRect(area)
        painter.drawPolygon(QPolygonF([*above, *reversed(below)]))
        painter.setPen(QPen(color, 2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolyline(QPolygonF([place(m, v) for m, v in zip(minutes, values, strict=True)]))
        painter.setClipping(False)
        start = place(0, values[0])
        painter.drawText(QPointF(0, start.y() + 4), f"{as_number(values[0], '.0f')} %")
