"""The review of one batch: what came of it, its weeks beside the trace, likely causes, the next time; its report."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtWidgets import QFileDialog, QGridLayout, QHBoxLayout, QVBoxLayout, QWidget

from stathmis.services import notify
from stathmis.services.desk import Desk
from stathmis.services.eggs import review
from stathmis.services.eggs.outcome import outcome_lines
from stathmis.services.eggs.records import BatchRow
from stathmis.services.eggs.review import BatchReview
from stathmis.services.eggs.weeks import cells, titles
from stathmis.ui.eggs.report_writing import write_batch_report
from stathmis.ui.pieces import button, clear, label
from stathmis.ui.theme import Theme
from stathmis.ui.work import AFTER_PAINT_MS, Background, Latest


class ReviewPanel(QWidget):
    """The review of the batch shown; found: None until it is read."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self._desk, self._theme = desk, theme
        self.row: BatchRow | None = None
        self.found: BatchReview | None = None
        self._latest = Latest()
        self._writing: Background | None = None
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(8)
        self._body = QVBoxLayout()
        self._body.setSpacing(8)
        box.addLayout(self._body)
        row = QHBoxLayout()
        self.report = button("Write its report …", self._choose_target)
        row.addWidget(self.report)
        row.addStretch(1)
        box.addLayout(row)
        self.report.hide()

    def show_row(self, row: BatchRow | None) -> None:
        """Review a batch; the whole run is read off the window's thread."""
        clear(self._body)
        self.row, self.found = row, None
        self.report.setVisible(row is not None)
        if row is None:
            return
        self._body.addWidget(label(f"Review: {row.course.batch.name}", "heading", wrap=True))
        for line in outcome_lines(row.sheet):
            self._body.addWidget(label(line, "muted", wrap=True))
        desk, course = self._desk, row.course
        book = desk.book
        self._latest.start(
            lambda progress, cancelled: review.batch_review(book, course),
            self._arrived,
            notify.tell_error,
            AFTER_PAINT_MS,
        )

    def _arrived(self, found: BatchReview) -> None:
        if self.row is None or found.course.batch.id != self.row.course.batch.id or self.found is not None:
            return
        self.found = found
        first, *rest = review.lines(self._desk.book, found)
        self._body.addWidget(label(first, "name", "eggs", wrap=True))
        for line in rest:
            self._body.addWidget(label(line, wrap=True))
        change = review.change(self._desk.book, found)
        if change:
            self._body.addWidget(label(f"Next time: {change}", "name", wrap=True))
        if found.weeks:
            self._body.addLayout(self._weeks(found))
            words = "Where the day of a death is not known it is spread over the days it may have been."
            self._body.addWidget(label(words, "small", wrap=True))
        if change:
            note = "It rests on the calibrations in force: a later check that changes the past changes this review."
            self._body.addWidget(label(note, "small", wrap=True))

    def _weeks(self, found: BatchReview) -> QGridLayout:
        grid = QGridLayout()
        grid.setHorizontalSpacing(12)
        for column, share in enumerate((2, 2, 3, 3, 3)):
            grid.setColumnStretch(column, share)
        for column, title in enumerate(titles(self._desk.book)):
            grid.addWidget(label(title, "small", wrap=True), 0, column)
        for i, week in enumerate(found.weeks, start=1):
            for column, text in enumerate(cells(self._desk.book, found.course, week)):
                grid.addWidget(label(text, "small" if column == 4 else "", wrap=True), i, column)
        return grid

    def _choose_target(self) -> None:
        if self.row is None:
            return
        name = "".join(c if c.isalnum() or c in " -_" else "-" for c in self.row.course.batch.name)
        path, _ = QFileDialog.getSaveFileName(self, "The report", f"{name}.pdf", "PDF (*.pdf);;Web page (*.html)")
        if path:
            self.write_report(Path(path))

    def write_report(self, path: Path) -> None:
        """Write the report of the batch shown, as its name says: PDF or HTML."""
        if self.row is not None:
            self._writing = write_batch_report(self._desk.book, self.row.course, path)
