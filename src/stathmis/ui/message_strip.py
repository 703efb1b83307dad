"""The strip at the foot of the window where messages stand until the next one, or until closed."""

from __future__ import annotations

from PySide6.QtCore import Qt, QTimer
from PySide6.QtWidgets import QHBoxLayout, QWidget

from stathmis.services.notify import Message
from stathmis.ui.kit.pieces import button, label, set_property
from stathmis.words.catalogue import N_, Spoken, _

_INFO_MS = 8000
_WORDS = Spoken({"info": "", "warning": N_("Note: "), "error": N_("Problem: ")})


class MessageStrip(QWidget):
    """Shows one message at a time; information goes by itself, problems stay."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("page")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        row = QHBoxLayout(self)
        row.setContentsMargins(32, 4, 16, 6)
        self.text = label("", "muted", wrap=True)
        row.addWidget(self.text, 1)
        self._close = button(_("Close"), self.hide, "link")
        row.addWidget(self._close)
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.timeout.connect(self.hide)
        self.hide()

    def show_message(self, message: Message) -> None:
        """Show a message."""
        self.text.setText(_WORDS[message.kind] + message.text)
        self.text.setAccessibleName(self.text.text())
        set_property(self.text, "ink", message.kind)
        self._timer.stop()
        if message.kind == "info":
            self._timer.start(_INFO_MS)
        self.show()
