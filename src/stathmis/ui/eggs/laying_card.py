"""Eggs get their places: so many in one go, or one by one; what is known of them is typed once for all."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from stathmis.services.batch.course import Course
from stathmis.services.desk import Desk
from stathmis.services.eggs import laying
from stathmis.services.eggs.laying import Described
from stathmis.services.eggs.tray_shape import SHAPES
from stathmis.ui.attempt import attempt
from stathmis.ui.pieces import Chooser, button, label, problem_label, yielding
from stathmis.ui.theme import Theme

FIELDS = (
    ("breed", "breed", "Breed of these eggs; may be empty"),
    ("mother", "mother", "Mother of these eggs; may be empty"),
    ("source", "where from", "Where these eggs are from; may be empty"),
    ("laid", "laid 10 May", "The day they were laid; may be empty"),
)


class LayingCard(QWidget):
    """Fields for new eggs, and for what is known of the egg under the cursor."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self._desk = desk
        self._course: Course | None = None
        self._mark = ""
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 8, 0, 0)
        box.addWidget(label("Places and what is known", "name"))
        words = "Numbers in pencil, row by row from the back; in rings from the outside."
        box.addWidget(label(words, "muted", wrap=True))
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        self.edits: dict[str, QLineEdit] = {}
        for i, (key, hint, name) in enumerate(FIELDS):
            self.edits[key] = edit = QLineEdit()
            edit.setPlaceholderText(hint)
            edit.setAccessibleName(name)
            grid.addWidget(edit, 0, i)
        self.count, self.columns, self.mark, self.mass = (QLineEdit() for _ in range(4))
        self.shape = yielding(Chooser())
        self.shape.setAccessibleName("How the places of the tray lie")
        for shape, text in SHAPES.items():
            self.shape.addItem(text, shape)
        self.shape.activated.connect(self._shape_chosen)
        for edit, hint, name in (
            (self.count, "eggs", "How many eggs to lay out"),
            (self.columns, "in a row", "How many lie in a row or in the outer ring; may be empty"),
            (self.mark, "mark", "Pencil mark of one egg; may be empty"),
            (self.mass, "mass, g", "Mass of one egg at setting; may be empty"),
        ):
            edit.setPlaceholderText(hint)
            edit.setAccessibleName(name)
            edit.setFixedWidth(theme.px(84))
        for edit in (self.count, self.columns):
            edit.returnPressed.connect(self.lay_out)
        for edit in (self.mark, self.mass):
            edit.returnPressed.connect(self.add_one)
        box.addLayout(grid)
        many = QHBoxLayout()
        for widget in (self.count, self.columns, self.shape, button("Lay them out", self.lay_out)):
            many.addWidget(widget)
        many.addStretch(1)
        box.addLayout(many)
        single = QHBoxLayout()
        self.this = button("", self.describe, "link")
        for widget in (self.mark, self.mass, button("Add this egg", self.add_one), self.this):
            single.addWidget(widget)
        single.addStretch(1)
        box.addLayout(single)
        self.problem = problem_label()
        box.addWidget(self.problem)

    def show_course(self, course: Course, *, laid: bool, fresh: bool) -> None:
        """The batch in view; laid: its eggs have places; fresh: another one than before."""
        self._course = course
        if fresh:
            self.problem.hide()
            self.count.setText(str(course.batch.eggs))
        if laid and self.count.text() == str(course.batch.eggs):
            self.count.setText("")
        self.shape.setCurrentIndex(self.shape.findData(course.batch.tray))

    def show_egg(self, mark: str) -> None:
        """The egg under the cursor."""
        self._mark = mark
        self.this.setText(f"Note it for egg {mark}")
        self.this.setVisible(bool(mark))

    def described(self) -> Described:
        """What is typed of the eggs."""
        known = {key: edit.text() for key, edit in self.edits.items()}
        return Described(**known)

    def lay_out(self) -> bool:
        """Give so many eggs their places."""
        typed = self.count.text(), self.columns.text()

        def action(course: Course) -> str:
            eggs = int(typed[0]) if typed[0].strip().isdigit() else 0
            columns = int(typed[1]) if typed[1].strip().isdigit() else 0
            return f"{laying.lay_out(self._desk, course, eggs, columns, self.described())} eggs laid out."

        return self._try(action)

    def add_one(self) -> bool:
        """One egg more."""
        mark, mass = self.mark.text(), self.mass.text()
        known = self.described()

        def action(course: Course) -> str:
            both = Described(known.breed, known.mother, known.source, known.laid, mass)
            made = laying.add_egg(self._desk, course, mark, both)
            self.mark.setText("")
            self.mass.setText("")
            return f"Egg {made} has its place."

        done = self._try(action)
        if done:
            self.mark.setFocus()
        return done

    def describe(self) -> bool:
        """What is typed holds for the egg under the cursor."""
        mark = self._mark

        def action(course: Course) -> str:
            laying.describe(self._desk, course, mark, self.described())
            return f"Noted for egg {mark}."

        return self._try(action)

    def _shape_chosen(self, _index: int) -> None:
        def action(course: Course) -> str:
            laying.change_shape(self._desk, course, self.shape.currentData())
            return f"The tray lies in {self.shape.currentText()}."

        self._try(action)

    def _try(self, action: Callable[[Course], str]) -> bool:
        if self._course is None:
            return False
        course = self._course
        return attempt(self.problem, lambda: action(course))
