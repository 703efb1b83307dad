"""Trace: the whole run of a batch as corrected curves over its bands, with events and the time on profile."""

from __future__ import annotations

from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np
from PySide6.QtCore import Signal
from PySide6.QtGui import QAction
from PySide6.QtWidgets import QBoxLayout, QFileDialog, QMenu
from shiboken6 import isValid

from stathmis.core.psychrometrics import dew_point
from stathmis.core.series import Pyramid
from stathmis.core.uncertainty import NORMAL_95
from stathmis.core.units import Quantity
from stathmis.exchange.logger_csv import CancelledError
from stathmis.services import notify
from stathmis.services.batch import batches
from stathmis.services.batch.course import Course
from stathmis.services.book import Book
from stathmis.services.desk import Desk
from stathmis.services.files import readings_export
from stathmis.services.findings import judgement, trace
from stathmis.services.findings.judgement import EggExcursion, EggTrace, JudgedRun
from stathmis.services.findings.trace import BatchTrace
from stathmis.ui import work
from stathmis.ui.kit.fields import Chooser
from stathmis.ui.kit.page import Page, column, row
from stathmis.ui.kit.pieces import button, label, say
from stathmis.ui.theme import Theme
from stathmis.ui.trace_curves import CURVES
from stathmis.ui.trace_words import TraceWords
from stathmis.ui.work import Background, Latest
from stathmis.words import dates
from stathmis.words.catalogue import _
from stathmis.words.numbers import count, number, with_u
from stathmis.words.pages import empty

if TYPE_CHECKING:
    from stathmis.services.findings.ahead import Ahead
    from stathmis.ui.trace_charts import TraceCharts


AHEAD_DAYS = 2.0
"""A stretch of the last days shows so many to come."""
TURN_MS = 10
"""After the words the window answers so long before the curves are drawn."""
FIRST_PICTURE_MS = 30
"""The first picture gets this long to be painted before the whole run is read."""


