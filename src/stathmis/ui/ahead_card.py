"""The next two days on Round: what comes if nothing is done, as a picture and in words, and a way to try a change."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QWidget

from stathmis.services.batch.course import Course
from stathmis.services.desk import Desk
from stathmis.ui.kit.lines import Lines
from stathmis.ui.kit.page import column, put, row
from stathmis.ui.kit.pieces import button, label, say
from stathmis.ui.theme import Theme
from stathmis.words.catalogue import _

if TYPE_CHECKING:
    from stathmis.services.findings.ahead import Ahead
    from stathmis.ui.fan_picture import FanPicture

LANE_PX = 54


class AheadCard(QWidget):
    """Folded away until it is asked for, and where nothing can be foreseen; opened: whether it is out."""

    try_wanted = Signal()

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self._desk, self._theme = desk, theme
        self._picture: FanPicture | None = None
        self._found: Ahead | None = None
        self._course: Course | None = None
        self._record = ""
        self.opened = False
        box = column(spacing=4)
        box.addLayout(
            row(label(_("The next two days"), "heading"), 1, button(_("Try it first …"), self.try_wanted.emit, "link"))
        )
        self._lines = Lines(box)
        self._place = column()
        box.addLayout(self._place)
        self._scored = label("", "small", wrap=True)
        box.addWidget(self._scored)
        put(self, box, 8)
        self.hide()

    def show_ahead(self, found: Ahead | None, course: Course | None, scored: str = "") -> None:
        """Show what comes, or nothing; scored: how forecasts did so far, in words."""
        self._found, self._course, self._record = found, course, scored
        self.setVisible(found is not None and self.opened)
        if found is not None and self.opened:
            self._draw(found, course)

    def toggle(self) -> None:
        """Fold it out, or away."""
        self.opened = not self.opened
        self.show_ahead(self._found, self._course, self._record)

    def _draw(self, found: Ahead, course: Course | None) -> None:
        # read in with the first look ahead: the first paint does not wait for it
        from stathmis.ui.fan_picture import FanPicture, bands_of, shown_of
        from stathmis.words import ahead as words

        book = self._desk.book
        if self._picture is None:
            self._picture = FanPicture(self._theme, LANE_PX)
            self._place.addWidget(self._picture)
        told = words.lines(book, found)
        self._lines.say(list(told))
        bands = bands_of(course, found)
        name, said = words.picture(book, found.incubator, found, None, ())
        self._picture.show_ahead(book, shown_of(found, None, bands), name, said)
        say(self._scored, self._record)
