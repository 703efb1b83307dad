"""Shells measured one after the other after one lifting of the lid, and what they said."""

from __future__ import annotations

from PySide6.QtWidgets import QWidget

from stathmis.logbook.records import Channel, ShellSeries
from stathmis.services import clock
from stathmis.services.batch.course import Course
from stathmis.services.desk import Desk
from stathmis.services.eggs import shells
from stathmis.services.findings.shells import shells as measured
from stathmis.ui.kit.attempt import attempt, emptied
from stathmis.ui.kit.fields import Chooser, field
from stathmis.ui.kit.lines import StrikeList
from stathmis.ui.kit.page import column, holder, put, row
from stathmis.ui.kit.pieces import button, label, problem_label, say, set_text
from stathmis.ui.theme import Theme
from stathmis.words import shells as words
from stathmis.words.catalogue import _

SHOWN = 4
"""So many series stand in the list, the newest first."""


class ShellCard(QWidget):
    """Fields for a series, what the newest one says, and the list."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self._desk, self._theme = desk, theme
        self._course: Course | None = None
        self.by = Chooser(_("What they were measured with"), picked=lambda _id: self._show_unit(), yielding=True)
        values = _("Temperatures of the shells, in order, with spaces between them")
        self.values = field(values, _("37.8 38.0 37.7 …"), entered=self.log)
        self.over = field(_("Seconds from the lid lifted to the last"), "30", width=(theme, 48), entered=self.log)
        self.at = field(_("When they were measured; empty means now"), _("now"), width=(theme, 72), entered=self.log)
        self._unit = label("", "muted")
        self._said, self.problem = label("", "", wrap=True), problem_label()
        self._list = StrikeList(self._strike)
        self._none = label(_("Enter an infrared gun or a probe first."), "muted", wrap=True)
        self._how = label(words.cautions(), "muted", wrap=True)
        by = row(
            label(_("by"), "muted"),
            self.by,
            self._unit,
            label(_("in"), "muted"),
            self.over,
            label(_("s"), "muted"),
            self.at,
            1,
        )
        typed = row((self.values, 1), button(_("Log the shells"), self.log))
        self._fields = holder(column(typed, by))
        title = label(_("Shell temperatures"), "name")
        put(self, column(title, self._how, self._fields, self._none, self._said, self._list, self.problem), top=8)

    def show_course(self, course: Course) -> None:
        """The batch in view as it stands."""
        desk = self._desk
        if self._course is None or self._course.batch.id != course.batch.id:
            self.problem.hide()
        self._course = course
        self.setVisible(course.species.kind == "bird")
        offered = [(i.name, c.id) for i, c in shells.instruments(desk.book)]
        self.by.offer(offered, self.by.currentData())
        self._show_unit()
        self._fields.setVisible(bool(offered) and course.batch.ended_ms is None)
        self._none.setVisible(not offered)
        found = measured(desk.book, course)
        say(self._said, " ".join(words.told(desk.book, course, found[-1])) if found else "")
        newest = found[: -SHOWN - 1 : -1]
        self._list.show_lines([(*words.line(desk.book, one), one.series) for one in newest], self._theme.px(96))

    @property
    def _channel(self) -> Channel | None:
        return next((c for _i, c in shells.instruments(self._desk.book) if c.id == self.by.currentData()), None)

    def _show_unit(self) -> None:
        set_text(self._unit, self._channel.unit if self._channel is not None else "")

    def log(self) -> None:
        """The shells as typed are logged."""
        course, desk = self._course, self._desk
        channel = self._channel
        if course is None or channel is None:
            return

        def action() -> str:
            with emptied(self.values, self.over, self.at) as (typed, over, when):
                at = clock.parse_moment(when, desk.now_ms, desk.book.zone)
                made = shells.log_shells(desk, course, channel, typed, over, at)
                return f"{words.logged(made)}."

        if attempt(self.problem, action):
            self.values.setFocus()

    def _strike(self, series: ShellSeries) -> None:
        shells.strike(self._desk, series)