class TraceView(Page):
    """The trace of the batch in view; judged_anew carries what was found out about it."""

    judged_anew = Signal(object)

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__(theme, 880)
        self.setObjectName("page")
        self._desk, self._theme = desk, theme
        self._course: Course | None = None
        self.traced: BatchTrace | None = None
        self._whole: JudgedRun | None = None
        self._beside: BatchTrace | None = None
        self._pyramids: list[tuple[Any, Pyramid]] = []
        self.charts: TraceCharts | None = None
        self._latest, self._looking = Latest(), Latest()
        self.ahead: Ahead | None = None
        self.page.setContentsMargins(32, 8, 32, 8)
        self.page.setSpacing(4)
        self._note, self._cross = label("", "muted", wrap=True), label("", "small")
        self._charts = column()
        self.words = TraceWords(desk, theme)
        self.words.wanted.connect(self.show_around)
        self.page.addLayout(self._tools())
        self.page.addWidget(self._note)
        self.page.addLayout(self._charts, 1)
        self.page.addWidget(self._cross)
        self.page.addWidget(self.words)
        theme.changed.connect(self._restyle)

    def _tools(self) -> QBoxLayout:
        from_menu = button(_("&Curves"), lambda: None)
        menu = QMenu(from_menu)
        self.curves: dict[str, QAction] = {}
        for key, text in CURVES.items():
            made = menu.addAction(text)
            made.setCheckable(True)
            made.setChecked(key in ("ribbon", "core", "ahead"))
            made.toggled.connect(self._draw)
            self.curves[key] = made
        from_menu.setMenu(menu)
        name = _("Another run to lay beside this one, day by day")
        self.beside = Chooser(name, picked=lambda _id: self.show_course(self._course), yielding=True)
        self._theme.fit(self.beside, MinimumWidth=230)
        ranges = ((_("Last &day"), 1.0), (_("Last &week"), 7.0), (_("Whole &run"), 0.0))
        stretches = [button(text, partial(self.show_days, days)) for text, days in ranges]
        self.stages = button(_("S&tage"), lambda: None)
        self.stages.setMenu(QMenu(self.stages))
        self._export = button(_("&Export"), lambda: None)
        exports = QMenu(self._export)
        exports.addAction(_("Readings, as CSV…")).triggered.connect(lambda _checked=False: self.export())
        exports.addAction(_("This picture…")).triggered.connect(lambda _checked=False: self.export_picture())
        self._export.setMenu(exports)
        self._stop = button("", lambda: None)
        self._stop.setParent(self)
        self._stop.hide()
        folding = self.folding_row()
        folding.addLayout(row(from_menu, self.beside, 1), 1)
        folding.addLayout(row(*stretches))
        folding.addLayout(row(self.stages, self._export, self._stop, 1))
        return folding

    @property
    def eggs(self) -> EggTrace | None:
        """What the run says about the eggs, None while it is read."""
        return self._whole.eggs if self._whole else None

    def fold(self) -> bool:
        """In a narrow page the bars of time give way to their numbers."""
        changed = super().fold()
        if changed:
            self.words.show_words(self._whole, narrow=self.narrow)
        return changed

    def show_course(self, course: Course | None) -> None:
        """Show a batch's trace; it is read off the window's thread."""
        new = course is None or self._course is None or course.batch.id != self._course.batch.id
        self._course = course
        if new:
            self.traced, self._whole, self._beside, self.ahead = None, None, None, None
            self._looking.forget()
            self._draw()
            self.words.show_words(None, narrow=self.narrow)
        self._offer(course, new=new)
        if course is None:
            self._note.setText(empty("trace"))
            self._note.show()
            return
        desk = self._desk
        _ = desk.book.corrections  # read once here, not by the worker
        if not new:
            self._read_whole(course)
            return
        # a first picture of a long run at once, and only then the whole of it: they would slow each other down
        book = desk.book
        self._latest.start(
            lambda progress, cancelled: trace.outline(book, course),
            partial(self._outline_arrived, course),
            notify.tell_error,
        )

    def _read_whole(self, course: Course) -> None:
        desk, beside = self._desk, self._chosen_beside(course)
        book = desk.book
        self._latest.start(
            lambda progress, cancelled: _load(book, course, beside),
            lambda found: self._arrived(found, keep_view=self.traced is not None),
            notify.tell_error,
        )

    def _offer(self, course: Course | None, *, new: bool) -> None:
        """Stages of this course, and other runs to lay beside it."""
        self.stages.setEnabled(course is not None)
        self.beside.setEnabled(course is not None)
        if course is None:
            return
        menu = self.stages.menu()
        menu.clear()
        for phase in course.phases:
            words = f"{phase.title or _(phase.name)}, {course.day_words(phase.start_day)}"
            chosen = partial(self._show_phase, phase.start_day, phase.end_day)
            menu.addAction(words).triggered.connect(lambda _checked=False, go=chosen: go())
        others = [
            (_("beside: {batch}", batch=c.batch.name), c.batch.id) for c in batches.earlier(self._desk.book, course)
        ]
        chosen_id = None if new else self.beside.currentData()
        self.beside.offer([(_("no other run beside it"), None), *others], chosen_id)

    def _chosen_beside(self, course: Course) -> Course | None:
        wanted = self.beside.currentData()
        return next((c for c in batches.earlier(self._desk.book, course) if c.batch.id == wanted), None)

    def _outline_arrived(self, course: Course, found: BatchTrace | None) -> None:
        if self._course is None or course.batch.id != self._course.batch.id:
            return
        if found is None or self.traced is not None:
            self._read_whole(course)
            return
        self.traced = found
        self._draw()
        self.show_days(0.0)
        work.soon(self, lambda: self._read_whole(course), FIRST_PICTURE_MS)

    def _arrived(self, found: _Loaded, *, keep_view: bool) -> None:
        whole, beside, pyramids = found
        if self._course is None or whole.trace.course.batch.id != self._course.batch.id:
            return
        self._whole, self.traced, self._beside, self._pyramids = whole, whole.trace, beside, pyramids
        # words and empty charts first: the curves are then painted once, at the height that is left
        self.words.show_words(whole, narrow=self.narrow)
        charts = self.make_charts()
        charts.hold()
        charts.show()
        work.soon(self, lambda: self._draw_arrived(whole, keep_view=keep_view), TURN_MS)

    def _draw_arrived(self, whole: JudgedRun, *, keep_view: bool) -> None:
        if self._whole is not whole:
            return
        self._draw()
        if not keep_view:
            self.show_days(0.0)
        self.judged_anew.emit(whole)
        if whole.trace.course.batch.ended_ms is None:
            self._look_ahead(whole.trace.course)

    def _look_ahead(self, course: Course) -> None:
        """What comes over the next two days, once the run itself is drawn."""
        book = self._desk.book

        def looked() -> Ahead | None:
            # read in off the window's thread, like the log it works on
            from stathmis.services.findings import ahead

            return ahead.ahead(book, course.incubator, course)

        self._looking.find(looked, lambda found: self._looked_ahead(course, found))

    def _looked_ahead(self, course: Course, found: Ahead | None) -> None:
        if not isValid(self):
            # it came after the view had gone
            return
        fresh = self.ahead is not found
        if self._course is None or self._course.batch.id != course.batch.id or not fresh:
            return
        self.ahead = found
        if self.curves["ahead"].isChecked():
            self._draw()

    def _restyle(self) -> None:
        if self.charts is not None:
            self.charts.restyle()

    def make_charts(self) -> TraceCharts:
        """The charts; the library they are drawn with is heavy, so they are made when the first trace is drawn."""
        from stathmis.ui.trace_charts import TraceCharts

        if self.charts is None:
            self.charts = TraceCharts(self._desk, self._theme)
            self.charts.pointed.connect(self._show_cross)
            self._charts.addWidget(self.charts, 1)
        return self.charts

    def _draw(self) -> None:
        traced = self.traced
        self._export.setEnabled(self._whole is not None)
        if self.charts is not None:
            self.charts.setVisible(traced is not None)
        if traced is None:
            self._cross.setText("")
            return
        empty = not traced.temperature.runs and not traced.humidity.runs
        say(self._note, _("No readings in this run yet: log a round, or bring in a logger's file.") if empty else "")
        from stathmis.ui.trace_charts import Scene

        charts = self.make_charts()
        charts.adopt(self._pyramids)
        shown = frozenset(key for key, action in self.curves.items() if action.isChecked())
        charts.show_scene(Scene(traced, self._whole, self._beside, shown, self.ahead))

    def show_days(self, days: float) -> None:
        """Show the last days, or with 0 the whole course."""
        if self.traced is None or self.charts is None:
            return
        course = self.traced.course
        until = course.day(self.traced.until_ms)
        first, last = course.phases[0].start_day, course.phases[-1].end_day
        more = AHEAD_DAYS if self.ahead is not None and self.curves["ahead"].isChecked() else 0.02 * days
        self.charts.show_stretch(*((until - days, until + more) if days else (first, last)))

    def _show_phase(self, start_day: float, end_day: float) -> None:
        if self.charts is not None:
            self.charts.show_stretch(start_day, end_day)

    def _show_cross(self, quantity: Quantity, day: float) -> None:
        """Read-out under the pointer."""
        if self.traced is None:
            return
        found = self.traced.temperature if quantity == "temperature" else self.traced.humidity
        run = found.judged
        if run is None or self._whole is None:
            return
        at_ms = self.traced.course.at_ms(day)
        i = int(np.clip(np.searchsorted(run.times_ms, at_ms), 0, run.times_ms.size - 1))
        if abs(run.times_ms[i] - at_ms) > run.max_gap_s * 1000:
            self._cross.setText(_("nothing was read here"))
            return
        unit = self._desk.book.shown_unit(found.quantity)
        when = self._desk.book.local(int(run.times_ms[i]))
        corrected = with_u(float(run.corrected[i]), NORMAL_95 * float(run.u[i]), found.quantity, unit)
        numbered = self.traced.course.day_words(day, 1)
        text = _(
            "{when}, {numbered}: corrected {corrected}, shown ",
            when=dates.moment(when, weekday=True),
            numbered=numbered,
            corrected=corrected,
        )
        text += number(float(run.shown[i]), found.quantity, unit)
        text += self._also_at(found.quantity, int(run.times_ms[i]), i)
        self._cross.setText(text)
        if self.charts is not None:
            self.charts.tell(quantity, text)

    def _also_at(self, quantity: Quantity, at_ms: int, i: int) -> str:
        """Egg core beside the air, dew point beside the humidity."""
        assert self.traced is not None
        unit = self._desk.book.temperature_unit
        if quantity == "temperature":
            known = self.eggs is not None and np.isfinite(self.eggs.core[i])
            return _(", egg core {core}", core=number(float(self.eggs.core[i]), "temperature", unit)) if known else ""  # type: ignore[union-attr]
        air, moist = self.traced.temperature.judged, self.traced.humidity.judged
        if air is None or moist is None:
            return ""
        near = int(np.clip(np.searchsorted(air.times_ms, at_ms), 0, air.times_ms.size - 1))
        if abs(int(air.times_ms[near]) - at_ms) > air.max_gap_s * 1000:
            return ""
        dew = float(dew_point(float(air.corrected[near]), max(1.0, float(moist.corrected[i]))))
        return _(", dew point {dew}", dew=number(dew, "temperature", unit))

    def show_around(self, excursion: EggExcursion) -> None:
        """Show an excursion with some hours about it."""
        if self.traced is None or self.charts is None:
            return
        course = self.traced.course
        margin = max(0.15, 0.6 * excursion.hours / 24.0)
        self.charts.show_stretch(course.day(excursion.start_ms) - margin, course.day(excursion.end_ms) + margin)

    def export(self) -> None:
        """Write all readings of this run, corrected and raw, to a CSV file the keeper chooses."""
        if self.traced is None:
            return
        name = _("{batch} readings.csv", batch=self.traced.course.batch.name).replace("/", "-")
        chosen, _kind = QFileDialog.getSaveFileName(
            self, _("Export readings"), str(Path.home() / name), _("CSV (*.csv)")
        )
        if chosen:
            self.export_to(Path(chosen))

    def export_to(self, path: Path) -> Background:
        """Write the export to a path, off the window's thread."""
        traced, book = self.traced, self._desk.book
        assert traced is not None
        job = Background(
            lambda progress, cancelled: readings_export.export_readings(book, traced, path, progress, cancelled)
        )
        self._export.hide()
        self._stop.setText(_("Stop the export"))
        self._stop.show()
        self._stop.clicked.connect(job.cancel)
        job.progressed.connect(
            lambda fraction: self._stop.setText(_("Stop the export ({fraction})", fraction=f"{fraction:.0%}"))
        )

        def ended(outcome: object) -> None:
            self._stop.clicked.disconnect(job.cancel)
            self._stop.hide()
            self._export.show()
            if isinstance(outcome, CancelledError):
                notify.tell("info", _("Export stopped; no file was written."))
            elif isinstance(outcome, BaseException):
                notify.tell_error(outcome)
            else:
                notify.tell(
                    "info",
                    _(
                        "{readings} written to {path}.",
                        readings=count(int(str(outcome)), "{n} reading", "{n} readings"),
                        path=path.name,
                    ),
                )

        job.done.connect(ended)
        job.failed.connect(ended)
        return job.start()

    def export_picture(self) -> None:
        """Write the charts as they are in view to a PNG file the keeper chooses."""
        if self.traced is None:
            return
        name = _("{batch} trace.png", batch=self.traced.course.batch.name).replace("/", "-")
        chosen, _kind = QFileDialog.getSaveFileName(
            self, _("Export this picture"), str(Path.home() / name), _("PNG (*.png)")
        )
        if chosen:
            self.picture_to(Path(chosen))

    def picture_to(self, path: Path) -> None:
        """Write the picture to a path."""
        if self.traced is None or self.charts is None:
            return
        course = self.traced.course
        now = self._desk.book.local(self.traced.until_ms)
        heading = f"{course.batch.name} · {course.incubator.name} · {course.day_text(self.traced.until_ms)}, "
        heading += dates.day(now, year=True)
        if self.charts.picture(heading).save(str(path), "PNG"):  # type: ignore[call-overload]
            notify.tell("info", _("Picture written to {path}.", path=path.name))
        else:
            notify.tell("error", _("{path} cannot be written. Choose another place.", path=path.name))


_Loaded = tuple[JudgedRun, BatchTrace | None, list[tuple[Any, Pyramid]]]


def _load(book: Book, course: Course, beside: Course | None) -> _Loaded:
    """Read and judge on the worker's thread."""
    whole = judgement.judged_run(book, course)
    runs = [r for q in (whole.trace.temperature, whole.trace.humidity) if (r := q.judged) is not None]
    made = [(run.corrected, Pyramid(run.times_ms, run.corrected)) for run in runs]
    eggs = whole.eggs
    if eggs is not None and np.isfinite(eggs.core).all():
        made.append((eggs.core, Pyramid(eggs.run.times_ms, eggs.core)))
    return whole, trace.trace(book, beside) if beside is not None else None, made
