"""The eggs on the scale, the corridor of their loss, and the humidity the days left ask for."""

from __future__ import annotations

from dataclasses import replace
from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeyEvent, QKeySequence
from PySide6.QtWidgets import QApplication, QCheckBox, QGridLayout, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from stathmis.core.errors import UserError
from stathmis.logbook.records import Weighing
from stathmis.services import clock, notify
from stathmis.services.batch.course import Course
from stathmis.services.book import Same
from stathmis.services.desk import Desk
from stathmis.services.findings import loss
from stathmis.services.findings.loss import LossSheet
from stathmis.services.moisture import sizes, weights
from stathmis.services.moisture.weights import OnScale, Weighed
from stathmis.ui.level import Level, LevelState
from stathmis.ui.pieces import FoldingView, button, clear, label, scrolling_page, set_property
from stathmis.ui.strike_list import StrikeList
from stathmis.ui.theme import Theme
from stathmis.ui.work import AFTER_PAINT_MS, Latest
from stathmis.words import dates
from stathmis.words import loss as loss_words
from stathmis.words.numbers import count

if TYPE_CHECKING:
    from stathmis.ui.moisture.loss_chart import LossChart

SHOWN = 6


class MassEdit(QLineEdit):
    """A field for a mass; a pasted column fills the fields below it as well."""

    def __init__(self, row: ScaleRow) -> None:
        super().__init__()
        self._row = row
        self.setAlignment(Qt.AlignmentFlag.AlignRight)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Paste a column; up and down go along the tray."""
        if event.matches(QKeySequence.StandardKey.Paste):
            lines = QApplication.clipboard().text().split()
            if len(lines) > 1:
                self._row.view.paste_from(self._row, lines)
                return
        step = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(Qt.Key(event.key()))
        if step is not None:
            self._row.view.step(self._row, step)
            return
        super().keyPressEvent(event)


class ScaleRow:
    """The widgets of one line of the scale."""

    def __init__(self, view: WeightsView, grid: QGridLayout, at: int, mark: str, eggs: int) -> None:
        self.view, self.mark = view, mark
        self.weighed: Weighed | None = None
        last = weights.last_of(view.desk.book, view.batch_id, mark)
        grid.addWidget(label(weights.name_of(mark), "name"), at, 0)
        self.eggs = QLineEdit(str(last.eggs if last is not None else eggs))
        self.eggs.setFixedWidth(view.theme.px(52))
        self.eggs.setAccessibleName(f"Eggs on the scale, {weights.name_of(mark)}")
        grid.addWidget(self.eggs, at, 1)
        self.eggs.setVisible(not mark)
        said = ""
        if last is not None:
            when = view.desk.book.local(last.time_ms)
            said = f"{last.mass_g:.{loss_words.places(last.scale_g)}f} g on {dates.day(when)}"
        grid.addWidget(label(said, "small"), at, 2)
        self.edit = MassEdit(self)
        self.edit.setFixedWidth(view.theme.px(110))
        self.edit.setPlaceholderText("g")
        self.edit.setAccessibleName(f"Mass of the {weights.name_of(mark)}, in g")
        grid.addWidget(self.edit, at, 3)
        self.problem = label("", "problem", wrap=True)
        self.sure = QCheckBox("it is right")
        self.sure.setAccessibleName(f"The {weights.name_of(mark)} is right as typed")
        below = QHBoxLayout()
        below.addWidget(self.problem, 1)
        below.addWidget(self.sure)
        for widget in (self.problem, self.sure):
            widget.setParent(view)
            widget.hide()
        grid.addLayout(below, at + 1, 0, 1, 4)
        self.edit.textEdited.connect(self.typed)
        self.edit.returnPressed.connect(partial(view.entered, self))
        self.eggs.textEdited.connect(self.typed)
        self.sure.toggled.connect(self.typed)

    def typed(self) -> None:
        """Something changed: say what it comes to."""
        text = self.eggs.text().strip()
        row = OnScale(self.mark, int(text) if text.isdigit() else 0, self.edit.text(), self.sure.isChecked())
        self.weighed = self.view.interpret(row)
        found = self.weighed
        says = (found.problem or found.doubt) if found is not None else ""
        self.problem.setText(says)
        self.problem.setVisible(bool(says))
        self.sure.setVisible(found is not None and bool(found.doubt))
        set_property(self.edit, "wrong", found is not None and not found.good)
        self.view.changed()


class WeightsView(FoldingView):
    """The weights of the batch in view and what they ask for."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__(theme, 860)
        self.desk = desk
        self.course: Course | None = None
        self.sheet: LossSheet | None = None
        self.rows: list[ScaleRow] = []
        self._filled: object = None
        self._said: object = None
        self._new_marks: list[str] = []
        self._latest = Latest()
        self._chart: LossChart | None = None
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        area, page = scrolling_page()
        outer.addWidget(area)
        columns = self.folding_row(28)
        left, right = QVBoxLayout(), QVBoxLayout()
        right.setSpacing(8)
        columns.addLayout(left, 4)
        columns.addLayout(right, 6)
        page.addLayout(columns, 1)
        self._note = label("", "muted", wrap=True)
        left.addWidget(self._note)
        left.addWidget(self._scale())
        left.addStretch(1)
        self._says = QVBoxLayout()
        right.addLayout(self._says)
        self._charts = QVBoxLayout()
        right.addLayout(self._charts, 1)
        self._more = QVBoxLayout()
        right.addLayout(self._more)
        theme.changed.connect(self._restyle)

    def _scale(self) -> QWidget:
        self._card = QWidget()
        box = QVBoxLayout(self._card)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(label("On the scale", "heading"))
        box.addWidget(label("The same eggs each time, every 3 to 5 days, quickly.", "muted", wrap=True))
        head = QHBoxLayout()
        self.step_g, self.when, self.mark = QLineEdit("0.1"), QLineEdit(), QLineEdit()
        self.step_g.setFixedWidth(self.theme.px(60))
        self.when.setPlaceholderText("now")
        self.mark.setPlaceholderText("mark")
        self.mark.setFixedWidth(self.theme.px(72))
        for text, edit in (("scale's step, g", self.step_g), ("weighed at", self.when)):
            edit.setAccessibleName(text)
            edit.textEdited.connect(self._retype)
            head.addWidget(label(text, "small"))
            head.addWidget(edit)
        box.addLayout(head)
        self._grid = QGridLayout()
        self._grid.setColumnStretch(2, 1)
        box.addLayout(self._grid)
        single = QHBoxLayout()
        self.mark.setAccessibleName("Pencil mark of an egg to weigh by itself")
        self.mark.returnPressed.connect(self.add_mark)
        single.addWidget(label("weigh an egg by itself:", "small"))
        single.addWidget(self.mark)
        single.addWidget(button("Add it", self.add_mark, "link"))
        single.addStretch(1)
        box.addLayout(single)
        self.problem = label("", "problem", wrap=True)
        self.problem.hide()
        box.addWidget(self.problem)
        line = QHBoxLayout()
        self.log_button = button("Log", self.log, "main")
        line.addWidget(self.log_button)
        line.addStretch(1)
        box.addLayout(line)
        self._logged = StrikeList(self._strike, "Weighed lately")
        box.addWidget(self._logged)
        self._build_sizes(box)
        return self._card

    def _build_sizes(self, box: QVBoxLayout) -> None:
        """Length, breadth and air cell of one egg."""
        box.addWidget(label("By caliper or candle, mm", "name"))
        row = QHBoxLayout()
        self.sizes: dict[str, QLineEdit] = {}
        for key, hint, name in (
            ("mark", "mark", "Pencil mark of the egg measured; empty for the mean egg"),
            ("length", "length", "Length of the egg, mm"),
            ("breadth", "breadth", "Breadth of the egg, mm"),
            ("air_cell", "air cell", "Depth of its air cell, mm, from the blunt end"),
        ):
            edit = QLineEdit()
            edit.setPlaceholderText(hint)
            edit.setAccessibleName(name)
            edit.setToolTip(name)
            edit.returnPressed.connect(self.log_size)
            row.addWidget(edit)
            self.sizes[key] = edit
        row.addWidget(button("Log it", self.log_size, "link"))
        box.addLayout(row)
        self.size_problem = label("", "problem", wrap=True)
        self.size_problem.hide()
        box.addWidget(self.size_problem)

    def log_size(self) -> None:
        """Log what was measured of an egg."""
        typed = {key: edit.text() for key, edit in self.sizes.items()}
        try:
            at = clock.parse_moment(self.when.text(), self.desk.now_ms, self.desk.book.zone)
            for edit in self.sizes.values():
                edit.setText("")
            mark, length, breadth, air_cell = typed.values()
            words = sizes.log_size(self.desk, self._course(), mark, length, breadth, air_cell, at)
        except UserError as error:
            for key, edit in self.sizes.items():
                edit.setText(typed[key])
            self.size_problem.setText(str(error))
            self.size_problem.show()
            return
        self.size_problem.hide()
        self.sizes["mark"].setFocus()
        notify.tell("info", f"{words} Ctrl+Z takes it back.")

    @property
    def batch_id(self) -> int:
        """The batch in view."""
        assert self.course is not None
        return self.course.batch.id

    def show_course(self, course: Course | None) -> None:
        """Show a batch as it stands; what is being typed for it stays."""
        new = course is None or self.course is None or course.batch.id != self.course.batch.id
        typed = {} if new else {r.mark: (r.edit.text(), r.eggs.text()) for r in self.rows}
        if new:
            self._new_marks = []
            self.sheet = None
        self.course = course
        weighed = course is not None and loss.wanted(course) is not None
        self._card.setVisible(weighed)
        self._note.setVisible(not weighed)
        if course is None:
            self._note.setText("No batch is set here, so there is nothing to weigh.")
        elif not weighed:
            self._note.setText(
                "These eggs keep the humidity of their own box; weigh the box and its substrate instead."
            )
        self._show_sheet()
        if course is None or not weighed:
            return
        self._fill(typed)
        found = weights.weighings(self.desk.book, course.batch.id)
        desk = self.desk
        book = desk.book
        self._latest.start(
            lambda progress, cancelled: loss.loss_sheet(book, course, found),
            self._arrived,
            notify.tell_error,
            AFTER_PAINT_MS,
        )

    def _fill(self, typed: dict[str, tuple[str, str]]) -> None:
        assert self.course is not None
        known = weights.marks(self.desk.book, self.batch_id)
        self._new_marks = [m for m in self._new_marks if m not in known]
        found = weights.weighings(self.desk.book, self.batch_id)
        shape = self.batch_id, found, list(self._new_marks), self.course.batch.eggs, self.theme.px(100)
        if shape == self._filled:
            # the same lines: they live on, with what is typed and where the cursor stands
            for row in self.rows:
                row.typed()
            return
        self._filled = shape
        focused = next((r.mark for r in self.rows if r.edit.hasFocus()), None)
        clear(self._grid)
        self.rows = []
        for i, mark in enumerate(["", *known, *self._new_marks]):
            row = ScaleRow(self, self._grid, 2 * i, mark, 1 if mark else self.course.batch.eggs)
            self.rows.append(row)
            if mark in typed:
                row.edit.setText(typed[mark][0])
                row.eggs.setText(typed[mark][1])
                row.typed()
            if mark == focused:
                row.edit.setFocus()
        self.changed()
        self._show_logged()

    def _show_logged(self) -> None:
        found = weights.weighings(self.desk.book, self.batch_id)[-SHOWN:]
        book = self.desk.book
        lines = [(dates.moment(book.local(w.time_ms)), loss_words.weighing_words(w), w) for w in reversed(found)]
        self._logged.show_lines(lines, self.theme.px(96))

    def _strike(self, one: Weighing) -> None:
        weights.strike_weighing(self.desk, one)
        notify.tell("info", "Struck. It stays in the file; Ctrl+Z brings it back.")

    def _arrived(self, found: LossSheet | None) -> None:
        if found is None or self.course is None or found.course.batch.id != self.course.batch.id:
            return
        self.sheet = found
        self._show_sheet()

    def _restyle(self) -> None:
        if self._chart is not None:
            self._chart.restyle()

    def _show_sheet(self) -> None:
        sheet = self.sheet
        more = [] if sheet is None else [*loss_words.egg_lines(sheet), *sizes.lines(self.desk.book, sheet)]
        shown = Same(sheet), more, self.desk.book.temperature_unit, self.theme.px(100)
        if shown == self._said:
            return
        self._said = shown
        clear(self._says)
        clear(self._more)
        if self._chart is not None:
            self._chart.setVisible(sheet is not None)
        if sheet is None:
            return
        self._says.addWidget(label(loss_words.headline(sheet), "name", "moisture", wrap=True))
        if sheet.target is not None and sheet.mean_rh is not None:
            level = Level(self.theme)
            state = loss_words.level_state(sheet)
            level.show_state(LevelState("humidity", *state), loss_words.headline(sheet))
            self._says.addWidget(level)
        self._says.addWidget(label(" ".join(loss_words.lines(self.desk.book, sheet)), "muted", wrap=True))
        # the chart library is heavy: it is loaded when the first chart is drawn
        from stathmis.ui.moisture.loss_chart import LossChart

        if self._chart is None:
            self._chart = LossChart(self.desk, self.theme)
            self._charts.addWidget(self._chart)
        self._chart.show_sheet(sheet)
        for line in more:
            self._more.addWidget(label(line, wrap=True))
        why = "\n".join(loss_words.why(self.desk.book, sheet))
        self._more.addWidget(label(why, "small", wrap=True))

    def interpret(self, row: OnScale) -> Weighed | None:
        """What a row comes to at the time typed."""
        assert self.course is not None
        try:
            at = clock.parse_moment(self.when.text(), self.desk.now_ms, self.desk.book.zone)
        except UserError as error:
            return Weighed(row, problem=str(error)) if row.text.strip() else None
        return weights.interpret(self.desk.book, self.course, row, at)

    def _retype(self) -> None:
        for row in self.rows:
            row.typed()

    def changed(self) -> None:
        """Something was typed: the button follows."""
        good = [r for r in self.rows if r.weighed is not None and r.weighed.good]
        wrong = [r for r in self.rows if r.weighed is not None and not r.weighed.good]
        self.log_button.setEnabled(bool(good) and not wrong)
        self.log_button.setText(f"Log {count(len(good), 'weighing')}" if good else "Log weighings")
        self.problem.hide()

    def step(self, row: ScaleRow, step: int) -> None:
        """To the field above or below."""
        i = self.rows.index(row) + step
        if 0 <= i < len(self.rows):
            self.rows[i].edit.setFocus()
            self.rows[i].edit.selectAll()

    def entered(self, row: ScaleRow) -> None:
        """Enter: down the tray, and at its end log what is there."""
        i = self.rows.index(row)
        if i + 1 < len(self.rows):
            self.step(row, 1)
        else:
            self.log()

    def paste_from(self, row: ScaleRow, lines: list[str]) -> None:
        """Put a pasted column into this field and those below it."""
        start = self.rows.index(row)
        for target, text in zip(self.rows[start:], lines, strict=False):
            target.edit.setText(text)
            target.typed()
        left = len(lines) - len(self.rows[start:])
        if left > 0:
            self.problem.setText(f"{count(left, 'line')} of what was pasted had no field left; add their marks first.")
            self.problem.show()

    def add_mark(self) -> None:
        """One more egg that is weighed by itself; several marks, or "1-12", at once."""
        marks = weights.marks_in(self.mark.text())
        taken = [r.mark for r in self.rows]
        self._new_marks += [m for m in marks if m not in taken]
        self.mark.setText("")
        typed = {r.mark: (r.edit.text(), r.eggs.text()) for r in self.rows}
        self._fill(typed)
        fresh = next((r for r in self.rows if r.mark in marks), None)
        if fresh is not None:
            fresh.edit.setFocus()

    def log(self) -> None:
        """Log every good row; a row in doubt keeps all of them waiting."""
        wrong = next((r for r in self.rows if r.weighed is not None and not r.weighed.good), None)
        if wrong is not None:
            (wrong.sure if wrong.sure.isVisible() else wrong.edit).setFocus()
            return
        found = [replace(r.weighed) for r in self.rows if r.weighed is not None]
        kept = {r.mark: (r.edit.text(), r.eggs.text()) for r in self.rows}
        try:
            at = clock.parse_moment(self.when.text(), self.desk.now_ms, self.desk.book.zone)
            step_g = weights.step_in(self.step_g.text())
            for row in self.rows:
                row.edit.setText("")
                row.weighed = None
            logged = weights.log_weighings(self.desk, self._course(), found, at, step_g)
        except UserError as error:
            self._fill(kept)
            self.problem.setText(str(error))
            self.problem.show()
            return
        self.when.setText("")
        notify.tell("info", f"{count(logged, 'weighing')} logged. Ctrl+Z takes them back.")

    def _course(self) -> Course:
        assert self.course is not None
        return self.course
