"""Taking off: who is ready, how many are weak, their bands and brooder, and what follows with its cautions."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QGridLayout, QLineEdit, QWidget

from stathmis.core.errors import UserError
from stathmis.core.units import count_typed
from stathmis.services import clock, knowledge, notify, setting_up
from stathmis.services.batch.course import Course
from stathmis.services.desk import Desk
from stathmis.services.eggs import pull
from stathmis.services.eggs.tray import WEAK, tray
from stathmis.ui.kit.attempt import attempt, emptied
from stathmis.ui.kit.fields import field
from stathmis.ui.kit.lines import Lines, Said
from stathmis.ui.kit.page import Page, holder, row
from stathmis.ui.kit.pieces import button, label, problem_label
from stathmis.ui.theme import Theme
from stathmis.words import typed
from stathmis.words.catalogue import _
from stathmis.words.pages import empty


class TakeOffView(Page):
    """The chicks of the batch in view. ended: the id of a batch that was ended here."""

    ended = Signal(int)

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__(theme, 860)
        self._desk = desk
        self._course: Course | None = None
        self._batch_id = 0
        self._none = label(empty("take-off"), "muted", wrap=True)
        self.page.addWidget(self._none)
        left, right = self.columns(1, 1)
        self.page.addStretch(1)
        left.addWidget(label(_("Taking off"), "heading"))
        self._lines = Lines(left)
        grid = QGridLayout()
        grid.setColumnStretch(1, 1)

        self._of_chicks: list[QWidget] = []

        def add(text: str, name: str, hint: str = "", *, chicks: bool = False) -> QLineEdit:
            made, at, words = field(name, hint, entered=self.take), grid.rowCount(), label(text, "muted")
            grid.addWidget(words, at, 0)
            grid.addWidget(made, at, 1)
            self._of_chicks += [words, made] if chicks else []
            return made

        self.count = add(_("Young"), _("How many are taken off"))
        weak = {kind: knowledge.findings()[kind] for kind in WEAK}
        self.weak = {
            kind: add(one.word, _("How many of them: {word}", word=one.word), "0", chicks=one.kind == "bird")
            for kind, one in weak.items()
        }
        self.bands = add(_("Bands"), _("Bands or marks they got; may be empty"), _("blue left, 14 to 22"), chicks=True)
        self.brooder = add(_("To"), _("Which brooder or box they go to; may be empty"), _("number 2"))
        self.at = add(_("When"), _("When; empty means now"), typed.own("now"))
        self._form = holder(grid, top=8)
        left.addWidget(self._form)
        self.problem = problem_label()
        left.addWidget(self.problem)
        self.go = button(_("Taken off"), self.take, "main")
        left.addLayout(row(self.go, 1))
        left.addStretch(1)
        right.addWidget(label(_("What follows"), "heading"))
        self._after = Lines(right, spacing=4)
        self.end = button(_("End this batch"), self.end_batch)
        right.addLayout(row(self.end, 1))
        self.ended_words = label("", "small", wrap=True)
        right.addWidget(self.ended_words)
        right.addStretch(1)

    def show_course(self, course: Course | None) -> None:
        """Show a batch as it stands."""
        self._course = course
        self._none.setVisible(course is None)
        self._form.setVisible(course is not None)
        self.go.setVisible(course is not None)
        self.end.setVisible(course is not None and course.batch.ended_ms is None)
        self.ended_words.setText("")
        if course is None:
            self._lines.say([])
            self._after.say([])
            return
        if course.batch.id != self._batch_id:
            self._batch_id = course.batch.id
            self.problem.hide()
        for widget in self._of_chicks:
            widget.setVisible(course.species.kind == "bird")
        found = pull.take_off(self._desk.book, course, tray(self._desk.book, course.batch))
        if not self.count.hasFocus():
            self.count.setText(str(found.dry_count) if found.dry_count else "")
        said = pull.lines(self._desk.book, course, found)
        lines: list[Said] = [*said] or [(_("Nothing is out of its shell yet."), "muted")]
        self._lines.say([*lines, (knowledge.cautions()["eggs"], "small")])
        if course.batch.ended_ms is None:
            straggling = found.pipped or self._desk.now_ms < course.at_ms(course.species.days + 2.0)
            words = _("Stragglers may still come: ") if straggling else ""
            self.ended_words.setText(_("{words}ended, the machine is free, and the review can be read.", words=words))
        after = pull.afterwards(self._desk.book, course)
        parts = [part for title, how, caution in after for part in ((title, "name"), (how, ""), (caution, "small"))]
        self._after.say([part for part in parts if part[0]])

    def end_batch(self) -> None:
        """The batch is over."""
        if self._course is None:
            return
        batch = self._course.batch
        setting_up.end_batch(self._desk, batch)
        notify.tell("info", _("{batch} ended. Ctrl+Z takes it back.", batch=batch.name))
        self.ended.emit(batch.id)

    def take(self) -> None:
        """Take them off."""
        course, desk = self._course, self._desk
        if course is None:
            return

        def action() -> str:
            with emptied(self.count, self.bands, self.brooder, self.at, *self.weak.values()) as typed:
                chicks, bands, brooder, when, *weak = typed
                at = clock.parse_moment(when, desk.now_ms, desk.book.zone)
                hurt = {kind: _number(text) for kind, text in zip(self.weak, weak, strict=True)}
                return _("{take} taken off.", take=pull.take(desk, course, _number(chicks), at, bands, brooder, hurt))

        attempt(self.problem, action)


def _number(text: str) -> int:
    """A count as typed, 0 where nothing is. Raises UserError for anything else."""
    if not text.strip():
        return 0
    found = count_typed(text)
    if found is None:
        raise UserError(_("{text} is no count.", text=text.strip()), _("Write a whole number."))
    return found
