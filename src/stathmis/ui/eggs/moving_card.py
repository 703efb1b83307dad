"""Eggs move: round the tray as the map of warm and cold places asks, or to another machine."""

from __future__ import annotations

from PySide6.QtWidgets import QWidget

from stathmis.services import clock
from stathmis.services.batch.course import Course
from stathmis.services.desk import Desk
from stathmis.services.eggs import moving
from stathmis.services.eggs.moving import Rotation
from stathmis.services.eggs.tray import TraySheet
from stathmis.ui.kit.attempt import attempt, emptied
from stathmis.ui.kit.fields import Chooser, field
from stathmis.ui.kit.page import column, holder, put, row
from stathmis.ui.kit.pieces import button, label, problem_label
from stathmis.ui.theme import Theme
from stathmis.words import typed
from stathmis.words.catalogue import _


class MovingCard(QWidget):
    """Which eggs to move round, and which go to another machine."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self._desk = desk
        self._course: Course | None = None
        self._found: Rotation | None = None
        self.advice = label("", "", wrap=True)
        self.round = button(_("They have changed places"), self.move_round)
        which = _("Which eggs go to another machine: all, or marks such as 1-5, 8")
        self.marks = field(which, _("all or 1-5, 8"), entered=self.go)
        self.at = field(_("When they went; empty means now"), typed.own("now"), width=(theme, 72), entered=self.go)
        self.machine = Chooser(_("To which machine the eggs go"), yielding=True)
        go = button(_("Move them"), self.go)
        self._row = holder(row(self.marks, label(_("to"), "muted"), self.machine, self.at, go))
        self.problem = problem_label()
        title = label(_("Moving eggs"), "name")
        put(self, column(title, self.advice, row(self.round, 1), self._row, self.problem), top=8)

    def show_course(self, course: Course, sheet: TraySheet) -> None:
        """The batch in view as it stands."""
        desk = self._desk
        if self._course is None or self._course.batch.id != course.batch.id:
            self.problem.hide()
        self._course = course
        running = course.batch.ended_ms is None
        never = course.species.stop_turning_day is None
        self._found = moving.rotation(desk.book, course, sheet) if running and not never else None
        words = _("Space picks an egg up, Space at another one lets the two change places.")
        if never:
            words = _("Eggs of a clutch stay as they lie; Space moves one with its mark up.")
        elif self._found is not None:
            words = f"{moving.rotation_words(desk.book, self._found)} {words}"
        self.advice.setText(words)
        self.round.setVisible(self._found is not None)
        others = [i for i in desk.book.incubators() if i.id != course.incubator.id]
        self.machine.offer([(i.name, i.id) for i in others], self.machine.currentData())
        self._row.setVisible(bool(others) and running)

    def move_round(self) -> None:
        """The eggs of the advice have changed places."""
        course, found = self._course, self._found
        if course is None or found is None:
            return

        def action() -> str:
            moving.swap(self._desk, course, found.pairs)
            return _("{pairs} eggs have changed places.", pairs=2 * len(found.pairs))

        attempt(self.problem, action)

    def go(self) -> None:
        """All eggs, or those typed, go to another machine."""
        course, desk = self._course, self._desk
        target = next((i for i in desk.book.incubators() if i.id == self.machine.currentData()), None)
        if course is None or target is None:
            return

        def action() -> str:
            with emptied(self.marks, self.at) as (which, when):
                at = clock.parse_moment(when, desk.now_ms, desk.book.zone)
                marks = moving.marks_in(which)
                if marks is None:
                    moving.move_batch(desk, course, target, at)
                    return _("The batch lies in {target} now.", target=target.name)
                moving.move_some(desk, course, marks, target, at)
                return _("{marks} eggs lie in {target} now.", marks=len(marks), target=target.name)

        attempt(self.problem, action)
