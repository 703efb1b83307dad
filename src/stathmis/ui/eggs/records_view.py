"""Records: all batches with what came of them, the review of one, and comparisons that rank no chance."""

from __future__ import annotations

from concurrent.futures import CancelledError
from functools import partial
from pathlib import Path

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QFileDialog, QGridLayout, QHBoxLayout, QVBoxLayout

from stathmis.exchange.report_page import Report
from stathmis.services import notify
from stathmis.services.desk import Desk
from stathmis.services.eggs import records
from stathmis.services.eggs.outcome import rate_words
from stathmis.services.eggs.records import GROUPS, BatchRow
from stathmis.services.eggs.review import BatchReview
from stathmis.services.files import archive
from stathmis.services.report.season_report import season_report, seasons
from stathmis.ui.eggs.report_writing import tell_written
from stathmis.ui.eggs.review_panel import ReviewPanel
from stathmis.ui.pieces import Chooser, FoldingView, button, clear, label, rule, scrolling_page, yielding
from stathmis.ui.theme import Theme
from stathmis.ui.work import Background
from stathmis.words import dates
from stathmis.words.numbers import count

SHOWN = 40


class RecordsView(FoldingView):
    """The batches of the logbook. batch_wanted: the id of one whose pages are to be shown."""

    batch_wanted = Signal(int)

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__(theme, 900)
        self._desk = desk
        self.chosen: int | None = None
        self._seasons: list[int] = []
        self._season_path = Path()
        self._archiving: Background | None = None
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        area, page = scrolling_page()
        outer.addWidget(area)
        head = QHBoxLayout()
        head.addWidget(label("Records", "title"))
        head.addStretch(1)
        self.progress = label("", "muted")
        head.addWidget(self.progress)
        self.stop = button("Stop", self._stop, "link")
        self.stop.setParent(self)
        self.stop.hide()
        head.addWidget(self.stop)
        page.addLayout(head)
        row = self.folding_row()
        self.season = yielding(Chooser())
        self.season.setAccessibleName("Which season the report is of")
        row.addWidget(self.season)
        row.addWidget(button("Report of the season …", self._choose_season))
        row.addWidget(button("Write an archive …", self._choose_target))
        row.addWidget(button("Logbook from an archive …", self._choose_archive))
        row.addStretch(1)
        self._archives = row
        self._list = QVBoxLayout()
        page.addLayout(self._list)
        page.addSpacing(12)
        columns = self.folding_row(28)
        left, right = QVBoxLayout(), QVBoxLayout()
        self.review = ReviewPanel(desk, theme)
        left.addWidget(self.review)
        left.addStretch(1)
        for column in (left, right):
            column.setSpacing(8)
            columns.addLayout(column, 1)
        page.addLayout(columns)
        page.addSpacing(12)
        page.addLayout(self._archives)
        page.addStretch(1)
        head = QHBoxLayout()
        head.addWidget(label("Compared by", "heading"))
        self.by = yielding(Chooser())
        self.by.setAccessibleName("What the batches are compared by")
        for key, text in GROUPS.items():
            self.by.addItem(text, key)
        self.by.activated.connect(lambda _i: self._compare())
        head.addWidget(self.by)
        head.addStretch(1)
        right.addLayout(head)
        self._groups = QVBoxLayout()
        right.addLayout(self._groups)
        right.addStretch(1)
        self.refresh()

    def _choose_season(self) -> None:
        year = self.season.currentData()
        if year is None:
            notify.tell("info", "No batch is set yet: there is nothing to report.")
            return
        name, _ = QFileDialog.getSaveFileName(
            self, "The report of a season", f"Season {year}.pdf", "PDF (*.pdf);;Web page (*.html)"
        )
        if name:
            self.write_season(int(year), Path(name))

    def write_season(self, year: int, path: Path) -> None:
        """Write the report of a season, off the window's thread."""
        desk = self._desk
        self._season_path = path
        book = desk.book
        self._work(Background(lambda progress, cancelled: season_report(book, year, progress, cancelled)))

    def _choose_target(self) -> None:
        name, _ = QFileDialog.getSaveFileName(
            self, "The whole logbook as an archive", "hatching.zip", "Archives (*.zip)"
        )
        if name:
            self.write_archive(Path(name))

    def write_archive(self, path: Path) -> None:
        """Write the whole logbook as an archive, off the window's thread."""
        desk = self._desk
        self._work(Background(lambda progress, cancelled: archive.write(desk, path, progress, cancelled)))

    def _choose_archive(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, "An archive of a logbook", "", "Archives (*.zip)")
        if not name:
            return
        target, _ = QFileDialog.getSaveFileName(self, "The new logbook", "restored.stathmis", "Logbooks (*.stathmis)")
        if target:
            self.restore(Path(name), Path(target))

    def restore(self, source: Path, target: Path) -> None:
        """Make a new logbook file from an archive; the one that is open stays open."""
        self._work(Background(lambda progress, cancelled: archive.restore(source, target, progress, cancelled)))

    def _work(self, job: Background) -> None:
        self._archiving = job
        job.progressed.connect(self._progressed)
        job.done.connect(self._archived)
        job.failed.connect(self._not_archived)
        self.progress.setText("Working …")
        self.stop.show()
        job.start()

    def _progressed(self, fraction: float) -> None:
        self.progress.setText(f"{100 * fraction:.0f} %")

    def _stop(self) -> None:
        if self._archiving is not None:
            self._archiving.cancel()

    def _archived(self, found: str | Report) -> None:
        self._over()
        if isinstance(found, Report):
            tell_written(found, self._season_path)
        else:
            notify.tell("info", found)

    def _not_archived(self, error: BaseException) -> None:
        self._over()
        if isinstance(error, CancelledError):
            notify.tell("info", "Stopped; nothing was written.")
        else:
            notify.tell_error(error)

    def _over(self) -> None:
        self.progress.setText("")
        self.stop.hide()

    def begin(self) -> None:
        """Come in at the comparison."""
        self.by.setFocus()

    def refresh(self) -> None:
        """Show the logbook as it stands."""
        self.rows = records.all_batches(self._desk.book)
        clear(self._list)
        if not self.rows:
            self._list.addWidget(label("No batch is set yet.", "muted"))
        grid = QGridLayout()
        grid.setHorizontalSpacing(16)
        grid.setColumnStretch(0, 3)
        grid.setColumnStretch(1, 2)
        for i, row in enumerate(self.rows[:SHOWN], start=1):
            self._line(grid, 2 * i, row)
        self._list.addLayout(grid)
        years = seasons(self._desk.book)
        if years != self._seasons:
            self._seasons = years
            self.season.clear()
            for year in years:
                self.season.addItem(str(year), year)
        ids = [r.course.batch.id for r in self.rows]
        if self.chosen not in ids:
            ended = [r.course.batch.id for r in self.rows if r.known]
            self.chosen = next(iter(ended or ids), None)
        self._compare()
        self._read()

    def _line(self, grid: QGridLayout, at: int, row: BatchRow) -> None:
        batch = row.course.batch
        grid.addWidget(rule(), at - 1, 0, 1, 4)
        names = QVBoxLayout()
        names.setSpacing(0)
        names.addWidget(label(f"{batch.name}, {row.course.incubator.name}", "name", wrap=True))
        set_at = self._desk.book.local(batch.set_ms)
        details = f"set {dates.day(set_at, year=True)}"
        if row.tally.fertility.of:
            details += f"; fertile of those judged {rate_words(row.tally.fertility)}"
        names.addWidget(label(details, "small", wrap=True))
        grid.addLayout(names, at, 0)
        hatched = f"hatched {rate_words(row.tally.hatch_of_set)}" if row.known else "not yet"
        words = hatched if row.known or not row.decided else "what hatched is not logged"
        grid.addWidget(label(words, "" if row.known else "muted", wrap=True), at, 1)
        show = button("review", partial(self.choose, batch.id), "link")
        show.setAccessibleName(f"Review of {batch.name}")
        grid.addWidget(show, at, 2)
        pages = button("its pages", partial(self.batch_wanted.emit, batch.id), "link")
        pages.setAccessibleName(f"Trace, eggs and hatch of {batch.name}")
        grid.addWidget(pages, at, 3)

    def choose(self, batch_id: int) -> None:
        """Review a batch."""
        self.chosen = batch_id
        self._read()

    def _read(self) -> None:
        self.review.show_row(next((r for r in self.rows if r.course.batch.id == self.chosen), None))

    @property
    def found(self) -> BatchReview | None:
        """The review in view, None until it is read."""
        return self.review.found

    def _compare(self) -> None:
        clear(self._groups)
        groups = records.compared(self.rows, self.by.currentData())
        if not groups:
            words = "Nothing to compare yet: log what came of the eggs, under Eggs or Hatch."
            self._groups.addWidget(label(words, "muted", wrap=True))
        for group in groups:
            place = f"{group.place}. " if group.place else ""
            self._groups.addWidget(label(f"{place}{group.name}, {count(group.batches, 'batch', 'batches')}", "name"))
            words = f"hatched of set {rate_words(group.of_set)}; of fertile {rate_words(group.of_fertile)}"
            self._groups.addWidget(label(words, "small", wrap=True))
        if len(groups) > 1:
            words = "A place is shared where the difference may be chance (95 %, Newcombe)."
            self._groups.addWidget(label(words, "small", wrap=True))
