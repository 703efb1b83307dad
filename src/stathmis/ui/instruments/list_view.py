"""Instruments: the drawer at one glance, each as a level at its working point; behind it checks, histories, places."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import Qt
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QPushButton, QStackedWidget, QVBoxLayout, QWidget

from stathmis.core.units import difference_from_inside
from stathmis.logbook.records import Channel, Instrument
from stathmis.services.desk import Desk
from stathmis.services.findings.corrections import Corrected
from stathmis.services.instruments import overview
from stathmis.services.instruments.overview import Glance
from stathmis.ui.instruments.check_view import CheckView
from stathmis.ui.level import Level, LevelState
from stathmis.ui.pieces import button, clear, label, rule, scrolling_page
from stathmis.ui.theme import Theme
from stathmis.words import dates
from stathmis.words.numbers import decimals, number, signed, unit_word

TABS = (("drawer", "Drawer"), ("together", "Side by side"), ("places", "Places and set point"))


class InstrumentsView(QStackedWidget):
    """Three tabs (drawer, side by side, places); behind the drawer the check and the history of one instrument."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self._desk, self._theme = desk, theme
        front = QWidget()
        layout = QVBoxLayout(front)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        self.tabs: dict[str, QPushButton] = {}
        layout.addLayout(self._tab_row())
        self._front = QStackedWidget()
        layout.addWidget(self._front, 1)
        self.addWidget(front)
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

    def _tab_row(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setContentsMargins(32, 12, 32, 0)
        row.setSpacing(24)
        for key, text in TABS:
            made = button(text, partial(self.show_tab, key), "tab")
            made.setCheckable(True)
            self.tabs[key] = made
            row.addWidget(made)
        row.addStretch(1)
        return row

    def _drawer_page(self) -> QWidget:
        area, page = scrolling_page()
        page.addWidget(
            label(
                "What each one's readings need added, and how sure that is. The bubble shows how finely it can tell a "
                "reading in the middle of the band: filled it can decide, hatched it cannot.",
                "muted",
                wrap=True,
            )
        )
        self._list = QVBoxLayout()
        page.addLayout(self._list)
        page.addStretch(1)
        return area

    @property
    def _narrow(self) -> bool:
        return self.width() < self._theme.px(700)

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
            self._pages[key] = _make_page(key, self._desk, self._theme)
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
        clear(self._list)
        self.buttons, self.names = {}, {}
        holder = QWidget()
        grid = QGridLayout(holder)
        grid.setContentsMargins(0, 8, 0, 0)
        grid.setHorizontalSpacing(self._theme.px(16))
        grid.setVerticalSpacing(0)
        grid.setColumnStretch(0, 4)
        grid.setColumnStretch(2, 1 if self._narrow else 3)
        grid.setColumnStretch(3, 2)
        for column, text in enumerate(("instrument", "add, at working point", "can it tell?", "last check", "")):
            heading = label(text, "small", wrap=True)
            side = Qt.AlignmentFlag.AlignRight if column == 1 else Qt.AlignmentFlag.AlignLeft
            heading.setAlignment(side | Qt.AlignmentFlag.AlignBottom)
            grid.addWidget(heading, 0, column)
        found = overview.glances(self._desk.book)
        for i, glance in enumerate(found):
            grid.addWidget(rule(), 1 + 2 * i, 0, 1, 5)
            self._row(grid, 2 + 2 * i, glance)
            grid.setRowMinimumHeight(2 + 2 * i, self._theme.px(46))
        self._list.addWidget(holder)
        if not found:
            self._list.addWidget(label("None yet. Enter one under Enter or change.", "muted"))

    def _row(self, grid: QGridLayout, at: int, glance: Glance) -> None:
        channel, instrument = glance.channel, glance.instrument
        names = QVBoxLayout()
        names.setSpacing(0)
        names.addStretch(1)
        name = button(instrument.name, lambda: self.show_history(channel), "name")
        name.setAccessibleName(f"History of {instrument.name}, {unit_word(channel.unit)}")
        name.setToolTip("Its checks over time, drift and certificate")
        self.names[channel.id] = name
        names.addWidget(name)
        names.addWidget(label(f"{unit_word(channel.unit)} · {glance.where}", "small", wrap=True))
        names.addStretch(1)
        grid.addLayout(names, at, 0)
        grid.addWidget(self._to_add(glance), at, 1)
        grid.addLayout(self._can_tell(glance), at, 2)
        age = glance.age
        if glance.due_ms is not None:
            by = dates.day(self._desk.book.local(glance.due_ms), year=True)
            age += f" · due since {by}" if glance.due else f"; next by {by}"
        grid.addWidget(label(age, "small", "eggs" if glance.due else "", wrap=True), at, 3)
        made = button("Check", lambda: self.begin_check(instrument, channel))
        made.setAccessibleName(f"Check {instrument.name}, {unit_word(channel.unit)}")
        self.buttons[channel.id] = made
        grid.addWidget(made, at, 4)

    def _to_add(self, glance: Glance) -> QWidget:
        channel = glance.channel
        unit = self._desk.book.shown_unit(channel.quantity)
        add = float(difference_from_inside(glance.corrected.value - glance.band.middle, unit))
        wide = float(difference_from_inside(glance.corrected.U, unit))
        places = decimals(channel.quantity, wide)
        add_text = "" if glance.force.since_ms is None else signed(add, places) + " "
        ink = "heat" if channel.quantity == "temperature" else "moisture"
        cell = label(f"{add_text}± {wide:.{places}f} {'%' if unit == '%' else unit}", "name", ink)
        cell.setToolTip(f"at {number(glance.band.middle, channel.quantity, unit)}")
        cell.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        cell.setWordWrap(self._narrow)
        return cell

    def _can_tell(self, glance: Glance) -> QHBoxLayout:
        able = glance.decision == "inside"
        level = Level(self._theme)
        words = "it can decide" if able else "too coarse to decide"
        corrected = Corrected(glance.band.middle, glance.corrected.U)
        state = LevelState(glance.channel.quantity, glance.band, corrected, glance.decision)
        level.show_state(state, f"{glance.instrument.name}: {words}")
        tell = QHBoxLayout()
        if not self._narrow:
            tell.addWidget(level, 1)
        word = label("yes" if able else "no", ink="inside" if able else "undecided")
        word.setFixedWidth(self._theme.px(32))
        tell.setSpacing(self._theme.px(8))
        tell.addWidget(word)
        return tell

    def begin_check(self, instrument: Instrument, channel: Channel, method: str | None = None) -> None:
        """Start a check of a channel."""
        self._came_from = channel.id
        self.check.begin(instrument, channel, method)
        self.setCurrentWidget(self.check)

    def show_history(self, channel: Channel | None) -> None:
        """Show the checks of a channel over time."""
        if channel is None:
            return
        self._came_from = channel.id
        if self.history is None:
            from stathmis.ui.instruments.history_view import HistoryView

            made = HistoryView(self._desk, self._theme)
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
