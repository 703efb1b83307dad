"""Opening what did not hatch: a key for the stage, one for the position, one a sign; Enter for the next egg."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QListWidget

from stathmis.core.units import count_typed
from stathmis.services import knowledge
from stathmis.services.batch.course import Course
from stathmis.services.desk import Desk
from stathmis.services.eggs import break_out
from stathmis.services.eggs.break_out import Draft, draft_of
from stathmis.services.eggs.signs import sign_words, signs_seen
from stathmis.services.eggs.tray import TraySheet, tray
from stathmis.services.knowledge import Opened
from stathmis.ui.kit.attempt import attempt, emptied
from stathmis.ui.kit.fields import field
from stathmis.ui.kit.lines import StrikeList
from stathmis.ui.kit.page import Page, holder, row
from stathmis.ui.kit.pieces import button, label, problem_label, say
from stathmis.ui.theme import Theme
from stathmis.words.catalogue import N_, Spoken, _
from stathmis.words.numbers import count
from stathmis.words.pages import empty

MOST_ROWS = 9
PARTS = Spoken({"stage": N_("How far it came"), "position": N_("How it lay"), "sign": N_("What else is seen")})


class EggList(QListWidget):
    """Eggs to open. pressed_key: a letter or digit; entered: the egg is done."""

    pressed_key = Signal(str)
    entered = Signal()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Letters and digits note something; Enter logs it; arrows choose the egg."""
        text = event.text()
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.entered.emit()
        elif text.isalnum() and not event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.pressed_key.emit(text.lower())
        else:
            super().keyPressEvent(event)


class OpenedView(Page):
    """The eggs of the batch in view that did not hatch."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__(theme, 860)
        self._desk = desk
        self._course: Course | None = None
        self._sheet: TraySheet | None = None
        self.draft = Draft()
        self.words = label("", "name", wrap=True)
        self.page.addWidget(self.words)
        columns, (left, right) = self.folding_columns(1, 1)
        self._columns = holder(columns)
        self.page.addWidget(self._columns)
        self.page.addStretch(1)
        self.eggs = EggList()
        self.eggs.setAccessibleName(_("Eggs to open; letters note what is seen, Enter logs it"))
        self.eggs.pressed_key.connect(self.key)
        self.eggs.entered.connect(self.log)
        self.eggs.currentRowChanged.connect(self._other_egg)
        left.addWidget(self.eggs)
        self.count = field(_("How many eggs alike"), text="1", width=(theme, 72))
        self._many = holder(row(self.count, label(_("alike"), "muted"), 1))
        left.addWidget(self._many)
        self.noted = label("", "big", wrap=True)
        left.addWidget(self.noted)
        self.note = field(_("A note on this egg; may be empty"), _("note, may be empty"), entered=self.log)
        left.addWidget(self.note)
        self.problem = problem_label()
        left.addWidget(self.problem)
        left.addLayout(row(button(_("Log this egg"), self.log, "main", "Enter"), 1))
        self._done = label("", "", "eggs", wrap=True)
        left.addWidget(self._done)
        self._opened = StrikeList(partial(break_out.strike, self._desk))
        left.addWidget(self._opened)
        left.addStretch(1)
        self._keys = right
        self._show_keys()

    def _show_keys(self) -> None:
        for part, entries in knowledge.opened().items():
            self._keys.addWidget(label(PARTS[part], "heading"))
            for found in entries.values():
                self._keys.addWidget(label(_key_words(found), "", wrap=True))
        self._keys.addWidget(label(knowledge.cautions()["eggs"], "small", wrap=True))
        self._keys.addStretch(1)

    def show_course(self, course: Course | None) -> None:
        """Show a batch as it stands; what is being noted stays while its egg is there."""
        if course is None or self._course is None or course.batch.id != self._course.batch.id:
            self.draft = Draft()
            self.problem.hide()
        self._course = course
        self._columns.setVisible(course is not None)
        if course is None:
            self._sheet = None
            self.words.setText(empty("opened"))
            return
        self._sheet = sheet = tray(self._desk.book, course.batch)
        left = break_out.to_open(course, sheet)
        n = len(left) if sheet.eggs else break_out.left_to_open(course, sheet)
        early = self._desk.now_ms < course.at_ms(course.species.days)
        said = count(n, "{n} egg did not hatch and is not opened.", "{n} eggs did not hatch and are not opened.")
        if early:
            said = _("The hatch is still to come: open none before the stragglers' time is over.")
        self.words.setText(said)
        self._many.setVisible(not sheet.eggs)
        self.eggs.setVisible(bool(n))
        shown = (
            [_("egg {mark}, {word}", mark=e.mark, word=e.word) for e in left]
            if sheet.eggs
            else [_("eggs without marks")]
            if n
            else []
        )
        marks = [e.mark for e in left] if sheet.eggs else [""] * len(shown)
        at = self.eggs.currentItem()
        chosen = at.data(Qt.ItemDataRole.UserRole) if at is not None else None
        if [self.eggs.item(i).text() for i in range(self.eggs.count())] != shown:
            self.eggs.blockSignals(True)
            self.eggs.clear()
            for text, mark in zip(shown, marks, strict=True):
                self.eggs.addItem(text)
                self.eggs.item(self.eggs.count() - 1).setData(Qt.ItemDataRole.UserRole, mark)
            self.eggs.setCurrentRow(marks.index(chosen) if chosen in marks else 0)
            self.eggs.blockSignals(False)
        rows = min(max(self.eggs.count(), 1), MOST_ROWS)
        self.eggs.setFixedHeight(rows * self.eggs.sizeHintForRow(0) + 12 if self.eggs.count() else 0)
        self._say()
        self._show_done(sheet)

    def _show_done(self, sheet: TraySheet) -> None:
        say(self._done, sign_words(tuple(signs_seen(sheet))))
        lines = []
        for found in break_out.all_opened(sheet):
            which = _("egg {mark}", mark=found.mark) if found.mark else count(found.count, "{n} egg", "{n} eggs")
            lines.append(("", f"{which}: {draft_of(found).words()}{'; ' + found.note if found.note else ''}", found))
        self._opened.show_lines(lines)

    def _other_egg(self, _row: int) -> None:
        self.draft = Draft()
        self._say()

    def _say(self) -> None:
        self.noted.setText(self.draft.words() or "…")
        self.noted.setVisible(self.eggs.count() > 0)

    def key(self, letter: str) -> None:
        """Something seen in the egg under the cursor."""
        if self.draft.key(letter):
            self.problem.hide()
        else:
            say(self.problem, _("{upper} stands for nothing here; the keys are listed beside.", upper=letter.upper()))
        self._say()

    def log(self) -> None:
        """Log the egg under the cursor, and go on to the next."""
        course, item = self._course, self.eggs.currentItem()
        if course is None or item is None:
            return
        mark, draft = str(item.data(Qt.ItemDataRole.UserRole)), self.draft
        n = count_typed(self.count.text()) or 0

        def action() -> str:
            with emptied(self.note) as (note,):
                self.draft = Draft()
                break_out.open_egg(self._desk, course, mark, draft, self._desk.now_ms, note, n)
            return f"{_('Egg {mark}', mark=mark) if mark else count(n, '{n} egg', '{n} eggs')}: {draft.words()}."

        if not attempt(self.problem, action):
            self.draft = draft
            self._say()


def _key_words(found: Opened) -> str:
    return f"{found.letter.upper()}  {found.word}{': ' + found.look if found.look else ''}"
