"""Instruments: the drawer at one glance, each as a level at its working point; and the check of one of them."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QStackedWidget, QVBoxLayout, QWidget

from stathmis.core.conformity import decide
from stathmis.core.profile import Band
from stathmis.core.units import difference_from_inside, from_inside
from stathmis.logbook import keeping
from stathmis.logbook.records import Channel, Incubator, Instrument, Placement
from stathmis.services import checking, rounds
from stathmis.services.checking import PointEntry
from stathmis.services.corrections import Corrected
from stathmis.services.wording import decimals, number, signed, unit_word
from stathmis.services.workbench import Workbench
from stathmis.ui.check_view import CheckView
from stathmis.ui.level import Level, LevelState
from stathmis.ui.pieces import button, clear, label, rule, scrolling_page
from stathmis.ui.theme import Theme


class InstrumentsView(QStackedWidget):
    """The list, and behind it the check."""

    def __init__(self, bench: Workbench, theme: Theme) -> None:
        super().__init__()
        self._bench, self._theme = bench, theme
        area, page = scrolling_page()
        self.addWidget(area)
        page.addWidget(label("Instruments", "title"))
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
        self.check = CheckView(bench, theme)
        self.check.left.connect(self.leave)
        self.addWidget(self.check)
        self.buttons: dict[int, QWidget] = {}
        self._drawn_narrow = False
        theme.changed.connect(self.refresh)

    @property
    def _narrow(self) -> bool:
        return self.width() < self._theme.px(700)

    def resizeEvent(self, event: QResizeEvent) -> None:
        """In a narrow page the levels give way to their word."""
        super().resizeEvent(event)
        if self._drawn_narrow != self._narrow:
            self.refresh()

    def begin(self) -> None:
        """Come in at the list."""
        self.setCurrentIndex(0)
        first = next(iter(self.buttons.values()), None)
        if first is not None:
            first.setFocus()

    def leave(self) -> bool:
        """From the check back to the list; False when already there."""
        if self.currentIndex() == 0:
            return False
        self.setCurrentIndex(0)
        made = self.buttons.get(self.check.channel.id) if self.check.channel else None
        if made is not None:
            made.setFocus()
        return True

    def refresh(self) -> None:
        """Show the drawer as it stands."""
        self._drawn_narrow = self._narrow
        clear(self._list)
        self.buttons = {}
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
        channels = keeping.all_of(self._bench.logbook, Channel)
        instruments = keeping.all_of(self._bench.logbook, Instrument)
        at = 1
        for instrument in sorted(instruments, key=lambda i: i.role != "reference"):
            for channel in (c for c in channels if c.instrument_id == instrument.id):
                grid.addWidget(rule(), at, 0, 1, 5)
                self._row(grid, at + 1, instrument, channel)
                grid.setRowMinimumHeight(at + 1, self._theme.px(46))
                at += 2
        self._list.addWidget(holder)
        if not channels:
            self._list.addWidget(label("None yet. Enter one under Enter or change.", "muted"))

    def _where(self, instrument: Instrument) -> str:
        names = {i.id: i.name for i in keeping.all_of(self._bench.logbook, Incubator)}
        now = self._bench.now_ms
        for place in keeping.all_of(self._bench.logbook, Placement, instrument_id=instrument.id):
            if place.from_ms <= now and (place.to_ms is None or now < place.to_ms):
                return f"{names.get(place.incubator_id, '')}, {place.place}"
        return "reference, in the drawer" if instrument.role == "reference" else "in the drawer"

    def _row(self, grid: QGridLayout, at: int, instrument: Instrument, channel: Channel) -> None:
        bench = self._bench
        names = QVBoxLayout()
        names.setSpacing(0)
        names.addStretch(1)
        names.addWidget(label(instrument.name, "name"))
        names.addWidget(label(f"{unit_word(channel.unit)} · {self._where(instrument)}", "small", wrap=True))
        names.addStretch(1)
        grid.addLayout(names, at, 0)
        low, high = checking.working_zone(bench, channel)
        middle = 0.5 * (low + high)
        shown = float(from_inside(middle, channel.unit))
        corrected = bench.corrections.correct(channel, shown, bench.now_ms)
        unit = bench.shown_unit(channel.quantity)
        add = float(difference_from_inside(corrected.value - middle, unit))
        wide = float(difference_from_inside(corrected.U, unit))
        places = decimals(channel.quantity, wide)
        ink = "heat" if channel.quantity == "temperature" else "moisture"
        force = bench.corrections.in_force(channel, bench.now_ms)
        add_text = "" if force.since_ms is None else signed(add, places) + " "
        cell = label(f"{add_text}± {wide:.{places}f} {'%' if unit == '%' else unit}", "name", ink)
        cell.setToolTip(f"at {number(middle, channel.quantity, unit)}")
        cell.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        cell.setWordWrap(self._narrow)
        grid.addWidget(cell, at, 1)
        decision = str(decide(middle, corrected.u, low, high))
        level = Level(self._theme)
        words = "it can decide" if decision == "inside" else "too coarse to decide"
        state = LevelState(channel.quantity, Band(low, high), Corrected(middle, corrected.U), decision)
        level.show_state(state, f"{instrument.name}: {words}")
        tell = QHBoxLayout()
        if not self._narrow:
            tell.addWidget(level, 1)
        word = label("yes" if decision == "inside" else "no", ink="inside" if decision == "inside" else "undecided")
        word.setFixedWidth(self._theme.px(32))
        tell.setSpacing(self._theme.px(8))
        tell.addWidget(word)
        grid.addLayout(tell, at, 2)
        due = checking.is_due(bench, channel)
        age = rounds.basis_text(bench, force)
        age += " · due" if due and force.since_ms else ""
        grid.addWidget(label(age, "small", "eggs" if due else "", wrap=True), at, 3)
        made = button("Check", lambda: self._begin_check(instrument, channel))
        made.setAccessibleName(f"Check {instrument.name}, {unit_word(channel.unit)}")
        self.buttons[channel.id] = made
        grid.addWidget(made, at, 4)

    def _begin_check(self, instrument: Instrument, channel: Channel) -> None:
        self.check.begin(instrument, channel)
        self.setCurrentIndex(1)

    def show_example(self) -> None:
        """A check half done, for pictures: the first working thermometer against the first reference."""
        instruments = {i.id: i for i in keeping.all_of(self._bench.logbook, Instrument)}
        for channel in keeping.all_of(self._bench.logbook, Channel, quantity="temperature"):
            instrument = instruments[channel.instrument_id]
            if instrument.role == "working":
                self._begin_check(instrument, channel)
                self.check.fill(
                    [
                        PointEntry("36.1 36.1 36.2", "36.57 36.58 36.58"),
                        PointEntry("37.0 37.1", "37.52 37.53"),
                        PointEntry("38.2 38.2 38.1", "38.60 38.62 38.61"),
                    ]
                )
                return
