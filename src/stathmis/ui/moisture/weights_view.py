"""The eggs on the scale, the corridor of their loss, and the humidity the days left ask for."""

from __future__ import annotations

from dataclasses import replace
from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeyEvent, QKeySequence
from PySide6.QtWidgets import QApplication, QCheckBox, QGridLayout, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from stathmis.core.errors import UserError
from stathmis.core.units import count_typed
from stathmis.logbook.records import Weighing
from stathmis.services import clock, notify
from stathmis.services.batch.course import Course
from stathmis.services.book import Same
from stathmis.services.desk import Desk
from stathmis.services.findings import loss
from stathmis.services.findings.loss import LossSheet
from stathmis.services.moisture import sizes, weights
from stathmis.services.moisture.weights import OnScale, Weighed
from stathmis.ui.kit.attempt import attempt, emptied
from stathmis.ui.kit.fields import field
from stathmis.ui.kit.lines import Lines, StrikeList
from stathmis.ui.kit.page import Page, column, holder, row
from stathmis.ui.kit.pieces import button, clear, label, problem_label, say, set_property
from stathmis.ui.level import Level, LevelState
from stathmis.ui.theme import Theme
from stathmis.ui.work import Latest
from stathmis.words import dates, typed
from stathmis.words import loss as loss_words
from stathmis.words.catalogue import N_, _, as_number
from stathmis.words.numbers import count
from stathmis.words.pages import empty

if TYPE_CHECKING:
    from stathmis.ui.moisture.loss_chart import LossChart

SHOWN = 6
SIZES = (
    ("mark", N_("mark"), N_("Pencil mark of the egg measured; empty for the mean egg")),
    ("length", N_("length"), N_("Length of the egg, mm")),
    ("breadth", N_("breadth"), N_("Breadth of the egg, mm")),
    ("air_cell", N_("air cell"), N_("Depth of its air cell, mm, from the blunt end")),
)


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
        view.theme.fit(self.eggs, FixedWidth=52)
        self.eggs.setAccessibleName(_("Eggs on the scale, {name_of}", name_of=weights.name_of(mark)))
        grid.addWidget(self.eggs, at, 1)
        self.eggs.setVisible(not mark)
        said = ""
        if last is not None:
            when = view.desk.book.local(last.time_ms)
            said = _(
                "{mass_g} g on {when}",
                mass_g=as_number(last.mass_g, f".{loss_words.places(last.scale_g)}f"),
                when=dates.day(when),
            )
        grid.addWidget(label(said, "small"), at, 2)
        self.edit = MassEdit(self)
        view.theme.fit(self.edit, FixedWidth=110)
        self.edit.setPlaceholderText("g")
        self.edit.setAccessibleName(_("Mass of the {name_of}, in g", name_of=weights.name_of(mark)))
        grid.addWidget(self.edit, at, 3)
        self.problem = label("", "problem", wrap=True)
        self.sure = QCheckBox(_("it is right"))
        self.sure.setAccessibleName(_("The {name_of} is right as typed", name_of=weights.name_of(mark)))
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
        row = OnScale(self.mark, count_typed(text) or 0, self.edit.text(), self.sure.isChecked())
        self.weighed = self.view.interpret(row)
        found = self.weighed
        says = (found.problem or found.doubt) if found is not None else ""
        self.problem.setText(says)
        self.problem.setVisible(bool(says))
        self.sure.setVisible(found is not None and bool(found.doubt))
        set_property(self.edit, "wrong", found is not None and not found.good)
        self.view.changed()


