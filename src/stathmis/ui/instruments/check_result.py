"""What a check found: the correction, whether it is enough for the job, why this curve, and the whole budget."""

from __future__ import annotations

from PySide6.QtWidgets import QWidget

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
from stathmis.ui.kit.lines import Lines, Pool, Rows, Said
from stathmis.ui.kit.page import column, holder, put, row, table
from stathmis.ui.kit.pieces import button, label, set_property, set_text
from stathmis.ui.level import Level, LevelState
from stathmis.ui.theme import Theme
from stathmis.words.catalogue import Sentence, _
from stathmis.words.numbers import unit_word

_OPEN = Sentence("What makes up U: the bud&get")


class CheckResult(QWidget):
    """The result under the points."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self._check: Check | None = None
        self.budget = button(_OPEN(), self._toggle, "link")
        self._table = table(BUDGET_HEAD, (1, *(0 for _ in BUDGET_HEAD[1:])))
        self._lines = Rows(self._table, _BudgetLine, ruled=False)
        self._budget_table = holder(self._table)
        box = column(spacing=4)
        self._head, self._verdicts, self._why = Lines(box), Pool(box, lambda: _Verdict(theme)), Lines(box, "muted")
        box.addLayout(row(self.budget, 1))
        box.addWidget(self._budget_table)
        put(self, box)
        self._budget_open = False

    def show_check(self, draft: Draft, check: Check | None, nothing_to_compare: bool) -> None:
        """Show what a check found so far."""
        self._check = check
        self.budget.setVisible(check is not None and check.fitted is not None)
        self._show_table()
        head: list[Said] = []
        if nothing_to_compare:
            words = _(
                "There is nothing to compare with. Enter a reference under Enter or change, or check another way."
            )
            head.append((words, "problem"))
        for problem in (*check.problems, *check.warnings) if check else ():
            if problem.set_index == -1:
                wrong = problem in check.problems if check else False
                head.append((problem.text, "problem", "") if wrong else (problem.text, "", "warning"))
        if check is None or check.fitted is None:
            words = check.trouble if check is not None and check.trouble else _("No point yet.")
            self._head.say([*head, (words, "muted")])
            self._verdicts.show(0)
            self._why.say([])
            return
        self._head.say([*head, (result_words(check), "big")])
        for shown, verdict in zip(self._verdicts.show(len(check.verdicts)), check.verdicts, strict=True):
            shown.show_verdict(check, verdict)
        unable = [v for v in check.verdicts if not v.can_decide]
        ways = [prospect_words(v, improving.prospects(draft, check, v), check.channel.unit) for v in unable]
        self._why.say([*ways, choice_words(check.fitted), range_words(check)])

    def _toggle(self) -> None:
        self._budget_open = not self._budget_open
        self.budget.setText(_("Close the bud&get") if self._budget_open else _OPEN())
        self._show_table()

    def _show_table(self) -> None:
        budget = self._check.budget if self._budget_open and self._check is not None else None
        self._budget_table.setVisible(budget is not None)
        if self._check is None or budget is None:
            return
        rows = budget_rows(budget, unit_word(self._check.channel.unit))
        for i, (line, texts) in enumerate(zip(self._lines.show(len(rows)), rows, strict=True), start=1):
            for cell, text in zip(line.cells, texts, strict=True):
                set_text(cell, text)
                set_property(cell, "role", "name" if i == len(rows) else "")


class _Verdict(QWidget):
    """Whether the corrected instrument can decide a band, as a level and in words."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._level, self._words = Level(theme, slim=True), label("", "name", wrap=True)
        theme.fit(self._level, FixedWidth=150)
        put(self, row(self._level, (self._words, 1), spacing=12))

    def show_verdict(self, check: Check, verdict: ZoneVerdict) -> None:
        words = verdict_words(verdict, check.channel)
        self._level.show_state(_level_state(check, verdict), words)
        set_text(self._words, words)


class _BudgetLine:
    """A line of the budget."""

    def __init__(self) -> None:
        self.cells = [label("", wrap=at == 0) for at in range(len(BUDGET_HEAD))]


def _level_state(check: Check, verdict: ZoneVerdict) -> LevelState:
    """A reading in the middle of the zone: its bubble's width says whether it could tell."""
    band = verdict.zone.band
    U = float(difference_to_inside(verdict.U, check.channel.unit))
    decision = str(decide(band.middle, U / NORMAL_95, band.low, band.high))
    return LevelState(check.channel.quantity, band, Corrected(band.middle, U), decision)
