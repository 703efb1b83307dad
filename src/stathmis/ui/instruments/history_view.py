"""One instrument over time: its checks, drift and forecast, its chain to a reference, its certificate and details."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QCheckBox, QFileDialog, QWidget

from stathmis.core.errors import UserError
from stathmis.core.uncertainty import NORMAL_95
from stathmis.core.units import NotANumberError, parse_typed
from stathmis.logbook.calibrations import Calibration
from stathmis.logbook.records import Channel
from stathmis.services import notify, setting_up
from stathmis.services.book import Book
from stathmis.services.desk import Desk
from stathmis.services.instruments import history as histories
from stathmis.services.instruments.by_hatches import by_hatches
from stathmis.services.instruments.history import History
from stathmis.services.instruments.methods import RESPONSE_S, methods
from stathmis.services.instruments.sheet import MODEL_WORDS, chain, sheet
from stathmis.ui.instruments.certificate_form import CertificateForm
from stathmis.ui.kit.fields import field
from stathmis.ui.kit.lines import Lines, Pool
from stathmis.ui.kit.page import Page, column, put, row
from stathmis.ui.kit.pieces import button, given, label, problem_label, rule, say, set_text
from stathmis.ui.theme import Theme
from stathmis.ui.work import Background
from stathmis.words import dates
from stathmis.words.by_hatches import lines
from stathmis.words.catalogue import _, as_number, begun
from stathmis.words.numbers import count, places_for, signed, unit_word

if TYPE_CHECKING:
    from stathmis.ui.instruments.drift_chart import DriftChart


class _Past(QWidget):
    """A check of the past: what it found, how it was done, and its sheet to print."""

    def __init__(self, view: HistoryView) -> None:
        super().__init__()
        self._one: Calibration | None = None
        self._found, self._how = label("", "name", wrap=True), label("", "small", wrap=True)
        self._sheet = button(_("Sheet to print …"), given(lambda: self._one, view.choose_sheet), "link")
        put(self, column(row((self._found, 1), self._sheet, spacing=12), self._how, spacing=4))

    def show_check(self, one: Calibration, day: str, found: str, how: str) -> None:
        self._one = one
        set_text(self._found, found)
        set_text(self._how, how)
        self._sheet.setAccessibleName(_("Sheet to print of {day}", day=day))


class HistoryView(Page):
    """The history of one channel."""

    left = Signal()

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__(theme, 640)
        self._desk, self._theme = desk, theme
        self._channel_id: int | None = None
        self.chart: DriftChart | None = None
        self._title = label("", "title")
        self._says, self._why = label("", "name", wrap=True), label("", "muted", wrap=True)
        self.between = QCheckBox(_("between two checks, go straight from one to the next"))
        self.between.toggled.connect(self._switch_between)
        self._chart_holder, self._checks = column(), column(spacing=4)
        self._none = Lines(self._checks, "muted")
        self._past = Pool(self._checks, lambda: _Past(self))
        self._by_hatches = Lines(self._checks, "small")
        self._job: Background | None = None
        wide, keep = (theme, 64), self.keep_details
        self.steps = field(_("Display steps"), width=wide, entered=keep)
        self.accuracy = field(_("Accuracy, plus or minus"), width=wide, entered=keep)
        self.response = field(_("Response time in seconds"), width=wide, entered=keep)
        details = self.folding_row(16)
        for words, edit, unit in (
            (_("shows steps of"), self.steps, ""),
            (_("good to ±"), self.accuracy, ""),
            (_("follows in"), self.response, "s"),
        ):
            details.addLayout(row(label(words, "muted"), edit, label(unit, "muted"), 1))
        details.addLayout(row(button(_("&Keep"), keep), 1))
        details.addStretch(1)
        self._detail_problem = problem_label()
        self.certificate = CertificateForm(desk, theme)
        for shown in (
            row(self._title, 1, button(_("Back  Esc"), self.left.emit, "link")),
            column(
                self._says, self._why, self._chart_holder, self.between, label(_("Checks"), "heading"), self._checks
            ),
            column(rule(), details, self._detail_problem, self.certificate, 1),
        ):
            self.page.addLayout(shown)

    def show_channel(self, channel_id: int) -> None:
        """Show a channel."""
        self._channel_id = channel_id
        self._by_hatches.say([])
        channel = self._desk.book.channel(channel_id)
        self.steps.setText(as_number(channel.resolution, "g"))
        self.accuracy.setText(as_number(channel.accuracy, "g"))
        self.response.setText("" if channel.response_s is None else as_number(channel.response_s, "g"))
        self.response.setPlaceholderText(as_number(RESPONSE_S[channel.quantity], "g"))
        self.certificate.begin(channel)
        self.refresh()

    def refresh(self) -> None:
        """Show the channel as it stands."""
        desk = self._desk
        if self._channel_id is None or all(c.id != self._channel_id for c in desk.book.records(Channel)):
            return
        channel = desk.book.channel(self._channel_id)
        instrument = desk.book.instrument(channel.instrument_id)
        found = histories.history(desk.book, channel)
        self._title.setText(f"{instrument.name}, {unit_word(channel.unit)}")
        says, why = _words(desk.book, found)
        self._says.setText(says)
        say(self._why, why)
        self.between.blockSignals(True)
        self.between.setChecked(channel.between_checks == "between")
        self.between.blockSignals(False)
        self.between.setVisible(len(found.checks) > 1)
        self._show_chart(found)
        self._show_checks(found)
        self._ask_hatches(channel)
        self.certificate.setVisible(instrument.role == "reference")

    def _show_chart(self, found: History) -> None:
        if found.checks and self.chart is None:
            from stathmis.ui.instruments.drift_chart import DriftChart

            self.chart = DriftChart(self._desk, self._theme)
            self._theme.fit(self.chart, FixedHeight=250)
            self._chart_holder.addWidget(self.chart)
        if self.chart is not None:
            self.chart.setVisible(bool(found.checks))
            self.chart.show_history(found)

    def _show_checks(self, found: History) -> None:
        self._none.say([] if found.checks else [_("None yet.")])
        unit = unit_word(found.channel.unit)
        places = places_for(found.channel.resolution / 10)
        force = self._desk.book.corrections.in_force(found.channel, self._desk.now_ms)
        for shown, past in zip(self._past.show(len(found.checks)), reversed(found.checks), strict=True):
            one = past.calibration
            names = ", ".join(methods()[k].name for k in one.conditions.method.split("+") if k in methods())
            mark = _(" · in force") if one.id == force.calibration_id else ""
            later = [c.calibration.done_ms for c in found.checks if c.calibration.done_ms > one.done_ms]
            if later and not mark:
                mark = _(" · superseded {later}", later=dates.day(self._desk.book.local(min(later)), year=True))
            day = dates.day(self._desk.book.local(one.done_ms), year=True)
            add = _(
                "add {error} ± {u} {unit}",
                error=signed(-past.error, places),
                u=as_number(past.U, f".{places}f"),
                unit=unit,
            )
            how = f"{begun(MODEL_WORDS[one.correction.model])}, {names}. " + " ".join(chain(self._desk.book, one))
            shown.show_check(one, day, f"{day}, {_(one.conditions.state)}{mark}: {add}", how)

    def _ask_hatches(self, channel: Channel) -> None:
        """What own hatches say of it, read off the window's thread."""
        book = self._desk.book
        self._job = Background(lambda progress, cancelled: (channel.id, lines(book, by_hatches(book, channel))))
        self._job.done.connect(self._show_hatches)
        self._job.failed.connect(notify.tell_error)
        self._job.start()

    def _show_hatches(self, found: tuple[int, list[str]]) -> None:
        if found[0] == self._channel_id:
            self._by_hatches.say(found[1])

    def _switch_between(self, on: bool) -> None:
        if self._channel_id is not None:
            histories.set_between_checks(self._desk, self._desk.book.channel(self._channel_id), on)

    def keep_details(self) -> None:
        """Keep steps, accuracy and response time."""
        if self._channel_id is None:
            return
        try:
            numbers = [
                parse_typed(e.text()).value if e.text().strip() else None
                for e in (self.steps, self.accuracy, self.response)
            ]
            setting_up.change_channel(
                self._desk, self._desk.book.channel(self._channel_id), numbers[0] or 0.0, numbers[1] or 0.0, numbers[2]
            )
            problem = ""
        except NotANumberError as error:
            problem = _("“{error}” is not a number; write one such as 0.1.", error=error)
        except UserError as error:
            problem = str(error)
        say(self._detail_problem, problem)

    def in_force(self) -> Calibration | None:
        """The check in force of the channel shown."""
        if self._channel_id is None:
            return None
        book = self._desk.book
        force = book.corrections.in_force(book.channel(self._channel_id), self._desk.now_ms)
        own = book.corrections.calibrations_of(self._channel_id)
        return next((c for c in own if c.id == force.calibration_id), None)

    def choose_sheet(self, one: Calibration) -> None:
        """Ask where the printable sheet goes, and write it."""
        day = f"{self._desk.book.local(one.done_ms):%Y-%m-%d}"
        name = f"{self._title.text().replace('/', '-')} {day}.pdf"
        chosen, _kind = QFileDialog.getSaveFileName(
            self, _("Sheet to print"), str(Path.home() / name), _("PDF (*.pdf)")
        )
        if chosen:
            self.write_sheet(one, Path(chosen))

    def write_sheet(self, one: Calibration, path: Path) -> None:
        """Write the printable sheet of a check."""
        from stathmis.ui.instruments.sheet_pdf import write_sheet

        try:
            write_sheet(sheet(self._desk.book, one), path)
        except UserError as error:
            notify.tell("error", str(error))
            return
        notify.tell("info", _("Sheet written to {path}.", path=path.name))


