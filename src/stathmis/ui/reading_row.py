"""What each instrument shows and what that is: a large level for each quantity, the instruments' small ones below."""

from __future__ import annotations

from html import escape
from typing import TYPE_CHECKING, Protocol

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QGridLayout, QLineEdit, QSizePolicy, QWidget

from stathmis.core.units import Quantity
from stathmis.services import rounds
from stathmis.services.book import Book
from stathmis.services.desk import Desk
from stathmis.services.findings.verdict import Judged, Verdict, judge_reading
from stathmis.services.reading_field import Field, interpret
from stathmis.services.rounds import Line, RoundSheet
from stathmis.ui.kit.page import column, row
from stathmis.ui.kit.pieces import button, label, rule, say, set_property, set_text
from stathmis.ui.level import Level, LevelState
from stathmis.ui.theme import Theme
from stathmis.words import dates
from stathmis.words.catalogue import N_, _, in_order
from stathmis.words.numbers import unit_word, with_u
from stathmis.words.verdicts import apart, as_logged, mean_over, on_this_one
from stathmis.words.verdicts import sentence as sentence_of
from stathmis.words.verdicts import side_word as word_of

if TYPE_CHECKING:
    from stathmis.services.findings.ahead import Fan

TITLES: dict[Quantity, tuple[str, str]] = {
    "temperature": (N_("Heat"), "heat"),
    "humidity": (N_("Moisture"), "moisture"),
}
COLUMNS = 5


class Round(Protocol):
    """The page its rows stand on."""

    desk: Desk
    theme: Theme
    sheet: RoundSheet

    @property
    def tight(self) -> bool:
        """Whether there is little room."""

    def typed(self) -> None:
        """Something was typed."""

    def log(self) -> None:
        """Log what was typed."""


class Together:
    """What all instruments say of one quantity: the number, the large level, and what that means."""

    def __init__(self, view: Round, grid: QGridLayout, at: int, quantity: Quantity) -> None:
        self._quantity: Quantity = quantity
        title, ink = _(TITLES[quantity][0]), TITLES[quantity][1]
        self._value, self._sentence = label("", "big"), label("", "muted", wrap=True)
        head = row(label(_(title), "name", ink), self._value, 1, spacing=12)
        grid.addLayout(column(head, self._sentence, spacing=0), at, 0, 1, 3)
        self.level = Level(view.theme, height=44)
        grid.addWidget(self.level, at, 3)
        self.word = label("", "name", wrap=True)
        grid.addWidget(self.word, at, 4)

    def show_verdict(
        self, book: Book, sheet: RoundSheet, verdict: Verdict | None, coming: Fan | None, *, fresh: bool
    ) -> None:
        """Show a verdict, or that there is none; fresh: it is being typed just now; coming: how it goes on."""
        self._value.setVisible(verdict is not None)
        band = sheet.band(self._quantity)
        if verdict is None:
            set_text(self._sentence, _("Not read today."))
            set_text(self.word, "")
            self.level.show_state(LevelState(self._quantity, band), _("not read"))
            return
        unit = book.shown_unit(verdict.quantity)
        value = with_u(verdict.corrected.value, verdict.corrected.U, verdict.quantity, unit)
        set_text(self._value, value)
        word = word_of(verdict) if band is not None else ""
        set_text(self.word, word)
        set_property(self.word, "ink", verdict.decision)
        said = [sentence_of(book, verdict) if sheet.incubator.air != "room" else "", apart(book, verdict)]
        if fresh:
            said.append(as_logged(book, verdict, sheet.verdict(verdict.quantity)))
        elif verdict.time_ms < book.now_ms - 60_000:
            names = ", ".join(sorted({r.instrument.name for r in verdict.readings}, key=in_order))
            ago = dates.duration(book.now_ms - verdict.time_ms)
            said.append(_("Read {ago} ago ({names}).", ago=ago, names=names))
        ahead: tuple[tuple[float, float, float], ...] = ()
        if coming is not None and coming.moves(verdict.quantity):
            # read in with the first look ahead: the first paint does not wait for it
            from stathmis.words.ahead import going_on

            ahead = coming.next_hours
            said.append(going_on(book, coming, verdict.quantity))
        set_text(self._sentence, " ".join(s for s in said if s))
        state = LevelState(self._quantity, verdict.band, verdict.corrected, verdict.decision, ahead)
        self.level.show_state(state, ", ".join(w for w in (value, word) if w))


