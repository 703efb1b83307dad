"""Eggs get their places: so many in one go, or one by one; what is known of them is typed once for all."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtWidgets import QWidget

from stathmis.core.units import count_typed
from stathmis.logbook.records import TrayShape
from stathmis.services.batch.course import Course
from stathmis.services.desk import Desk
from stathmis.services.eggs import laying
from stathmis.services.eggs.laying import Described
from stathmis.services.eggs.tray_shape import SHAPES
from stathmis.ui.kit.attempt import attempt
from stathmis.ui.kit.fields import Chooser, field
from stathmis.ui.kit.page import column, put, row
from stathmis.ui.kit.pieces import button, label, problem_label
from stathmis.ui.theme import Theme
from stathmis.words.catalogue import N_, _

FIELDS = (
    ("breed", N_("breed"), N_("Breed of these eggs; may be empty")),
    ("mother", N_("mother"), N_("Mother of these eggs; may be empty")),
    ("source", N_("where from"), N_("Where these eggs are from; may be empty")),
    ("laid", N_("laid 10 May"), N_("The day they were laid; may be empty")),
)


class LayingCard(QWidget):
    """Fields for new eggs, and for what is known of the egg under the cursor."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self._desk = desk
        self._course: Course | None = None
        self._mark = ""
        self.edits = {key: field(_(name), _(hint)) for key, hint, name in FIELDS}
        narrow, lay_out, add_one = (theme, 84), self.lay_out, self.add_one
        self.count = field(_("How many eggs to lay out"), _("eggs"), width=narrow, entered=lay_out)
        in_a_row = _("How many lie in a row or in the outer ring; may be empty")
        self.columns = field(in_a_row, _("in a row"), width=narrow, entered=lay_out)
        self.mark = field(_("Pencil mark of one egg; may be empty"), _("mark"), width=narrow, entered=add_one)
        self.mass = field(_("Mass of one egg at setting; may be empty"), _("mass, g"), width=narrow, entered=add_one)
        shapes = [(text, shape) for shape, text in SHAPES.items()]
        self.shape = Chooser(_("How the places of the tray lie"), shapes, picked=self._shape_chosen, yielding=True)
        self.this = button("", self.describe, "link")
        self.problem = problem_label()
        words = _("Numbers in pencil, row by row from the back; in rings from the outside.")
        box = column(
            label(_("Places and what is known"), "name"),
            label(words, "muted", wrap=True),
            row(*self.edits.values()),
            row(self.count, self.columns, self.shape, button(_("Lay them out"), lay_out), 1),
            row(self.mark, self.mass, button(_("Add this egg"), add_one), self.this, 1),
            self.problem,
        )
        put(self, box, top=8)

    def show_course(self, course: Course, *, laid: bool, fresh: bool) -> None:
        """The batch in view; laid: its eggs have places; fresh: another one than before."""
        self._course = course
        if fresh:
            self.problem.hide()
            self.count.setText(str(course.batch.eggs))
        if laid and self.count.text() == str(course.batch.eggs):
            self.count.setText("")
        self.shape.choose(course.batch.tray)

    def show_egg(self, mark: str) -> None:
        """The egg under the cursor."""
        self._mark = mark
        self.this.setText(_("Note it for egg {mark}", mark=mark))
        self.this.setVisible(bool(mark))

    def described(self) -> Described:
        """What is typed of the eggs."""
        known = {key: edit.text() for key, edit in self.edits.items()}
        return Described(**known)

    def lay_out(self) -> bool:
        """Give so many eggs their places."""
        typed = self.count.text(), self.columns.text()

        def action(course: Course) -> str:
            eggs = count_typed(typed[0]) or 0
            columns = count_typed(typed[1]) or 0
            return _(
                "{lay_out} eggs laid out.", lay_out=laying.lay_out(self._desk, course, eggs, columns, self.described())
            )

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
            return _("Egg {made} has its place.", made=made)

        done = self._try(action)
        if done:
            self.mark.setFocus()
        return done

    def describe(self) -> bool:
        """What is typed holds for the egg under the cursor."""
        mark = self._mark

        def action(course: Course) -> str:
            laying.describe(self._desk, course, mark, self.described())
            return _("Noted for egg {mark}.", mark=mark)

        return self._try(action)

    def _shape_chosen(self, shape: TrayShape) -> None:
        def action(course: Course) -> str:
            laying.change_shape(self._desk, course, shape)
            return _("The tray lies in {shape}.", shape=self.shape.currentText())

        self._try(action)

    def _try(self, action: Callable[[Course], str]) -> bool:
        if self._course is None:
            return False
        course = self._course
        return attempt(self.problem, lambda: action(course))
