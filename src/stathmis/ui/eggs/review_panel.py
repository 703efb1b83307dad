"""The review of one batch: what came of it, its weeks beside the trace, likely causes, the next time; its report."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QFileDialog, QGridLayout, QWidget

from stathmis.services.desk import Desk
from stathmis.services.eggs import review
from stathmis.services.eggs.outcome import outcome_lines
from stathmis.services.eggs.records import BatchRow
from stathmis.services.eggs.review import BatchReview
from stathmis.services.eggs.weeks import cells, titles
from stathmis.ui.eggs.report_writing import write_batch_report
from stathmis.ui.kit.lines import Lines, Rows
from stathmis.ui.kit.page import column, put, row
from stathmis.ui.kit.pieces import button, label, set_property, set_text
from stathmis.ui.theme import Theme
from stathmis.ui.work import Background, Latest


class _Line:
    """A line of the weeks: its titles or a week's figures."""

    def __init__(self) -> None:
        self.cells = [label(wrap=True) for _column in range(5)]

    def show_texts(self, texts: Sequence[str], *, titles: bool) -> None:
        for at, (cell, text) in enumerate(zip(self.cells, texts, strict=True)):
            set_property(cell, "role", "small" if titles or at == 4 else "")
            set_text(cell, text)


class ReviewPanel(QWidget):
    """The review of the batch shown; found: None until it is read."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self._desk, self._theme = desk, theme
        self.row: BatchRow | None = None
        self.found: BatchReview | None = None
        self._latest = Latest()
        self._writing: Background | None = None
        self.report = button("Write its report …", self._choose_target)
        box = column()
        self._outcome, self._causes = Lines(box, "muted"), Lines(box)
        grid = QGridLayout()
        grid.setHorizontalSpacing(12)
        for at, share in enumerate((2, 2, 3, 3, 3)):
            grid.setColumnStretch(at, share)
        box.addLayout(grid)
        self._weeks = Rows(grid, _Line, ruled=False)
        self._notes = Lines(box, "small")
        box.addLayout(row(self.report, 1))
        put(self, box)
        self.report.hide()

    def show_row(self, row: BatchRow | None) -> None:
        """Review a batch; the whole run is read off the window's thread."""
        if self.row is None or row is None or row.course.batch.id != self.row.course.batch.id:
            self._causes.say([])
            self._notes.say([])
            self._weeks.show(0)
        self.row, self.found = row, None
        self.report.setVisible(row is not None)
        if row is None:
            self._outcome.say([])
            return
        title = (f"Review: {row.course.batch.name}", "heading")
        self._outcome.say([title, *outcome_lines(row.sheet)])
        book, course = self._desk.book, row.course
        self._latest.find(lambda: review.batch_review(book, course), self._arrived)

    def _arrived(self, found: BatchReview) -> None:
        if self.row is None or found.course.batch.id != self.row.course.batch.id or self.found is not None:
            return
        self.found = found
        book = self._desk.book
        first, *rest = review.lines(book, found)
        change = review.change(book, found)
        next_time = [(f"Next time: {change}", "name")] if change else []
        self._causes.say([(first, "name", "eggs"), *rest, *next_time])
        # once the causes are painted
        QTimer.singleShot(0, self, lambda: self._show_weeks(found, change))

    def _show_weeks(self, found: BatchReview, change: str) -> None:
        if self.found is not found:
            return
        book, notes = self._desk.book, []
        rows = [titles(book), *(cells(book, found.course, week) for week in found.weeks)] if found.weeks else []
        for i, (line, texts) in enumerate(zip(self._weeks.show(len(rows)), rows, strict=True)):
            line.show_texts(texts, titles=not i)
        if rows:
            notes.append("Where the day of a death is not known it is spread over the days it may have been.")
        if change:
            notes.append(
                "It rests on the calibrations in force: a later check that changes the past changes this review."
            )
        self._notes.say(notes)

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
