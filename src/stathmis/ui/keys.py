"""The map of keys, over the window."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFrame, QGridLayout, QWidget

from stathmis.ui.kit.pieces import clear, label
from stathmis.ui.round_view import EVENT_KEYS
from stathmis.words.catalogue import N_, _

_FIELDS = [
    (N_("Enter"), N_("In a field: log the round")),
    (N_("Tab"), N_("Next field")),
    ("F10", N_("The menus")),
    (EVENT_KEYS["water"], N_("Water added")),
    (EVENT_KEYS["vent"], N_("Vent changed")),
    (EVENT_KEYS["lid"], N_("Lid opened")),
    (EVENT_KEYS["set_point"], N_("Set point changed")),
    (EVENT_KEYS["cool"], N_("Cooled")),
    (EVENT_KEYS["note"], N_("Note")),
]


class KeyMap(QFrame):
    """Every key and what it does."""

    def __init__(self, over: QWidget, entries: Sequence[tuple[str, str]]) -> None:
        super().__init__(over)
        self.setObjectName("card")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._over, self._entries = over, [*entries, *((_(keys), _(text)) for keys, text in _FIELDS)]
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(24, 20, 24, 20)
        self._grid.setHorizontalSpacing(24)
        self.hide()

    def toggle(self) -> None:
        """Show it in the middle of the window, or hide it."""
        if self.isVisible():
            self.hide()
            return
        clear(self._grid)
        entries = self._entries
        self._grid.addWidget(label(_("Keys"), "heading"), 0, 0, 1, 4)
        half = (len(entries) + 1) // 2
        for i, (keys, text) in enumerate(entries):
            row, column = 1 + i % half, 2 * (i // half)
            written = keys.replace("PgDown", "Page Down").replace("PgUp", "Page Up")
            self._grid.addWidget(label(written, "name"), row, column)
            self._grid.addWidget(label(text, "muted"), row, column + 1)
        self.adjustSize()
        self.move((self._over.width() - self.width()) // 2, (self._over.height() - self.height()) // 2)
        self.show()
        self.raise_()
