"""The cover comes off a practice hatch: the score, the truth under what was believed, and what each decision cost."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from stathmis.core.errors import UserError
from stathmis.services import notify
from stathmis.services.desk import Desk
from stathmis.services.practice import progress, uncovering
from stathmis.services.practice.uncovering import Uncovered
from stathmis.services.practice.under_way import Practice
from stathmis.ui.kit.lines import Lines, Said
from stathmis.ui.kit.page import Page, row
from stathmis.ui.kit.pieces import button, label, set_text
from stathmis.ui.practise_view import data_folder
from stathmis.ui.share_bar import percent
from stathmis.ui.theme import Theme
from stathmis.ui.truth_picture import TruthPicture
from stathmis.ui.work import Background
from stathmis.words import practice as words
from stathmis.words.catalogue import _


class UncoveringView(Page):
    """Of the practice under way; practice: which, None in a logbook that is none; data: where scores are kept."""

    def __init__(
        self, desk: Desk, theme: Theme, practice: Callable[[], Practice | None], data: Path | None = None
    ) -> None:
        super().__init__(theme, 820)
        self._desk, self._practice = desk, practice
        self._data = data if data is not None else data_folder()
        self.found: Uncovered | None = None
        self._job: Background | None = None
        self._title, self._score = label("", "title", wrap=True), label("", "big", wrap=True)
        self._stop = button(_("Stop"), self._cancel, "link")
        self._state = label("", "muted", wrap=True)
        self.page.addWidget(self._title)
        self.page.addLayout(row(self._state, self._stop, 1))
        self.page.addWidget(self._score)
        self._compared = label("", "", wrap=True)
        self.page.addWidget(self._compared)
        self.picture = TruthPicture(theme)
        self.page.addWidget(self.picture)
        self._legend = label(words.legend(), "small", wrap=True)
        self.page.addWidget(self._legend)
        left, right = self.columns(1, 1)
        self._cost, self._died = Lines(left), Lines(right)
        left.addStretch(1)
        right.addStretch(1)
        self.page.addStretch(1)

    def begin(self) -> None:
        """Nothing to type: the picture can be walked along."""
        self.picture.setFocus()

    def refresh(self) -> None:
        """Show what was found; work it out the first time."""
        practice = self._practice()
        if practice is None or not practice.over:
            set_text(self._title, words.not_over())
            self._show_parts(there=False)
            return
        set_text(self._title, words.uncovered(practice.key, practice.seed))
        if self.found is None and self._job is None:
            self._work(practice)
        self._show_parts(there=self.found is not None)

    def _show_parts(self, *, there: bool) -> None:
        for part in (self._score, self._compared, self.picture, self._legend):
            part.setVisible(there)
        for shown in (self._state, self._stop):
            shown.setVisible(self._job is not None)

    def _work(self, practice: Practice) -> None:
        self._job = Background(lambda told, cancelled: uncovering.uncover(practice, told, cancelled))
        self._job.progressed.connect(lambda share: set_text(self._state, words.living_again(percent(share, 1.0))))
        self._job.done.connect(self._found)
        self._job.failed.connect(self._failed)
        set_text(self._state, words.living_again(percent(0.0, 1.0)))
        self._job.start()

    def _cancel(self) -> None:
        if self._job is not None:
            self._job.cancel()

    def _failed(self, error: object) -> None:
        self._job = None
        notify.tell_error(error)  # type: ignore[arg-type]
        self.refresh()

    def _found(self, found: Uncovered) -> None:
        self._job, self.found = None, found
        practice, book = self._practice(), self._desk.book
        if practice is None:
            return
        set_text(self._score, words.score(found.score))
        set_text(self._compared, words.comparison(found.out, found.steady, found.nothing, found.lesson.eggs))
        self.picture.show_curves(book, found.curves, words.score(found.score))
        cost: list[Said] = [(words.decisions(), "heading")]
        cost += [words.would_have(name, more) for name, more in found.cost]
        cost.append((words.displays(), "heading"))
        cost += [words.believed(book, b.name, b.quantity, b.off, b.U) for b in found.beliefs]
        self._cost.say(cost)
        died: list[Said] = [(words.eggs(), "heading"), words.infertile(found.infertile)]
        died += [words.died_of(of, count) for of, count in found.died]
        died.append((words.number_of(found.lesson.key, found.seed), "muted"))
        self._died.say(died)
        try:
            if progress.keep(self._data, practice.key, found.score):
                notify.tell("info", words.best(found.score))
        except UserError as error:
            notify.tell_error(error)
        self._show_parts(there=True)
