"""The left column: the incubators as short cards, and the other places under them."""

from __future__ import annotations

from collections.abc import Mapping
from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtGui import QAccessible, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QResizeEvent
from PySide6.QtWidgets import QBoxLayout, QGridLayout, QHBoxLayout, QScrollArea, QVBoxLayout, QWidget

from stathmis.core.units import Quantity
from stathmis.services import rounds
from stathmis.services.book import Book, Same
from stathmis.services.desk import Desk
from stathmis.services.findings.verdict import Verdict
from stathmis.services.instruments import history
from stathmis.services.plan import tasks
from stathmis.services.rounds import RoundSheet
from stathmis.services.standing import QUANTITIES, standing
from stathmis.ui.kit.drawn import Speaking
from stathmis.ui.kit.lines import Lines, Said
from stathmis.ui.kit.pieces import button, label, set_property, set_text
from stathmis.ui.level import Level, LevelState
from stathmis.ui.theme import Theme
from stathmis.words.catalogue import N_, _
from stathmis.words.numbers import unit_word, value_text, with_u
from stathmis.words.standing import soon, what_is_due
from stathmis.words.verdicts import word

if TYPE_CHECKING:
    from stathmis.services.findings.box import BoxSheet

PLACES = (
    ("planner", N_("Planner")),
    ("way", N_("Your way")),
    ("instruments", N_("Instruments")),
    ("live", N_("Live probes")),
    ("records", N_("Records")),
    ("changes", N_("Changes")),
    ("enter", N_("Enter or change")),
    ("bring_in", N_("Logger file")),
    ("try", N_("Try it first")),
    ("practise", N_("Practise")),
)
"""What belongs together stands side by side: planning, instruments, records, setting up."""
SOON, SOON_DAYS = 5, 14.0
"""So many steps of the next days are shown."""


