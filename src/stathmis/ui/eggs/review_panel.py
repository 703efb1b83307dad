"""The review of one batch: what came of it, its weeks beside the trace, likely causes, the next time; its report."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QFileDialog, QWidget

from stathmis.services.desk import Desk
from stathmis.services.eggs import review
from stathmis.services.eggs.outcome import outcome_lines
from stathmis.services.eggs.records import BatchRow
from stathmis.services.eggs.review import BatchReview
from stathmis.ui.eggs.cause_rows import CauseRows
from stathmis.ui.eggs.days_picture import DaysPicture
from stathmis.ui.eggs.report_writing import write_batch_report
from stathmis.ui.kit.lines import Lines
from stathmis.ui.kit.page import column, put, row
from stathmis.ui.kit.pieces import button
from stathmis.ui.theme import Theme
from stathmis.ui.work import Background, Latest
from stathmis.words.catalogue import _


class ReviewPanel(QWidget):
    """The review of the batch shown; found: None until it is read."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self._desk, self._theme = desk, theme
        self.row: BatchRow | None = None
        self.found: BatchReview | None = None
        self._latest = Latest()
        self._writing: Background | None = None
        self.report = button(_("Write its report …"), self._choose_target)
        box = column()
        self._outcome, self._head = Lines(box, "muted"), Lines(box)
        self.causes, self.days = CauseRows(theme), DaysPicture(theme)
        box.addWidget(self.causes)
        self.days.hide()
        box.addWidget(self.days)
        self._beside = Lines(box)
        self._notes = Lines(box, "small")
        box.addLayout(row(self.report, 1))
        put(self, box)
        self.report.hide()

    def show_row(self, row: BatchRow | None) -> None:
        """Review a batch; the whole run is read off the window's thread."""
        if self.row is None or row is None or row.course.batch.id != self.row.course.batch.id:
            for lines in (self._head, self._beside, self._notes):
                lines.say([])
            self.causes.show_review(self._desk.book, None)
            self.days.hide()
        self.row, self.found = row, None
        self.report.setVisible(row is not None)
        if row is None:
            self._outcome.say([])
            return
        title = (_("Review: {batch}", batch=row.course.batch.name), "heading")
        self._outcome.say([title, *outcome_lines(row.sheet)])
        book, course = self._desk.book, row.course
        self._latest.find(lambda: review.batch_review(book, course), self._arrived)

    def _arrived(self, found: BatchReview) -> None:
        if self.row is None or found.course.batch.id != self.row.course.batch.id or self.found is not None:
            return
        self.found = found
        book = self._desk.book
        change = review.change(book, found)
        next_time = [(_("Next time: {change}", change=change), "name")] if change else []
        self._head.say([(review.headline(found), "name", "eggs"), *next_time])
        self.causes.show_review(book, found)
        # once the causes are painted
        QTimer.singleShot(0, self, lambda: self._show_days(found, change))

    def _show_days(self, found: BatchReview, change: str) -> None:
        if self.found is not found:
            return
        book, notes = self._desk.book, []
        self._beside.say(review.beside(book, found))
        self.days.setVisible(bool(found.days))
        if found.days:
            self.days.show_days(book, found.course, found.days)
            notes.append(_("Where the day of a death is not known it is spread over the days it may have been."))
        if change:
            notes.append(
                _("It rests on the calibrations in force: a later check that changes the past changes this review.")
            )
        self._notes.say(notes)

    def _choose_target(self) -> None:
        if self.row is None:
            return
        name = "".join(c if c.isalnum() or c in " -_" else "-" for c in self.row.course.batch.name)
        path, _kind = QFileDialog.getSaveFileName(
            self, _("The report"), f"{name}.pdf", _("PDF (*.pdf);;Web page (*.html)")
        )
        if path:
            self.write_report(Path(path))

    def write_report(self, path: Path) -> None:
        """Write the report of the batch shown, as its name says: PDF or HTML."""
        if self.row is not None:
            self._writing = write_batch_report(self._desk.book, self.row.course, path)
