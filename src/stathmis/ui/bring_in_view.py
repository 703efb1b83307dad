"""Bringing in a logger's file: choose it, see how it is read, map its columns, count the rows, take it in."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, datetime
from functools import partial
from pathlib import Path

from PySide6.QtGui import QDragEnterEvent, QDropEvent
from PySide6.QtWidgets import QCheckBox, QFileDialog, QGridLayout, QProgressBar

from stathmis.core.errors import UserError
from stathmis.core.units import to_inside
from stathmis.exchange.csv_layout import DATE_ORDERS, FILE_UNITS, Column, FileUnit, number_in
from stathmis.exchange.logger_csv import CancelledError
from stathmis.logbook.records import Channel, Instrument, WatchedFolder
from stathmis.services import notify
from stathmis.services.desk import Desk
from stathmis.services.files import logger_import
from stathmis.services.files.logger_import import ColumnUse, Examined, Plan
from stathmis.services.watch import folder_watch
from stathmis.ui.kit.fields import Chooser, field
from stathmis.ui.kit.lines import Lines, Said, StrikeList
from stathmis.ui.kit.page import Page, card, column, holder, row, table
from stathmis.ui.kit.pieces import button, clear, label, problem_label, say
from stathmis.ui.theme import Theme
from stathmis.ui.work import Background
from stathmis.words import dates, logger_files
from stathmis.words.catalogue import _, as_number, ngettext
from stathmis.words.numbers import count, number, unit_word

_REASONS_SHOWN = 8


class BringInView(Page):
    """Three steps on one page: the file, its columns, what it would bring."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__(theme, 700)
        self._desk, self._theme = desk, theme
        self.setAcceptDrops(True)
        self.plan: Plan | None = None
        self.examined: Examined | None = None
        self._job: Background | None = None
        self._uses: dict[int, tuple[Chooser, Chooser]] = {}
        words = _("A CSV file from any logger: choose it, or drop it here. Nothing is stored before you say so.")
        self.path = field(_("Path of the logger file"), _("path of the file"), entered=self._load_typed)
        self._choose = button(_("&Choose a file…"), self._ask)
        self.problem = problem_label()
        self._mapping, counts = column(), column()
        self._counts = Lines(counts)
        self._progress, self._cancel = QProgressBar(), button(_("Stop"), self._stop)
        self._progress.setRange(0, 100)
        self.take_in = button(_("&Take it in"), self.store, "main")
        self.watch = QCheckBox(_("and every file like it that appears in its &folder"))
        self._watched = StrikeList(
            partial(folder_watch.stop_watching, desk), _("Watched folders"), _("watch no longer")
        )
        for part in (
            column(label(_("Bring in a logger file"), "title"), label(words, "muted", wrap=True)),
            column(row((self.path, 1), self._choose), self.problem, self._mapping, counts),
            column(row((self._progress, 1), self._cancel), row(self.take_in, 1), self.watch, self._watched, 1),
        ):
            self.page.addLayout(part)
        for hidden in (self._progress, self._cancel, self.take_in, self.watch):
            hidden.hide()

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
        folders = self._desk.book.records(WatchedFolder)
        gone = {w.folder: "" if Path(w.folder).is_dir() else _(" (not there now)") for w in folders}
        self._watched.show_lines([("", w.folder + gone[w.folder], w) for w in folders])

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
        chosen, _kind = QFileDialog.getOpenFileName(
            self, _("Choose a logger file"), str(Path.home()), _("Logger files (*.csv *.txt *.tsv);;All files (*)")
        )
        if chosen:
            self.load(Path(chosen))

    def _load_typed(self) -> None:
        self.load(Path(self.path.text().strip()).expanduser())

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
        self._counts.say([])

    def _complain(self, text: str) -> None:
        say(self.problem, text)

    def _show_mapping(self, plan: Plan) -> None:
        layout = plan.layout
        names = {";": _("semicolon"), ",": _("comma"), "\t": _("tab"), "|": _("bar")}
        encoding = layout.encoding.removesuffix("-sig").upper()
        words = _("Columns apart by {names}, text as {encoding}.", names=names[layout.separator], encoding=encoding)
        zone, again = self._desk.book.zone, self._examine_again
        signs = [(_("decimal point"), "."), (_("decimal comma"), ",")]
        first = [(_("choose …"), None)]
        doubtful = first if layout.or_paired else []
        self.decimal = Chooser(_("Decimal sign"), [*doubtful, *signs], None if doubtful else layout.decimal)
        self.decimal.currentIndexChanged.connect(lambda _i: self._cut_anew())
        told = {o: self._span(*span) for o, span in logger_import.outcomes(plan).items()} if plan.order is None else {}
        orders = [(f"{_(o)}: {told[o]}" if o in told else _(o), o) for o in DATE_ORDERS]
        self.order = Chooser(
            _("Order of the date"), [*(first if told else []), *orders], plan.order, changed=again, yielding=True
        )
        self.zone = Chooser(_("Time zone of the file's times"), _zones(zone, plan.zone), yielding=True)
        self.zone.setCurrentIndex([value for _words, value in _zones(zone, plan.zone)].index(plan.zone))
        self.zone.currentIndexChanged.connect(again)
        for chooser in (self.order, self.zone):
            chooser.setMinimumContentsLength(18)
        grid = table((_("column"), _("goes to"), _("unit"), _("first values")), (0, 0, 0, 1), spacing=12)
        self._uses = {}
        for at, found in enumerate(layout.columns, start=1):
            self._column_row(grid, at, plan, found)
        for part in (
            label(_("How it is read"), "heading"),
            label(words, "muted", wrap=True),
            holder(row(label(_("numbers written with"), "muted"), self.decimal, 1)),
            holder(row(label(_("dates written"), "muted"), self.order, 1)),
            holder(row(label(_("times are"), "muted"), self.zone, 1)),
            card("", grid),
        ):
            self._mapping.addWidget(part)

    def _span(self, first_ms: float, last_ms: float) -> str:
        """From when to when, for local times."""
        first, last = (datetime.fromtimestamp(ms / 1000.0, UTC) for ms in (first_ms, last_ms))
        return dates.span(first, last)

    def _cut_anew(self) -> None:
        """Another decimal sign may cut the columns in other places."""
        if self.plan is not None and self.decimal.currentData() is not None:
            path, decimal = self.plan.path, self.decimal.currentData()
            self._reset()
            self.plan = logger_import.propose(self._desk.book, path, decimal)
            self._show_mapping(self.plan)
            self._examine()

    def _examine_again(self, _what: object) -> None:
        self._examine()

    def _column_row(self, grid: QGridLayout, at: int, plan: Plan, column: Column) -> None:
        grid.addWidget(label(column.heading or _("column {index}", index=column.index + 1), "name", wrap=True), at, 0)
        sample = "   ".join(s.strip() for s in column.sample[:3])
        grid.addWidget(label(sample, "small", wrap=True), at, 3)
        if column.index in plan.time_columns:
            grid.addWidget(label(_("time of the reading")), at, 1)
            return
        names = {i.id: i.name for i in self._desk.book.records(Instrument)}
        channels = [c for c in self._desk.book.records(Channel) if c.instrument_id in names]
        options = [(f"{names[c.instrument_id]}, {unit_word(c.unit)}", c) for c in channels]
        heading = column.heading or "column"
        target = Chooser(_("{heading} goes to", heading=heading), [(_("leave it out"), None), *options], yielding=True)
        target.setMinimumContentsLength(12)
        said = {u: logger_files.unit_words(u) for u in FILE_UNITS}
        units = [(f"{said[u]} ({self._as_read(column, u)})" if column.doubt else said[u], u) for u in FILE_UNITS]
        first = [(_("choose …"), None)] if column.doubt else []
        unit = Chooser(
            _("{heading} is in", heading=heading), [*first, *units], None if first else column.unit, yielding=True
        )
        unit.setMinimumContentsLength(5)
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

    def _as_read(self, column: Column, unit: FileUnit) -> str:
        """What the first value of a column comes to in a unit."""
        first = next((s for s in column.sample if s.strip()), "")
        try:
            value = number_in(first, self.plan.layout.decimal if self.plan is not None else ".")
        except ValueError:
            return first
        if unit == "of 1" or unit == "%":
            return f"{as_number(value * (100.0 if unit == 'of 1' else 1.0), '.1f')} {_('% RH')}"
        return number(float(to_inside(value, unit)), "temperature", self._desk.book.temperature_unit)

    def _mapped(self) -> Plan:
        assert self.plan is not None
        uses = []
        for at, (target, unit) in self._uses.items():
            channel = target.currentData()
            if channel is None:
                continue
            chosen = unit.currentData()
            if chosen is not None and (channel.quantity == "humidity") != (chosen in ("%", "of 1")):
                name = next(c.heading for c in self.plan.layout.columns if c.index == at) or _("column {at}", at=at + 1)
                raise UserError(
                    _("{name}: {chosen} does not fit that instrument.", name=name, chosen=chosen),
                    _("Choose the unit of the column."),
                )
            uses.append(ColumnUse(at, channel.id, chosen))
        return replace(
            self.plan,
            order=self.order.currentData(),
            zone=self.zone.currentData(),
            uses=tuple(uses),
        )

    def _examine(self) -> None:
        """Count rows off the window's thread; the newest choice wins."""
        self._stop()
        self._counts.say([])
        self.take_in.hide()
        self.problem.hide()
        try:
            plan = self._mapped()
        except UserError as error:
            self._complain(str(error))
            return
        asked = logger_import.questions(plan)
        if asked:
            self._complain(" ".join([*map(logger_files.asked, asked), logger_files.choose()]))
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
        bad = found.faults.total
        lines: list[Said] = [
            (_("What it would bring"), "heading"),
            (_("{rows} new", rows=count(found.good, "{n} row", "{n} rows")), "name", "inside"),
        ]
        lines.append(
            (_("{rows} already in the log, left out", rows=count(found.duplicate, "{n} row", "{n} rows")), "", "muted")
        )
        lines.append(
            (_("{rows} bad, left out", rows=count(bad, "{n} row", "{n} rows")), "", "outside" if bad else "muted")
        )
        for rows, faults in ((True, found.faults), (False, found.values_out)):
            for reason, amount in faults.counts.items():
                named = [str(line) for line, why in faults.named if why == reason][:_REASONS_SHOWN]
                more = ", …" if amount > len(named) else ""
                where = ngettext("line {named}{more}", "lines {named}{more}", amount, named=", ".join(named), more=more)
                lines.append(
                    (
                        _(
                            "{counted} left out: {reason} ({where})",
                            counted=count(amount, "{n} row", "{n} rows")
                            if rows
                            else count(amount, "{n} value", "{n} values"),
                            reason=reason,
                            where=where,
                        ),
                        "muted",
                    )
                )
        self._counts.say(lines)
        self.take_in.setVisible(True)
        self.watch.setVisible(True)
        self.take_in.setEnabled(found.good > 0)
        self.take_in.setText(
            _("&Take in {rows}", rows=count(found.good, "{n} row", "{n} rows"))
            if found.good
            else _("Nothing new to take in")
        )

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
            said = _("{rows} taken in. Ctrl+Z takes them back.", rows=count(found.good, "{n} row", "{n} rows"))
            if watch:
                try:
                    folder_watch.watch_folder(desk, found.plan)
                    said = _(
                        "{rows} taken in; its folder is watched from now on.",
                        rows=count(found.good, "{n} row", "{n} rows"),
                    )
                except UserError as error:
                    said = str(error)
            notify.tell("info", said)

        self._run(Background(lambda progress, cancelled: logger_import.store(desk, found)), finished)


def _zones(own: str, told: str | int | None) -> list[tuple[str, str | int | None]]:
    """What a file's times may be in: here, what each cell tells or UTC, and every fixed difference from it."""
    fixed = {*range(-720, 841, 60), -570, -210, 210, 270, 330, 345, 390, 570, 630, 765}
    fixed |= {told} if isinstance(told, int) else set()
    words = [(f"UTC{'+' if m >= 0 else '−'}{abs(m) // 60:02d}:{abs(m) % 60:02d}", m) for m in sorted(fixed)]
    return [(_("local time ({own})", own=own), own), (_("as each tells, or UTC"), None), *words]
