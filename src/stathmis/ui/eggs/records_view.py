"""Records: all batches with what came of them, the review of one, and comparisons that rank no chance."""

from __future__ import annotations

from concurrent.futures import CancelledError
from datetime import datetime
from pathlib import Path

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QFileDialog, QGridLayout, QWidget

from stathmis.exchange.report_page import Report
from stathmis.services import notify
from stathmis.services.desk import Desk
from stathmis.services.eggs import records
from stathmis.services.eggs.outcome import rate_words
from stathmis.services.eggs.records import GROUPS, BatchRow, Group
from stathmis.services.eggs.review import BatchReview
from stathmis.services.files import archive
from stathmis.services.report.season_report import season_report, seasons
from stathmis.ui.eggs.report_writing import tell_written
from stathmis.ui.eggs.review_panel import ReviewPanel
from stathmis.ui.interval_bar import IntervalBar
from stathmis.ui.kit.fields import Chooser
from stathmis.ui.kit.lines import Lines, Pool
from stathmis.ui.kit.page import Page, column, put, row
from stathmis.ui.kit.pieces import button, label, rule, set_property, set_text
from stathmis.ui.theme import Theme
from stathmis.ui.work import Background
from stathmis.words import dates
from stathmis.words.catalogue import _, as_number
from stathmis.words.numbers import count
from stathmis.words.pages import empty

SHOWN = 40


class _Line(QWidget):
    """A batch: its name and place, what came of it, and the ways to its review and its pages."""

    def __init__(self, view: RecordsView) -> None:
        super().__init__()
        self._batch_id = 0
        self._name, self._details = label("", "name", wrap=True), label("", "small", wrap=True)
        self._outcome, self._bar = label("", wrap=True), IntervalBar(view.theme)
        self._review = button(_("review"), lambda: view.choose(self._batch_id), "link")
        self._pages = button(_("its pages"), lambda: view.batch_wanted.emit(self._batch_id), "link")
        names = column(self._name, self._details, spacing=0)
        came = column(self._bar, self._outcome, spacing=0)
        cells = row((names, 3), (came, 2), self._review, self._pages, spacing=16)
        put(self, column(rule(), cells))

    def show_batch(self, found: BatchRow, set_at: datetime) -> None:
        batch = found.course.batch
        self._batch_id = batch.id
        set_text(self._name, f"{batch.name}, {found.course.incubator.name}")
        details = _("set {set_at}", set_at=dates.day(set_at, year=True))
        if found.tally.fertility.of:
            details += _("; fertile of those judged {rate_words}", rate_words=rate_words(found.tally.fertility))
        set_text(self._details, details)
        hatched = (
            _("hatched {rate_words}", rate_words=rate_words(found.tally.hatch_of_set)) if found.known else _("not yet")
        )
        set_text(self._outcome, hatched if found.known or not found.decided else _("what hatched is not logged"))
        set_property(self._outcome, "role", "small" if found.known else "muted")
        self._bar.setVisible(found.known)
        if found.known:
            rate = found.tally.hatch_of_set
            self._bar.show_share(
                _("{batch}, hatched of set", batch=batch.name), rate.share, rate.low, rate.high, rate_words(rate)
            )
        self._review.setAccessibleName(_("Review of {batch}", batch=batch.name))
        self._pages.setAccessibleName(_("Trace, eggs and hatch of {batch}", batch=batch.name))


