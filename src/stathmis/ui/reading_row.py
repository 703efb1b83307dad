"""One instrument's line on the round: what it shows, what that is, and how it lies."""

from __future__ import annotations

from typing import Protocol

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from stathmis.services import rounds
from stathmis.services.desk import Desk
from stathmis.services.findings.verdict import Judged, judge_reading
from stathmis.services.reading_field import Field, interpret
from stathmis.services.rounds import Line, RoundSheet
from stathmis.ui.kit.pieces import button, label, rule, set_property, set_text
from stathmis.ui.level import Level, LevelState
from stathmis.ui.theme import Theme
from stathmis.words.catalogue import _
from stathmis.words.numbers import u_text, unit_word, value_text, with_u
from stathmis.words.verdicts import word as word_of


class Round(Protocol):
    """The page its rows stand on."""

    desk: Desk
    theme: Theme
    sheet: RoundSheet

    @property
    def narrow(self) -> bool:
        """Whether there is little room."""

    def typed(self) -> None:
        """Something was typed."""

    def log(self) -> None:
        """Log what was typed."""


class ReadingRow:
    """The widgets of one instrument's line, in a shared grid, and what was typed there."""

    def __init__(self, view: Round, grid: QGridLayout, row: int, line: Line) -> None:
        self._view, self.line = view, line
        theme = view.theme
        channel = line.channel
        self.field = Field("")
        self.judged: Judged | None = None
        names = QVBoxLayout()
        names.setSpacing(0)
        names.addStretch(1)
        names.addWidget(label(line.instrument.name, "name", wrap=True))
        self._about = label("", "small", wrap=True)
        names.addWidget(self._about)
        names.addStretch(1)
        grid.addLayout(names, row, 0)
        self.edit = QLineEdit()
        self.edit.setProperty("role", "reading")
        self.edit.setAlignment(Qt.AlignmentFlag.AlignRight)
        theme.fit(self.edit, FixedWidth=92 if not view.narrow else 80)
        self.edit.setAccessibleName(
            _("{name} shows, in {unit_word}", name=line.instrument.name, unit_word=unit_word(channel.unit))
        )
        self.edit.textEdited.connect(self._typed)
        self.edit.returnPressed.connect(view.log)
        grid.addWidget(self.edit, row, 1)
        self.value = label("", "value", "heat" if channel.quantity == "temperature" else "moisture")
        self.u = label("", "small")
        values = QVBoxLayout()
        values.setSpacing(0)
        for cell in (self.value, self.u):
            cell.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            theme.fit(cell, MinimumWidth=72)
            values.addWidget(cell)
        grid.addLayout(values, row, 2)
        self.level = Level(theme)
        grid.addWidget(self.level, row, 3)
        self.word = label("", wrap=True)
        theme.fit(self.word, FixedWidth=88 if not view.narrow else 76)
        grid.addWidget(self.word, row, 4)
        self.problem = label("", "problem", wrap=True)
        self.offer = button("", self._take_offer, "link")
        trouble = QHBoxLayout()
        trouble.addWidget(self.problem, 2)
        trouble.addWidget(self.offer)
        trouble.addStretch(1)
        grid.addLayout(trouble, row + 1, 1, 1, 4)
        self.show_line(line)

    def show_line(self, line: Line) -> None:
        """The same field on a newer round: what was typed stands, and is judged anew."""
        self.line = line
        based = rounds.basis_text(self._view.desk.book, line.force)
        set_text(self._about, f"{unit_word(line.channel.unit)}, {line.placement.place} · {based}")
        self._show()

    def _typed(self, text: str) -> None:
        self.field = interpret(text, self.line.channel)
        self._show()
        self._view.typed()

    def _take_offer(self) -> None:
        self.edit.setText(self.field.offer)
        self._typed(self.field.offer)
        self.edit.setFocus()

    def _show(self) -> None:
        desk, channel = self._view.desk, self.line.channel
        sheet = self._view.sheet
        band = sheet.band(channel.quantity)
        field = self.field
        self.judged = None
        self.problem.setText(field.problem)
        self.problem.setVisible(bool(field.problem))
        self.offer.setVisible(bool(field.offer))
        self.offer.setText(_("Make it {offer}", offer=field.offer))
        set_property(self.edit, "wrong", bool(field.problem))
        self.edit.setAccessibleDescription(field.problem)
        if field.shown is None:
            self.value.setText("")
            self.u.setText("")
            self.word.setText("")
            self.level.show_state(LevelState(channel.quantity, band), "nothing typed")
            return
        judged = judge_reading(desk.book, sheet.incubator, self.line.hanging, field.shown, sheet.at_ms, band)
        self.judged = judged
        unit = desk.book.shown_unit(channel.quantity)
        self.value.setText(value_text(judged.corrected.value, judged.corrected.U, channel.quantity, unit))
        self.u.setText(f"{u_text(judged.corrected.U, channel.quantity, unit)} {'%' if unit == '%' else unit}")
        word = word_of(judged) if band is not None else ""
        if judged.decision == "outside" and band is not None:
            word += ", low" if judged.corrected.value < band.middle else ", high"
        self.word.setText(word)
        set_property(self.word, "ink", judged.decision)
        text = with_u(judged.corrected.value, judged.corrected.U, channel.quantity, unit)
        self.level.show_state(LevelState(channel.quantity, band, judged.corrected, judged.decision), f"{text}, {word}")


class ReadingGrid(QWidget):
    """The lines of one incubator. shape: what it was built for; another shape needs another grid."""

    def __init__(self, view: Round, sheet: RoundSheet, shape: object) -> None:
        super().__init__()
        self.shape = shape
        self.rows: list[ReadingRow] = []
        theme = view.theme
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 4, 0, 0)
        grid.setHorizontalSpacing(theme.px(6 if view.narrow else 12))
        grid.setVerticalSpacing(0)
        grid.setColumnStretch(0, 5)
        grid.setColumnStretch(3, 4)
        for column, text in enumerate((_("instrument"), _("shows"), _("is"), _("against this phase"))):
            heading = label(text, "small")
            if column in (1, 2):
                heading.setAlignment(Qt.AlignmentFlag.AlignRight)
            grid.addWidget(heading, 0, column)
        at = 1
        for line in sheet.lines:
            if line.instrument.kind == "logger":
                continue
            grid.addWidget(rule(), at, 0, 1, 5)
            self.rows.append(ReadingRow(view, grid, at + 1, line))
            grid.setRowMinimumHeight(at + 1, theme.px(46))
            at += 3
        grid.addWidget(rule(), at, 0, 1, 5)
        if not sheet.lines:
            words = _("No instrument hangs here yet. Enter one under Enter or change.")
            grid.addWidget(label(words, "muted", wrap=True), at + 1, 0, 1, 5)
