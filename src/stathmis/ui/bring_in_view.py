"""Bringing in a logger's file: choose it, see how it is read, map its columns, count the rows, take it in."""

from __future__ import annotations

from dataclasses import replace
from functools import partial
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtGui import QDragEnterEvent, QDropEvent
from PySide6.QtWidgets import (
    QCheckBox,
    QFileDialog,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QProgressBar,
    QVBoxLayout,
)

from stathmis.core.errors import UserError
from stathmis.exchange.csv_layout import DATE_ORDERS, Column
from stathmis.exchange.logger_csv import CancelledError
from stathmis.logbook.records import Channel, Instrument, WatchedFolder
from stathmis.services import notify
from stathmis.services.desk import Desk
from stathmis.services.files import logger_import
from stathmis.services.files.logger_import import ColumnUse, Examined, Plan
from stathmis.services.watch import folder_watch
from stathmis.ui.pieces import Chooser, FoldingView, button, clear, label, scrolling_page
from stathmis.ui.theme import Theme
from stathmis.ui.work import Background
from stathmis.words.numbers import count, unit_word

_REASONS_SHOWN = 8


class BringInView(FoldingView):
    """Three steps on one page: the file, its columns, what it would bring."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__(theme, 700)
        self._desk, self._theme = desk, theme
        self.setAcceptDrops(True)
        self.plan: Plan | None = None
        self.examined: Examined | None = None
        self._job: Background | None = None
        self._uses: dict[int, tuple[Chooser, Chooser]] = {}
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        area, page = scrolling_page()
        outer.addWidget(area)
        page.addWidget(label("Bring in a logger file", "title"))
        words = "A CSV file from any logger: choose it, or drop it here. Nothing is stored before you say so."
        page.addWidget(label(words, "muted", wrap=True))
        row = QHBoxLayout()
        self.path = QLineEdit()
        self.path.setPlaceholderText("path of the file")
        self.path.setAccessibleName("Path of the logger file")
        self.path.returnPressed.connect(lambda: self.load(Path(self.path.text().strip()).expanduser()))
        row.addWidget(self.path, 1)
        self._choose = button("&Choose a file…", self._ask)
        row.addWidget(self._choose)
        page.addLayout(row)
        self.problem = label("", "problem", wrap=True)
        self.problem.hide()
        page.addWidget(self.problem)
        self._mapping = QVBoxLayout()
        page.addLayout(self._mapping)
        self._counts = QVBoxLayout()
        page.addLayout(self._counts)
        self._progress = QProgressBar()
        self._progress.setRange(0, 100)
        self._progress.hide()
        self._cancel = button("Stop", self._stop)
        self._cancel.hide()
        working = QHBoxLayout()
        working.addWidget(self._progress, 1)
        working.addWidget(self._cancel)
        page.addLayout(working)
        take = QHBoxLayout()
        self.take_in = button("&Take it in", self.store, "main")
        self.take_in.hide()
        take.addWidget(self.take_in)
        take.addStretch(1)
        page.addLayout(take)
        self.watch = QCheckBox("and every file like it that appears in its &folder")
        self.watch.hide()
        page.addWidget(self.watch)
        self._watched = QVBoxLayout()
        page.addLayout(self._watched)
        page.addStretch(1)

    def begin(self) -> None:
        """Come in at the file."""
        self.path.setFocus()

    def refresh(self) -> None:
        """The logbook changed; a file already examined is held against it again."""
        self._show_watched()
        if self.plan is not None and self._job is None and self.examined is not None:
            self._examine()

    def _show_watched(self) -> None:
        """The folders that are watched, and how to stop."""
        clear(self._watched)
        folders = self._desk.book.records(WatchedFolder)
        if folders:
            self._watched.addSpacing(12)
            self._watched.addWidget(label("Watched folders", "heading"))
        for watched in folders:
            row = QHBoxLayout()
            row.setSpacing(12)
            there = Path(watched.folder).is_dir()
            words = watched.folder if there else f"{watched.folder} (not there now)"
            row.addWidget(label(words, wrap=True), 1)
            stop = button("Watch no longer", partial(folder_watch.stop_watching, self._desk, watched), "link")
            stop.setAccessibleName(f"Watch {watched.folder} no longer")
            row.addWidget(stop)
            self._watched.addLayout(row)

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        """Accept a file."""
        if event.mimeData().hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        """Load the dropped file."""
        urls = event.mimeData().urls()
        if urls:
            self.load(Path(urls[0].toLocalFile()))

    def _ask(self) -> None:
        chosen, _ = QFileDialog.getOpenFileName(
            self, "Choose a logger file", str(Path.home()), "Logger files (*.csv *.txt *.tsv);;All files (*)"
        )
        if chosen:
            self.load(Path(chosen))

    def load(self, path: Path) -> None:
        """Look at a file and offer how to read it."""
        self.path.setText(str(path))
        self._reset()
        try:
            self.plan = logger_import.propose(self._desk.book, path)
        except UserError as error:
            self._complain(str(error))
            return
        self._show_mapping(self.plan)
        self._examine()

    def _reset(self) -> None:
        self._stop()
        self.plan, self.examined = None, None
        self.problem.hide()
        self.take_in.hide()
        self.watch.hide()
        self.watch.setChecked(False)
        clear(self._mapping)
        clear(self._counts)

    def _complain(self, text: str) -> None:
        self.problem.setText(text)
        self.problem.show()

    def _show_mapping(self, plan: Plan) -> None:
        layout = plan.layout
        names = {";": "semicolon", ",": "comma", "\t": "tab", "|": "bar"}
        decimal = "decimal comma" if layout.decimal == "," else "decimal point"
        self._mapping.addWidget(label("How it is read", "heading"))
        encoding = layout.encoding.removesuffix("-sig").upper()
        words = f"Columns apart by {names[layout.separator]}, {decimal}, text as {encoding}."
        self._mapping.addWidget(label(words, "muted", wrap=True))
        row = QHBoxLayout()
        row.setSpacing(8)
        self.order = Chooser()
        self.order.addItems(list(DATE_ORDERS))
        self.order.setCurrentText(plan.order)
        self.order.setAccessibleName("Order of the date")
        self.zone = Chooser()
        self.zone.addItem(f"local time ({self._desk.book.zone})", self._desk.book.zone)
        self.zone.addItem("UTC", None)
        self.zone.setCurrentIndex(0 if plan.zone is not None else 1)
        self.zone.setAccessibleName("Time zone of the file's times")
        row.addWidget(label("dates written", "muted"))
        row.addWidget(self.order)
        times = QHBoxLayout()
        times.setSpacing(8)
        times.addWidget(label("times are", "muted"))
        times.addWidget(self.zone)
        times.addStretch(1)
        if not layout.order_is_sure:
            row.addWidget(label("Day or month first? These dates fit both; please check.", ink="warning", wrap=True), 1)
        row.addStretch(1)
        self._mapping.addLayout(row)
        self._mapping.addLayout(times)
        holder = QFrame()
        holder.setObjectName("card")
        grid = QGridLayout(holder)
        grid.setContentsMargins(16, 12, 16, 12)
        grid.setHorizontalSpacing(16)
        grid.setColumnStretch(3, 1)
        for place, text in enumerate(("column", "goes to", "unit", "first values")):
            grid.addWidget(label(text, "small"), 0, place)
        self._uses = {}
        for at, column in enumerate(layout.columns, start=1):
            self._column_row(grid, at, plan, column)
        self._mapping.addWidget(holder)
        self.order.currentIndexChanged.connect(lambda _i: self._examine())
        self.zone.currentIndexChanged.connect(lambda _i: self._examine())

    def _column_row(self, grid: QGridLayout, at: int, plan: Plan, column: Column) -> None:
        grid.addWidget(label(column.heading or f"column {column.index + 1}", "name", wrap=True), at, 0)
        sample = "   ".join(s.strip() for s in column.sample[:3])
        grid.addWidget(label(sample, "small", wrap=True), at, 3)
        if column.index in plan.time_columns:
            grid.addWidget(label("time of the reading"), at, 1)
            return
        target, unit = Chooser(), Chooser()
        target.setAccessibleName(f"{column.heading or 'column'} goes to")
        target.setMinimumContentsLength(16)
        target.setSizeAdjustPolicy(Chooser.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        target.addItem("leave it out", None)
        instruments = {i.id: i.name for i in self._desk.book.records(Instrument)}
        for channel in self._desk.book.records(Channel):
            if channel.instrument_id in instruments:
                target.addItem(f"{instruments[channel.instrument_id]}, {unit_word(channel.unit)}", channel)
        unit.addItems(["°C", "°F", "%"])
        unit.setCurrentText(column.unit)
        unit.setAccessibleName(f"{column.heading or 'column'} is in")
        use = next((u for u in plan.uses if u.column == column.index), None)
        if use is not None:
            for i in range(1, target.count()):
                if target.itemData(i).id == use.channel_id:
                    target.setCurrentIndex(i)
        grid.addWidget(target, at, 1)
        grid.addWidget(unit, at, 2)
        self._uses[column.index] = (target, unit)
        target.currentIndexChanged.connect(lambda _i: self._examine())
        unit.currentIndexChanged.connect(lambda _i: self._examine())

    def _mapped(self) -> Plan:
        assert self.plan is not None
        uses = []
        for column, (target, unit) in self._uses.items():
            channel = target.currentData()
            if channel is None:
                continue
            if (channel.quantity == "humidity") != (unit.currentText() == "%"):
                name = next(c.heading for c in self.plan.layout.columns if c.index == column) or f"column {column + 1}"
                raise UserError(
                    f"{name}: {unit.currentText()} does not fit that instrument.", "Choose the unit of the column."
                )
            uses.append(ColumnUse(column, channel.id, unit.currentText()))  # type: ignore[arg-type]
        return replace(
            self.plan,
            order=self.order.currentText(),  # type: ignore[arg-type]
            zone=self.zone.currentData(),
            uses=tuple(uses),
        )

    def _examine(self) -> None:
        """Count rows off the window's thread; the newest choice wins."""
        self._stop()
        clear(self._counts)
        self.take_in.hide()
        self.problem.hide()
        try:
            plan = self._mapped()
        except UserError as error:
            self._complain(str(error))
            return
        book = self._desk.book
        self._run(
            Background(lambda progress, cancelled: logger_import.examine(book, plan, progress, cancelled)),
            self._examined,
        )

    def _run(self, job: Background, on_done) -> None:  # type: ignore[no-untyped-def]
        self._job = job
        self._progress.setValue(0)
        self._progress.show()
        self._cancel.show()

        def finished(outcome: object) -> None:
            if self._job is not job:
                return
            self._job = None
            self._progress.hide()
            self._cancel.hide()
            if isinstance(outcome, CancelledError):
                return
            if isinstance(outcome, UserError):
                self._complain(str(outcome))
            elif isinstance(outcome, BaseException):
                notify.tell_error(outcome)
            else:
                on_done(outcome)

        job.progressed.connect(lambda fraction: self._progress.setValue(round(100 * fraction)))
        job.done.connect(finished)
        job.failed.connect(finished)
        job.start()

    def _stop(self) -> None:
        if self._job is not None:
            self._job.cancel()
            self._job = None
        self._progress.hide()
        self._cancel.hide()

    def _examined(self, found: Examined) -> None:
        self.examined = found
        self._counts.addWidget(label("What it would bring", "heading"))
        for number, word, ink in (
            (found.good, "new", "inside"),
            (found.duplicate, "already in the log, left out", "muted"),
            (found.faults.total, "bad, left out", "outside" if found.faults.total else "muted"),
        ):
            row = QHBoxLayout()
            amount = label(count(number, "row"), "name")
            amount.setAlignment(Qt.AlignmentFlag.AlignRight)
            amount.setFixedWidth(self._theme.px(120))
            row.addWidget(amount)
            row.addWidget(label(word, ink=ink), 1)
            self._counts.addLayout(row)
        for reason, number in found.faults.counts.items():
            lines = [str(line) for line, why in found.faults.named if why == reason][:_REASONS_SHOWN]
            more = ", …" if number > len(lines) else ""
            where = f"line{'s' if number > 1 else ''} {', '.join(lines)}{more}"
            self._counts.addWidget(label(f"{count(number, 'row')}: {reason} ({where})", "muted", wrap=True))
        self.take_in.setVisible(True)
        self.watch.setVisible(True)
        self.take_in.setEnabled(found.good > 0)
        self.take_in.setText(f"&Take in {count(found.good, 'row')}" if found.good else "Nothing new to take in")

    def store(self) -> None:
        """Store what was counted, in one transaction, off the window's thread."""
        found, desk = self.examined, self._desk
        if found is None or not found.good or self._job is not None:
            return
        self.take_in.setEnabled(False)

        watch = self.watch.isChecked()

        def finished(import_id: object) -> None:
            self.examined = None
            self._reset()
            self.path.setText("")
            said = f"{count(found.good, 'row')} taken in. Ctrl+Z takes them back."
            if watch:
                try:
                    folder_watch.watch_folder(desk, found.plan)
                    said = f"{count(found.good, 'row')} taken in; its folder is watched from now on."
                except UserError as error:
                    said = str(error)
            notify.tell("info", said)

        self._run(Background(lambda progress, cancelled: logger_import.store(desk, found)), finished)