class _Group(QWidget):
    """Eggs taken together: two rates as bars."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._name = label("", "name", wrap=True)
        grid = QGridLayout()
        grid.setColumnStretch(1, 1)
        grid.setVerticalSpacing(0)
        self._rates = {key: (IntervalBar(theme), label("", "small")) for key in (_("of set"), _("of fertile"))}
        for at, (key, (bar, words)) in enumerate(self._rates.items()):
            for column_at, cell in enumerate((label(key, "small"), bar, words)):
                grid.addWidget(cell, at, column_at)
        put(self, column(self._name, grid, spacing=2))

    def show_group(self, group: Group) -> None:
        place = f"{group.place}. " if group.place else ""
        set_text(self._name, f"{place}{group.name}, {count(group.batches, '{n} batch', '{n} batches')}")
        for (key, (bar, words)), rate in zip(self._rates.items(), (group.of_set, group.of_fertile), strict=True):
            set_text(words, rate_words(rate))
            bar.show_share(
                _("{group}, hatched {key}", group=group.name, key=key),
                rate.share,
                rate.low,
                rate.high,
                rate_words(rate),
            )


class RecordsView(Page):
    """The batches of the logbook. batch_wanted: the id of one whose pages are to be shown."""

    batch_wanted = Signal(int)

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__(theme, 900)
        self._desk = desk
        self.chosen: int | None = None
        self._seasons: list[int] = []
        self._season_path = Path()
        self._archiving: Background | None = None
        self.progress = label("", "muted")
        self.stop = button(_("Stop"), self._stop, "link")
        self.stop.setParent(self)
        self.stop.hide()
        self.page.addLayout(row(label(_("Records"), "title"), 1, self.progress, self.stop))
        self._none = Lines(self.page, "muted")
        self._list = Pool(self.page, lambda: _Line(self))
        self.page.addSpacing(12)
        left, right = self.columns(1, 1)
        self.review = ReviewPanel(desk, theme)
        left.addWidget(self.review)
        left.addStretch(1)
        self.page.addSpacing(12)
        archives = self.folding_row()
        self.season = Chooser(_("Which season the report is of"), yielding=True)
        archives.addWidget(self.season)
        archives.addWidget(button(_("Report of the season …"), self._choose_season))
        archives.addWidget(button(_("Write an archive …"), self._choose_target))
        archives.addWidget(button(_("Logbook from an archive …"), self._choose_archive))
        archives.addStretch(1)
        self.page.addLayout(archives)
        self.page.addStretch(1)
        options = [(text, key) for key, text in GROUPS.items()]
        self.by = Chooser(_("What the batches are compared by"), options, picked=self._compare, yielding=True)
        right.addLayout(row(label(_("Compared by"), "heading"), self.by, 1))
        self._groups = Pool(right, lambda: _Group(theme), spacing=10)
        self._chance = Lines(right, "small")
        right.addStretch(1)

    def _choose_season(self) -> None:
        year = self.season.currentData()
        if year is None:
            notify.tell("info", _("No batch is set yet: there is nothing to report."))
            return
        name, _kind = QFileDialog.getSaveFileName(
            self, _("The report of a season"), _("Season {year}.pdf", year=year), _("PDF (*.pdf);;Web page (*.html)")
        )
        if name:
            self.write_season(int(year), Path(name))

    def printed_season(self) -> int | None:
        """The season whose report is printed here."""
        year = self.season.currentData()
        return None if year is None else int(year)

    def write_season(self, year: int, path: Path) -> None:
        """Write the report of a season, off the window's thread."""
        desk = self._desk
        self._season_path = path
        book = desk.book
        self._work(Background(lambda progress, cancelled: season_report(book, year, progress, cancelled)))

    def _choose_target(self) -> None:
        name, _kind = QFileDialog.getSaveFileName(
            self, _("The whole logbook as an archive"), "hatching.zip", _("Archives (*.zip)")
        )
        if name:
            self.write_archive(Path(name))

    def write_archive(self, path: Path) -> None:
        """Write the whole logbook as an archive, off the window's thread."""
        desk = self._desk
        self._work(Background(lambda progress, cancelled: archive.write(desk, path, progress, cancelled)))

    def _choose_archive(self) -> None:
        name, _kind = QFileDialog.getOpenFileName(self, _("An archive of a logbook"), "", _("Archives (*.zip)"))
        if not name:
            return
        target, _kind = QFileDialog.getSaveFileName(
            self, _("The new logbook"), "restored.stathmis", _("Logbooks (*.stathmis)")
        )
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
        self.progress.setText(_("Working …"))
        self.stop.show()
        job.start()

    def _progressed(self, fraction: float) -> None:
        self.progress.setText(f"{as_number(100 * fraction, '.0f')} %")

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
            notify.tell("info", _("Stopped; nothing was written."))
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
        self._none.say([] if self.rows else [empty("records")])
        shown = self.rows[:SHOWN]
        for line, found in zip(self._list.show(len(shown)), shown, strict=True):
            line.show_batch(found, self._desk.book.local(found.course.batch.set_ms))
        years = seasons(self._desk.book)
        if years != self._seasons:
            self._seasons = years
            self.season.offer([(str(year), year) for year in years])
        ids = [r.course.batch.id for r in self.rows]
        if self.chosen not in ids:
            ended = [r.course.batch.id for r in self.rows if r.known]
            self.chosen = next(iter(ended or ids), None)
        self._compare(self.by.currentData())
        self._read()

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

    def _compare(self, by: str) -> None:
        groups = records.compared(self.rows, by)
        for shown, group in zip(self._groups.show(len(groups)), groups, strict=True):
            shown.show_group(group)
        told = []
        if len(groups) > 1:
            told = [_("A place is shared where the difference may be chance (95 %, Newcombe).")]
        elif not groups:
            told = [_("Nothing to compare yet: log what came of the eggs, under Eggs or Hatch.")]
        self._chance.say(told)