class Card(QWidget, Speaking):
    """One incubator: name, day, two slim levels, what is due. It lives as long as its incubator is listed; show_sheet
    brings it up to date in place."""

    chosen = Signal(int)
    role = QAccessible.Role.Button

    def __init__(self, theme: Theme, incubator_id: int) -> None:
        super().__init__()
        self._theme, self._selected = theme, False
        self._shown: object = None
        self.incubator_id = incubator_id
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self._grid = QGridLayout(self)
        for column in (0, 1):
            self._grid.setColumnStretch(column, 1)
        self._name, self._day = label("", "name", wrap=True), label("", "small")
        self._about, self._due = label("", "small", wrap=True), label("", "small", "eggs", wrap=True)
        self._levels = {q: Level(theme, slim=True) for q in QUANTITIES}
        self._values = {q: label("", ink=ink) for q, ink in zip(QUANTITIES, ("heat", "moisture"), strict=True)}
        self._head = QBoxLayout(QBoxLayout.Direction.LeftToRight)
        self._head.setSpacing(8)
        self._head.addWidget(self._name, 1)
        self._head.addWidget(self._day, 0, Qt.AlignmentFlag.AlignTop)
        self._grid.addLayout(self._head, 0, 0, 1, 2)
        self._grid.addWidget(self._about, 1, 0, 1, 2)
        for column, quantity in enumerate(QUANTITIES):
            self._grid.addWidget(self._levels[quantity], 2, column)
            self._grid.addWidget(self._values[quantity], 3, column)
        self._grid.addWidget(self._due, 4, 0, 1, 2)
        theme.changed.connect(self._restyle)
        self._restyle()

    def _restyle(self) -> None:
        theme = self._theme
        self._grid.setContentsMargins(theme.px(20), theme.px(8), theme.px(16), theme.px(10))
        self._grid.setVerticalSpacing(theme.px(2))
        self._grid.setHorizontalSpacing(theme.px(12))
        self.update()

    def show_sheet(self, book: Book, sheet: RoundSheet, box: BoxSheet | None, *, selected: bool) -> None:
        """Show an incubator as it stands; box: what its water and vents give, where that is known."""
        state = (Same(sheet), Same(box), selected, book.temperature_unit)
        if state == self._shown:
            return
        self._shown = state
        if selected != self._selected:
            self._selected = selected
            self.update()
        stands = standing(book, sheet, box)
        verdicts = stands.verdicts
        course, words = sheet.course, [sheet.incubator.name]
        day, about, due = _("no batch"), _("Set a batch under Enter or change."), ""
        if sheet.incubator.air == "room":
            shown = [v for v in verdicts.values() if v is not None]
            parts = [with_u(v.corrected.value, v.corrected.U, v.quantity, book.shown_unit(v.quantity)) for v in shown]
            day, about = _("the room"), " · ".join(parts) or _("not read")
            words += [day, *parts]
        elif course is not None:
            day = course.day_text(book.now_ms)
            about = course.batch.name + (_(" and {beside} more", beside=len(sheet.beside)) if sheet.beside else "")
            due = what_is_due(book, stands)
            words += [course.batch.name, day]
        for quantity in QUANTITIES:
            level, value = self._levels[quantity], self._values[quantity]
            for widget in (level, value):
                widget.setVisible(course is not None and sheet.incubator.air != "room")
            if level.isVisibleTo(self):
                words.append(self._show_quantity(book, quantity, sheet, verdicts[quantity]))
        for widget, text in ((self._name, sheet.incubator.name), (self._day, day), (self._about, about)):
            set_text(widget, text)
        set_text(self._due, due)
        self._due.setVisible(bool(due))
        self.setAccessibleName(", ".join([*words, *([due] if due else [])]))

    def fold(self, room: int) -> None:
        """Put the day below the name where the room (px) is not for both side by side."""
        for words in (self._name, self._day):
            words.ensurePolished()
        side_by_side = self._name.minimumSizeHint().width() + 8 + self._day.sizeHint().width()
        fits = side_by_side <= room - self._theme.px(20) - self._theme.px(16)
        way = QBoxLayout.Direction.LeftToRight if fits else QBoxLayout.Direction.TopToBottom
        self._head.setSpacing(8 if fits else 0)
        self._head.setDirection(way)

    def _show_quantity(self, book: Book, quantity: Quantity, sheet: RoundSheet, verdict: Verdict | None) -> str:
        level, value = self._levels[quantity], self._values[quantity]
        set_property(value, "role", "small" if verdict is None else "")
        if verdict is None:
            level.show_state(LevelState(quantity, sheet.band(quantity)), _("not read"))
            set_text(value, _("not read"))
            return _("{quantity} not read", quantity=_(quantity))
        unit = book.shown_unit(quantity)
        text = f"{value_text(verdict.corrected.value, verdict.corrected.U, quantity, unit)} {unit_word(unit)}"
        words = f"{_(quantity)} {text}, {word(verdict)}"
        level.show_state(LevelState(quantity, verdict.band, verdict.corrected, verdict.decision), words)
        set_text(value, text)
        return words

    def paintEvent(self, event: QPaintEvent) -> None:
        """The selected card lies on lighter paper with a mark at its left; the focused one has an outline."""
        painter = QPainter(self)
        inks = self._theme.inks
        if self._selected:
            painter.fillRect(self.rect(), inks.card)
            painter.fillRect(0, 0, 4, self.height(), inks.selection)
        else:
            painter.fillRect(self._theme.px(20), self.height() - 1, self.width() - self._theme.px(36), 1, inks.rule)
        if self.hasFocus():
            painter.setPen(inks.selection)
            painter.drawRect(self.rect().adjusted(1, 1, -2, -2))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Choose by mouse."""
        self.chosen.emit(self.incubator_id)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Choose with Enter or Space; step with the arrows."""
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space):
            self.chosen.emit(self.incubator_id)
        elif event.key() == Qt.Key.Key_Down:
            self.focusNextChild()
        elif event.key() == Qt.Key.Key_Up:
            self.focusPreviousChild()
        else:
            super().keyPressEvent(event)