class WeightsView(Page):
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
        left, right = self.columns(4, 6, stretch=1)
        self._note = label("", "muted", wrap=True)
        left.addWidget(self._note)
        left.addWidget(self._scale())
        left.addStretch(1)
        self._headline = label("", "name", "moisture", wrap=True)
        self._level = Level(theme)
        for widget in (self._headline, self._level):
            right.addWidget(widget)
            widget.hide()
        self._says = Lines(right, "muted")
        self._charts = QVBoxLayout()
        right.addLayout(self._charts, 1)
        self._more = Lines(right)
        theme.changed.connect(self._restyle)

    def _scale(self) -> QWidget:
        self.step_g = field(_("scale's step, g"), text=as_number(0.1, "g"), width=(self.theme, 60), typed=self._retype)
        self.when = field(_("weighed at"), typed.own("now"), typed=self._retype)
        single = _("Pencil mark of an egg to weigh by itself")
        self.mark = field(single, _("mark"), width=(self.theme, 72), entered=self.add_mark)
        self._grid = QGridLayout()
        self._grid.setColumnStretch(2, 1)
        self.problem, self.size_problem = problem_label(), problem_label()
        self.log_button = button(_("Log"), self.log, "main")
        self._logged = StrikeList(self._strike, _("Weighed lately"))
        self.sizes = {key: field(_(name), _(hint), entered=self.log_size) for key, hint, name in SIZES}
        for edit in self.sizes.values():
            edit.setToolTip(edit.accessibleName())
        words = _("The same eggs each time, every 3 to 5 days, quickly.")
        box = column(
            label(_("On the scale"), "heading"),
            label(words, "muted", wrap=True),
            row(label(_("scale's step, g"), "small"), self.step_g, label(_("weighed at"), "small"), self.when),
            self._grid,
            row(label(_("weigh an egg by itself:"), "small"), self.mark, button(_("Add it"), self.add_mark, "link"), 1),
            self.problem,
            row(self.log_button, 1),
            self._logged,
            label(_("By caliper or candle, mm"), "name"),
            row(*self.sizes.values(), button(_("Log it"), self.log_size, "link")),
            self.size_problem,
        )
        self._card = holder(box)
        return self._card

    def log_size(self) -> None:
        """Log what was measured of an egg."""

        def action() -> str:
            at = clock.parse_moment(self.when.text(), self.desk.now_ms, self.desk.book.zone)
            with emptied(*self.sizes.values()) as (mark, length, breadth, air_cell):
                return sizes.log_size(self.desk, self._course(), mark, length, breadth, air_cell, at)

        if attempt(self.size_problem, action):
            self.sizes["mark"].setFocus()

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
            self._note.setText(empty("moisture"))
        elif not weighed:
            self._note.setText(
                _("These eggs keep the humidity of their own box; weigh the box and its substrate instead.")
            )
        self._show_sheet()
        if course is None or not weighed:
            return
        self._fill(typed)
        found = weights.weighings(self.desk.book, course.batch.id)
        book = self.desk.book
        self._latest.find(lambda: loss.loss_sheet(book, course, found), self._arrived)

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
        notify.tell("info", _("Struck. It stays in the file; Ctrl+Z brings it back."))

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
        if self._chart is not None:
            self._chart.setVisible(sheet is not None)
        self._level.setVisible(sheet is not None and sheet.target is not None and sheet.mean_rh is not None)
        say(self._headline, loss_words.headline(sheet) if sheet is not None else "")
        if sheet is None:
            self._says.say([])
            self._more.say([])
            return
        if sheet.target is not None and sheet.mean_rh is not None:
            self._level.show_state(LevelState("humidity", *loss_words.level_state(sheet)), self._headline.text())
        self._says.say([" ".join(loss_words.lines(self.desk.book, sheet))])
        self.make_chart().show_sheet(sheet)
        self._more.say([*more, ("\n".join(loss_words.why(self.desk.book, sheet)), "small")])

    def make_chart(self) -> LossChart:
        """The chart; the library it is drawn with is heavy, so it is made when the first one is drawn."""
        from stathmis.ui.moisture.loss_chart import LossChart

        if self._chart is None:
            self._chart = LossChart(self.desk, self.theme)
            self._charts.addWidget(self._chart)
        return self._chart

    def interpret(self, row: OnScale) -> Weighed | None:
        """What a row comes to at the time typed."""
        assert self.course is not None
        try:
            at = clock.parse_moment(self.when.text(), self.desk.now_ms, self.desk.book.zone)
        except UserError as error:
            return Weighed(row, problem=str(error)) if row.text.strip() else None
        return weights.interpret(self.desk.book, self.course, row, at)

    def _retype(self, _text: str) -> None:
        for one in self.rows:
            one.typed()

    def changed(self) -> None:
        """Something was typed: the button follows."""
        good = [r for r in self.rows if r.weighed is not None and r.weighed.good]
        wrong = [r for r in self.rows if r.weighed is not None and not r.weighed.good]
        self.log_button.setEnabled(bool(good) and not wrong)
        self.log_button.setText(
            _("Log {weighings}", weighings=count(len(good), "{n} weighing", "{n} weighings"))
            if good
            else _("Log weighings")
        )
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
            say(
                self.problem,
                _(
                    "{lines} of what was pasted had no field left; add their marks first.",
                    lines=count(left, "{n} line", "{n} lines"),
                ),
            )

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

        def action() -> str:
            with emptied(self.when, *(r.edit for r in self.rows)) as (when, *_masses):
                at = clock.parse_moment(when, self.desk.now_ms, self.desk.book.zone)
                step_g = weights.step_in(self.step_g.text())
                return _(
                    "{weighings} logged.",
                    weighings=count(
                        weights.log_weighings(self.desk, self._course(), found, at, step_g),
                        "{n} weighing",
                        "{n} weighings",
                    ),
                )

        if not attempt(self.problem, action):
            self._retype("")
            self.problem.show()

    def _course(self) -> Course:
        assert self.course is not None
        return self.course
