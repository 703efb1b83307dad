"""Instruments that hung together, held against each other: who agrees, what they say together, who is doubted."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QWidget

from stathmis.core.conformity import decide
from stathmis.core.units import Quantity, Unit
from stathmis.services.book import Book
from stathmis.services.desk import Desk
from stathmis.services.findings.corrections import Corrected
from stathmis.services.instruments import overview
from stathmis.services.instruments.overview import Together
from stathmis.ui.kit.lines import Pool, Rows
from stathmis.ui.kit.page import Page, column, put, table
from stathmis.ui.kit.pieces import label, set_property, set_text
from stathmis.ui.level import Level, LevelState
from stathmis.ui.theme import Theme
from stathmis.words import dates
from stathmis.words.catalogue import N_, Sentence, _, as_number
from stathmis.words.numbers import number, with_u

NOT_A_VOTE = Sentence(
    "Not a vote: each counts by how sure it is, so one with a short path to a reference outweighs any "
    "number of cheap ones that agree with each other. One that differs from the rest by more than both "
    "uncertainties (normalized error beyond 1) is doubted, never dropped in silence."
)


QUANTITIES: tuple[Quantity, ...] = ("temperature", "humidity")
HEADINGS = (N_("instrument"), N_("it shows"), N_("corrected"), "", N_("counts for"), N_("against the rest"))
RIGHT = (1, 2, 4, 5)


class _Line:
    """An instrument among those it hangs with."""

    def __init__(self, theme: Theme) -> None:
        roles = ("name", "", "name", "", "", "")
        self.texts = [label("", role) for role in roles]
        self.level = Level(theme, slim=True)
        for at, cell in enumerate(self.texts):
            side = Qt.AlignmentFlag.AlignRight if at in RIGHT else Qt.AlignmentFlag.AlignLeft
            cell.setAlignment(side | Qt.AlignmentFlag.AlignVCenter)
        self.cells = [*self.texts[:3], self.level, *self.texts[4:]]

    def show_reading(self, found: Together, i: int, unit: Unit, *, narrow: bool) -> None:
        judged, doubted = found.readings[i], i in found.consensus.suspects
        value, U, band = judged.corrected.value, judged.corrected.U, found.band
        against = as_number(found.e_n[i], "+.1f").replace("-", "−")
        for cell, text in zip(
            self.texts,
            (
                judged.instrument.name,
                number(overview.read_value(judged), found.quantity, unit),
                with_u(value, U, found.quantity, unit),
                "",
                f"{as_number(100 * found.share[i], '.0f')} %" if found.share[i] >= 0.01 else _("under 1 %"),
                _("{against}, doubted", against=against) if doubted else against,
            ),
            strict=True,
        ):
            set_text(cell, text)
        for at in (0, 5):
            self.texts[at].setWordWrap(narrow)
        set_property(self.texts[2], "ink", "heat" if found.quantity == "temperature" else "moisture")
        set_property(self.texts[5], "ink", "outside" if doubted else "")
        self.level.setVisible(not narrow)
        decision = "undecided" if band is None else str(decide(value, judged.corrected.u, band.low, band.high))
        word = {"inside": _("inside"), "outside": _("outside")}.get(decision, _("can't tell"))
        state = LevelState(found.quantity, band, Corrected(value, U), decision)
        self.level.show_state(state, f"{judged.instrument.name}: {word}")


class _Group(QWidget):
    """One quantity in one incubator: what its instruments say together, each of them, and who is furthest apart."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._title, self._words = label("", "heading"), label("", "name", wrap=True)
        self._apart = label("", "small", wrap=True)
        self._grid = table(HEADINGS, (2, 0, 0, 3, 0, 0), RIGHT, theme.px(16))
        self._lines = Rows(self._grid, lambda: _Line(theme))
        put(self, column(self._title, self._words, self._grid, self._apart), top=8)

    def show_group(self, book: Book, found: Together, *, narrow: bool) -> None:
        unit = book.shown_unit(found.quantity)
        at = max(r.time_ms for r in found.readings)
        set_text(self._title, f"{found.incubator.name}, {_(found.quantity)}, {dates.moment(book.local(at))}")
        together = with_u(found.corrected.value, found.corrected.U, found.quantity, unit)
        suspects = ", ".join(found.readings[i].instrument.name for i in found.consensus.suspects)
        doubt = (
            _("Doubted: {suspects}. Check it next.", suspects=suspects)
            if suspects
            else _("All agree within their uncertainties.")
        )
        set_text(self._words, _("Together they say {together}. {doubt}", together=together, doubt=doubt))
        self._grid.setColumnStretch(3, 0 if narrow else 3)
        for i, line in enumerate(self._lines.show(len(found.readings))):
            line.show_reading(found, i, unit, narrow=narrow)
        worst = max(found.pairs, key=lambda pair: abs(found.pairs[pair]))
        names = _(" and ").join(found.readings[i].instrument.name for i in worst)
        apart = _("normalized error {pairs:.1f} (up to 1 agrees)", pairs=abs(found.pairs[worst]))
        set_text(self._apart, _("Furthest apart: {names}, {apart}.", names=names, apart=apart))


class TogetherView(Page):
    """Every incubator with two or more readings of one quantity, a table each."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__(theme, 760)
        self._desk, self._theme = desk, theme
        self.page.addWidget(label(NOT_A_VOTE(), "muted", wrap=True))
        self._drawn_narrow = False
        self._groups = Pool(self.page, lambda: _Group(theme))
        words = _("Two instruments in one incubator, read within a quarter of an hour, are compared here.")
        self._none = label(words, "muted", wrap=True)
        self.page.addWidget(self._none)
        self.page.addStretch(1)

    def resizeEvent(self, event: QResizeEvent) -> None:
        """In a narrow page the levels give way to the numbers."""
        super().resizeEvent(event)
        if self._drawn_narrow != self.narrow:
            self.refresh()

    def refresh(self) -> None:
        """Show the newest readings together."""
        self._drawn_narrow = self.narrow
        book = self._desk.book
        asked = [(i, q) for i in book.incubators() for q in QUANTITIES]
        found = [both for i, q in asked if (both := overview.side_by_side(book, i, q)) is not None]
        self._none.setVisible(not found)
        for group, both in zip(self._groups.show(len(found)), found, strict=True):
            group.show_group(book, both, narrow=self.narrow)
