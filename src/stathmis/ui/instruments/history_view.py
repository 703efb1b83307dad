"""One instrument over time: its checks, drift and forecast, its chain to a reference, its certificate and details."""

from __future__ import annotations

from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QBoxLayout, QCheckBox, QFileDialog, QHBoxLayout, QLineEdit, QVBoxLayout

from stathmis.core.errors import UserError
from stathmis.core.uncertainty import NORMAL_95
from stathmis.core.units import NotANumberError, parse_typed
from stathmis.logbook.calibrations import Calibration
from stathmis.logbook.records import Channel
from stathmis.services import notify, setting_up
from stathmis.services.book import Book
from stathmis.services.desk import Desk
from stathmis.services.instruments import history as histories
from stathmis.services.instruments.history import History
from stathmis.services.instruments.methods import RESPONSE_S, methods
from stathmis.services.instruments.sheet import MODEL_WORDS, chain, sheet
from stathmis.ui.instruments.certificate_form import CertificateForm
from stathmis.ui.pieces import FoldingView, button, clear, label, rule, scrolling_page
from stathmis.ui.theme import Theme
from stathmis.words import dates
from stathmis.words.numbers import count, places_for, signed, unit_word

if TYPE_CHECKING:
    from stathmis.ui.instruments.drift_chart import DriftChart


