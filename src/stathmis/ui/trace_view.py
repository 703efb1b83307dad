"""Trace: the whole run of a batch as corrected curves over its bands, with events and the time on profile."""

from __future__ import annotations

from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtGui import QColor
from PySide6.QtWidgets import QCheckBox, QFileDialog, QGridLayout, QHBoxLayout, QVBoxLayout

from stathmis.core.calibration import NORMAL_95
from stathmis.core.psychrometrics import dew_point
from stathmis.core.units import from_inside
from stathmis.exchange.logger_csv import CancelledError
from stathmis.logbook.records import Quantity
from stathmis.services import judgement, notify, readings_export, trace
from stathmis.services.batches import Course
from stathmis.services.judgement import EggExcursion, EggTrace, Followed
from stathmis.services.rounds import EVENT_WORDS
from stathmis.services.trace import BatchTrace, QuantityTrace, Run
from stathmis.services.wording import count, number, unit_word, with_u
from stathmis.services.workbench import Workbench
from stathmis.ui.background import Task
from stathmis.ui.pieces import FoldingView, button, clear, label, scrolling_page
from stathmis.ui.share_bar import ShareBar, percent
from stathmis.ui.theme import Theme

if TYPE_CHECKING:
    import pyqtgraph as pg

    from stathmis.ui.chart import DayAxis

EXCURSIONS_SHOWN = 8
QUANTITIES: tuple[Quantity, Quantity] = ("temperature", "humidity")


