"""What to look for by candlelight on a day: a living egg as it should be by now, and the ones that should come out."""

from __future__ import annotations

from math import cos, pi, sin

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QFontMetricsF, QPainter, QPainterPath, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy

from stathmis.services import knowledge
from stathmis.ui.eggs.tray_picture import egg_shape
from stathmis.ui.kit.drawn import Drawn
from stathmis.ui.theme import Theme
from stathmis.words.catalogue import _

_EGG_W, _EGG_H, _WORD_H = 62, 80, 18
VEINS = 9


class CandlePicture(Drawn):
    """Eggs against the light: share of the term that has passed; reptiles show vessels on one side only."""

    def __init__(self, theme: Theme) -> None:
        super().__init__(theme)
        self._share = 0.0
        self._reptile = False
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def show_day(self, share: float, *, reptile: bool) -> None:
        """Show a day as a share of the term (0 to 1 and a little more)."""
        self._share, self._reptile = min(max(share, 0.0), 1.0), reptile
        words = ", ".join(self._words())
        how = _("How it looks with a light behind the blunt end; drawn, not photographed.")
        self.say(_("What to look for by candlelight"), words, how)
        self.update()

    def _kinds(self) -> list[str]:
        if self._reptile:
            return ["alive", "slug"]
        return ["alive", "clear", "early dead"] if self._share < 0.5 else ["alive", "late dead", "clear"]

    def _words(self) -> list[str]:
        found = knowledge.findings("reptile" if self._reptile else "bird")
        return [found[kind].word for kind in self._kinds()]

    def _words_high(self) -> int:
        """One line, or two where a word is wider than its egg."""
        widest = max(QFontMetricsF(self.theme.font(11)).horizontalAdvance(word) for word in self._words())
        return _WORD_H if widest <= self.theme.px(_EGG_W + 24) else 2 * _WORD_H

    def sizeHint(self) -> QSize:
        """Three eggs with their words."""
        return QSize(self.theme.px(3 * (_EGG_W + 24)), self.theme.px(_EGG_H + self._words_high() + 6))

    def minimumSizeHint(self) -> QSize:
        """The same height in less room."""
        return QSize(self.theme.px(3 * (_EGG_W + 8)), self.sizeHint().height())

    def paintEvent(self, event: QPaintEvent) -> None:
        """Draw the eggs."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        inks, px = self.theme.inks, self.theme.px
        for i, kind in enumerate(self._kinds()):
            step = min(px(_EGG_W + 24), self.width() // 3)
            area = QRectF(i * step + 4, 3, px(_EGG_W) * min(1.0, step / px(_EGG_W + 8)), px(_EGG_H))
            self._egg(painter, area, kind)
            painter.setPen(QColor(inks.ink))
            painter.setFont(self.theme.font(11))
            words = QRectF(area.left() - 12, area.bottom() + 1, area.width() + 24, px(self._words_high()))
            painter.drawText(words, Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, self._words()[i])

    def _egg(self, painter: QPainter, area: QRectF, kind: str) -> None:
        inks = self.theme.inks
        light, dark = QColor(inks.eggs), self._shadow()
        glow = QColor(light)
        glow.setAlpha(90)
        shape = egg_shape(area)
        painter.save()
        painter.setPen(QPen(light, 1.6))
        painter.setBrush(glow)
        painter.drawPath(shape)
        painter.setClipPath(shape)
        w, h = area.width(), area.height()
        self._air_cell(painter, area, 0.1 + 0.16 * self._share)
        middle = QPointF(area.center().x(), area.top() + 0.5 * h)
        if kind == "alive":
            self._alive(painter, area, middle)
        elif kind == "early dead":
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(QColor(inks.bad), 2.4))
            painter.drawEllipse(middle, 0.26 * w, 0.2 * h)
        elif kind == "late dead":
            # loose, without vessels, with a blurred edge
            shade = QColor(dark)
            shade.setAlpha(150)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(shade)
            painter.drawEllipse(QPointF(middle.x() - 0.08 * w, middle.y() + 0.16 * h), 0.34 * w, 0.26 * h)
        else:
            shade = QColor(light)
            shade.setAlpha(110)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(shade)
            painter.drawEllipse(middle, 0.24 * w, 0.17 * h)
        painter.restore()

    def _shadow(self) -> QColor:
        """What no light comes through is dark in every theme."""
        ink, paper = QColor(self.theme.inks.ink), QColor(self.theme.inks.paper)
        return ink if ink.lightnessF() < paper.lightnessF() else paper

    def _air_cell(self, painter: QPainter, area: QRectF, depth: float) -> None:
        """The clear end, with a slanted edge near the hatch."""
        shadow = self._shadow()
        clear = QColor(self.theme.inks.eggs if shadow.name() == self.theme.inks.paper else self.theme.inks.card)
        clear.setAlpha(190)
        slant = 0.1 * area.height() if self._share > 0.8 else 0.0
        path = QPainterPath()
        edge = area.top() + depth * area.height()
        path.moveTo(area.left(), area.top())
        path.lineTo(area.right(), area.top())
        path.lineTo(area.right(), edge - slant)
        path.quadTo(QPointF(area.center().x(), edge + 0.05 * area.height()), QPointF(area.left(), edge + slant))
        path.closeSubpath()
        painter.fillPath(path, clear)

    def _alive(self, painter: QPainter, area: QRectF, middle: QPointF) -> None:
        inks, share = self.theme.inks, self._share
        w, h = area.width(), area.height()
        if share > 0.4:
            # the dark mass grows from the pointed end until only the air cell is clear
            shade = self._shadow()
            shade.setAlpha(205)
            top = area.top() + (0.62 - 0.45 * min(1.0, (share - 0.4) / 0.45)) * h
            painter.fillRect(QRectF(area.left(), max(top, area.top() + 0.24 * h), w, h), shade)
        if share < 0.75:
            painter.setPen(QPen(QColor(inks.bad), 1.4))
            reach = min(1.0, share / 0.4)
            for i in range(VEINS):
                angle = 2.0 * pi * i / VEINS + 0.4
                bend = angle + 0.35
                tip = QPointF(middle.x() + 0.42 * w * reach * cos(bend), middle.y() + 0.34 * h * reach * sin(bend))
                way = QPainterPath(middle)
                knee = QPointF(middle.x() + 0.2 * w * reach * cos(angle), middle.y() + 0.17 * h * reach * sin(angle))
                way.quadTo(knee, tip)
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawPath(way)
        if share < 0.55:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(self._shadow())
            size = 0.03 + 0.16 * share
            painter.drawEllipse(middle, size * w, size * w)
        if share > 0.9:
            # the beak in the air cell
            beak = QPainterPath(QPointF(middle.x() - 0.06 * w, area.top() + 0.26 * h))
            beak.lineTo(QPointF(middle.x() + 0.02 * w, area.top() + 0.14 * h))
            beak.lineTo(QPointF(middle.x() + 0.1 * w, area.top() + 0.26 * h))
            painter.fillPath(beak, self._shadow())