class IncubatorColumn(QWidget):
    """The whole left column; emits the incubator or the place that was chosen."""

    incubator_chosen = Signal(int)
    place_chosen = Signal(str)
    unit_wanted = Signal()
    find_wanted = Signal()
    guide_wanted = Signal()

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self.setObjectName("column")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._desk, self._theme = desk, theme
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 16, 0, 12)
        layout.setSpacing(0)
        self._name, self._where = label("", "heading", wrap=True), label("", "small")
        layout.addWidget(self._name)
        layout.addWidget(self._where)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        area.setStyleSheet("QScrollArea, QWidget#cards { background: transparent; }")
        inner = QWidget()
        inner.setObjectName("cards")
        self._cards: dict[int, Card] = {}
        self._list = QVBoxLayout(inner)
        self._list.setContentsMargins(0, 8, 0, 0)
        self._list.setSpacing(4)
        ahead = QVBoxLayout()
        ahead.setContentsMargins(20, 12, 16, 8)
        ahead.setSpacing(2)
        self._soon = Lines(ahead, "small")
        self._list.addLayout(ahead)
        self._list.addStretch(1)
        area.setWidget(inner)
        self._area = area
        layout.addWidget(area, 1)
        self.places = {}
        self._others = QWidget()
        self._pairs = QGridLayout(self._others)
        self._pairs.setContentsMargins(0, 8, 0, 0)
        self._pairs.setSpacing(0)
        for key, text in PLACES:
            made = button(_(text), partial(self.place_chosen.emit, key), "place")
            made.setCheckable(True)
            self.places[key] = made
        self._outer, self._tight = layout, False
        self._stand()
        foot = QHBoxLayout()
        foot.setContentsMargins(16, 8, 16, 0)
        self._unit = button("", self.unit_wanted.emit, "link", _("Switch between °C and °F (F2)"))
        foot.addWidget(self._unit)
        foot.addStretch(1)
        foot.addWidget(button(_("find"), self.find_wanted.emit, "link", _("Find or do something (Ctrl+K)")))
        foot.addStretch(1)
        foot.addWidget(button(_("guide"), self.guide_wanted.emit, "link", _("The guide, at this page (F1)")))
        layout.addLayout(foot)

    def _stand(self) -> None:
        """The other places stand in pairs at the foot; where letters are large, one under the other below the cards."""
        for made in self.places.values():
            self._pairs.removeWidget(made)
        across = 1 if self._tight else 2
        for at, made in enumerate(self.places.values()):
            self._pairs.addWidget(made, at // across, at % across)
            self._pairs.setColumnStretch(at % across, 1)
        (self._list if self._tight else self._outer).insertWidget(-1 if self._tight else 3, self._others)

    def _wide(self) -> int:
        """How wide two columns of places are: some languages have longer words."""
        wide = [made.sizeHint().width() for made in self.places.values()]
        return max(wide[::2]) + max(wide[1::2])

    def refresh(self, selected_id: int | None, place: str, boxes: Mapping[int, BoxSheet | None]) -> None:
        """Show the incubators as they stand; selected_id is the one in view, place where else the keeper is; boxes:
        what water and vents give, by incubator, as far as it is known."""
        book, theme = self._desk.book, self._theme
        self.setFixedWidth(min(theme.px(252), max(252, round(0.28 * self.window().width()))))
        tight = self.width() < theme.px(252) or self._wide() > self.width()
        if tight != self._tight:
            self._tight = tight
            self._stand()
        set_text(self._name, book.name or _("My hatching"))
        known = book.altitude_m is not None
        set_text(
            self._where,
            _(
                "{altitude_m:.0f} m · about {pressure_hpa:.0f} hPa",
                altitude_m=book.altitude_m,
                pressure_hpa=book.pressure_hpa,
            )
            if known
            else "",
        )
        for text in (self._name, self._where):
            text.setContentsMargins(theme.px(20), 0, theme.px(16), 0)
        places = book.places()
        for gone in set(self._cards) - {i.id for i in places}:
            card = self._cards.pop(gone)
            self._list.removeWidget(card)
            card.deleteLater()
        for at, incubator in enumerate(places):
            if incubator.id not in self._cards:
                made = self._cards[incubator.id] = Card(theme, incubator.id)
                made.chosen.connect(self.incubator_chosen)
                self._list.insertWidget(at, made)
            sheet = rounds.sheet(book, incubator)
            selected = incubator.id == selected_id and not place
            self._cards[incubator.id].show_sheet(book, sheet, boxes.get(incubator.id), selected=selected)
            self._cards[incubator.id].fold(self.width() - self._area.verticalScrollBar().sizeHint().width())
        self._show_coming()
        for key, button_of in self.places.items():
            button_of.setChecked(key == place)
        # after what the keeper waits for is on the screen
        QTimer.singleShot(0, self, self._show_due)
        set_text(self._unit, f"{book.temperature_unit}   {_('% RH')}")
        self._unit.setAccessibleName(
            _("Temperatures in {temperature_unit}; press to switch", temperature_unit=book.temperature_unit)
        )

    def _show_coming(self) -> None:
        """What the plans ask for next, as far as the cards leave room for it."""
        book, theme = self._desk.book, self._theme
        wide = self.width()
        taken = sum(
            max(card.heightForWidth(wide), card.minimumSizeHint().height()) + 4 for card in self._cards.values()
        )
        free = self._area.viewport().height() - taken - theme.px(60)
        room = 0 if self._tight else max(0, min(SOON, free // theme.px(36)))
        found = tasks.coming(book, SOON_DAYS)[:room]
        lines: list[Said] = [(_("Coming up"), "name")] if found else []
        self._soon.say([*lines, *(soon(book, task) for task in found)])

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Another height has room for more, or less."""
        super().resizeEvent(event)
        if self._cards:
            self._show_coming()

    def _show_due(self) -> None:
        """How many instruments want checking."""
        desk = self._desk
        due = sum(
            history.is_due(desk.book, channel)
            for incubator in desk.book.incubators()
            for _, _, channels in desk.book.hanging_in(incubator.id, desk.now_ms)
            for channel in channels
        )
        self.places["instruments"].setText(_("Instruments") + (f" ({due})" if due else ""))
        self.places["instruments"].setAccessibleName(_("Instruments, {due} to check", due=due))