def _words(book: Book, found: History) -> tuple[str, str]:
    """When it is due and why, and what its drift says."""
    unit = unit_word(found.channel.unit)
    due = ""
    if found.due_ms is None:
        due = _("Never checked: check it before you believe it.")
    else:
        late, by = book.now_ms > found.due_ms, dates.day(book.local(found.due_ms), year=True)
        due = f"{_('Due since') if late else _('Next check by')} {by} ({found.due_why})."
    if found.drift is None:
        return due, ""
    yearly = found.drift.rate * 365.25
    places = places_for(found.channel.resolution / 10)
    if found.drift.fitted:
        U = found.drift.k * found.drift.u_rate * 365.25
        says = _(
            "Drift {yearly} ± {u} {unit} a year from {checks}",
            yearly=signed(yearly, places),
            u=as_number(U, f".{places}f"),
            unit=unit,
            checks=count(len(found.checks), "{n} check", "{n} checks"),
        )
        says += "." if found.drift.seen else _(": none that can be told from its uncertainty.")
    else:
        U = NORMAL_95 * found.drift.u_rate * 365.25
        says = _(
            "Drift not known yet: three checks show it; until then ± {u} {unit} a year is allowed for.",
            u=as_number(U, f".{places}f"),
            unit=unit,
        )
    if found.leaves_ms is not None:
        when = dates.day(book.local(found.leaves_ms), year=True)
        says += _(
            " What its correction leaves, with U, passes ± {tolerance} {unit} on {when}.",
            tolerance=as_number(found.tolerance, f".{places}f"),
            unit=unit,
            when=when,
        )
    return due, says
