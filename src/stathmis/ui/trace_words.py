"""What the trace says in words and numbers: time on profile by stage or day, the eggs, doubts about instruments."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QWidget

from stathmis.core.adherence import Adherence
from stathmis.core.units import Quantity, Unit
from stathmis.services.desk import Desk
from stathmis.services.findings import trace
from stathmis.services.findings.judgement import EggExcursion, JudgedRun
from stathmis.services.findings.trace import BatchTrace
from stathmis.ui.kit.lines import Lines, Pool, Rows, Said
from stathmis.ui.kit.page import column, holder, put, row, table
from stathmis.ui.kit.pieces import button, label, set_property, set_text
from stathmis.ui.share_bar import ShareBar, percent
from stathmis.ui.theme import Theme
from stathmis.words import dates
from stathmis.words import run as run_words
from stathmis.words.catalogue import N_, _
from stathmis.words.numbers import count, number

EXCURSIONS_SHOWN = 8


TITLES = (
    N_("time so far"),
    "",
    N_("mean"),
    N_("inside"),
    N_("outside"),
    N_("can't tell"),
    N_("unknown"),
    N_("> 10 min out"),
)


class _Share:
    """The time of one stage or day: what share was inside, outside, undecided, unknown."""

    def __init__(self, theme: Theme) -> None:
        self._name, self._bar = label(), ShareBar(theme)
        self._numbers = [label() for _ in TITLES[2:]]
        for number_label in self._numbers:
            number_label.setAlignment(Qt.AlignmentFlag.AlignRight)
        self.cells = [self._name, self._bar, *self._numbers]

    def show_share(self, quantity: Quantity, phase: str, a: Adherence, unit: Unit, *, narrow: bool) -> None:
        heat = quantity == "temperature"
        word = _("Heat") if heat else _("Moisture")
        set_text(self._name, f"{word}, {phase}")
        set_property(self._name, "ink", "heat" if heat else "moisture")
        self._name.setWordWrap(narrow)
        parts = [percent(p, a.known_s + a.unknown_s) for p in (a.inside_s, a.outside_s, a.undecided_s, a.unknown_s)]
        self._bar.show_time(quantity, a)
        words = _(
            "inside {inside}, outside {outside}, can't tell {unclear}, unknown {unknown}",
            inside=parts[0],
            outside=parts[1],
            unclear=parts[2],
            unknown=parts[3],
        )
        self._bar.say(f"{word}, {phase}", words)
        self._bar.setVisible(not narrow)
        mean = number(a.mean, quantity, unit) if a.known_s > 0 else "–"
        for cell, text in zip(self._numbers, (mean, *parts, str(trace.lasting(a))), strict=True):
            set_text(cell, text)


class _Excursion(QWidget):
    """An excursion of the eggs: when, with a way there, and what it was."""

    def __init__(self, words: TraceWords) -> None:
        super().__init__()
        self._excursion: EggExcursion | None = None
        self._go = button("", lambda: words.wanted.emit(self._excursion), "link")
        self._words = label("", wrap=True)
        put(self, row(self._go, (self._words, 1), spacing=12))

    def show_excursion(self, excursion: EggExcursion, when: str, words: str) -> None:
        self._excursion = excursion
        self._go.setText(when)
        self._go.setAccessibleName(_("Go to {when}", when=when))
        set_text(self._words, words)
        inks = {"serious": "outside", "matters": "undecided"}
        set_property(self._words, "ink", inks.get(excursion.weight, ""))


class TraceWords(QWidget):
    """Under the charts; wanted carries the excursion to show."""

    wanted = Signal(object)

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self._desk, self._theme = desk, theme
        self._whole: JudgedRun | None = None
        self._by_day = self._narrow = False
        box = column(spacing=4)
        self._doubts = Lines(box)
        self._grid = table(TITLES, (0, 1, *(0 for _ in TITLES[2:])), right=range(2, len(TITLES)))
        self._shares = Rows(self._grid, lambda: _Share(theme), ruled=False)
        self.turn = button("", self._turn, "link")
        self._table = holder(column(self._grid, row(self.turn, 1), spacing=4))
        box.addWidget(self._table)
        self._said = Lines(box, "muted")
        self._excursions = Pool(box, lambda: _Excursion(self))
        put(self, box)

    def show_words(self, whole: JudgedRun | None, *, narrow: bool) -> None:
        """Show what was found, or nothing yet."""
        self._whole, self._narrow = whole, narrow
        known = whole is not None and bool(whole.trace.temperature.runs or whole.trace.humidity.runs)
        self.setVisible(known)
        if whole is None or not known:
            return
        # instruments that disagree: about them, not about the eggs
        doubts = [d for found in (whole.trace.temperature, whole.trace.humidity) for d in found.doubts[:4]]
        self._doubts.say([(run_words.doubt_words(d, self._desk.book), "", "undecided") for d in doubts])
        self._show_shares(whole.trace)
        self._show_eggs(whole)

    def _turn(self) -> None:
        self._by_day = not self._by_day
        self.show_words(self._whole, narrow=self._narrow)
        self.turn.setFocus()

    def _show_shares(self, traced: BatchTrace) -> None:
        self.turn.setText(_("By stage") if self._by_day else _("By day"))
        self.turn.setAccessibleName(_("Time on profile by stage") if self._by_day else _("Time on profile by day"))
        self._grid.setHorizontalSpacing(8 if self._narrow else 16)
        found = [
            (of, share)
            for of in (traced.temperature, traced.humidity)
            for share in (of.days if self._by_day else of.shares)
        ]
        for line, (of, share) in zip(self._shares.show(len(found)), found, strict=True):
            unit = self._desk.book.shown_unit(of.quantity)
            line.show_share(of.quantity, share.phase, share.adherence, unit, narrow=self._narrow)

    def _show_eggs(self, whole: JudgedRun) -> None:
        """What the run says about the eggs, and each excursion with a button that goes there."""
        eggs, unit = whole.eggs, self._desk.book.temperature_unit
        if eggs is None:
            self._said.say([])
            self._excursions.show(0)
            return
        lines: list[Said] = [(_("The eggs"), "heading")]
        lines.append((" ".join(run_words.summary(whole, unit)) or _("Less than a day known so far."), ""))
        if not eggs.excursions:
            lines.append(_("No excursion of the eggs' own temperature."))
        told = sorted((e for e in eggs.excursions if e.worth_telling), key=lambda e: -e.start_ms)
        dips = len(eggs.excursions) - len(told)
        if dips:
            lines.append(
                _(
                    "{shorts} of the eggs' temperature, too small to matter.",
                    shorts=count(dips, "{n} short dip", "{n} short dips"),
                )
            )
        self._said.say(lines)
        shown = told[:EXCURSIONS_SHOWN]
        for line, excursion in zip(self._excursions.show(len(shown)), shown, strict=True):
            when = dates.moment(self._desk.book.local(excursion.start_ms), weekday=True)
            line.show_excursion(excursion, when, run_words.excursion_words(excursion, unit))
