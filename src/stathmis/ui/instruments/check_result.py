"""What a check found: the correction, whether it is enough for the job, why this curve, and the whole budget."""

from __future__ import annotations

from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QVBoxLayout, QWidget

from stathmis.core.conformity import decide
from stathmis.core.uncertainty import NORMAL_95
from stathmis.core.units import difference_to_inside
from stathmis.services.findings.corrections import Corrected
from stathmis.services.instruments import improving
from stathmis.services.instruments.checking import Check
from stathmis.services.instruments.draft import Draft
from stathmis.services.instruments.sheet import BUDGET_HEAD, budget_rows, verdict_words
from stathmis.services.instruments.words import choice_words, prospect_words, range_words, result_words
from stathmis.services.instruments.zones import ZoneVerdict
from stathmis.ui.level import Level, LevelState
from stathmis.ui.pieces import button, clear, label
from stathmis.ui.theme import Theme
from stathmis.words.numbers import unit_word

_OPEN = "What makes up U: the bud&get"


class CheckResult(QWidget):
    """The result under the points."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self._check: Check | None = None
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.setSpacing(6)
        self._layout = QVBoxLayout()
        self._layout.setSpacing(6)
        outer.addLayout(self._layout)
        line = QHBoxLayout()
        self.budget = button(_OPEN, self._toggle, "link")
        line.addWidget(self.budget)
        line.addStretch(1)
        outer.addLayout(line)
        self._table_holder = QVBoxLayout()
        outer.addLayout(self._table_holder)
        self._budget_open = False

    def show_check(self, draft: Draft, check: Check | None, nothing_to_compare: bool) -> None:
        """Show what a check found so far."""
        self._check = check
        clear(self._layout)
        self.budget.setVisible(check is not None and check.fitted is not None)
        self._show_table()
        if nothing_to_compare:
            words = "There is nothing to compare with. Enter a reference under Enter or change, or check another way."
            self._layout.addWidget(label(words, "problem", wrap=True))
        for problem in (*check.problems, *check.warnings) if check else ():
            if problem.set_index == -1:
                wrong = problem in check.problems if check else False
                self._layout.addWidget(
                    label(problem.text, "problem" if wrong else "", "" if wrong else "warning", wrap=True)
                )
        if check is None or check.fitted is None:
            words = check.trouble if check is not None and check.trouble else "No point yet."
            self._layout.addWidget(label(words, "muted", wrap=True))
            return
        self._layout.addWidget(label(result_words(check), "big", wrap=True))
        self._verdicts(draft, check)
        self._layout.addWidget(label(choice_words(check.fitted.considered), "muted", wrap=True))
        self._layout.addWidget(label(range_words(check), "muted", wrap=True))

    def _toggle(self) -> None:
        self._budget_open = not self._budget_open
        self.budget.setText("Close the bud&get" if self._budget_open else _OPEN)
        self._show_table()

    def _show_table(self) -> None:
        clear(self._table_holder)
        if self._budget_open and self._check is not None and self._check.fitted is not None:
            self._table_holder.addWidget(self._table(self._check))

    def _verdicts(self, draft: Draft, check: Check) -> None:
        holder = QWidget()
        grid = QGridLayout(holder)
        grid.setContentsMargins(0, 2, 0, 2)
        grid.setHorizontalSpacing(12)
        grid.setVerticalSpacing(2)
        grid.setColumnStretch(1, 1)
        for at, verdict in enumerate(check.verdicts):
            level = Level(self._theme, slim=True)
            level.setFixedWidth(self._theme.px(150))
            words = verdict_words(verdict, check.channel)
            level.show_state(_level_state(check, verdict), words)
            grid.addWidget(level, at, 0)
            grid.addWidget(label(words, "name", wrap=True), at, 1)
        self._layout.addWidget(holder)
        for verdict in check.verdicts:
            if not verdict.can_decide:
                found = improving.prospects(draft, check, verdict)
                self._layout.addWidget(label(prospect_words(verdict, found, check.channel.unit), "muted", wrap=True))

    def _table(self, check: Check) -> QWidget:
        budget = check.budget
        assert budget is not None
        holder = QWidget()
        grid = QGridLayout(holder)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(16)
        grid.setVerticalSpacing(2)
        grid.setColumnStretch(0, 1)
        for column, text in enumerate(BUDGET_HEAD):
            grid.addWidget(label(text, "small"), 0, column)
        rows = budget_rows(budget, unit_word(check.channel.unit))
        for at, row in enumerate(rows, start=1):
            for column, text in enumerate(row):
                last = at == len(rows)
                grid.addWidget(label(text, "name" if last else "", wrap=column == 0), at, column)
        return holder


def _level_state(check: Check, verdict: ZoneVerdict) -> LevelState:
    """A reading in the middle of the zone: its bubble's width says whether it could tell."""
    band = verdict.zone.band
    U = float(difference_to_inside(verdict.U, check.channel.unit))
    decision = str(decide(band.middle, U / NORMAL_95, band.low, band.high))
    return LevelState(check.channel.quantity, band, Corrected(band.middle, U), decision)
