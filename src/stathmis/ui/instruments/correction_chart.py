"""The correction chart: points with their uncertainty, the fitted curve with its ± U band, the working zone."""

from __future__ import annotations

import numpy as np
from PySide6.QtGui import QColor
from PySide6.QtWidgets import QVBoxLayout, QWidget

from stathmis.core.calibration import Correction
from stathmis.core.units import from_inside
from stathmis.logbook.records import Channel
from stathmis.services.instruments.checking import Check
from stathmis.ui.chart import restyle, styled_plot
from stathmis.ui.chart_library import pg
from stathmis.ui.kit.pieces import label
from stathmis.ui.theme import Theme
from stathmis.words.catalogue import _, as_number
from stathmis.words.numbers import places_for, signed, unit_word


class CorrectionChart(QWidget):
    """What must be added, against what the instrument shows."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        self._caption = label("", "small", wrap=True)
        layout.addWidget(self._caption)
        self.plot = styled_plot(theme)
        self.plot.setMouseEnabled(x=False, y=False)
        self.plot.tell(_("Correction against the reading"), _("nothing typed yet"))
        layout.addWidget(self.plot)
        theme.changed.connect(self._restyle)

    def _restyle(self) -> None:
        restyle(self.plot, self._theme)

    def show_check(self, check: Check | None, zone: tuple[float, float]) -> None:
        """Draw a check; zone in °C or %."""
        if check is None or not check.points:
            self.plot.clear()
            self._caption.setText("")
            return
        x = np.array([p.reading for p in check.points])
        y = np.array([p.reference - p.reading for p in check.points])
        u = np.array([np.hypot(p.u_reading, p.u_reference) for p in check.points])
        suspects = check.fitted.suspects if check.fitted is not None else ()
        self.draw(check.channel, check.correction, (x, y, u), zone, suspects)

    def draw(
        self,
        channel: Channel,
        correction: Correction | None,
        points: tuple[np.ndarray, np.ndarray, np.ndarray],
        zone: tuple[float, float],
        suspects: tuple[int, ...] = (),
    ) -> None:
        """Draw points (reading, correction, standard uncertainty) with their curve; zone in °C or %."""
        self.plot.clear()
        inks = self._theme.inks
        x, y, u_points = points
        wide = 2.0 * u_points
        color = inks.of(channel.quantity)
        low, high = (float(from_inside(v, channel.unit)) for v in zone)
        if correction is not None:
            # the zone is of true values; on this axis it lies where the instrument shows them
            low, high = (correction.reading_for(v) for v in (low, high))
        left, right = min(x.min(), low), max(x.max(), high)
        margin = 0.08 * (right - left) or 1.0
        left, right = left - margin, right + margin
        region = pg.LinearRegionItem(
            (low, high), movable=False, pen=pg.mkPen(inks.ink), brush=_tinted(color, inks.tint)
        )
        region.setZValue(-20)
        self.plot.addItem(region)
        bottom, top = (y - wide).min(), (y + wide).max()
        if correction is not None:
            edges = self._curve(correction, left, right, color)
            bottom, top = min(bottom, edges[0]), max(top, edges[1])
        bars = pg.ErrorBarItem(x=x, y=y, top=wide, bottom=wide, beam=0.01 * (right - left), pen=pg.mkPen(inks.ink))
        self.plot.addItem(bars)
        rim = pg.mkPen(inks.ink, width=2)
        self.plot.addItem(pg.ScatterPlotItem(x, y, size=9, pen=rim, brush=pg.mkBrush(inks.card)))
        if suspects:
            odd = list(suspects)
            ring = pg.ScatterPlotItem(x[odd], y[odd], size=20, pen=pg.mkPen(inks.bad, width=2), brush=None, symbol="d")
            self.plot.addItem(ring)
        self.plot.addItem(pg.InfiniteLine(0.0, angle=0, pen=pg.mkPen(inks.rule)))
        self.plot.setXRange(left, right, padding=0)
        pad = 0.1 * (top - bottom) or 0.1
        self.plot.setYRange(min(bottom, 0.0) - pad, max(top, 0.0) + pad, padding=0)
        unit, places = unit_word(channel.unit), places_for(channel.resolution / 10)
        told = sorted(
            (
                float(a),
                _(
                    "shows {a}: add {b} ± {c} {unit}",
                    a=as_number(a, f".{places}f"),
                    b=signed(float(b), places),
                    c=as_number(c, f".{places}f"),
                    unit=unit,
                ),
            )
            for a, b, c in zip(x, y, wide, strict=True)
        )
        self.plot.tell(_("Correction against the reading"), _("{told} points", told=len(told)), told)
        self._caption.setText(_("{unit} to add, by what it shows; upright: working zone", unit=unit))

    def _curve(self, correction: Correction, left: float, right: float, color: QColor) -> tuple[float, float]:
        """The curve with its ± U, and the lowest and highest of it."""
        grid = np.linspace(left, right, 200)
        value, u = correction.apply(grid)
        curve, band = value - grid, u * correction.coverage_factor
        upper, lower = pg.PlotCurveItem(grid, curve + band), pg.PlotCurveItem(grid, curve - band)
        for edge in (upper, lower):
            edge.setPen(pg.mkPen(color, width=1))
            self.plot.addItem(edge)
        self.plot.addItem(pg.FillBetweenItem(lower, upper, brush=_tinted(color, self._theme.inks.tint + 20)))
        self.plot.addItem(pg.PlotCurveItem(grid, curve, pen=pg.mkPen(color, width=2), antialias=True))
        return float((curve - band).min()), float((curve + band).max())


def _tinted(color: QColor, alpha: int) -> QColor:
    made = QColor(color)
    made.setAlpha(alpha)
    return made
