"""Round: type what each instrument shows, see what it means, log it, and note what was done."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QBoxLayout, QGridLayout, QPushButton

from stathmis.core.errors import UserError
from stathmis.core.units import NotANumberError, parse_typed, to_inside
from stathmis.services import clock, knowledge, notify, rounds
from stathmis.services.advice import now as adviser
from stathmis.services.desk import Desk
from stathmis.services.findings.verdict import Judged
from stathmis.services.plan import conflicts, planning, tasks, turning
from stathmis.services.reading_field import Field
from stathmis.services.rounds import RoundSheet
from stathmis.ui.kit.fields import field
from stathmis.ui.kit.lines import StrikeList
from stathmis.ui.kit.page import Page, column, row
from stathmis.ui.kit.pieces import button, hide, label, problem_label, say, set_property
from stathmis.ui.lockdown_panel import LockdownPanel
from stathmis.ui.power_cut_panel import PowerCutPanel
from stathmis.ui.reading_row import ReadingGrid, ReadingRow
from stathmis.ui.theme import Theme
from stathmis.ui.today_list import TodayList
from stathmis.ui.verdict_panel import VerdictPanel
from stathmis.words import dates
from stathmis.words import turning as turning_words
from stathmis.words import vents as vents_words
from stathmis.words.advice import mean_of, said
from stathmis.words.catalogue import _
from stathmis.words.events import EVENT_KINDS
from stathmis.words.numbers import count, number, with_u

if TYPE_CHECKING:
    from stathmis.services.findings.box import BoxSheet

_LATELY = 7
EVENT_KEYS = {
    "water": "Alt+W",
    "vent": "Alt+V",
    "lid": "Alt+L",
    "set_point": "Alt+S",
    "cool": "Alt+C",
    "note": "Alt+N",
}


class RoundView(Page):
    """The round of one incubator."""

    set_batch_wanted = Signal()

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__(theme, 680)
        self.desk = desk
        self.sheet: RoundSheet
        self.rows: list[ReadingRow] = []
        self._grids: dict[int, ReadingGrid] = {}
        self._event_buttons: dict[str, QPushButton] = {}
        self._filled = False
        self._built_narrow = False
        self._box: BoxSheet | None = None
        self._hint = label(_("Type what you read; corrections are applied."), "muted", wrap=True)
        when = _("Time of the reading or event; empty means now")
        self.time = field(when, _("now"), width=(theme, 150), typed=self._show_time_problem, entered=self.log)
        self.time_problem = problem_label()
        self.time_problem.setAlignment(Qt.AlignmentFlag.AlignRight)
        self._grid_holder = column()
        self._loggers, self.log_note = label("", "small", wrap=True), label("", "muted")
        self.log_button = button("", self.log, "main")
        title, read_at = label(_("What do they show?"), "heading"), label(_("read at"), "muted")
        for part in (
            row(title, (self._hint, 100), 1, read_at, self.time),
            column(self.time_problem, self._grid_holder, self._loggers),
            row(self.log_button, self.log_note, 1),
        ):
            self.page.addLayout(part)
        self.page.addSpacing(8)
        self.lockdown = LockdownPanel(desk)
        self.page.addWidget(self.lockdown)
        below = self.folding_row(theme.px(24))
        self._verdicts = VerdictPanel()
        self._verdicts.set_batch_wanted.connect(self.set_batch_wanted)
        below.addWidget(self._verdicts, 3)
        below.addLayout(self._build_events(), 2)
        self.page.addLayout(below)
        self.page.addStretch(1)

    def _build_events(self) -> QBoxLayout:
        self.today = TodayList(self.desk)
        self._turning = label("", "small", wrap=True)
        self._turning.hide()
        self.note = field(_("Details of what you did"), _("more about it: which trough, how far, new set point"))
        self.event_problem = problem_label()
        grid = QGridLayout()
        grid.setSpacing(8)
        for i, (kind, text) in enumerate(EVENT_KINDS.items()):
            made = button(text, partial(self.log_event, kind), tip=f"{EVENT_KEYS[kind]}")
            made.setShortcut(EVENT_KEYS[kind])
            self._event_buttons[kind] = made
            grid.addWidget(made, i // 2, i % 2)
        self._event_buttons["power"] = button(_("Power cut …"), self.toggle_power_cut)
        grid.addWidget(self._event_buttons["power"], len(EVENT_KINDS) // 2, len(EVENT_KINDS) % 2)
        self.power_cut = PowerCutPanel(self.desk, self.theme)
        self.recent = StrikeList(self._strike, _("Logged lately"))
        done = label(_("What did you do?"), "heading")
        above = (self.today, self._turning, done, self.note, self.event_problem)
        return column(*above, grid, self.power_cut, self.recent, 1)

    def toggle_power_cut(self) -> None:
        """Open or close what helps in a power cut."""
        self.power_cut.toggle(self.sheet.incubator)

    def fold(self) -> bool:
        """The rows of a narrow page are built narrower."""
        changed = super().fold()
        # a hint squeezed into a narrow column helps nobody
        self._hint.setVisible(not self.narrow)
        if self._filled and (changed or self.narrow != self._built_narrow):
            self.show_incubator(self.sheet)
        return changed

    def show_incubator(self, sheet: RoundSheet) -> None:
        """Show a round; what was typed for any incubator and not yet logged is still there."""
        # asked before anything is hidden: what is taken away hands its focus on to whatever comes next
        kept = (self.today.focused(), self.lockdown.focused())
        if self._filled and sheet.incubator.id != self.sheet.incubator.id:
            self.power_cut.hide()
        self.sheet = sheet
        for kind, made in self._event_buttons.items():
            # nothing is opened or filled in the room; a note can be made of it
            made.setVisible(kind == "note" or sheet.incubator.air != "room")
        self._show_rows(sheet)
        say(self._loggers, self._logger_words())
        self.typed()
        book = self.desk.book
        lately = rounds.logged_lately(book, sheet, _LATELY)
        lines = [(dates.weekday_clock(book.local(e.time_ms)), e.words, e) for e in lately]
        self.recent.show_lines(lines, self.theme.px(68))
        self._show_today(*kept)

    def _show_rows(self, sheet: RoundSheet) -> None:
        """A field for each instrument that is typed. The fields of each incubator live on while others are in view, and
        on a newer round: with focus, cursor and half-typed text."""
        typed_lines = [line for line in sheet.lines if line.instrument.kind != "logger"]
        shape = (self.narrow, self.theme.px(100), [line.hanging for line in sheet.lines])
        self._built_narrow = self.narrow
        known = self._grids.get(sheet.incubator.id)
        focused = next((r.line.channel.id for r in self.rows if r.edit.hasFocus()), None)
        if known is None or known.shape != shape:
            drafts = {r.line.channel.id: r.edit.text() for r in known.rows} if known is not None else {}
            if known is not None:
                hide(known)
                known.deleteLater()
            self._filled = False
            known = self._grids[sheet.incubator.id] = ReadingGrid(self, sheet, shape)
            self.rows = known.rows
            self._grid_holder.addWidget(known)
            self._filled = True
            for one in known.rows:
                text = drafts.get(one.line.channel.id, "")
                if text:
                    self.type_into(one, text)
        self.rows = known.rows
        for grid in self._grids.values():
            if grid is not known and not grid.isHidden():
                hide(grid)
        known.show()
        for one, line in zip(self.rows, typed_lines, strict=True):
            one.show_line(line)
            # only what is shown can have it
            if one.line.channel.id == focused:
                one.edit.setFocus()

    def _show_today(self, task: tuple[str, str] | None = None, step: str = "") -> None:
        """What is to be done, and the lockdown run where it is due; task, step: what had the focus."""
        sheet = self.sheet
        refill = tasks.refill(self._box) if self._box is not None else None
        self.today.show_tasks(sheet.incubator, [refill] if refill is not None else [], task)
        plan = planning.plan_of(self.desk.book, sheet.course.batch) if sheet.course is not None else None
        self.lockdown.show_plan(plan, self._box, step)
        words = ""
        if sheet.course is not None and sheet.course.way.turning == "by hand":
            words = turning_words.by_hand(self.desk.book, turning.turning(self.desk.book, sheet.course))
        elif sheet.course is not None:
            words = turning_words.counter(self.desk.book, sheet.course)
        if sheet.course is not None:
            words = f"{words} {vents_words.off_the_way(self.desk.book, sheet.course)}".strip()
        say(self._turning, words)

    def show_box(self, found: BoxSheet | None) -> None:
        """What water and vents give here, for the advice; it is worked out off the window's thread."""
        if found is self._box:
            return
        self._box = found
        self.typed()
        if self._filled:
            self._show_today(self.today.focused(), self.lockdown.focused())

    def _logger_words(self) -> str:
        """What the loggers that hang here said last; they are not typed."""
        parts = []
        for line in self.sheet.lines:
            if line.instrument.kind != "logger":
                continue
            found = next((j for j in self.sheet.latest if j.channel.id == line.channel.id), None)
            if found is None:
                quantity = line.channel.quantity
                parts.append(f"{line.instrument.name}: no {quantity} lately; bring in its file")
                continue
            unit = self.desk.book.shown_unit(line.channel.quantity)
            value = with_u(found.corrected.value, found.corrected.U, line.channel.quantity, unit)
            ago = dates.duration(self.desk.now_ms - found.time_ms)
            parts.append(f"{line.instrument.name}: {value}, {mean_of(found)}{ago} ago")
        return " · ".join(parts)

    def type_into(self, row: ReadingRow, text: str) -> None:
        """Put text into a field as if typed."""
        row.edit.setText(text)
        row.edit.textEdited.emit(text)

    def typed(self) -> None:
        """Something was typed: verdicts, advice and the button follow."""
        if not self._filled:
            return
        good = [one for one in self.rows if one.judged is not None]
        wrong = [one for one in self.rows if one.field.problem]
        self.log_button.setEnabled(bool(good) and not wrong)
        self.log_button.setText(_("Log {count}", count=count(len(good), "reading")) if good else _("Log readings"))
        hint = "Mend the marked field first" if wrong else "Enter logs them all" if good else ""
        self.log_note.setText(hint)
        self._show_verdicts({one.line.channel.id: one.judged for one in good if one.judged is not None})

    def _moment(self) -> int:
        return clock.parse_moment(self.time.text(), self.desk.now_ms, self.desk.book.zone)

    def _show_time_problem(self, _typed: str = "") -> bool:
        try:
            self._moment()
        except UserError as error:
            say(self.time_problem, str(error))
            set_property(self.time, "wrong", True)
            return True
        self.time_problem.hide()
        set_property(self.time, "wrong", False)
        return False

    def log(self) -> None:
        """Log every good field; a field with a problem keeps all of them waiting, so that none is forgotten."""
        if self._show_time_problem():
            self.time.setFocus()
            return
        wrong = [one for one in self.rows if one.field.problem]
        if wrong:
            wrong[0].edit.setFocus()
            return
        fields = {one.line.channel.id: one.field for one in self.rows if not one.field.empty}
        for one in self.rows:
            one.edit.setText("")
            one.field = Field("")
        logged = 0
        try:
            logged = rounds.log_round(self.desk, fields, self._moment())
        except UserError as error:
            notify.tell_error(error)
        finally:
            # whatever went wrong, nothing typed is lost
            for one in self.rows if not logged else ():
                if one.line.channel.id in fields:
                    self.type_into(one, fields[one.line.channel.id].typed)
        if logged:
            self.time.setText("")
            notify.tell("info", _("{count} logged. Ctrl+Z takes it back.", count=count(logged, "reading")))
            if self.rows:
                self.rows[0].edit.setFocus()

    def log_event(self, kind: str) -> None:
        """Log something done now (or at the time typed), with the details typed."""
        self.event_problem.hide()
        if self._show_time_problem():
            self.time.setFocus()
            return
        note, set_point_c = self.note.text().strip(), None
        try:
            if kind == "set_point":
                set_point_c = self._typed_set_point(note)
                note = number(set_point_c, "temperature", self.desk.book.temperature_unit)
            if kind == "note" and not note:
                raise UserError("What is the note?", "Write it above first.")
            rounds.log_event(self.desk, self.sheet.incubator, kind, note, self._moment(), set_point_c)
        except UserError as error:
            say(self.event_problem, str(error))
            self.note.setFocus()
            return
        self.note.setText("")
        self.time.setText("")
        caution = f" {knowledge.cautions()['water']}" if kind == "water" else ""
        notify.tell("info", _("{what}: logged.{caution}", what=EVENT_KINDS[kind], caution=caution))

    def _typed_set_point(self, text: str) -> float:
        try:
            typed = parse_typed(text)
        except NotANumberError:
            raise UserError("What is the new set point?", "Write it above, such as 37.6 or 99.7F.") from None
        celsius = float(to_inside(typed.value, typed.unit or self.desk.book.temperature_unit))
        if not 20.0 <= celsius <= 45.0:
            example = number(37.6, "temperature", self.desk.book.temperature_unit)
            raise UserError(f"{text} is no set point for eggs.", f"Write one such as {example}.")
        return celsius

    def _show_verdicts(self, judged: dict[int, Judged]) -> None:
        book = self.desk.book
        found = [self.sheet.verdict("temperature", judged), self.sheet.verdict("humidity", judged)]
        told = [said(book, a) for a in adviser.advise(book, self.sheet, found[0], found[1], self._box)]
        warned = conflicts.sharing(book, self.sheet.incubator) if self.sheet.beside else []
        self._verdicts.show_verdicts(book, self.sheet, found, told, warned, judged)

    def _strike(self, entry: rounds.Entry) -> None:
        try:
            rounds.strike(self.desk, entry)
        except UserError as error:
            notify.tell_error(error)
            return
        notify.tell("info", _("Struck: {words}. It stays in the file; Ctrl+Z brings it back.", words=entry.words))