class _Cells:
    """What an instrument shows, corrected: value with U, the small level, the word."""

    def __init__(self, view: Round, grid: QGridLayout, at: int, line: Line) -> None:
        self._view, self.line = view, line
        theme, quantity = view.theme, line.channel.quantity
        self.name = label(line.instrument.name, "name", wrap=True)
        self._about = label("", "small", wrap=True)
        for words in (self.name, self._about):
            # a long name is broken, and takes no room from the level
            words.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        grid.addLayout(column(1, self.name, self._about, 1, spacing=0), at, 0)
        self.value = label("", "", TITLES[quantity][1], wrap=view.tight)
        self.value.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        theme.fit(self.value, MinimumWidth=72 if view.tight else 112)
        grid.addWidget(self.value, at, 2)
        self.level = Level(theme, slim=True)
        grid.addWidget(self.level, at, 3)
        self.word, self._why = label("", wrap=True), label("", "small", wrap=True)
        for shown in (self.word, self._why):
            theme.fit(shown, FixedWidth=76 if view.tight else 88)
        grid.addLayout(column(1, self.word, self._why, 1, spacing=0), at, 4)
        self._why.hide()

    def show_judged(self, judged: Judged | None, nothing: str) -> None:
        """Show a reading, corrected; None: nothing is known, for the reason that is said."""
        book, quantity = self._view.desk.book, self.line.channel.quantity
        band = self._view.sheet.band(quantity)
        if judged is None:
            for shown in (self.value, self.word):
                set_text(shown, "")
            self.level.show_state(LevelState(quantity, band), nothing)
            return
        text = with_u(judged.corrected.value, judged.corrected.U, quantity, book.shown_unit(quantity))
        set_text(self.value, text.replace(" ±", "\n±") if self._view.tight else text)
        word = word_of(judged, band) if band is not None else ""
        set_text(self.word, word)
        set_property(self.word, "ink", judged.decision)
        self.level.show_state(LevelState(quantity, band, judged.corrected, judged.decision), f"{text}, {word}")


class LoggerRow(_Cells):
    """A logger's line: it is not typed, what it logged last stands there."""

    def __init__(self, view: Round, grid: QGridLayout, at: int, line: Line) -> None:
        super().__init__(view, grid, at, line)
        self._when = label("", "small", wrap=True)
        self._when.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        grid.addWidget(self._when, at, 1)
        self.show_line(line)

    def show_line(self, line: Line) -> None:
        """What it logged last."""
        self.line = line
        book, sheet = self._view.desk.book, self._view.sheet
        found = next((j for j in sheet.latest if j.channel.id == line.channel.id), None)
        nothing = _("nothing lately; bring in its file")
        say(self._about, nothing if found is None else mean_over(found))
        set_text(self._when, _("{ago} ago", ago=dates.duration(book.now_ms - found.time_ms)) if found else "")
        self.show_judged(found, nothing)


