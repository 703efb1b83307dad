"""Fields to type in and lists to choose from, each called by its name for whoever cannot see where it stands."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Any

from PySide6.QtCore import QSignalBlocker
from PySide6.QtGui import QWheelEvent
from PySide6.QtWidgets import QComboBox, QLineEdit

from stathmis.ui.theme import Theme


def field(
    name: str,
    hint: str = "",
    *,
    text: str = "",
    width: tuple[Theme, float] | None = None,
    entered: Callable[[], object] | None = None,
    typed: Callable[[str], object] | None = None,
) -> QLineEdit:
    """A line to type in. hint stands in it while it is empty; width: px at normal text size and the theme it follows,
    None: as wide as there is room; entered is called at Enter, typed at every key."""
    made = QLineEdit(text)
    made.setAccessibleName(name)
    made.setPlaceholderText(hint)
    # a file dropped on it is for the window
    made.setAcceptDrops(False)
    if width is not None:
        theme, px = width
        theme.fit(made, FixedWidth=px)
    if entered is not None:
        made.returnPressed.connect(entered)
    if typed is not None:
        made.textEdited.connect(typed)
    return made


class Chooser(QComboBox):
    """A list to choose from. The mouse wheel scrolls the page it stands on and never changes what is chosen."""

    def __init__(
        self,
        name: str = "",
        options: Iterable[tuple[str, Any]] = (),
        chosen: Any = None,
        *,
        picked: Callable[[Any], object] | None = None,
        changed: Callable[[Any], object] | None = None,
        yielding: bool = False,
    ) -> None:
        """options: words and what each stands for; chosen: what the one shown first stands for. picked is called with
        what the keeper chose, changed also where something else changed the choice. yielding: it may be narrower than
        its longest entry, so that long names do not push a page apart."""
        super().__init__()
        self.setAccessibleName(name)
        self.offer(options, chosen)
        if yielding:
            self.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            self.setMinimumContentsLength(8)
        if picked is not None:
            self.activated.connect(lambda _i: picked(self.currentData()))
        if changed is not None:
            self.currentIndexChanged.connect(lambda _i: changed(self.currentData()))

    def offer(self, options: Iterable[tuple[str, Any]], chosen: Any = None) -> None:
        """Offer these in place of those there were; tells that the choice changed where it did."""
        self.clear()
        for words, what in options:
            self.addItem(words, what)
        if chosen is not None:
            self.choose(chosen)

    def keep(self, options: Iterable[tuple[str, Any]]) -> None:
        """Offer these where they are not offered already; what is chosen stays where it is still offered."""
        offered = list(options)
        if [(self.itemText(i), self.itemData(i)) for i in range(self.count())] != offered:
            with QSignalBlocker(self):
                self.offer(offered, self.currentData())

    def choose(self, what: Any) -> None:
        """Bring what stands for this into view, where it is offered."""
        if (at := self.findData(what)) >= 0:
            self.setCurrentIndex(at)

    def wheelEvent(self, event: QWheelEvent) -> None:
        """Left to the page."""
        event.ignore()
