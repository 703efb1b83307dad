"""Taking off: who is ready, how many are weak, their bands and brooder, and what follows with its cautions."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from stathmis.core.errors import UserError
from stathmis.services import clock, knowledge, notify, setting_up
from stathmis.services.batch.course import Course
from stathmis.services.desk import Desk
from stathmis.services.eggs import pull
from stathmis.services.eggs.tray import WEAK, tray
from stathmis.ui.attempt import attempt, emptied
from stathmis.ui.pieces import FoldingView, button, clear, label, problem_label, scrolling_page
from stathmis.ui.theme import Theme


class TakeOffView(FoldingView):
    """The chicks of the batch in view. ended: the id of a batch that was ended here."""

    ended = Signal(int)

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__(theme, 860)
        self._desk = desk
        self._course: Course | None = None
        self._batch_id = 0
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        area, page = scrolling_page()
        outer.addWidget(area)
        self._none = label("No batch is set here.", "muted", wrap=True)
        page.addWidget(self._none)
        columns = self.folding_row(28)
        left, right = QVBoxLayout(), QVBoxLayout()
        for column in (left, right):
            column.setSpacing(8)
            columns.addLayout(column, 1)
        page.addLayout(columns)
        page.addStretch(1)
        left.addWidget(label("Taking off", "heading"))
        self._lines = QVBoxLayout()
        left.addLayout(self._lines)
        self._form = QWidget()
        grid = QGridLayout(self._form)
        grid.setContentsMargins(0, 8, 0, 0)
        grid.setColumnStretch(1, 1)
        self.count, self.bands, self.brooder, self.at = (QLineEdit() for _ in range(4))
        self.bands.setPlaceholderText("blue left, 14 to 22")
        self.brooder.setPlaceholderText("brooder 2")
        self.at.setPlaceholderText("now")
        rows: list[tuple[str, QLineEdit, str]] = [("Chicks", self.count, "How many chicks are taken off")]
        self.weak: dict[str, QLineEdit] = {}
        for kind in WEAK:
            self.weak[kind] = QLineEdit()
            self.weak[kind].setPlaceholderText("0")
            word = knowledge.findings()[kind].word
            rows.append((word, self.weak[kind], f"How many of them: {word}"))
        rows += [
            ("Bands", self.bands, "Bands or marks they got; may be empty"),
            ("To", self.brooder, "Which brooder or box they go to; may be empty"),
            ("When", self.at, "When; empty means now"),
        ]
        for i, (text, edit, name) in enumerate(rows):
            edit.setAccessibleName(name)
            edit.returnPressed.connect(self.take)
            grid.addWidget(label(text, "muted"), i, 0)
            grid.addWidget(edit, i, 1)
        left.addWidget(self._form)
        self.problem = problem_label()
        left.addWidget(self.problem)
        self.go = button("Taken off", self.take, "main")
        row = QHBoxLayout()
        row.addWidget(self.go)
        row.addStretch(1)
        left.addLayout(row)
        left.addStretch(1)
        right.addWidget(label("What follows", "heading"))
        self._after = QVBoxLayout()
        self._after.setSpacing(4)
        right.addLayout(self._after)
        row = QHBoxLayout()
        self.end = button("End this batch", self.end_batch)
        row.addWidget(self.end)
        row.addStretch(1)
        right.addLayout(row)
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
        clear(self._lines)
        clear(self._after)
        if course is None:
            return
        if course.batch.id != self._batch_id:
            self._batch_id = course.batch.id
            self.problem.hide()
        found = pull.take_off(self._desk.book, course, tray(self._desk.book, course.batch))
        if not self.count.hasFocus():
            self.count.setText(str(found.dry_count) if found.dry_count else "")
        said = pull.lines(self._desk.book, course, found)
        for line in said or ["Nothing is out of its shell yet."]:
            self._lines.addWidget(label(line, "" if said else "muted", wrap=True))
        self._lines.addWidget(label(knowledge.cautions()["eggs"], "small", wrap=True))
        if course.batch.ended_ms is None:
            straggling = found.pipped or self._desk.now_ms < course.at_ms(course.species.days + 2.0)
            words = "Stragglers may still come: " if straggling else ""
            self.ended_words.setText(f"{words}ended, the machine is free, and the review can be read.")
        for title, how, caution in pull.afterwards(self._desk.book, course):
            self._after.addWidget(label(title, "name", wrap=True))
            self._after.addWidget(label(how, "", wrap=True))
            if caution:
                self._after.addWidget(label(caution, "small", wrap=True))
            self._after.addSpacing(8)

    def end_batch(self) -> None:
        """The batch is over."""
        if self._course is None:
            return
        batch = self._course.batch
        setting_up.end_batch(self._desk, batch)
        notify.tell("info", f"{batch.name} ended. Ctrl+Z takes it back.")
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
                return f"{pull.take(desk, course, _number(chicks), at, bands, brooder, hurt)} taken off."

        attempt(self.problem, action)


def _number(text: str) -> int:
    """A count as typed, 0 where nothing is. Raises UserError for anything else."""
    if not text.strip():
        return 0
    if not text.strip().isdigit():
        raise UserError(f"{text.strip()} is no count.", "Write a whole number.")
    return int(text)
