"""Hatch: the hatch under way, taking off, opening what did not hatch, and the review; one part in view."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QVBoxLayout, QWidget

from stathmis.services.batch.course import Course
from stathmis.services.desk import Desk
from stathmis.services.eggs.records import row_of
from stathmis.ui.eggs.now_view import NowView
from stathmis.ui.eggs.opened_view import OpenedView
from stathmis.ui.eggs.pull_view import TakeOffView
from stathmis.ui.eggs.review_panel import ReviewPanel
from stathmis.ui.part_tabs import PartTabs
from stathmis.ui.pieces import label, scrolling_page
from stathmis.ui.theme import Theme


class HatchView(QWidget):
    """The late stage of the batch in view. ended: the id of a batch that was ended here."""

    ended = Signal(int)

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        self._desk = desk
        self.course: Course | None = None
        self.now, self.take_off, self.opened = (
            NowView(desk, theme),
            TakeOffView(desk, theme),
            OpenedView(desk, theme),
        )
        self.take_off.ended.connect(self._ended)
        self.review = ReviewPanel(desk, theme)
        area, page = scrolling_page()
        self._none = label("No batch is set here.", "muted", wrap=True)
        page.addWidget(self._none)
        page.addWidget(self.review)
        page.addStretch(1)
        self.parts = PartTabs(
            (
                ("now", "Under way", "Alt+H", self.now),
                ("take-off", "Taking off", "Alt+F", self.take_off),
                ("opened", "Opening the rest", "Alt+U", self.opened),
                ("review", "Review", "Alt+J", area),
            )
        )
        self.parts.chosen.connect(lambda _part: self._refresh())
        layout.addWidget(self.parts)

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
