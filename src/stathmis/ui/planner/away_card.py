"""Days the keeper is away, and how many eggs each machine holds: what plans are held against."""

from __future__ import annotations

from functools import partial

from PySide6.QtWidgets import QFrame, QWidget

from stathmis.core.errors import UserError
from stathmis.core.units import count_typed
from stathmis.logbook.records import Away, Incubator
from stathmis.services import clock, setting_up
from stathmis.services.clock import DAY_MS
from stathmis.services.desk import Desk
from stathmis.services.plan import conflicts
from stathmis.ui.kit.attempt import attempt, emptied
from stathmis.ui.kit.fields import field
from stathmis.ui.kit.lines import Pool, StrikeList
from stathmis.ui.kit.page import column, put, row
from stathmis.ui.kit.pieces import button, given, label, problem_label, set_text
from stathmis.ui.theme import Theme
from stathmis.words import dates
from stathmis.words.catalogue import _


class _Machine(QWidget):
    """How many eggs a machine holds, and a way to take it away."""

    def __init__(self, card: AwayCard, theme: Theme) -> None:
        super().__init__()
        self._card = card
        self._machine: Incubator | None = None
        self._words = label("", "muted", wrap=True)
        self.edit = field("", _("eggs"), width=(theme, 64))
        self.edit.editingFinished.connect(self._typed)
        self._gone = button(_("take it away"), given(lambda: self._machine, card.remove), "link")
        put(self, row((self._words, 1), self.edit, self._gone))

    def show_machine(self, machine: Incubator) -> None:
        if self._machine is None or machine.id != self._machine.id or machine.capacity != self._machine.capacity:
            self.edit.setText(str(machine.capacity or ""))
        self._machine = machine
        set_text(self._words, _("{machine} holds", machine=machine.name))
        self.edit.setAccessibleName(_("How many eggs {machine} holds", machine=machine.name))
        self._gone.setAccessibleName(_("Take {machine} away", machine=machine.name))

    def _typed(self) -> None:
        text = self.edit.text().strip()
        if self._machine is not None and text != str(self._machine.capacity or ""):
            self._card.set_capacity(self._machine, text)


class AwayCard(QFrame):
    """Days away and capacities."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self._desk = desk
        self.setObjectName("card")
        self._aways = StrikeList(partial(conflicts.remove_away, desk), verb=_("take out"))
        self.away_from = field(_("First day away"), _("from 24 Jun"), entered=self.add_away)
        self.away_to = field(_("Last day away"), _("to 26 Jun"), entered=self.add_away)
        self.away_note = field(_("Why, may be empty"), _("why"), entered=self.add_away)
        note = button(_("Note it"), self.add_away, "link")
        self.problem = problem_label()
        box = column(label(_("Days you are away, and room in the machines"), "name"), self._aways)
        box.addLayout(row(self.away_from, self.away_to, self.away_note, note))
        box.addWidget(self.problem)
        self._machines = Pool(box, lambda: _Machine(self, theme))
        self.setLayout(box)

    def refresh(self) -> None:
        """Show the logbook as it stands; what is being typed stays."""
        book = self._desk.book
        lines = []
        for away in book.records(Away):
            if away.to_ms > self._desk.now_ms:
                first, last = (dates.day(book.local(ms), weekday=True) for ms in (away.from_ms, away.to_ms - 1))
                span = _("{first} to {last}", first=first, last=last)
                lines.append(("", f"{span}  {away.note}".strip(), away))
        self._aways.show_lines(lines)
        machines = book.incubators()
        for shown, machine in zip(self._machines.show(len(machines)), machines, strict=True):
            shown.show_machine(machine)

    def set_capacity(self, machine: Incubator, text: str) -> None:
        """A machine holds so many eggs, as typed."""

        def action() -> str:
            if text and count_typed(text) is None:
                raise UserError(_("{text} is no count of eggs.", text=text), _("Write a number, or leave it empty."))
            conflicts.set_capacity(self._desk, machine, count_typed(text))
            return (
                _("{machine} holds {text} eggs.", machine=machine.name, text=text)
                if text
                else _("{machine} holds any number of eggs.", machine=machine.name)
            )

        attempt(self.problem, action)

    def remove(self, machine: Incubator) -> None:
        """Take a machine away."""

        def action() -> str:
            setting_up.remove_incubator(self._desk, machine)
            return _("{machine} taken away; its log stays in the file.", machine=machine.name)

        attempt(self.problem, action)

    def add_away(self) -> None:
        """Note days away; the last day is away whole."""
        desk = self._desk

        def action() -> str:
            with emptied(self.away_from, self.away_to, self.away_note) as (start, end, note):
                first = clock.parse_day(start, desk.now_ms, desk.book.zone, 0.0)
                last = clock.parse_day(end or start, desk.now_ms, desk.book.zone, 0.0)
                conflicts.add_away(desk, first, last + DAY_MS, note)
            return _("Noted.")

        attempt(self.problem, action)