class TraceView(FoldingView):
    """The trace of the batch in view."""

    def __init__(self, bench: Workbench, theme: Theme) -> None:
        super().__init__(theme, 880)
        self.setObjectName("page")
        self._bench, self._theme = bench, theme
        self._course: Course | None = None
        self.traced: BatchTrace | None = None
        self.eggs: EggTrace | None = None
        self._followed: Followed | None = None
        self._plots: dict[str, pg.PlotWidget] = {}
        self._axes: dict[str, DayAxis] = {}
        self._task: Task | None = None
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        area, layout = scrolling_page()
        outer.addWidget(area)
        layout.setContentsMargins(32, 8, 32, 8)
        layout.setSpacing(4)
        folding = self.folding_row()
        tools, ranges = QHBoxLayout(), QHBoxLayout()
        tools.setSpacing(12)
        ranges.setSpacing(8)
        self.raw = QCheckBox("as &shown (raw)")
        self.others = QCheckBox("&all instruments")
        self.core = QCheckBox("e&gg core")
        self.core.setChecked(True)
        for box in (self.core, self.raw, self.others):
            box.toggled.connect(self._draw)
            tools.addWidget(box)
        tools.addStretch(1)
        for text, days in (("Last &day", 1.0), ("Last &week", 7.0), ("Whole &run", 0.0)):
            ranges.addWidget(button(text, partial(self.show_days, days)))
        self._export = button("&Export…", self.export)
        ranges.addWidget(self._export)
        folding.addLayout(tools, 1)
        folding.addLayout(ranges)
        layout.addLayout(folding)
        self._note = label("", "muted", wrap=True)
        layout.addWidget(self._note)
        self._charts = QVBoxLayout()
        layout.addLayout(self._charts, 1)
        self._cross = label("", "small")
        layout.addWidget(self._cross)
        self._shares = QVBoxLayout()
        layout.addLayout(self._shares)
        theme.changed.connect(self._restyle)

    def fold(self) -> bool:
        """In a narrow page the bars of time give way to their numbers."""
        changed = super().fold()
        if changed:
            self._draw()
        return changed

    def show_course(self, course: Course | None) -> None:
        """Show a batch's trace; it is read off the window's thread."""
        new = course is None or self._course is None or course.batch.id != self._course.batch.id
        self._course = course
        if new:
            self.traced, self.eggs, self._followed = None, None, None
            self._draw()
        if course is None:
            self._note.setText("No batch is set here, so there is no run to draw.")
            self._note.show()
            return
        bench = self._bench
        _ = bench.corrections  # read once here, not by the worker
        self._task = Task(lambda progress, cancelled: _load(bench, course))
        self._task.done.connect(lambda found: self._arrived(found, keep_view=not new))
        self._task.failed.connect(notify.tell_error)
        self._task.start()

    def _arrived(self, found: Followed, *, keep_view: bool) -> None:
        if self._course is None or found.trace.course.batch.id != self._course.batch.id:
            return
        self._followed, self.traced, self.eggs = found, found.trace, found.eggs
        self._draw()
        if not keep_view:
            self.show_days(0.0)

    def _make_plots(self) -> None:
        """pyqtgraph is heavy: it is loaded when the first trace is drawn."""
        from stathmis.ui.chart import DayAxis, styled_plot

        for quantity in QUANTITIES:
            axis = DayAxis(self._bench.local)
            plot = styled_plot(self._theme, {"bottom": axis})
            plot.setMouseEnabled(x=True, y=False)
            self._set_height(plot)
            plot.setAccessibleName(f"Chart of {quantity} over the run")
            plot.scene().sigMouseMoved.connect(lambda pos, q=quantity: self._show_cross(q, pos))
            self._plots[quantity], self._axes[quantity] = plot, axis
            self._charts.addWidget(plot, 1)
        self._plots["humidity"].setXLink(self._plots["temperature"])

    def _set_height(self, plot: pg.PlotWidget) -> None:
        # a plot wants more room than both of them and the words below have
        plot.setMinimumHeight(self._theme.px(150))
        plot.setMaximumHeight(self._theme.px(230))

    def _restyle(self) -> None:
        if self._plots:
            from stathmis.ui.chart import restyle

            for plot in self._plots.values():
                restyle(plot, self._theme)
                self._set_height(plot)
            self._draw()

    def _draw(self) -> None:
        traced = self.traced
        self._export.setEnabled(traced is not None)
        clear(self._shares)
        for plot in self._plots.values():
            plot.clear()
            plot.setVisible(traced is not None)
        if traced is None:
            return
        if not self._plots:
            self._make_plots()
        empty = not traced.temperature.runs and not traced.humidity.runs
        self._note.setText("No readings in this run yet: log a round, or bring in a logger's file." if empty else "")
        self._note.setVisible(empty)
        for quantity, found in zip(QUANTITIES, (traced.temperature, traced.humidity), strict=True):
            self._plots[quantity].setVisible(bool(found.runs))
            if found.runs:
                self._draw_quantity(traced, found)
        if not empty:
            self._show_shares(traced)

    def _draw_quantity(self, traced: BatchTrace, found: QuantityTrace) -> None:
        import pyqtgraph as pg

        from stathmis.ui.chart import Curve, band_item, edge_line

        quantity, theme = found.quantity, self._theme
        unit = self._bench.shown_unit(quantity)
        plot, color = self._plots[quantity], theme.inks.of(quantity)
        set_ms = float(traced.course.batch.set_ms)
        self._axes[quantity].set_ms = set_ms
        self._axes[quantity].day_words = traced.course.day_words
        edges = []
        for phase in traced.course.phases:
            band = phase.temperature_c if quantity == "temperature" else phase.humidity
            if band is not None and phase.name != "warm-up":
                low, high = (float(from_inside(v, unit)) for v in (band.low, band.high))
                edges += [low, high]
                plot.addItem(band_item(phase.start_day, phase.end_day, low, high, color, theme.inks.tint + 8))
                for level in (low, high):
                    plot.addItem(edge_line(phase.start_day, phase.end_day, level, color))
        main, *rest = found.runs
        for run in rest if self.others.isChecked() else ():
            self._dots(plot, run, unit, set_ms, theme.inks.muted)
        values = np.asarray(from_inside(main.corrected, unit))
        if main.dense:
            plot.addItem(Curve(main.times_ms, values, set_ms, main.max_gap_s, pg.mkPen(color, width=1)))
        else:
            self._dots(plot, main, unit, set_ms, color.name())
        if quantity == "temperature" and self.core.isChecked() and self.eggs is not None and main.dense:
            core = np.asarray(from_inside(self.eggs.core, unit))
            known = np.isfinite(core)
            pen = pg.mkPen(QColor(theme.inks.eggs), width=1)
            plot.addItem(Curve(main.times_ms[known], core[known], set_ms, main.max_gap_s, pen))
        if self.raw.isChecked():
            raw = np.asarray(from_inside(main.shown, unit))
            plot.addItem(Curve(main.times_ms, raw, set_ms, main.max_gap_s, pg.mkPen(theme.inks.muted, width=1)))
        self._mark_events(plot, traced, quantity)
        now = (traced.until_ms - set_ms) / 86_400_000
        plot.addItem(pg.InfiniteLine(now, pen=pg.mkPen(theme.inks.ink, width=1, style=Qt.PenStyle.DashLine)))
        # a lid opening may fall far below: what is rare runs off the edge
        often = [float(from_inside(v, unit)) for v in main.typical]
        low, high = min([*edges, often[0]]), max([*edges, often[1]])
        margin = 0.12 * (high - low)
        plot.setYRange(low - margin, high + margin, padding=0)
        plot.getAxis("left").setLabel("")
        word = {"temperature": "Heat", "humidity": "Moisture"}[quantity]
        plot.plotItem.setTitle(
            f'<span style="font-family:Inter;font-size:{theme.px(12)}px;color:{color.name()}">{word}, '
            f"{unit_word(unit)} · {_safe(main.instrument.name)}, corrected</span>"
        )

    @staticmethod
    def _dots(plot: Any, run: Run, unit: Any, set_ms: float, color: str) -> None:
        import pyqtgraph as pg

        days = (run.times_ms - set_ms) / 86_400_000
        values = np.asarray(from_inside(run.corrected, unit))
        plot.addItem(pg.ScatterPlotItem(days, values, size=5, pen=pg.mkPen(color), brush=pg.mkBrush(None)))

    def _mark_events(self, plot: Any, traced: BatchTrace, quantity: Quantity) -> None:
        import pyqtgraph as pg

        pen = pg.mkPen(self._theme.inks.muted, width=1, style=Qt.PenStyle.DotLine)
        per_day = plot.width() / (traced.course.phases[-1].end_day - traced.course.phases[0].start_day)
        # water, which is frequent, in one line of words, and the rest under it; a word without room is left out
        free_from = {True: -1e9, False: -1e9}
        for event in traced.events:
            day = traced.course.day(event.time_ms)
            line = pg.InfiniteLine(day, pen=pen)
            line.setZValue(-10)
            word, water = EVENT_WORDS[event.kind].split()[0].lower(), event.kind == "water"
            if quantity == "temperature" and day * per_day >= free_from[water]:
                free_from[water] = day * per_day + self._theme.px(8 + 7 * len(word))
                ends = [(0, 0.5), (0, 0.5)]
                at = 0.96 if water else 0.88
                flag = pg.InfLineLabel(line, word, position=at, color=self._theme.inks.muted, anchors=ends)
                flag.setFont(self._theme.font(11))
            plot.addItem(line)

    def show_days(self, days: float) -> None:
        """Show the last days, or with 0 the whole course."""
        if self.traced is None or not self._plots:
            return
        course = self.traced.course
        until = course.day(self.traced.until_ms)
        if days:
            self._plots["temperature"].setXRange(until - days, until, padding=0.01)
        else:
            self._plots["temperature"].setXRange(course.phases[0].start_day, course.phases[-1].end_day, padding=0.0)

    def _show_cross(self, quantity: str, position: Any) -> None:
        """Read-out under the pointer."""
        if self.traced is None:
            return
        found = self.traced.temperature if quantity == "temperature" else self.traced.humidity
        if not found.runs:
            return
        day = self._plots[quantity].plotItem.vb.mapSceneToView(position).x()
        at_ms = self.traced.course.at_ms(day)
        run = found.runs[0]
        i = int(np.clip(np.searchsorted(run.times_ms, at_ms), 0, run.times_ms.size - 1))
        if abs(run.times_ms[i] - at_ms) > run.max_gap_s * 1000:
            self._cross.setText("nothing was read here")
            return
        unit = self._bench.shown_unit(found.quantity)
        when = self._bench.local(int(run.times_ms[i]))
        corrected = with_u(float(run.corrected[i]), NORMAL_95 * float(run.u[i]), found.quantity, unit)
        numbered = self.traced.course.day_words(day, 1)
        text = f"{when:%a %d %b %H:%M}, {numbered}: corrected {corrected}, shown "
        text += number(float(run.shown[i]), found.quantity, unit)
        self._cross.setText(text + self._also_at(found.quantity, int(run.times_ms[i]), i))

    def _also_at(self, quantity: Quantity, at_ms: int, i: int) -> str:
        """Egg core beside the air, dew point beside the humidity."""
        assert self.traced is not None
        unit = self._bench.temperature_unit
        if quantity == "temperature":
            known = self.eggs is not None and np.isfinite(self.eggs.core[i])
            return f", egg core {number(float(self.eggs.core[i]), 'temperature', unit)}" if known else ""  # type: ignore[union-attr]
        if not self.traced.temperature.runs:
            return ""
        air, moist = self.traced.temperature.runs[0], self.traced.humidity.runs[0]
        near = int(np.clip(np.searchsorted(air.times_ms, at_ms), 0, air.times_ms.size - 1))
        if abs(int(air.times_ms[near]) - at_ms) > air.max_gap_s * 1000:
            return ""
        dew = float(dew_point(float(air.corrected[near]), max(1.0, float(moist.corrected[i]))))
        return f", dew point {number(dew, 'temperature', unit)}"

    def _show_shares(self, traced: BatchTrace) -> None:
        grid = QGridLayout()
        grid.setHorizontalSpacing(8 if self.narrow else 16)
        grid.setVerticalSpacing(4)
        titles = ("time so far", "", "mean", "inside", "outside", "can't tell", "unknown", "> 10 min out")
        for column, text in enumerate(titles):
            heading = label(text, "small")
            if column > 1:
                heading.setAlignment(Qt.AlignmentFlag.AlignRight)
            grid.addWidget(heading, 0, column)
        grid.setColumnStretch(1, 1)
        row = 1
        for found in (traced.temperature, traced.humidity):
            unit = self._bench.shown_unit(found.quantity)
            for share in found.shares:
                a = share.adherence
                total = a.known_s + a.unknown_s
                word = "Heat" if found.quantity == "temperature" else "Moisture"
                ink = "heat" if found.quantity == "temperature" else "moisture"
                grid.addWidget(label(f"{word}, {share.phase}", ink=ink, wrap=self.narrow), row, 0)
                bar = ShareBar(self._theme, found.quantity, a)
                parts = [percent(p, total) for p in (a.inside_s, a.outside_s, a.undecided_s, a.unknown_s)]
                bar.setAccessibleName(f"{word}: inside {parts[0]}, outside {parts[1]}, unknown {parts[3]}")
                if not self.narrow:
                    grid.addWidget(bar, row, 1)
                mean = number(a.mean, found.quantity, unit) if a.known_s > 0 else "–"
                for column, text in enumerate((mean, *parts, str(trace.lasting(a))), start=2):
                    cell = label(text)
                    cell.setAlignment(Qt.AlignmentFlag.AlignRight)
                    grid.addWidget(cell, row, column)
                row += 1
        self._shares.addLayout(grid)
        self._show_eggs()

    def _show_eggs(self) -> None:
        """What the run says about the eggs, and each excursion with a button that goes there."""
        if self._followed is None or self.eggs is None:
            return
        unit = self._bench.temperature_unit
        self._shares.addSpacing(6)
        self._shares.addWidget(label("The eggs", "heading"))
        said = " ".join(judgement.summary(self._followed, unit))
        self._shares.addWidget(label(said or "Less than a day known so far.", "", wrap=True))
        if not self.eggs.excursions:
            self._shares.addWidget(label("No excursion of the eggs' own temperature.", "muted", wrap=True))
        told = [e for e in self.eggs.excursions if e.worth_telling]
        dips = len(self.eggs.excursions) - len(told)
        if dips:
            words = f"{count(dips, 'short dip')} of the eggs' temperature, too small to matter."
            self._shares.addWidget(label(words, "muted", wrap=True))
        for excursion in sorted(told, key=lambda e: -e.start_ms)[:EXCURSIONS_SHOWN]:
            row = QHBoxLayout()
            row.setSpacing(12)
            when = f"{self._bench.local(excursion.start_ms):%a %d %b %H:%M}"
            go = button(when, partial(self.show_around, excursion), "link")
            go.setAccessibleName(f"Go to {when}")
            row.addWidget(go)
            ink = {"serious": "outside", "matters": "undecided"}.get(excursion.weight, "")
            row.addWidget(label(judgement.excursion_words(excursion, unit), "", ink, wrap=True), 1)
            self._shares.addLayout(row)

    def show_around(self, excursion: EggExcursion) -> None:
        """Show an excursion with some hours about it."""
        if self.traced is None or not self._plots:
            return
        course = self.traced.course
        margin = max(0.15, 0.6 * excursion.hours / 24.0)
        left, right = course.day(excursion.start_ms) - margin, course.day(excursion.end_ms) + margin
        self._plots["temperature"].setXRange(left, right, padding=0)

    def export(self) -> None:
        """Write all readings of this run, corrected and raw, to a CSV file the keeper chooses."""
        if self.traced is None:
            return
        name = f"{self.traced.course.batch.name} readings.csv".replace("/", "-")
        chosen, _ = QFileDialog.getSaveFileName(self, "Export readings", str(Path.home() / name), "CSV (*.csv)")
        if chosen:
            self.export_to(Path(chosen))

    def export_to(self, path: Path) -> Task:
        """Write the export to a path, off the window's thread."""
        traced, bench = self.traced, self._bench
        assert traced is not None
        task = Task(
            lambda progress, cancelled: readings_export.export_readings(bench, traced, path, progress, cancelled)
        )
        self._export.setText("Stop the export")
        self._export.clicked.disconnect()
        self._export.clicked.connect(task.cancel)
        task.progressed.connect(lambda fraction: self._export.setText(f"Stop the export ({fraction:.0%})"))

        def ended(outcome: object) -> None:
            self._export.setText("&Export…")
            self._export.clicked.disconnect()
            self._export.clicked.connect(lambda _checked=False: self.export())
            if isinstance(outcome, CancelledError):
                notify.tell("info", "Export stopped; no file was written.")
            elif isinstance(outcome, BaseException):
                notify.tell_error(outcome)
            else:
                notify.tell("info", f"{count(int(str(outcome)), 'reading')} written to {path.name}.")

        task.done.connect(ended)
        task.failed.connect(ended)
        return task.start()


def _safe(text: str) -> str:
    return text.replace("&", "&amp;").replace("<", "&lt;")


def _load(bench: Workbench, course: Course) -> Followed:
    """Read and judge on the worker's thread; the chart library is loaded there too, so that the window goes on."""
    import pyqtgraph  # noqa: F401

    return judgement.follow(bench, course)
