"""The left column: the incubators as short cards, and the other places under them."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QScrollArea, QVBoxLayout, QWidget

from stathmis.logbook.records import Incubator, Quantity
from stathmis.services import advice, rounds
from stathmis.services.instruments import history
from stathmis.services.rounds import RoundSheet
from stathmis.services.verdict import Verdict
from stathmis.services.wording import unit_word, value_text, with_u
from stathmis.services.workbench import Workbench
from stathmis.ui.level import Level, LevelState
from stathmis.ui.pieces import button, clear, label
from stathmis.ui.theme import Theme

PLACES = (
    ("planner", "Planner"),
    ("records", "Records"),
    ("instruments", "&Instruments"),
    ("practice", "Practice"),
    ("live", "Live probes"),
    ("bring_in", "&Bring in a logger file"),
    ("enter", "Enter &or change"),
)


class Card(QWidget):
    """One incubator: name, day, two slim levels, what is due."""

    chosen = Signal(int)

    def __init__(self, bench: Workbench, theme: Theme, incubator: Incubator, *, selected: bool) -> None:
        super().__init__()
        self._theme = theme
        self._selected = selected
        self.incubator = incubator
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        sheet = rounds.sheet(bench, incubator)
        grid = QGridLayout(self)
        grid.setContentsMargins(theme.px(20), theme.px(8), theme.px(16), theme.px(10))
        grid.setVerticalSpacing(theme.px(2))
        grid.setHorizontalSpacing(theme.px(12))
        for column in (0, 1):
            grid.setColumnStretch(column, 1)
        name = label(incubator.name, "name", wrap=True)
        grid.addWidget(name, 0, 0)
        words = [incubator.name]
        if incubator.air == "room":
            grid.addWidget(label("the room", "small"), 0, 1, Qt.AlignmentFlag.AlignRight)
            shown = [v for q in ("temperature", "humidity") if (v := sheet.verdict(q)) is not None]
            parts = [with_u(v.corrected.value, v.corrected.U, v.quantity, bench.shown_unit(v.quantity)) for v in shown]
            grid.addWidget(label(" · ".join(parts) or "not read", "small", wrap=True), 1, 0, 1, 2)
            words += ["the room", *parts]
        elif sheet.course is None:
            grid.addWidget(label("no batch", "small"), 0, 1, Qt.AlignmentFlag.AlignRight)
            grid.addWidget(label("Set a batch under Enter or change.", "small", wrap=True), 1, 0, 1, 2)
        else:
            day = sheet.course.day_text(bench.now_ms)
            grid.addWidget(label(day, "small"), 0, 1, Qt.AlignmentFlag.AlignRight)
            more = f" and {len(sheet.beside)} more" if sheet.beside else ""
            grid.addWidget(label(sheet.course.batch.name + more, "small", wrap=True), 1, 0, 1, 2)
            words += [sheet.course.batch.name, day]
            verdicts = [sheet.verdict("temperature"), sheet.verdict("humidity")]
            words.append(self._quantity(bench, grid, 0, "temperature", sheet, verdicts[0]))
            words.append(self._quantity(bench, grid, 1, "humidity", sheet, verdicts[1]))
            due = self._due(bench, sheet, verdicts)
            if due:
                grid.addWidget(label(due, "small", "eggs", wrap=True), 4, 0, 1, 2)
                words.append(due)
        self.setAccessibleName(", ".join(words))

    def _quantity(
        self,
        bench: Workbench,
        grid: QGridLayout,
        column: int,
        quantity: Quantity,
        sheet: RoundSheet,
        verdict: Verdict | None,
    ) -> str:
        level = Level(self._theme, slim=True)
        grid.addWidget(level, 2, column)
        if verdict is None:
            level.show_state(LevelState(quantity, sheet.band(quantity)), "not read")
            grid.addWidget(label("not read", "small"), 3, column)
            return f"{quantity} not read"
        unit = bench.shown_unit(quantity)
        text = f"{value_text(verdict.corrected.value, verdict.corrected.U, quantity, unit)} {unit_word(unit)}"
        words = f"{quantity} {text}, {advice.word(verdict)}"
        level.show_state(LevelState(quantity, verdict.band, verdict.corrected, verdict.decision), words)
        grid.addWidget(label(text, ink="moisture" if column else "heat"), 3, column)
        return words

    @staticmethod
    def _due(bench: Workbench, sheet: RoundSheet, verdicts: list[Verdict | None]) -> str:
        parts = []
        if any(v is None for v in verdicts):
            parts.append("read it")
        for action in advice.advise(bench, sheet, verdicts[0], verdicts[1])[:1]:
            parts.append(action.text.split(":")[0].rstrip(".").lower())
        step = sheet.course.next_step(bench.now_ms, bench.zone) if sheet.course else ""
        if step:
            parts.append(step)
        return " · ".join(parts)

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
        self.chosen.emit(self.incubator.id)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Choose with Enter or Space; step with the arrows."""
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space):
            self.chosen.emit(self.incubator.id)
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
    keys_wanted = Signal()

    def __init__(self, bench: Workbench, theme: Theme) -> None:
        super().__init__()
        self.setObjectName("column")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._bench, self._theme = bench, theme
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 16, 0, 12)
        layout.setSpacing(0)
        self._head = QVBoxLayout()
        layout.addLayout(self._head)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        area.setStyleSheet("QScrollArea, QWidget#cards { background: transparent; }")
        inner = QWidget()
        inner.setObjectName("cards")
        self._cards = QVBoxLayout(inner)
        self._cards.setContentsMargins(0, 8, 0, 0)
        self._cards.setSpacing(4)
        area.setWidget(inner)
        layout.addWidget(area, 1)
        self.places = {}
        for key, text in PLACES:
            made = button(text, partial(self.place_chosen.emit, key), "place")
            made.setCheckable(True)
            self.places[key] = made
            layout.addWidget(made)
        foot = QHBoxLayout()
        foot.setContentsMargins(16, 12, 16, 0)
        self._unit = button("", self.unit_wanted.emit, "link", "Switch between °C and °F (F2)")
        foot.addWidget(self._unit)
        foot.addStretch(1)
        foot.addWidget(button("keys  F1", self.keys_wanted.emit, "link", "Show the keyboard map"))
        layout.addLayout(foot)

    def refresh(self, selected_id: int | None, place: str) -> None:
        """Show the incubators as they stand; selected_id is the one in view, place where else the keeper is."""
        bench, theme = self._bench, self._theme
        window = self.window()
        self.setFixedWidth(min(theme.px(252), max(252, round(0.28 * window.width()))))
        clear(self._head)
        name = label(bench.name or "My hatching", "heading", wrap=True)
        name.setContentsMargins(theme.px(20), 0, theme.px(16), 0)
        self._head.addWidget(name)
        known = bench.altitude_m is not None
        where = label(f"{bench.altitude_m:.0f} m · about {bench.pressure_hpa:.0f} hPa" if known else "", "small")
        where.setContentsMargins(theme.px(20), 0, 0, 0)
        self._head.addWidget(where)
        had_focus = any(card.hasFocus() for card in self.findChildren(Card))
        clear(self._cards)
        for incubator in bench.places():
            selected = incubator.id == selected_id and not place
            card = Card(bench, theme, incubator, selected=selected)
            card.chosen.connect(self.incubator_chosen)
            self._cards.addWidget(card)
            if had_focus and selected:
                card.setFocus()
        self._cards.addStretch(1)
        for key, made in self.places.items():
            made.setChecked(key == place)
        # after what the keeper waits for is on the screen
        QTimer.singleShot(0, self, self._show_due)
        self._unit.setText(f"{bench.temperature_unit}   % RH")
        self._unit.setAccessibleName(f"Temperatures in {bench.temperature_unit}; press to switch")

    def _show_due(self) -> None:
        """How many instruments want checking."""
        bench, theme = self._bench, self._theme
        due = sum(
            history.is_due(bench, channel)
            for incubator in bench.incubators()
            for _, _, channels in bench.hanging_in(incubator.id, bench.now_ms)
            for channel in channels
        )
        words = f"   ·   {due} to check" if self.width() >= theme.px(252) else f" ({due})"
        self.places["instruments"].setText("&Instruments" + (words if due else ""))
        self.places["instruments"].setAccessibleName(f"Instruments, {due} to check")
