"""The hatch under way: what has come so far, quiet countdowns, may I open, and what came of the batch in numbers."""

from __future__ import annotations

from functools import partial

from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from stathmis.services import clock, knowledge, notify
from stathmis.services.batch.course import Course
from stathmis.services.desk import Desk
from stathmis.services.eggs import findings, hatching, tray
from stathmis.services.eggs.hatching import Hatching
from stathmis.services.eggs.outcome import choose_open_school, open_school, outcome_lines, rate_words
from stathmis.services.eggs.tray import TraySheet
from stathmis.ui.attempt import attempt, emptied
from stathmis.ui.pieces import Chooser, FoldingView, button, clear, label, problem_label, scrolling_page, yielding
from stathmis.ui.strike_list import StrikeList
from stathmis.ui.theme import Theme
from stathmis.ui.work import AFTER_PAINT_MS, Latest
from stathmis.words import dates

ANSWERS = {"no": "Keep it shut.", "better not": "Better keep it shut.", "quickly": "Quickly.", "yes": "Yes."}


class NowView(FoldingView):
    """The hatch of the batch in view."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__(theme, 860)
        self.desk = desk
        self.course: Course | None = None
        self.sheet: TraySheet | None = None
        self.found: Hatching | None = None
        self._latest = Latest()
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        area, page = scrolling_page()
        outer.addWidget(area)
        self._none = label("", "muted", wrap=True)
        page.addWidget(self._none)
        columns = self.folding_row(28)
        left, right = QVBoxLayout(), QVBoxLayout()
        for column in (left, right):
            column.setSpacing(8)
            columns.addLayout(column, 1)
        page.addLayout(columns)
        page.addStretch(1)
        head = QHBoxLayout()
        head.addWidget(label("May I open?", "heading"))
        head.addStretch(1)
        self.school = yielding(Chooser())
        self.school.setAccessibleName("Whether the lid is opened during the hatch")
        for key, text in hatching.OPEN_SCHOOLS.items():
            self.school.addItem(text.partition(":")[0].lower(), key)
        self.school.setMinimumWidth(theme.px(264))
        self.school.activated.connect(lambda _i: choose_open_school(desk, self.school.currentData()))
        head.addWidget(self.school)
        left.addLayout(head)
        self.answer = label("", "big")
        self.why = label("", "muted", wrap=True)
        left.addWidget(self.answer)
        left.addWidget(self.why)
        self._lines = QVBoxLayout()
        left.addLayout(self._lines)
        left.addWidget(self._counting())
        left.addStretch(1)
        right.addWidget(label("What came of it", "heading"))
        self._rates = QGridLayout()
        self._rates.setColumnStretch(2, 1)
        self._rates.setHorizontalSpacing(12)
        right.addLayout(self._rates)
        self._outcome = QVBoxLayout()
        right.addLayout(self._outcome)
        right.addStretch(1)

    def _counting(self) -> QWidget:
        """Counts for a keeper who does not mark eggs."""
        self._count_card = QWidget()
        box = QVBoxLayout(self._count_card)
        box.setContentsMargins(0, 8, 0, 0)
        box.addWidget(label("By counts", "name"))
        row = QHBoxLayout()
        self.count, self.at = QLineEdit(), QLineEdit()
        self.count.setPlaceholderText("count")
        self.count.setFixedWidth(self.theme.px(84))
        self.at.setPlaceholderText("now")
        self.count.setAccessibleName("How many")
        self.at.setAccessibleName("When; empty means now")
        self.kind = yielding(Chooser())
        self.kind.setAccessibleName("What is counted")
        for widget in (self.count, self.kind, self.at):
            row.addWidget(widget)
        for edit in (self.count, self.at):
            edit.returnPressed.connect(self.log_count)
        row.addWidget(button("Log it", self.log_count))
        box.addLayout(row)
        self.problem = problem_label()
        box.addWidget(self.problem)
        self._counted = StrikeList(partial(findings.strike, self.desk))
        box.addWidget(self._counted)
        return self._count_card

    def show_course(self, course: Course | None) -> None:
        """Show the hatch of a batch; what the log says of the lid comes when it is read."""
        self.course = course
        self._none.setText("No batch is set here." if course is None else "")
        self._none.setVisible(course is None)
        if course is None:
            return
        if not self.kind.count() or self.kind.property("for") != course.species.kind:
            self.kind.clear()
            self.kind.setProperty("for", course.species.kind)
            for group in ("hatch", "after", "candling"):
                for one in findings.offered(course, group):
                    self.kind.addItem(one.word, one.key)
            self.kind.setCurrentIndex(self.kind.findData("out"))
        self.sheet = sheet = tray.tray(self.desk.book, course.batch)
        self._count_card.setVisible(not sheet.eggs)
        self.school.setCurrentIndex(self.school.findData(open_school(self.desk.book)))
        self._show_rates(sheet)
        self._show_counted(sheet)
        desk = self.desk
        book = desk.book
        self._latest.start(
            lambda progress, cancelled: hatching.hatching(book, course, sheet),
            self._arrived,
            notify.tell_error,
            AFTER_PAINT_MS,
        )

    def _arrived(self, found: Hatching) -> None:
        if self.course is None or found.course.batch.id != self.course.batch.id:
            return
        self.found = found
        answer, why = hatching.may_open(found, open_school(self.desk.book))
        self.answer.setText(ANSWERS[answer])
        self.why.setText(why)
        clear(self._lines)
        for line in hatching.lines(self.desk.book, found):
            self._lines.addWidget(label(line, wrap=True))
        if found.course.species.kind == "bird" and (found.pipped or found.first_out_ms is not None):
            for line in hatching.help_out(self.desk.book, found):
                self._lines.addWidget(label(line, "muted", wrap=True))

    def _show_rates(self, sheet: TraySheet) -> None:
        clear(self._rates)
        clear(self._outcome)
        tally = sheet.tally
        decided = tally.hatched > 0 or sheet.batch.ended_ms is not None
        for i, (name, rate) in enumerate(
            (
                ("fertile of those judged", tally.fertility),
                ("hatched of set", tally.hatch_of_set),
                ("hatched of fertile", tally.hatch_of_fertile),
            )
        ):
            self._rates.addWidget(label(name, "muted"), i, 0)
            shown = rate_words(rate) if decided or i == 0 else "not yet"
            self._rates.addWidget(label(shown, "name" if decided or i == 0 else "muted"), i, 1)
        for line in outcome_lines(sheet):
            self._outcome.addWidget(label(line, wrap=True))

    def _show_counted(self, sheet: TraySheet) -> None:
        book, kinds = self.desk.book, knowledge.findings()
        newest = reversed(sheet.counted[-6:])
        lines = [(dates.moment(book.local(f.time_ms)), f"{f.count} {kinds[f.kind].word}", f) for f in newest]
        self._counted.show_lines(lines, self.theme.px(96))

    def log_count(self) -> None:
        """Log so many at once."""
        course = self.course
        if course is None:
            return

        def action() -> str:
            with emptied(self.count, self.at) as (typed, when):
                at = clock.parse_moment(when, self.desk.now_ms, self.desk.book.zone)
                n = int(typed) if typed.strip().isdigit() else 0
                findings.log_count(self.desk, course, self.kind.currentData(), n, at)
                return f"{n} {self.kind.currentText()}: logged."

        attempt(self.problem, action)
