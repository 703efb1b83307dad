"""A line to type in, over the window: whatever is meant by a few words is listed below it, and done with Enter."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QEvent, QObject, Qt
from PySide6.QtGui import QFocusEvent, QHideEvent, QKeyEvent
from PySide6.QtWidgets import QFrame, QLabel, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from stathmis.ui.commands import MENUS, Command
from stathmis.ui.kit.fields import field
from stathmis.ui.kit.pieces import label
from stathmis.ui.lookup import offers
from stathmis.words.catalogue import _

if TYPE_CHECKING:
    from stathmis.ui.window import Window

MOST = 9
WIDE = 560


class _Found(QListWidget):
    """What was found; it never takes the cursor from the line."""

    def __init__(self) -> None:
        super().__init__()
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setAccessibleName(_("What was found"))


class Finder(QFrame):
    """The line and its list. Where it was opened from has the cursor again when it goes away."""

    def __init__(self, window: Window) -> None:
        super().__init__(window)
        self._window = window
        self._before: QWidget | None = None
        self.setObjectName("card")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.line = field(
            _("Find or do something"),
            _("an egg, a page, an instrument; or water …, set 37.6, 37.2 46"),
            entered=self._do,
        )
        self.line.textChanged.connect(self._typed)
        self.line.installEventFilter(self)
        self.found = _Found()
        self.found.itemClicked.connect(lambda item: self._take(item.data(Qt.ItemDataRole.UserRole)))
        self._hint: QLabel = label(_("Enter does the marked one, up and down choose, Esc leaves."), "small", wrap=True)
        box = QVBoxLayout(self)
        box.setContentsMargins(16, 14, 16, 12)
        box.setSpacing(8)
        for part in (self.line, self.found, self._hint):
            box.addWidget(part)
        self.hide()

    def open(self) -> None:
        """Come up with an empty line."""
        theme = self._window.theme
        if not self.isVisible():
            self._before = self._window.focusWidget()
        self.line.clear()
        self._typed("")
        wide = min(theme.px(WIDE), self._window.width() - 32)
        self.setFixedWidth(wide)
        self.adjustSize()
        self.move((self._window.width() - wide) // 2, theme.px(56))
        self.show()
        self.raise_()
        self.line.setFocus()

    def _typed(self, text: str) -> None:
        shown = offers(self._window, text, MOST)
        self.found.clear()
        for command in shown:
            where = command.keys or (MENUS.get(command.menu, "") if command.menu else "")
            item = QListWidgetItem(f"{command.text}   {where}".rstrip())
            item.setData(Qt.ItemDataRole.UserRole, command)
            self.found.addItem(item)
        self.found.setCurrentRow(0)
        self.found.setFixedHeight(max(1, len(shown)) * self.found.sizeHintForRow(0) + 12 if shown else 0)
        self._say()
        self.adjustSize()

    def _say(self) -> None:
        """The marked one is told at the line, where a screen reader is."""
        item = self.found.currentItem()
        self.line.setAccessibleDescription(item.text() if item is not None else _("Nothing is found by these words."))
        nothing = _("Nothing is found by these words. Try others, or Esc.")
        self._hint.setText(nothing if item is None else _("Enter does the marked one, up and down choose, Esc leaves."))

    def _do(self) -> None:
        item = self.found.currentItem()
        if item is not None:
            self._take(item.data(Qt.ItemDataRole.UserRole))

    def _take(self, command: Command) -> None:
        self.hide()
        command.do()

    def hideEvent(self, event: QHideEvent) -> None:
        """The cursor goes back to where it was."""
        if self._before is not None and self._before.isVisible():
            self._before.setFocus()
        super().hideEvent(event)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Up and down go along the list; leaving the line shuts it."""
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            step = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1, Qt.Key.Key_Tab: 1, Qt.Key.Key_Backtab: -1}
            if event.key() in step and self.found.count():
                self.found.setCurrentRow((self.found.currentRow() + step[Qt.Key(event.key())]) % self.found.count())
                self._say()
                return True
        left = isinstance(event, QFocusEvent) and event.type() == QEvent.Type.FocusOut
        if left and event.reason() == Qt.FocusReason.MouseFocusReason:  # type: ignore[attr-defined]
            self._before = None
            self.hide()
        return False
