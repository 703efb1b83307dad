"""Eggs move: round the tray as the map of warm and cold places asks, or to another machine."""

from __future__ import annotations

from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from stathmis.services import clock
from stathmis.services.batch.course import Course
from stathmis.services.desk import Desk
from stathmis.services.eggs import moving
from stathmis.services.eggs.moving import Rotation
from stathmis.services.eggs.tray import TraySheet
from stathmis.ui.attempt import attempt, emptied
from stathmis.ui.pieces import Chooser, button, label, problem_label, yielding
from stathmis.ui.theme import Theme


class MovingCard(QWidget):
    """Which eggs to move round, and which go to another machine."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self._desk = desk
        self._course: Course | None = None
        self._found: Rotation | None = None
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 8, 0, 0)
        box.addWidget(label("Moving eggs", "name"))
        self.advice = label("", "", wrap=True)
        box.addWidget(self.advice)
        first = QHBoxLayout()
        self.round = button("They have changed places", self.move_round)
        first.addWidget(self.round)
        first.addStretch(1)
        box.addLayout(first)
        row = QHBoxLayout()
        self.marks, self.at = QLineEdit(), QLineEdit()
        self.marks.setPlaceholderText("all or 1-5, 8")
        self.marks.setAccessibleName("Which eggs go to another machine: all, or marks such as 1-5, 8")
        self.at.setPlaceholderText("now")
        self.at.setAccessibleName("When they went; empty means now")
        self.at.setFixedWidth(theme.px(72))
        self.machine = yielding(Chooser())
        self.machine.setAccessibleName("To which machine the eggs go")
        for edit in (self.marks, self.at):
            edit.returnPressed.connect(self.go)
        for widget in (self.marks, label("to", "muted"), self.machine, self.at, button("Move them", self.go)):
            row.addWidget(widget)
        self._row = QWidget()
        self._row.setLayout(row)
        row.setContentsMargins(0, 0, 0, 0)
        box.addWidget(self._row)
        self.problem = problem_label()
        box.addWidget(self.problem)

    def show_course(self, course: Course, sheet: TraySheet) -> None:
        """The batch in view as it stands."""
        desk = self._desk
        if self._course is None or self._course.batch.id != course.batch.id:
            self.problem.hide()
        self._course = course
        running = course.batch.ended_ms is None
        never = course.species.stop_turning_day is None
        self._found = moving.rotation(desk.book, course, sheet) if running and not never else None
        words = "Space picks an egg up, Space at another one lets the two change places."
        if never:
            words = "Eggs of a clutch stay as they lie; Space moves one with its mark up."
        elif self._found is not None:
            words = f"{moving.rotation_words(desk.book, self._found)} {words}"
        self.advice.setText(words)
        self.round.setVisible(self._found is not None)
        others = [i for i in desk.book.incubators() if i.id != course.incubator.id]
        chosen = self.machine.currentData()
        self.machine.clear()
        for incubator in others:
            self.machine.addItem(incubator.name, incubator.id)
        self.machine.setCurrentIndex(max(0, self.machine.findData(chosen)))
        self._row.setVisible(bool(others) and running)

    def move_round(self) -> None:
        """The eggs of the advice have changed places."""
        course, found = self._course, self._found
        if course is None or found is None:
            return

        def action() -> str:
            moving.swap(self._desk, course, found.pairs)
            return f"{2 * len(found.pairs)} eggs have changed places."

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
                    return f"The batch lies in {target.name} now."
                moving.move_some(desk, course, marks, target, at)
                return f"{len(marks)} eggs lie in {target.name} now."

        attempt(self.problem, action)