class HistoryView(FoldingView):
    """The history of one channel."""

    left = Signal()

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__(theme, 640)
        self._desk, self._theme = desk, theme
        self._channel_id: int | None = None
        self.chart: DriftChart | None = None
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        area, page = scrolling_page()
        outer.addWidget(area)
        head = QHBoxLayout()
        self._title = label("", "title")
        head.addWidget(self._title)
        head.addStretch(1)
        head.addWidget(button("Back  Esc", self.left.emit, "link"))
        page.addLayout(head)
        self._says = label("", "name", wrap=True)
        page.addWidget(self._says)
        self._why = label("", "muted", wrap=True)
        page.addWidget(self._why)
        self._chart_holder = QVBoxLayout()
        page.addLayout(self._chart_holder)
        self.between = QCheckBox("between two checks, go straight from one to the next")
        self.between.toggled.connect(self._switch_between)
        page.addWidget(self.between)
        self._checks = QVBoxLayout()
        self._checks.setSpacing(4)
        page.addLayout(self._checks)
        page.addWidget(rule())
        page.addLayout(self._details())
        self._detail_problem = label("", "problem", wrap=True)
        self._detail_problem.hide()
        page.addWidget(self._detail_problem)
        self.certificate = CertificateForm(desk, theme)
        page.addWidget(self.certificate)
        page.addStretch(1)

    def _details(self) -> QBoxLayout:
        row = self.folding_row(16)
        self.steps, self.accuracy, self.response = QLineEdit(), QLineEdit(), QLineEdit()
        for edit, before, after, name in (
            (self.steps, "shows steps of", "", "Display steps"),
            (self.accuracy, "good to ±", "", "Accuracy, plus or minus"),
            (self.response, "follows in", "s", "Response time in seconds"),
        ):
            edit.setFixedWidth(self._theme.px(64))
            edit.setAccessibleName(name)
            edit.returnPressed.connect(self.keep_details)
            pair = QHBoxLayout()
            pair.setSpacing(8)
            for widget in (label(before, "muted"), edit, label(after, "muted")):
                pair.addWidget(widget)
            pair.addStretch(1)
            row.addLayout(pair)
        last = QHBoxLayout()
        last.addWidget(button("&Keep", self.keep_details))
        last.addStretch(1)
        row.addLayout(last)
        row.addStretch(1)
        return row

    def show_channel(self, channel_id: int) -> None:
        """Show a channel."""
        self._channel_id = channel_id
        channel = self._desk.book.channel(channel_id)
        self.steps.setText(f"{channel.resolution:g}")
        self.accuracy.setText(f"{channel.accuracy:g}")
        self.response.setText("" if channel.response_s is None else f"{channel.response_s:g}")
        self.response.setPlaceholderText(f"{RESPONSE_S[channel.quantity]:g}")
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
        self._why.setText(why)
        self._why.setVisible(bool(why))
        self.between.blockSignals(True)
        self.between.setChecked(channel.between_checks == "between")
        self.between.blockSignals(False)
        self.between.setVisible(len(found.checks) > 1)
        self._show_chart(found)
        self._show_checks(found)
        self.certificate.setVisible(instrument.role == "reference")

    def _show_chart(self, found: History) -> None:
        if found.checks and self.chart is None:
            from stathmis.ui.instruments.drift_chart import DriftChart

            self.chart = DriftChart(self._desk, self._theme)
            self.chart.setFixedHeight(self._theme.px(250))
            self._chart_holder.addWidget(self.chart)
        if self.chart is not None:
            self.chart.setVisible(bool(found.checks))
            self.chart.show_history(found)

    def _show_checks(self, found: History) -> None:
        clear(self._checks)
        self._checks.addWidget(label("Checks", "heading"))
        if not found.checks:
            self._checks.addWidget(label("None yet.", "muted"))
        unit = unit_word(found.channel.unit)
        places = places_for(found.channel.resolution / 10)
        force = self._desk.book.corrections.in_force(found.channel, self._desk.now_ms)
        for past in reversed(found.checks):
            one = past.calibration
            names = ", ".join(methods()[k].name for k in one.conditions.method.split("+") if k in methods())
            mark = " · in force" if one.id == force.calibration_id else ""
            later = [c.calibration.done_ms for c in found.checks if c.calibration.done_ms > one.done_ms]
            if later and not mark:
                mark = f" · superseded {dates.day(self._desk.book.local(min(later)), year=True)}"
            row = QHBoxLayout()
            row.setSpacing(12)
            text = (
                f"{dates.day(self._desk.book.local(one.done_ms), year=True)}, {one.conditions.state}{mark}: add "
                f"{signed(-past.error, places)} ± {past.U:.{places}f} {unit}"
            )
            row.addWidget(label(text, "name", wrap=True), 1)
            made = button("Sheet to print …", partial(self.choose_sheet, one), "link")
            made.setAccessibleName(f"Sheet to print of {dates.day(self._desk.book.local(one.done_ms), year=True)}")
            row.addWidget(made)
            self._checks.addLayout(row)
            how = f"{MODEL_WORDS[one.correction.model].capitalize()}, {names}. " + " ".join(chain(self._desk.book, one))
            self._checks.addWidget(label(how, "small", wrap=True))

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
            problem = f"“{error}” is not a number; write one such as 0.1."
        except UserError as error:
            problem = str(error)
        self._detail_problem.setText(problem)
        self._detail_problem.setVisible(bool(problem))

    def choose_sheet(self, one: Calibration) -> None:
        """Ask where the printable sheet goes, and write it."""
        name = f"{self._title.text().replace('/', '-')} {self._desk.book.local(one.done_ms):%Y-%m-%d}.pdf"
        chosen, _ = QFileDialog.getSaveFileName(self, "Sheet to print", str(Path.home() / name), "PDF (*.pdf)")
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
        notify.tell("info", f"Sheet written to {path.name}.")


def _words(book: Book, found: History) -> tuple[str, str]:
    """When it is due and why, and what its drift says."""
    unit = unit_word(found.channel.unit)
    due = ""
    if found.due_ms is None:
        due = "Never checked: check it before you believe it."
    else:
        late, by = book.now_ms > found.due_ms, dates.day(book.local(found.due_ms), year=True)
        due = f"{'Due since' if late else 'Next check by'} {by} ({found.due_why})."
    if found.drift is None:
        return due, ""
    yearly = found.drift.rate * 365.25
    places = places_for(found.channel.resolution / 10)
    if found.drift.fitted:
        U = found.drift.k * found.drift.u_rate * 365.25
        says = f"Drift {signed(yearly, places)} ± {U:.{places}f} {unit} a year from {count(len(found.checks), 'check')}"
        says += "." if found.drift.seen else ": none that can be told from its uncertainty."
    else:
        U = NORMAL_95 * found.drift.u_rate * 365.25
        says = f"Drift not known yet: three checks show it; until then ± {U:.{places}f} {unit} a year is allowed for."
    if found.leaves_ms is not None:
        when = dates.day(book.local(found.leaves_ms), year=True)
        says += f" What its correction leaves, with U, passes ± {found.tolerance:.{places}f} {unit} on {when}."
    return due, says
