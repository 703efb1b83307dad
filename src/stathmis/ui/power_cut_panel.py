"""A power cut on the round: how long, how warm the room is, how cold the eggs get, what to do."""

from __future__ import annotations

from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from stathmis.core.errors import UserError
from stathmis.core.units import from_inside
from stathmis.logbook.records import Incubator
from stathmis.services import clock, notify
from stathmis.services.batch import power_cut
from stathmis.services.batch.power_cut import PowerCut
from stathmis.services.desk import Desk
from stathmis.ui.pieces import button, label
from stathmis.ui.theme import Theme

USUAL_ROOM_C = 20.0


class PowerCutPanel(QWidget):
    """Hidden until it is wanted."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self._desk = desk
        self.incubator: Incubator | None = None
        self.found: PowerCut | None = None
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        row = QHBoxLayout()
        row.setSpacing(6)
        self.hours, self.room = QLineEdit("2"), QLineEdit()
        for before, edit, after, name in (
            ("off for", self.hours, "h, room", "Hours without power"),
            ("", self.room, "", "Temperature of the room"),
        ):
            edit.setFixedWidth(theme.px(56))
            edit.setAccessibleName(name)
            edit.textEdited.connect(lambda _t: self._work_out())
            for widget in (label(before, "muted"), edit, label(after, "muted")):
                row.addWidget(widget)
        self._unit = label("", "muted")
        row.addWidget(self._unit)
        row.addStretch(1)
        layout.addLayout(row)
        since = QHBoxLayout()
        self.since = QLineEdit()
        self.since.setPlaceholderText("since: now, 03:10, yesterday 21:30")
        self.since.setAccessibleName("Power off since")
        since.addWidget(self.since, 1)
        self.log = button("Log it", self.log_it)
        since.addWidget(self.log)
        layout.addLayout(since)
        self.problem = label("", "problem", wrap=True)
        self.says = label("", "name", wrap=True)
        self.do = label("", "muted", wrap=True)
        for widget in (self.problem, self.says, self.do):
            layout.addWidget(widget)
        self.hide()

    def toggle(self, incubator: Incubator) -> None:
        """Open it for an incubator, or close it."""
        self.incubator = incubator
        if self.isVisible():
            self.hide()
            return
        if self._unit.text() != self._desk.book.temperature_unit:
            self._unit.setText(self._desk.book.temperature_unit)
            self.room.setText("")
        if not self.room.text():
            self.room.setText(f"{from_inside(USUAL_ROOM_C, self._desk.book.temperature_unit):.0f}")
        self._work_out()
        self.show()
        self.hours.setFocus()
        self.hours.selectAll()

    def _work_out(self) -> None:
        if self.incubator is None:
            return
        self.found, problem, says, do = None, "", "", ""
        try:
            self.found = power_cut.cool_down(self._desk.book, self.incubator, self.hours.text(), self.room.text())
            says, do = power_cut.words(self._desk.book, self.found)
        except UserError as error:
            problem = str(error)
        for widget, text in ((self.problem, problem), (self.says, says), (self.do, do)):
            widget.setText(text)
            widget.setVisible(bool(text))
        self.log.setEnabled(self.found is not None)

    def log_it(self) -> None:
        """Note it in the log."""
        if self.found is None or self.incubator is None:
            return
        try:
            at = clock.parse_moment(self.since.text(), self._desk.now_ms, self._desk.book.zone)
        except UserError as error:
            self.problem.setText(str(error))
            self.problem.show()
            self.since.setFocus()
            return
        power_cut.log_power_cut(self._desk, self.incubator, self.found, at)
        self.since.setText("")
        self.hide()
        notify.tell("info", "Power cut logged. Ctrl+Z takes it back.")
