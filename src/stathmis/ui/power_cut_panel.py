"""A power cut on the round: how long, how warm the room is, how cold the eggs get, what to do."""

from __future__ import annotations

from PySide6.QtWidgets import QWidget

from stathmis.core.errors import UserError
from stathmis.core.units import from_inside
from stathmis.logbook.records import Incubator
from stathmis.services import clock, notify
from stathmis.services.batch import power_cut
from stathmis.services.batch.power_cut import PowerCut
from stathmis.services.desk import Desk
from stathmis.ui.kit.fields import field
from stathmis.ui.kit.page import column, put, row
from stathmis.ui.kit.pieces import button, label, problem_label, say
from stathmis.ui.theme import Theme
from stathmis.words.catalogue import _, as_number
from stathmis.words.power import worked_back

USUAL_ROOM_C = 20.0


class PowerCutPanel(QWidget):
    """Hidden until it is wanted."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self._desk = desk
        self.incubator: Incubator | None = None
        self.found: PowerCut | None = None
        self._begin_ms: int | None = None
        narrow, typed = (theme, 56), self._work_out
        self.hours = field(_("Hours without power"), text="2", width=narrow, typed=typed)
        self.room = field(_("Temperature of the room"), width=narrow, typed=typed)
        self.since = field(_("Power off since"), _("since: now, 03:10, yesterday 21:30"))
        self.seen = field(_("Hours since it was last seen well"), text="", width=narrow, typed=typed)
        self.air = field(_("What the air reads now; may be empty"), width=narrow, typed=typed)
        self.egg = field(_("What an egg reads now; may be empty"), width=narrow, typed=typed)
        self.log, self._unit = button(_("Log it"), self.log_it), label("", "muted")
        self.problem, self.says = problem_label(), label("", "name", wrap=True)
        self.do = label("", "muted", wrap=True)
        first = row(label(_("off for"), "muted"), self.hours, label(_("h, room"), "muted"), self.room, self._unit, 1)
        seen, ago = label(_("or found off; seen well"), "muted"), label(_("h ago"), "muted")
        air, egg = label(_("now: air"), "muted"), label(_("an egg"), "muted")
        second, third = row(seen, self.seen, ago, 1), row(air, self.air, egg, self.egg, 1)
        lines = (first, second, third, row((self.since, 1), self.log))
        put(self, column(*lines, self.problem, self.says, self.do))
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
            self.room.setText(as_number(from_inside(USUAL_ROOM_C, self._desk.book.temperature_unit), ".0f"))
        self._work_out()
        self.show()
        self.hours.setFocus()
        self.hours.selectAll()

    def _work_out(self, _typed: str = "") -> None:
        if self.incubator is None:
            return
        self.found, self._begin_ms, problem, says, do = None, None, "", "", ""
        unknown = any(edit.text().strip() for edit in (self.seen, self.air, self.egg))
        self.hours.setEnabled(not unknown)
        self.since.setEnabled(not unknown)
        try:
            if unknown:
                says, do = self._found_off()
                return self._show("", says, do)
            self.found = power_cut.cool_down(self._desk.book, self.incubator, self.hours.text(), self.room.text())
            says, do = power_cut.words(self._desk.book, self.found)
        except UserError as error:
            problem = str(error)
        self._show(problem, says, do)

    def _found_off(self) -> tuple[str, str]:
        """Worked back from what is read now."""
        assert self.incubator is not None
        book, typed = self._desk.book, (self.seen.text(), self.air.text(), self.egg.text(), self.room.text())
        found = power_cut.found_off(book, self.incubator, *typed)
        self.found, self._begin_ms = found.cut, found.begin_ms[0]
        return worked_back(book, found.back, found.begin_ms), power_cut.words(book, found.cut)[1]

    def _show(self, problem: str, says: str, do: str) -> None:
        for widget, text in ((self.problem, problem), (self.says, says), (self.do, do)):
            say(widget, text)
        self.log.setEnabled(self.found is not None)

    def log_it(self) -> None:
        """Note it in the log."""
        if self.found is None or self.incubator is None:
            return
        try:
            typed = clock.parse_moment(self.since.text(), self._desk.now_ms, self._desk.book.zone)
        except UserError as error:
            say(self.problem, str(error))
            self.since.setFocus()
            return
        power_cut.log_power_cut(self._desk, self.incubator, self.found, self._begin_ms or typed)
        for edit in (self.since, self.seen, self.air, self.egg):
            edit.setText("")
        self.hide()
        notify.tell("info", _("Power cut logged. Ctrl+Z takes it back."))
