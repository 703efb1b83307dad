"""Instruments that hung together, held against each other: who agrees, what they say together, who is doubted."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QGridLayout, QVBoxLayout, QWidget

from stathmis.core.conformity import decide
from stathmis.services.desk import Desk
from stathmis.services.findings.corrections import Corrected
from stathmis.services.instruments import overview
from stathmis.services.instruments.overview import Together
from stathmis.ui.level import Level, LevelState
from stathmis.ui.pieces import FoldingView, clear, label, rule, scrolling_page
from stathmis.ui.theme import Theme
from stathmis.words import dates
from stathmis.words.numbers import number, with_u

NOT_A_VOTE = (
    "Not a vote: each counts by how sure it is, so one with a short path to a reference outweighs any number of cheap "
    "ones that agree with each other. One that differs from the rest by more than both uncertainties (normalized error "
    "beyond 1) is doubted, never dropped in silence."
)


class TogetherView(FoldingView):
    """Every incubator with two or more readings of one quantity, a table each."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__(theme, 760)
        self._desk, self._theme = desk, theme
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        area, page = scrolling_page()
        outer.addWidget(area)
        page.addWidget(label(NOT_A_VOTE, "muted", wrap=True))
        self._drawn_narrow = False
        self._list = QVBoxLayout()
        self._list.setSpacing(8)
        page.addLayout(self._list)
        page.addStretch(1)

    def resizeEvent(self, event: QResizeEvent) -> None:
        """In a narrow page the levels give way to the numbers."""
        super().resizeEvent(event)
        if self._drawn_narrow != self.narrow:
            self.refresh()

    def refresh(self) -> None:
        """Show the newest readings together."""
        clear(self._list)
        self._drawn_narrow = self.narrow
        any_found = False
        for incubator in self._desk.book.incubators():
            for quantity in ("temperature", "humidity"):
                found = overview.side_by_side(self._desk.book, incubator, quantity)
                if found is not None:
                    any_found = True
                    self._show(found)
        if not any_found:
            words = "Two instruments in one incubator, read within a quarter of an hour, are compared here."
            self._list.addWidget(label(words, "muted", wrap=True))

    def _show(self, found: Together) -> None:
        unit = self._desk.book.shown_unit(found.quantity)
        at = max(r.time_ms for r in found.readings)
        head = f"{found.incubator.name}, {found.quantity}, {dates.moment(self._desk.book.local(at))}"
        self._list.addSpacing(8)
        self._list.addWidget(label(head, "heading"))
        ink = "heat" if found.quantity == "temperature" else "moisture"
        together = with_u(found.corrected.value, found.corrected.U, found.quantity, unit)
        suspects = [found.readings[i].instrument.name for i in found.consensus.suspects]
        doubt = (
            f"Doubted: {', '.join(suspects)}. Check it next." if suspects else "All agree within their uncertainties."
        )
        self._list.addWidget(label(f"Together they say {together}. {doubt}", "name", wrap=True))
        holder = QWidget()
        grid = QGridLayout(holder)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(self._theme.px(16))
        grid.setVerticalSpacing(2)
        grid.setColumnStretch(0, 2)
        grid.setColumnStretch(3, 0 if self.narrow else 3)
        headings = ("instrument", "it shows", "corrected", "", "counts for", "against the rest")
        for column, text in enumerate(headings):
            heading = label(text, "small", wrap=True)
            heading.setAlignment(_side(column))
            grid.addWidget(heading, 0, column)
        for i, judged in enumerate(found.readings):
            row = 1 + 2 * i
            grid.addWidget(rule(), row, 0, 1, len(headings))
            shown = number(overview.read_value(judged), found.quantity, unit)
            texts = (
                judged.instrument.name,
                shown,
                with_u(judged.corrected.value, judged.corrected.U, found.quantity, unit),
                "",
                f"{100 * found.share[i]:.0f} %" if found.share[i] >= 0.01 else "under 1 %",
                f"{found.e_n[i]:+.1f}".replace("-", "−"),
            )
            doubted = i in found.consensus.suspects
            for column, text in enumerate(texts):
                if column == 3:
                    if not self.narrow:
                        grid.addWidget(self._level(found, i), row + 1, column)
                    continue
                role = "name" if column in (0, 2) else ""
                cell = label(text, role, ink if column == 2 else "", wrap=self.narrow and column in (0, 5))
                if column == 5 and doubted:
                    cell.setText(f"{text}, doubted")
                    cell.setProperty("ink", "outside")
                cell.setAlignment(_side(column) | Qt.AlignmentFlag.AlignVCenter)
                grid.addWidget(cell, row + 1, column)
        self._list.addWidget(holder)
        worst = max(found.pairs, key=lambda pair: abs(found.pairs[pair]))
        names = " and ".join(found.readings[i].instrument.name for i in worst)
        self._list.addWidget(
            label(
                f"Furthest apart: {names}, normalized error {abs(found.pairs[worst]):.1f} (up to 1 agrees).",
                "small",
                wrap=True,
            )
        )

    def _level(self, found: Together, i: int) -> Level:
        judged = found.readings[i]
        level = Level(self._theme, slim=True)
        band = found.band
        value, U = judged.corrected.value, judged.corrected.U
        decision = "undecided"
        if band is not None:
            decision = str(decide(value, judged.corrected.u, band.low, band.high))
        words = {"inside": "inside", "outside": "outside"}.get(decision, "can't tell")
        state = LevelState(found.quantity, band, Corrected(value, U), decision)
        level.show_state(state, f"{judged.instrument.name}: {words}")
        return level


def _side(column: int) -> Qt.AlignmentFlag:
    return Qt.AlignmentFlag.AlignLeft if column in (0, 3) else Qt.AlignmentFlag.AlignRight
