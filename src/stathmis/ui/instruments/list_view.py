"""Instruments: the drawer at one glance, each as a level at its working point; behind it checks, histories, places."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QStackedWidget, QWidget

from stathmis.core.units import difference_from_inside
from stathmis.logbook.calibrations import Calibration
from stathmis.logbook.records import Channel, Instrument
from stathmis.services.book import Book
from stathmis.services.desk import Desk
from stathmis.services.findings.corrections import Corrected
from stathmis.services.instruments import at_hand, history, overview
from stathmis.services.instruments.at_hand import Thing
from stathmis.services.instruments.overview import Glance
from stathmis.ui.instruments.at_hand_card import AtHandCard
from stathmis.ui.instruments.check_view import CheckView
from stathmis.ui.instruments.drift_glance import DriftGlance
from stathmis.ui.kit.lines import Rows
from stathmis.ui.kit.page import Page, column, holder, row, table
from stathmis.ui.kit.pieces import button, given, label, set_property, set_text
from stathmis.ui.level import Level, LevelState
from stathmis.ui.theme import Theme
from stathmis.words import dates
from stathmis.words.catalogue import N_, _, as_number
from stathmis.words.numbers import decimals, number, signed, unit_word
from stathmis.words.pages import empty

TABS = (("drawer", N_("Drawer")), ("together", N_("Side by side")), ("places", N_("Places and set point")))


class _Row:
    """A channel in the drawer: its name, what to add, whether it can tell, its last check."""

    def __init__(self, view: InstrumentsView) -> None:
        theme = view.theme
        self._glance: Glance | None = None
        self.name = button("", given(lambda: self._glance, lambda glance: view.show_history(glance.channel)), "name")
        self.name.setToolTip(_("Its checks over time, drift and certificate"))
        self._where, self._age = label("", "small", wrap=True), label("", "small", wrap=True)
        self._add = label("", "name")
        self._add.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self._level, self._able = Level(theme), label()
        theme.fit(self._able, FixedWidth=32)
        self.check = button(
            _("Check"), given(lambda: self._glance, lambda g: view.begin_check(g.instrument, g.channel))
        )
        names = holder(column(1, self.name, self._where, 1, spacing=0))
        theme.fit(names, MinimumHeight=46)
        self._drift = DriftGlance(theme)
        able = holder(row((self._level, 1), self._able))
        self.cells = [names, self._add, able, self._drift, self._age, self.check]

    def show_glance(self, book: Book, glance: Glance, *, narrow: bool) -> None:
        self._glance = glance
        channel, instrument, quantity = glance.channel, glance.instrument, glance.channel.quantity
        unit, measured = unit_word(channel.unit), book.shown_unit(quantity)
        set_text(self.name, instrument.name)
        self.name.setAccessibleName(_("History of {instrument}, {unit}", instrument=instrument.name, unit=unit))
        self.check.setAccessibleName(_("Check {instrument}, {unit}", instrument=instrument.name, unit=unit))
        set_text(self._where, f"{unit} · {glance.where}")
        add = float(difference_from_inside(glance.corrected.value - glance.band.middle, measured))
        wide = float(difference_from_inside(glance.corrected.U, measured))
        places = decimals(quantity, wide)
        added = "" if glance.force.since_ms is None else signed(add, places) + " "
        set_text(self._add, f"{added}± {as_number(wide, f'.{places}f')} {measured}")
        set_property(self._add, "ink", "heat" if quantity == "temperature" else "moisture")
        self._add.setToolTip(_("at {middle}", middle=number(glance.band.middle, quantity, measured)))
        self._add.setWordWrap(narrow)
        able = glance.decision == "inside"
        state = LevelState(quantity, glance.band, Corrected(glance.band.middle, glance.corrected.U), glance.decision)
        words = _("it can decide") if able else _("too coarse to decide")
        self._level.show_state(state, f"{instrument.name}: {words}")
        self._level.setVisible(not narrow)
        set_text(self._able, _("yes") if able else _("no"))
        set_property(self._able, "ink", "inside" if able else "undecided")
        self._drift.setVisible(not narrow)
        self._drift.show_history(f"{instrument.name}, {unit}", history.history(book, channel))
        age = glance.age
        if glance.due_ms is not None:
            by = dates.day(book.local(glance.due_ms), year=True)
            age += _(" · due since {by}", by=by) if glance.due else _("; next by {by}", by=by)
        set_text(self._age, age)
        set_property(self._age, "ink", "eggs" if glance.due else "")


class InstrumentsView(QStackedWidget):
    """Three tabs (drawer, side by side, places); behind the drawer the check and the history of one instrument."""

    weighing_wanted = Signal(int)

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self._desk, self.theme = desk, theme
        self.tabs = {key: button(_(text), partial(self.show_tab, key), "tab") for key, text in TABS}
        tabs = row(*self.tabs.values(), 1, spacing=24)
        names = holder(tabs)
        tabs.setContentsMargins(32, 12, 32, 0)
        theme.dress(names)
        self._front = QStackedWidget()
        self.addWidget(holder(column(names, (self._front, 1), spacing=0)))
        self._pages: dict[str, QWidget] = {"drawer": self._drawer_page()}
        self._front.addWidget(self._pages["drawer"])
        self.check = CheckView(desk, theme)
        self.check.left.connect(self.leave)
        self.check.kept.connect(lambda _id: self.show_history(self.check.channel))
        self.addWidget(self.check)
        self.history: QWidget | None = None
        self.buttons: dict[int, QWidget] = {}
        self.names: dict[int, QWidget] = {}
        self.tab = "drawer"
        self._came_from: int | None = None
        self._drawn_narrow = False
        theme.changed.connect(self.refresh)

    def _drawer_page(self) -> QWidget:
        made = Page(self.theme)
        words = _(
            "What each one's readings need added, and how sure that is. The bubble shows how finely it can tell a "
            "reading in the middle of the band: filled it can decide, hatched it cannot."
        )
        made.page.addWidget(label(words, "muted", wrap=True))
        headings = (_("instrument"), _("add, at working point"), _("can it tell?"), _("its drift"), _("last check"), "")
        self._grid = table(headings, (4, 0, 3, 0, 3, 0), right=(1,), spacing=self.theme.px(16))
        self._grid.setVerticalSpacing(0)
        self._table = holder(self._grid, top=8)
        self._rows = Rows(self._grid, lambda: _Row(self))
        self._none = label(empty("instruments"), "muted", wrap=True)
        made.page.addWidget(self._table)
        made.page.addWidget(self._none)
        self.at_hand = AtHandCard(self._desk, self.begin_check, self._look)
        made.page.addWidget(self.at_hand)
        made.page.addStretch(1)
        return made

    @property
    def _narrow(self) -> bool:
        return self.width() < self.theme.px(700)

    def resizeEvent(self, event: QResizeEvent) -> None:
        """In a narrow page the levels give way to their word."""
        super().resizeEvent(event)
        if self._drawn_narrow != self._narrow:
            self.refresh()

    def begin(self) -> None:
        """Come in at the drawer."""
        self.setCurrentIndex(0)
        if self.tab != "drawer":
            self.show_tab("drawer")
        first = next(iter(self.buttons.values()), None)
        if first is not None:
            first.setFocus()

    def leave(self) -> bool:
        """From a check or history back to the drawer, from another tab to the drawer; False when already there."""
        if self.currentIndex() == 0:
            if self.tab == "drawer":
                return False
            self.show_tab("drawer")
            self.tabs["drawer"].setFocus()
            return True
        self.setCurrentIndex(0)
        self.refresh()
        made = self.buttons.get(self._came_from) if self._came_from is not None else None
        if made is not None:
            made.setFocus()
        return True

    def show_tab(self, key: str) -> None:
        """Go to a tab: "drawer", "together" or "places"."""
        self.tab = key
        for name, made in self.tabs.items():
            made.setChecked(name == key)
        if key not in self._pages:
            self._pages[key] = _make_page(key, self._desk, self.theme)
            self._front.addWidget(self._pages[key])
        self._front.setCurrentWidget(self._pages[key])
        self.setCurrentIndex(0)
        self.refresh()

    def refresh(self) -> None:
        """Show the logbook as it stands."""
        for name, made in self.tabs.items():
            made.setChecked(name == self.tab)
        if self.tab == "drawer":
            self._show_drawer()
        else:
            self._pages[self.tab].refresh()  # type: ignore[attr-defined]
        if self.history is not None and self.currentWidget() is self.history:
            self.history.refresh()  # type: ignore[attr-defined]

    def _show_drawer(self) -> None:
        self._drawn_narrow = self._narrow
        self._grid.setColumnStretch(2, 1 if self._narrow else 3)
        self._grid.setHorizontalSpacing(6 if self._narrow else self.theme.px(16))
        found = overview.glances(self._desk.book)
        self._table.setVisible(bool(found))
        self._none.setVisible(not found)
        self.at_hand.show_glances(found)
        self.buttons, self.names = {}, {}
        for shown, glance in zip(self._rows.show(len(found)), found, strict=True):
            shown.show_glance(self._desk.book, glance, narrow=self._narrow)
            self.buttons[glance.channel.id], self.names[glance.channel.id] = shown.check, shown.name

    def begin_check(self, instrument: Instrument, channel: Channel, method: str | None = None) -> None:
        """Start a check of a channel."""
        self._came_from = channel.id
        self.check.begin(instrument, channel, method)
        self.setCurrentWidget(self.check)

    def _look(self, channel: Channel, thing: Thing) -> None:
        """What hatches or weighed eggs tell of a channel stands on a page of its own."""
        incubator = at_hand.hangs_in(self._desk.book, channel)
        if thing == "hatches":
            self.show_history(channel)
        elif incubator is not None:
            self.weighing_wanted.emit(incubator.id)

    def printed(self) -> Calibration | None:
        """The check whose sheet is printed here: the one in force of the instrument whose checks are shown."""
        if self.history is None or self.currentWidget() is not self.history:
            return None
        return self.history.in_force()  # type: ignore[attr-defined, no-any-return]

    def show_history(self, channel: Channel | None) -> None:
        """Show the checks of a channel over time."""
        if channel is None:
            return
        self._came_from = channel.id
        if self.history is None:
            from stathmis.ui.instruments.history_view import HistoryView

            made = HistoryView(self._desk, self.theme)
            made.left.connect(self.leave)
            self.history = made
            self.addWidget(made)
        self.history.show_channel(channel.id)  # type: ignore[attr-defined]
        self.setCurrentWidget(self.history)


def _make_page(key: str, desk: Desk, theme: Theme) -> QWidget:
    # imported when first wanted
    if key == "together":
        from stathmis.ui.instruments.together_view import TogetherView

        return TogetherView(desk, theme)
    from stathmis.ui.instruments.places_view import PlacesView

    return PlacesView(desk, theme)
