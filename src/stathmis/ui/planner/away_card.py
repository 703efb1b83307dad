"""Days the keeper is away, and how many eggs each machine holds: what plans are held against."""

from __future__ import annotations

from functools import partial

from PySide6.QtWidgets import QFrame, QGridLayout, QHBoxLayout, QLineEdit, QVBoxLayout

from stathmis.core.errors import UserError
from stathmis.logbook.records import Away, Incubator
from stathmis.services import clock, notify, setting_up
from stathmis.services.clock import DAY_MS
from stathmis.services.desk import Desk
from stathmis.services.plan import conflicts
from stathmis.ui.pieces import button, clear, label, problem_label
from stathmis.ui.theme import Theme
from stathmis.words import dates


class AwayCard(QFrame):
    """Days away and capacities."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self._desk, self._theme = desk, theme
        self.setObjectName("card")
        box = QVBoxLayout(self)
        box.addWidget(label("Days you are away, and room in the machines", "name"))
        self._aways = QVBoxLayout()
        box.addLayout(self._aways)
        row = QHBoxLayout()
        self.away_from, self.away_to, self.away_note = QLineEdit(), QLineEdit(), QLineEdit()
        for edit, hint, name in (
            (self.away_from, "from 24 Jun", "First day away"),
            (self.away_to, "to 26 Jun", "Last day away"),
            (self.away_note, "why", "Why, may be empty"),
        ):
            edit.setPlaceholderText(hint)
            edit.setAccessibleName(name)
            edit.returnPressed.connect(self.add_away)
            row.addWidget(edit)
        row.addWidget(button("Note it", self.add_away, "link"))
        box.addLayout(row)
        self.problem = problem_label()
        box.addWidget(self.problem)
        self._capacities = QGridLayout()
        box.addLayout(self._capacities)

    def refresh(self) -> None:
        """Show the logbook as it stands."""
        clear(self._aways)
        for away in self._desk.book.records(Away):
            if away.to_ms <= self._desk.now_ms:
                continue
            first, last = self._desk.book.local(away.from_ms), self._desk.book.local(away.to_ms - 1)
            words = f"{dates.day(first, weekday=True)} to {dates.day(last, weekday=True)}"
            row = QHBoxLayout()
            row.addWidget(label(f"{words}  {away.note}".strip(), wrap=True), 1)
            row.addWidget(button("take out", partial(conflicts.remove_away, self._desk, away), "link"))
            self._aways.addLayout(row)
        clear(self._capacities)
        self._capacities.setColumnStretch(0, 1)
        for i, incubator in enumerate(self._desk.book.incubators()):
            edit = QLineEdit(str(incubator.capacity or ""))
            edit.setFixedWidth(self._theme.px(64))
            edit.setPlaceholderText("eggs")
            edit.setAccessibleName(f"How many eggs {incubator.name} holds")
            edit.editingFinished.connect(partial(self._capacity_typed, incubator, edit))
            self._capacities.addWidget(label(f"{incubator.name} holds", "muted", wrap=True), i, 0)
            self._capacities.addWidget(edit, i, 1)
            gone = button("take it away", partial(self._remove, incubator), "link")
            gone.setAccessibleName(f"Take {incubator.name} away")
            self._capacities.addWidget(gone, i, 2)

    def _capacity_typed(self, incubator: Incubator, edit: QLineEdit) -> None:
        text = edit.text().strip()
        if text == str(incubator.capacity or ""):
            return
        try:
            if text and not text.isdigit():
                raise UserError(f"{text} is no count of eggs.", "Write a number, or leave it empty.")
            conflicts.set_capacity(self._desk, incubator, int(text) if text else None)
        except UserError as error:
            self.problem.setText(str(error))
            self.problem.show()
            return
        self.problem.hide()

    def _remove(self, incubator: Incubator) -> None:
        try:
            setting_up.remove_incubator(self._desk, incubator)
        except UserError as error:
            self.problem.setText(str(error))
            self.problem.show()
            return
        self.problem.hide()
        notify.tell("info", f"{incubator.name} taken away; its log stays in the file. Ctrl+Z brings it back.")

    def add_away(self) -> None:
        """Note days away; the last day is away whole."""
        desk = self._desk
        try:
            first = clock.parse_day(self.away_from.text(), desk.now_ms, desk.book.zone, 0.0)
            last = clock.parse_day(self.away_to.text() or self.away_from.text(), desk.now_ms, desk.book.zone, 0.0)
            conflicts.add_away(desk, first, last + DAY_MS, self.away_note.text())
        except UserError as error:
            self.problem.setText(str(error))
            self.problem.show()
            return
        self.problem.hide()
        for edit in (self.away_from, self.away_to, self.away_note):
            edit.setText("")
