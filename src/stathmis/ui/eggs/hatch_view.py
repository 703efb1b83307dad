"""Hatch: the hatch under way, taking off, opening what did not hatch, and the review; one part in view."""

from __future__ import annotations

from functools import cached_property

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QWidget

from stathmis.services.batch.course import Course
from stathmis.services.desk import Desk
from stathmis.services.eggs.records import row_of
from stathmis.ui.eggs.now_view import NowView
from stathmis.ui.eggs.opened_view import OpenedView
from stathmis.ui.eggs.pull_view import TakeOffView
from stathmis.ui.eggs.review_panel import ReviewPanel
from stathmis.ui.kit.page import Page, column, put
from stathmis.ui.kit.part_tabs import PartTabs
from stathmis.ui.kit.pieces import label
from stathmis.ui.theme import Theme
from stathmis.words.catalogue import _
from stathmis.words.pages import empty


class HatchView(QWidget):
    """The late stage of the batch in view. ended: the id of a batch that was ended here."""

    ended = Signal(int)

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self._desk, self._theme = desk, theme
        self.course: Course | None = None
        self.parts = PartTabs(
            theme,
            (
                ("now", _("Under way"), "Alt+H", lambda: self.now),
                ("take-off", _("Taking off"), "Alt+F", lambda: self.take_off),
                ("opened", _("Opening the rest"), "Alt+U", lambda: self.opened),
                ("review", _("Review"), "Alt+J", lambda: self._review),
            ),
        )
        self.parts.chosen.connect(lambda _part: self._refresh())
        put(self, column(self.parts))

    @cached_property
    def now(self) -> NowView:
        """The hatch under way."""
        return NowView(self._desk, self._theme)

    @cached_property
    def take_off(self) -> TakeOffView:
        """Taking off."""
        made = TakeOffView(self._desk, self._theme)
        made.ended.connect(self._ended)
        return made

    @cached_property
    def opened(self) -> OpenedView:
        """Opening the rest."""
        return OpenedView(self._desk, self._theme)

    @cached_property
    def review(self) -> ReviewPanel:
        """What the batch teaches."""
        return ReviewPanel(self._desk, self._theme)

    @cached_property
    def _review(self) -> Page:
        made = Page(self._theme)
        self._none = label(empty("review"), "muted", wrap=True)
        made.page.addWidget(self._none)
        made.page.addWidget(self.review)
        made.page.addStretch(1)
        return made

    def _ended(self, batch_id: int) -> None:
        """What did not hatch is opened next."""
        self.ended.emit(batch_id)
        self.show_part("opened")

    def show_part(self, part: str) -> None:
        """Bring one part into view."""
        self.parts.show_part(part)

    def show_course(self, course: Course | None) -> None:
        """Show a batch as it stands."""
        self.course = course
        self._refresh()

    def _refresh(self) -> None:
        course, part = self.course, self.parts.part
        if part == "now":
            self.now.show_course(course)
        elif part == "take-off":
            self.take_off.show_course(course)
        elif part == "opened":
            self.opened.show_course(course)
        else:
            self._none.setVisible(course is None)
            self.review.show_row(None if course is None else row_of(self._desk.book, course))
