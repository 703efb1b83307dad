"""The corridor of loss: where the eggs' loss may run, the weighings, and where it goes from here."""

from __future__ import annotations

from typing import Any

import numpy as np
from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QColor, QPolygonF
from PySide6.QtWidgets import QGraphicsPolygonItem, QVBoxLayout, QWidget

from stathmis.core import moisture
from stathmis.core.psychrometrics import saturation_vapor_pressure
from stathmis.core.uncertainty import NORMAL_95
from stathmis.services.desk import Desk
from stathmis.services.findings.loss import LossSheet
from stathmis.ui import work
from stathmis.ui.chart import DayAxis, restyle, styled_plot
from stathmis.ui.chart_library import pg
from stathmis.ui.kit.pieces import label
from stathmis.ui.theme import Theme
from stathmis.words.catalogue import _

TURN_MS = 10
FAN_K = 2.0
"""The fan of the forecast is this many standard uncertainties to either side."""


class LossChart(QWidget):
    """Loss in percent of the mass at setting, over the days to lockdown."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self._sheet: LossSheet | None = None
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        self._axis = DayAxis(desk.book.local)
        self.plot = styled_plot(theme, {"bottom": self._axis})
        self.plot.setMouseEnabled(x=False, y=False)
        self._set_height()
        layout.addWidget(self.plot, 1)
        self._legend = label("", "small", wrap=True)
        layout.addWidget(self._legend)

    def _set_height(self) -> None:
        self.plot.setMinimumHeight(self._theme.px(260))
        self.plot.setMaximumHeight(self._theme.px(340))

    def restyle(self) -> None:
        """Follow a change of theme or text size."""
        restyle(self.plot, self._theme)
        self._set_height()
        if self._sheet is not None:
            self.show_sheet(self._sheet)

    def show_sheet(self, sheet: LossSheet) -> None:
        """Draw it; it is painted in the window's next turn."""
        self._sheet = sheet
        plot, inks = self.plot, self._theme.inks
        plot.setUpdatesEnabled(False)
        work.soon(plot, lambda: plot.setUpdatesEnabled(True), TURN_MS)
        plot.clear()
        self._axis.set_ms = float(sheet.course.batch.set_ms)
        self._axis.day_words = sheet.course.day_words
        low, aim, high = sheet.wanted
        end = sheet.lockdown_day
        corridor = QGraphicsPolygonItem(QPolygonF([QPointF(0, 0), QPointF(end, high), QPointF(end, low)]))
        tint = QColor(inks.eggs)
        tint.setAlpha(45)
        corridor.setBrush(tint)
        corridor.setPen(pg.mkPen(None))
        plot.addItem(corridor)
        plot.addItem(pg.PlotCurveItem([0, end], [0, aim], pen=pg.mkPen(inks.eggs, width=1, style=Qt.PenStyle.DotLine)))
        self._forecasts(sheet)
        for marked, ink, size in ((True, inks.muted, 5), (False, inks.ink, 8)):
            points = [p for p in sheet.points if bool(p.mark) == marked]
            if not points:
                continue
            x, y = np.array([p.day for p in points]), np.array([p.loss for p in points])
            U = NORMAL_95 * np.array([p.u for p in points])
            plot.addItem(pg.ErrorBarItem(x=x, y=y, height=2.0 * U, beam=0.15, pen=pg.mkPen(ink)))
            plot.addItem(pg.ScatterPlotItem(x, y, size=size, pen=pg.mkPen(ink), brush=pg.mkBrush(inks.paper)))
        plot.addItem(pg.InfiniteLine(sheet.day_now, pen=pg.mkPen(inks.ink, width=1, style=Qt.PenStyle.DashLine)))
        top = max([high, *(p.loss for p in sheet.points), *([sheet.forecast[0]] if sheet.forecast else [])])
        plot.setXRange(0, end * 1.02, padding=0)
        plot.setYRange(min(0.0, *(p.loss for p in sheet.points), 0.0) - 0.4, 1.1 * top, padding=0)
        words = _("Loss, % of the weight at setting")
        legend = _("Shaded: where it may run. Large rings: the mean egg; small ones: marked eggs.")
        if sheet.forecast is not None:
            legend += _(" Line and fan from now on: if the last day's humidity stays; dashed: if it is held as asked.")
        self._legend.setText(legend)
        size, color = self._theme.px(12), inks.eggs
        plot.plotItem.setTitle(f'<span style="font-family:Inter;font-size:{size}px;color:{color}">{words}</span>')
        said = _("{points} weighings", points=len(sheet.points))
        if sheet.loss_now is not None:
            said += _(
                ", {loss_now:.1f} percent lost so far, {aim:g} wanted at lockdown", loss_now=sheet.loss_now[0], aim=aim
            )
        told = [
            (
                p.day,
                _(
                    "{day_words}, {mark}: {loss:.1f} ± {U:.1f} % lost",
                    day_words=sheet.course.day_words(p.day, 1),
                    mark=p.mark or _("mean egg"),
                    loss=p.loss,
                    U=NORMAL_95 * p.u,
                ),
            )
            for p in sorted(sheet.points, key=lambda p: p.day)
        ]
        plot.tell(_("Loss of weight"), said, told)

    def _forecasts(self, sheet: LossSheet) -> None:
        conductance = sheet.conductance
        if conductance is None or sheet.loss_now is None or sheet.day_now >= sheet.lockdown_day:
            return
        saturated = float(saturation_vapor_pressure(sheet.temperature_c))
        x0, u0 = float(sheet.now.deficit[0]), float(sheet.now.u[0])
        days = np.linspace(sheet.day_now, sheet.lockdown_day, 30)

        def ahead(rh: float) -> tuple[Any, Any]:
            x = x0 + (days - days[0]) * saturated * (1.0 - rh / 100.0)
            return moisture.loss_percent(conductance, x, u0)

        inks = self._theme.inks
        if sheet.mean_rh is not None:
            value, u = ahead(sheet.mean_rh)
            edge = [QPointF(a, b) for a, b in zip(days, value + FAN_K * u, strict=True)]
            edge += [QPointF(a, b) for a, b in zip(days[::-1], (value - FAN_K * u)[::-1], strict=True)]
            fan = QGraphicsPolygonItem(QPolygonF(edge))
            tint = QColor(inks.moisture)
            tint.setAlpha(50)
            fan.setBrush(tint)
            fan.setPen(pg.mkPen(None))
            self.plot.addItem(fan)
            self.plot.addItem(pg.PlotCurveItem(days, value, pen=pg.mkPen(inks.moisture, width=1)))
        if sheet.target is not None:
            value, _rest = ahead(sheet.target.rh)
            pen = pg.mkPen(inks.moisture, width=1, style=Qt.PenStyle.DashLine)
            self.plot.addItem(pg.PlotCurveItem(days, value, pen=pen))
        past = np.linspace(0.0, 1.0, 2)
        lost = moisture.loss_percent(conductance, past * x0)[0]
        self.plot.addItem(pg.PlotCurveItem(past * sheet.day_now, lost, pen=pg.mkPen(inks.muted, width=1)))
