"""Round: type what each instrument shows, see what it means, log it, and note what was done."""

from __future__ import annotations

from functools import partial
from itertools import pairwise
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QBoxLayout, QGridLayout, QPushButton

from stathmis.core.errors import UserError
from stathmis.core.units import NotANumberError, parse_typed, to_inside
from stathmis.services import clock, knowledge, notify, rounds
from stathmis.services.advice import now as adviser
from stathmis.services.advice.surer import surer
from stathmis.services.desk import Desk
from stathmis.services.findings.verdict import Judged
from stathmis.services.plan import conflicts, planning, tasks, turning
from stathmis.services.reading_field import Field
from stathmis.services.rounds import RoundSheet
from stathmis.ui.ahead_card import AheadCard
from stathmis.ui.kit.fields import field
from stathmis.ui.kit.lines import StrikeList
from stathmis.ui.kit.page import Page, column, holder, row
from stathmis.ui.kit.pieces import button, hide, label, problem_label, say, set_property, set_text
from stathmis.ui.lockdown_panel import LockdownPanel
from stathmis.ui.power_cut_panel import PowerCutPanel
from stathmis.ui.reading_row import TITLES, ReadingGrid, ReadingRow
from stathmis.ui.theme import Theme
from stathmis.ui.today_list import TodayList
from stathmis.ui.verdict_panel import VerdictPanel
from stathmis.words import dates
from stathmis.words import turning as turning_words
from stathmis.words import vents as vents_words
from stathmis.words.advice import Step, said, steps
from stathmis.words.advice import surer as say_surer
from stathmis.words.catalogue import _
from stathmis.words.events import EVENT_KINDS
from stathmis.words.numbers import count, number

if TYPE_CHECKING:
    from stathmis.services.findings.ahead import Ahead
    from stathmis.services.findings.box import BoxSheet