class _Typing(QLineEdit):
    """The arrows go from field to field, up and down."""

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Arrows besides Tab."""
        if event.key() == Qt.Key.Key_Down:
            self.focusNextChild()
        elif event.key() == Qt.Key.Key_Up:
            self.focusPreviousChild()
        else:
            super().keyPressEvent(event)


class ReadingRow(_Cells):
    """The line of an instrument that is typed, and what was typed there."""

    def __init__(self, view: Round, grid: QGridLayout, at: int, line: Line) -> None:
        super().__init__(view, grid, at, line)
        self.field = Field("")
        self.judged: Judged | None = None
        self.edit = _Typing()
        self.edit.setProperty("role", "reading")
        self.edit.setAlignment(Qt.AlignmentFlag.AlignRight)
        view.theme.fit(self.edit, FixedWidth=76 if view.tight else 84)
        self.edit.textEdited.connect(self._typed)
        self.edit.returnPressed.connect(self._entered)
        grid.addWidget(self.edit, at, 1)
        self.problem = label("", "problem", wrap=True)
        self.offer = button("", self._take_offer, "link")
        # Tab goes on to the next field; Enter takes the offer
        self.offer.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        grid.addLayout(row((self.problem, 2), self.offer, 1), at + 1, 0, 1, COLUMNS)
        self.show_line(line)

    def show_line(self, line: Line) -> None:
        """The same field on a newer round: what was typed stands, and is judged anew."""
        self.line = line
        book, channel = self._view.desk.book, line.channel
        based = rounds.basis_text(book, line.force)
        wanted = rounds.should_show(line, self._view.sheet.band(channel.quantity))
        words = on_this_one(*wanted, channel.unit, channel.resolution) if wanted is not None else ""
        where = f"{line.placement.place} · {based}"
        set_text(self._about, words or f"{unit_word(channel.unit)} · {where}")
        say(self._why, based if line.force.since_ms is None and words else "")
        # words longer than the column take a second line
        self._why.ensurePolished()
        self._why.setMinimumHeight(0)
        self._why.setMinimumHeight(max(0, self._why.heightForWidth(self._why.maximumWidth())))
        # a name that looks like markup is a name
        tip = f"<span>{escape(f'{line.instrument.name}: {where}')}</span>"
        for told in (self.name, self._about, self.edit):
            told.setToolTip(tip)
        self.edit.setAccessibleName(
            _("{name} shows, in {unit_word}", name=line.instrument.name, unit_word=unit_word(channel.unit))
        )
        self._described = f"{where}. {words}"
        self._show()

    def _typed(self, text: str) -> None:
        self.field = interpret(text, self.line.channel)
        self._show()
        self._view.typed()

    def _entered(self) -> None:
        if self.field.offer:
            self._take_offer()
        else:
            self._view.log()

    def _take_offer(self) -> None:
        self.edit.setText(self.field.offer)
        self._typed(self.field.offer)
        self.edit.setFocus()

    def _show(self) -> None:
        desk, sheet, field = self._view.desk, self._view.sheet, self.field
        say(self.problem, field.problem)
        self.offer.setVisible(bool(field.offer))
        set_text(self.offer, _("Enter: make it {offer}", offer=field.offer))
        set_property(self.edit, "wrong", bool(field.problem))
        self.edit.setAccessibleDescription(field.problem or self._described)
        self.judged = None
        if field.shown is not None:
            band = sheet.band(self.line.channel.quantity)
            self.judged = judge_reading(desk.book, sheet.incubator, self.line.hanging, field.shown, sheet.at_ms, band)
        self.show_judged(self.judged, _("nothing typed"))


class ReadingGrid(QWidget):
    """The lines of one incubator. shape: what it was built for; another shape needs another grid."""

    def __init__(self, view: Round, sheet: RoundSheet, shape: object) -> None:
        super().__init__()
        self._view, self.shape = view, shape
        self.rows: list[ReadingRow] = []
        self.loggers: list[LoggerRow] = []
        self.together: dict[Quantity, Together] = {}
        theme = view.theme
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(theme.px(6 if view.tight else 12))
        grid.setVerticalSpacing(0)
        grid.setColumnStretch(0, 0)
        grid.setColumnMinimumWidth(0, theme.px(108 if view.tight else 164))
        grid.setColumnStretch(3, 1)
        at = 0
        for quantity in TITLES:
            lines = [line for line in sheet.lines if line.channel.quantity == quantity]
            if not lines and sheet.band(quantity) is None:
                continue
            self.together[quantity] = Together(view, grid, at, quantity)
            grid.setRowMinimumHeight(at, theme.px(54))
            at += 1
            for line in sorted(lines, key=lambda one: one.instrument.kind == "logger"):
                grid.addWidget(rule(), at, 0, 1, COLUMNS)
                if line.instrument.kind == "logger":
                    self.loggers.append(LoggerRow(view, grid, at + 1, line))
                else:
                    self.rows.append(ReadingRow(view, grid, at + 1, line))
                grid.setRowMinimumHeight(at + 1, theme.px(40))
                at += 3
            grid.addWidget(rule(), at, 0, 1, COLUMNS)
            grid.setRowMinimumHeight(at + 1, theme.px(6))
            at += 2
        if not sheet.lines:
            words = _("No instrument hangs here yet. Enter one under Enter or change.")
            grid.addWidget(label(words, "muted", wrap=True), at, 0, 1, COLUMNS)

    def show_lines(self, sheet: RoundSheet) -> None:
        """The same lines on a newer round."""
        lines = {line.channel.id: line for line in sheet.lines}
        for typed in self.rows:
            typed.show_line(lines[typed.line.channel.id])
        for logger in self.loggers:
            logger.show_line(lines[logger.line.channel.id])
