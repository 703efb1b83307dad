"""The drift chart: the error found by each check with its U, the fitted drift with its band, and the tolerance."""

from __future__ import annotations

import numpy as np
from PySide6.QtGui import QColor
from PySide6.QtWidgets import QVBoxLayout, QWidget

from stathmis.services.clock import DAY_MS
from stathmis.services.desk import Desk
from stathmis.services.instruments.history import History
from stathmis.ui.chart import restyle, styled_plot
from stathmis.ui.chart_library import pg
from stathmis.ui.kit.pieces import label
from stathmis.ui.theme import Theme
from stathmis.words import dates
from stathmis.words.catalogue import _, as_number
from stathmis.words.numbers import places_for, signed, unit_word


class _DateAxis(pg.AxisItem):  # type: ignore[misc]
    """Days since 1970 shown as months."""

    def __init__(self, desk: Desk) -> None:
        super().__init__("bottom")
        self._desk = desk

    def tickStrings(self, values: list[float], scale: float, spacing: float) -> list[str]:
        """ "Mar 2026"; the day too where ticks are close."""
        found = [self._desk.book.local(v * DAY_MS) for v in values]
        return [f"{dates.month(at)} {at.year}" if spacing >= 27 else dates.day(at) for at in found]


class DriftChart(QWidget):
    """Error at the working point over time."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self._desk, self._theme = desk, theme
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        self._caption = label("", "small", wrap=True)
        layout.addWidget(self._caption)
        self.plot = styled_plot(theme, {"bottom": _DateAxis(desk)})
        self.plot.setMouseEnabled(x=False, y=False)
        self.plot.tell(_("Error over time, with its drift"), _("no check yet"))
        layout.addWidget(self.plot)
        theme.changed.connect(self._restyle)

    def _restyle(self) -> None:
        restyle(self.plot, self._theme)

    def show_history(self, found: History) -> None:
        """Draw checks, drift and tolerance."""
        self.plot.clear()
        if not found.checks or found.drift is None:
            return
        inks = self._theme.inks
        color = inks.of(found.channel.quantity)
        days = np.array([c.calibration.done_ms / DAY_MS for c in found.checks])
        errors, U = np.array([c.error for c in found.checks]), np.array([c.U for c in found.checks])
        today = self._desk.now_ms / DAY_MS
        ends = [today + 30.0, *(m / DAY_MS for m in (found.due_ms, found.leaves_ms) if m is not None)]
        left, right = float(days.min()) - 15.0, min(max(ends) + 20.0, today + 800.0)
        grid = np.linspace(left, right, 200)
        grid = grid[grid >= days.min()] if not found.drift.fitted else grid
        value, band = found.drift.at(grid)
        upper, lower = pg.PlotCurveItem(grid, value + band), pg.PlotCurveItem(grid, value - band)
        tint = QColor(color)
        tint.setAlpha(inks.tint + 20)
        self.plot.addItem(pg.FillBetweenItem(lower, upper, brush=tint))
        for edge in (upper, lower):
            edge.setPen(pg.mkPen(color, width=1))
            self.plot.addItem(edge)
        self.plot.addItem(pg.PlotCurveItem(grid, value, pen=pg.mkPen(color, width=2), antialias=True))
        for side in (-1.0, 1.0):
            level = found.in_force_error + side * found.tolerance
            self.plot.addItem(pg.InfiniteLine(level, angle=0, pen=pg.mkPen(inks.ink, width=1)))
        now = pg.InfiniteLine(today, angle=90, pen=pg.mkPen(inks.rule, width=2))
        self.plot.addItem(now)
        beam = 0.006 * (right - left)
        self.plot.addItem(pg.ErrorBarItem(x=days, y=errors, top=U, bottom=U, beam=beam, pen=pg.mkPen(inks.ink)))
        rim = pg.mkPen(inks.ink, width=2)
        self.plot.addItem(pg.ScatterPlotItem(days, errors, size=9, pen=rim, brush=pg.mkBrush(inks.card)))
        self.plot.setXRange(left, right, padding=0)
        room = 1.25 * found.tolerance
        low = min(float((errors - U).min()), found.in_force_error - room)
        high = max(float((errors + U).max()), found.in_force_error + room)
        self.plot.setYRange(low, high, padding=0.03)
        unit, places = unit_word(found.channel.unit), places_for(found.channel.resolution / 10)
        told = [
            (
                c.calibration.done_ms / DAY_MS,
                _(
                    "{done_ms}: error {error} ± {u} {unit}",
                    done_ms=dates.day(self._desk.book.local(c.calibration.done_ms), year=True),
                    error=signed(c.error, places),
                    u=as_number(c.U, f".{places}f"),
                    unit=unit,
                ),
            )
            for c in found.checks
        ]
        self.plot.tell(_("Error over time, with its drift"), told[-1][1], told)
        self._caption.setText(
            _(
                "error at the working point, {unit_word}; straight lines: what its correction may miss; upright: today",
                unit_word=unit_word(found.channel.unit),
            )
        )
