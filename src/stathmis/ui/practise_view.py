"""Practise: the ladder of lessons, each with its best score, and free runs by a number."""

from __future__ import annotations

from pathlib import Path

import platformdirs
from PySide6.QtCore import Signal
from PySide6.QtWidgets import QFrame

from stathmis.core.errors import UserError
from stathmis.core.units import count_typed
from stathmis.services.desk import Desk
from stathmis.services.practice import progress, taking_over
from stathmis.services.practice.lessons import FREE, LESSONS
from stathmis.ui.kit.fields import field
from stathmis.ui.kit.page import Page, column, row
from stathmis.ui.kit.pieces import button, label, problem_label, say, set_text
from stathmis.ui.theme import Theme
from stathmis.words import practice as words
from stathmis.words.catalogue import _


def data_folder() -> Path:
    """The user's own data."""
    return Path(platformdirs.user_data_dir("stathmis"))


class _Lesson(QFrame):
    """A lesson: what it is about, the best score, its number, and a way in."""

    def __init__(self, view: PractiseView, key: str, rung: int) -> None:
        super().__init__()
        self._view, self._key = view, key
        self.setObjectName("card")
        title = f"{rung}. {words.title(key)}" if key != FREE else words.title(key)
        self._score = label("", "muted")
        self.number = field(_("Number of the world, for {lesson}", lesson=words.title(key)), "1", entered=self.begin)
        view.theme.fit(self.number, FixedWidth=72)
        self.problem = problem_label()
        self.go = button(_("Begin"), self.begin, "main")
        self.go.setAccessibleName(_("Begin: {lesson}", lesson=words.title(key)))
        box = column(
            row((label(title, "name", wrap=True), 1), self._score),
            label(words.teaches(key), "muted", wrap=True),
            row(self.go, label(_("world number"), "small"), self.number, 1),
            self.problem,
            spacing=4,
        )
        box.setContentsMargins(16, 10, 16, 12)
        self.setLayout(box)

    def show_score(self, best: int | None) -> None:
        """The best score so far."""
        set_text(self._score, words.best(best))

    def begin(self) -> None:
        """Go on with this world, or begin it."""
        number = count_typed(self.number.text().strip() or "1")
        if number is None or not 0 < number < 1_000_000:
            say(self.problem, words.no_number())
            return
        self.problem.hide()
        self._view.begin_lesson(self._key, number)


class PractiseView(Page):
    """All lessons."""

    wanted = Signal(object)

    def __init__(self, desk: Desk, theme: Theme, data: Path | None = None) -> None:
        super().__init__(theme, 820)
        self._data = data if data is not None else data_folder()
        self.page.addWidget(label(_("Practise"), "title"))
        self.page.addWidget(label(words.about(), "muted", wrap=True))
        columns = self.columns(1, 1, spacing=16)
        self.lessons: dict[str, _Lesson] = {}
        for at, key in enumerate((*LESSONS, FREE)):
            made = self.lessons[key] = _Lesson(self, key, at + 1)
            columns[at * 2 // (len(LESSONS) + 1)].addWidget(made)
        for one in columns:
            one.addStretch(1)

    def begin(self) -> None:
        """The first lesson that has no score has the cursor."""
        known = progress.scores(self._data)
        key = next((k for k in self.lessons if k not in known), FREE)
        self.lessons[key].go.setFocus()

    def refresh(self) -> None:
        """Show the scores as they stand."""
        known = progress.scores(self._data)
        for key, one in self.lessons.items():
            one.show_score(known.get(key))

    def begin_lesson(self, key: str, number: int) -> None:
        """Open a lesson in a window of its own; made where it was never begun."""
        path = progress.logbook(self._data, key, number)
        try:
            if not path.exists():
                path.parent.mkdir(parents=True, exist_ok=True)
                taking_over.begin(path, key, number)
        except (UserError, OSError) as error:
            say(self.lessons[key].problem, str(error))
            return
        self.wanted.emit(path)