_LATELY = 3
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
    page_wanted = Signal(object)
    try_wanted = Signal()

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__(theme, 900)
        self.desk = desk
        self.sheet: RoundSheet
        self.rows: list[ReadingRow] = []
        self._grid: ReadingGrid
        self._grids: dict[tuple[int, bool], ReadingGrid] = {}
        self._event_buttons: dict[str, QPushButton] = {}
        self._filled = False
        self._built_tight = False
        self._box: BoxSheet | None = None
        self._ahead: Ahead | None = None
        self._watered = ""
        when = _("Time of the reading or event; empty means now")
        self.time = field(when, _("now"), width=(theme, 150), typed=self._show_time_problem, entered=self.log)
        self.time_problem = problem_label()
        self.time_problem.setAlignment(Qt.AlignmentFlag.AlignRight)
        self._grid_holder = column()
        self.log_note = label("", "muted", wrap=True)
        self.ahead_link = button("", self.toggle_ahead, "link", "Ctrl+Shift+A")
        self.ahead_link.hide()
        self.log_button = button("", self.log, "main")
        title, self._read_at = label(_("What do they show?"), "heading"), label(_("read at"), "muted")
        foot = self.folding_row()
        foot.addLayout(row(self.log_button, (self.log_note, 1)), 1)
        foot.addWidget(self.ahead_link)
        left, right = self.columns(17, 8, spacing=theme.px(28))
        for part in (
            row(title, 1, self._read_at, self.time),
            column(self.time_problem, self._grid_holder),
            foot,
        ):
            left.addLayout(part)
        self.lockdown = LockdownPanel(desk)
        left.addWidget(self.lockdown)
        self._verdicts = VerdictPanel()
        self._verdicts.set_batch_wanted.connect(self.set_batch_wanted)
        self._verdicts.step_wanted.connect(self.take_step)
        left.addWidget(self._verdicts)
        self.ahead = AheadCard(desk, theme)
        self.ahead.try_wanted.connect(self.try_wanted)
        left.addWidget(self.ahead)
        left.addStretch(1)
        right.addLayout(self._build_events())
        self.page.addStretch(1)

    def _build_events(self) -> QBoxLayout:
        self.today = TodayList(self.desk)
        self._turning = label("", "small", wrap=True)
        self._turning.hide()
        self.note = field(_("Details of what you did"), _("which trough, how far, new set point"))
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
        buttons = holder(grid)
        self._now_only = [done, self.note, buttons, self.time, self._read_at, self.log_button]
        return column(*above, buttons, self.power_cut, self.recent, 1)

    @property
    def past(self) -> bool:
        """Whether the batch has ended: its last round is looked at, and nothing is typed."""
        return self.sheet.course is not None and self.sheet.course.batch.ended_ms is not None

    def take_step(self, step: Step) -> None:
        """Do what a piece of advice offers to do at once; what lies on another page is asked for."""
        if step.do in ("check", "water page", "trace", "at hand", "enter", "weigh"):
            self.page_wanted.emit(step)
            return
        kind = step.do.replace(" ", "_")
        set_point_c = step.set_point_c if kind == "set_point" else None
        self._log_event(kind, step.note if set_point_c is None else self._set_to(set_point_c), set_point_c)

    def toggle_power_cut(self) -> None:
        """Open or close what helps in a power cut."""
        self.power_cut.toggle(self.sheet.incubator)

    @property
    def tight(self) -> bool:
        """Whether even a folded page has little room for its rows."""
        return self.width() < self.theme.px(680)

    def fold(self) -> bool:
        """The rows of a tight page are built narrower."""
        changed = super().fold()
        if self._filled and (changed or self.tight != self._built_tight):
            self.show_incubator(self.sheet)
        return changed

    def show_incubator(self, sheet: RoundSheet) -> None:
        """Show a round; what was typed for any incubator and not yet logged is still there."""
        # asked before anything is hidden: what is taken away hands its focus on to whatever comes next
        kept = (self.today.focused(), self.lockdown.focused())
        if self._filled and sheet.incubator.id != self.sheet.incubator.id:
            self.power_cut.hide()
        self.sheet = sheet
        for part in self._now_only:
            part.setVisible(not self.past)
        for kind, made in self._event_buttons.items():
            # nothing is opened or filled in the room; a note can be made of it
            made.setVisible(kind == "note" or sheet.incubator.air != "room")
        self._show_rows(sheet)
        self.typed()
        book = self.desk.book
        lately = rounds.logged_lately(book, sheet, _LATELY)
        lines = [(dates.weekday_clock(book.local(e.time_ms)), e.words, e) for e in lately]
        self.recent.show_lines(lines, self.theme.px(68))
        self._show_today(*kept)

    def _show_rows(self, sheet: RoundSheet) -> None:
        """A field for each instrument that is typed. The fields of each incubator live on while others are in view, and
        on a newer round: with focus, cursor and half-typed text."""
        held = [sheet.band(quantity) is not None for quantity in TITLES]
        shape = (self.tight, self.theme.px(100), [line.hanging for line in sheet.lines], held)
        self._built_tight = self.tight
        # what is half typed for now does not stand in the last round of a batch that has ended
        place = sheet.incubator.id, self.past
        known = self._grids.get(place)
        focused = next((r.line.channel.id for r in self.rows if r.edit.hasFocus()), None)
        if known is None or known.shape != shape:
            drafts = {r.line.channel.id: r.edit.text() for r in known.rows} if known is not None else {}
            if known is not None:
                hide(known)
                known.deleteLater()
            self._filled = False
            known = self._grids[place] = ReadingGrid(self, sheet, shape)
            self.rows = known.rows
            self._grid_holder.addWidget(known)
            # Tab goes from the time to the readings, and on to the button: they were made after it
            for edit, following in pairwise([self.time, *(r.edit for r in known.rows)]):
                self.setTabOrder(edit, following)
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
        known.show_lines(sheet)
        known.setEnabled(not self.past)
        self._grid = known
        # only what is shown can have it
        for one in known.rows:
            if one.line.channel.id == focused:
                one.edit.setFocus()

    def _show_today(self, task: tuple[str, str] | None = None, step: str = "") -> None:
        """What is to be done, and the lockdown run where it is due; task, step: what had the focus."""
        sheet = self.sheet
        if self.past:
            for gone in (self.today, self.lockdown, self._turning, self.power_cut):
                gone.hide()
            return
        refill = tasks.refill(self.desk.book, self._box, self._ahead) if self._box is not None else None
        self.today.show_tasks(sheet.incubator, [refill] if refill is not None else [], task)
        plan = planning.plan_of(self.desk.book, sheet.course.batch) if sheet.course is not None else None
        self.lockdown.show_plan(plan, self._box, step, self._watered)
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

    def show_ahead(self, found: Ahead | None, watered: str = "", scored: str = "") -> None:
        """What comes over the next two days; it is worked out off the window's thread. watered: what all water would
        give by when, for a lockdown that is due; scored: how forecasts did so far."""
        if found is self._ahead and found is not None and watered == self._watered:
            return
        self._watered = watered
        self._ahead = found
        self.ahead_link.setVisible(found is not None)
        self.ahead.show_ahead(found, self.sheet.course, scored)
        if found is not None:
            self._name_ahead()
        self.typed()
        if self._filled:
            self._show_today(self.today.focused(), self.lockdown.focused())

    def toggle_ahead(self) -> None:
        """Fold the picture of the next two days out, or away."""
        self.ahead.toggle()
        self._name_ahead()

    def _name_ahead(self) -> None:
        if self._ahead is not None:
            # read in with the first look ahead
            from stathmis.words.ahead import headline

            set_text(self.ahead_link, headline(self.desk.book, self._ahead, opened=self.ahead.opened))

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
        self.log_button.setText(
            _("Log {count}", count=count(len(good), "{n} reading", "{n} readings")) if good else _("Log readings")
        )
        hint = _("Type what you read; corrections are applied.")
        if self.past:
            hint = _("This batch has ended: here is its last round.")
        if wrong or good:
            hint = _("Mend the marked field first") if wrong else _("Enter logs them all")
        set_text(self.log_note, hint)
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
            notify.tell(
                "info", _("{count} logged. Ctrl+Z takes it back.", count=count(logged, "{n} reading", "{n} readings"))
            )
            if self.rows:
                self.rows[0].edit.setFocus()

    def log_event(self, kind: str) -> bool:
        """Log something done now (or at the time typed), with the details typed. False where it could not be."""
        self.event_problem.hide()
        if self._show_time_problem():
            self.time.setFocus()
            return False
        note, set_point_c = self.note.text().strip(), None
        try:
            if kind == "set_point":
                set_point_c = self._typed_set_point(note)
                note = self._set_to(set_point_c)
            if kind == "note" and not note:
                raise UserError(_("What is the note?"), _("Write it above first."))
        except UserError as error:
            say(self.event_problem, str(error))
            self.note.setFocus()
            return False
        if not self._log_event(kind, note, set_point_c):
            return False
        self.note.setText("")
        return True

    def _set_to(self, celsius: float) -> str:
        return number(celsius, "temperature", self.desk.book.temperature_unit)

    def _log_event(self, kind: str, note: str, set_point_c: float | None) -> bool:
        """Whether it could be logged."""
        if self._show_time_problem():
            self.time.setFocus()
            return False
        try:
            rounds.log_event(self.desk, self.sheet.incubator, kind, note, self._moment(), set_point_c)
        except UserError as error:
            say(self.event_problem, str(error))
            return False
        self.time.setText("")
        caution = f" {knowledge.cautions()['water']}" if kind == "water" else ""
        notify.tell("info", _("{what}: logged.{caution}", what=EVENT_KINDS[kind], caution=caution))
        return True

    def _typed_set_point(self, text: str) -> float:
        try:
            typed = parse_typed(text)
        except NotANumberError:
            raise UserError(_("What is the new set point?"), _("Write it above, such as 37.6 or 99.7F.")) from None
        celsius = float(to_inside(typed.value, typed.unit or self.desk.book.temperature_unit))
        if not 20.0 <= celsius <= 45.0:
            example = number(37.6, "temperature", self.desk.book.temperature_unit)
            raise UserError(
                _("{text} is no set point for eggs.", text=text), _("Write one such as {example}.", example=example)
            )
        return celsius

    def _show_verdicts(self, judged: dict[int, Judged]) -> None:
        book, sheet = self.desk.book, self.sheet
        typed = {j.channel.quantity for j in judged.values()}
        found = {quantity: sheet.verdict(quantity, judged) for quantity in TITLES}
        for quantity, shown in self._grid.together.items():
            fan = self._ahead.fans.get(quantity) if self._ahead is not None and not self.past else None
            shown.show_verdict(book, sheet, found[quantity], fan, fresh=quantity in typed)
        asked = adviser.advise(book, sheet, found["temperature"], found["humidity"], self._box) if not self.past else []
        warned = conflicts.sharing(book, sheet.incubator) if sheet.beside else []
        told = [(said(book, a), steps(book, a)) for a in asked]
        missing = surer(book, sheet) if not told and not self.past else None
        self._verdicts.show_advice(sheet, told, warned, say_surer(missing) if missing is not None else None)

    def _strike(self, entry: rounds.Entry) -> None:
        try:
            rounds.strike(self.desk, entry)
        except UserError as error:
            notify.tell_error(error)
            return
        notify.tell("info", _("Struck: {words}. It stays in the file; Ctrl+Z brings it back.", words=entry.words))
