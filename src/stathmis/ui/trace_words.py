"""What the trace says in words and numbers: time on profile by stage or day, the eggs, doubts about instruments."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QVBoxLayout, QWidget

from stathmis.services.desk import Desk
from stathmis.services.findings import trace
from stathmis.services.findings.judgement import JudgedRun
from stathmis.services.findings.trace import BatchTrace
from stathmis.ui.pieces import button, clear, label
from stathmis.ui.share_bar import ShareBar, percent
from stathmis.ui.theme import Theme
from stathmis.words import dates
from stathmis.words import run as run_words
from stathmis.words.numbers import count, number

EXCURSIONS_SHOWN = 8


class TraceWords(QWidget):
    """Under the charts; wanted carries the excursion to show."""

    wanted = Signal(object)

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self._desk, self._theme = desk, theme
        self._whole: JudgedRun | None = None
        self._by_day = self._narrow = False
        self._rows = QVBoxLayout(self)
        self._rows.setContentsMargins(0, 0, 0, 0)
        self._rows.setSpacing(4)

    def show_words(self, whole: JudgedRun | None, *, narrow: bool) -> None:
        """Show what was found, or nothing yet."""
        self._whole, self._narrow = whole, narrow
        clear(self._rows)
        if whole is None or not (whole.trace.temperature.runs or whole.trace.humidity.runs):
            return
        self._show_doubts(whole)
        self._show_shares(whole.trace)
        self._show_eggs(whole)

    def _show_doubts(self, whole: JudgedRun) -> None:
        """Instruments that disagree: about them, not about the eggs."""
        for found in (whole.trace.temperature, whole.trace.humidity):
            for doubt in found.doubts[:4]:
                self._rows.addWidget(label(run_words.doubt_words(doubt, self._desk.book), "", "undecided", wrap=True))

    def _turn(self) -> None:
        self._by_day = not self._by_day
        self.show_words(self._whole, narrow=self._narrow)
        self.turn.setFocus()

    def _show_shares(self, traced: BatchTrace) -> None:
        self.turn = button("By stage" if self._by_day else "By day", self._turn, "link")
        self.turn.setAccessibleName("Time on profile by stage" if self._by_day else "Time on profile by day")
        grid = QGridLayout()
        grid.setHorizontalSpacing(8 if self._narrow else 16)
        grid.setVerticalSpacing(4)
        titles = ("time so far", "", "mean", "inside", "outside", "can't tell", "unknown", "> 10 min out")
        for column, text in enumerate(titles):
            heading = label(text, "small")
            if column > 1:
                heading.setAlignment(Qt.AlignmentFlag.AlignRight)
            grid.addWidget(heading, 0, column)
        grid.setColumnStretch(1, 1)
        row = 1
        for found in (traced.temperature, traced.humidity):
            unit = self._desk.book.shown_unit(found.quantity)
            for share in found.days if self._by_day else found.shares:
                a = share.adherence
                total = a.known_s + a.unknown_s
                word = "Heat" if found.quantity == "temperature" else "Moisture"
                ink = "heat" if found.quantity == "temperature" else "moisture"
                grid.addWidget(label(f"{word}, {share.phase}", ink=ink, wrap=self._narrow), row, 0)
                bar = ShareBar(self._theme, found.quantity, a)
                parts = [percent(p, total) for p in (a.inside_s, a.outside_s, a.undecided_s, a.unknown_s)]
                bar.setAccessibleName(f"{word}: inside {parts[0]}, outside {parts[1]}, unknown {parts[3]}")
                if not self._narrow:
                    grid.addWidget(bar, row, 1)
                mean = number(a.mean, found.quantity, unit) if a.known_s > 0 else "–"
                for column, text in enumerate((mean, *parts, str(trace.lasting(a))), start=2):
                    cell = label(text)
                    cell.setAlignment(Qt.AlignmentFlag.AlignRight)
                    grid.addWidget(cell, row, column)
                row += 1
        self._rows.addLayout(grid)
        self._rows.addWidget(self.turn, 0, Qt.AlignmentFlag.AlignLeft)

    def _show_eggs(self, whole: JudgedRun) -> None:
        """What the run says about the eggs, and each excursion with a button that goes there."""
        eggs = whole.eggs
        if eggs is None:
            return
        unit = self._desk.book.temperature_unit
        self._rows.addSpacing(6)
        self._rows.addWidget(label("The eggs", "heading"))
        said = " ".join(run_words.summary(whole, unit))
        self._rows.addWidget(label(said or "Less than a day known so far.", "", wrap=True))
        if not eggs.excursions:
            self._rows.addWidget(label("No excursion of the eggs' own temperature.", "muted", wrap=True))
        told = [e for e in eggs.excursions if e.worth_telling]
        dips = len(eggs.excursions) - len(told)
        if dips:
            words = f"{count(dips, 'short dip')} of the eggs' temperature, too small to matter."
            self._rows.addWidget(label(words, "muted", wrap=True))
        for excursion in sorted(told, key=lambda e: -e.start_ms)[:EXCURSIONS_SHOWN]:
            row = QHBoxLayout()
            row.setSpacing(12)
            when = dates.moment(self._desk.book.local(excursion.start_ms), weekday=True)
            go = button(when, partial(self.wanted.emit, excursion), "link")
            go.setAccessibleName(f"Go to {when}")
            row.addWidget(go)
            ink = {"serious": "outside", "matters": "undecided"}.get(excursion.weight, "")
            row.addWidget(label(run_words.excursion_words(excursion, unit), "", ink, wrap=True), 1)
            self._rows.addLayout(row)
