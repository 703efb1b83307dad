"""The screen kept awake, by asking the desktop for it; where none answers it sleeps as it is set to."""

from __future__ import annotations

import logging
from contextlib import suppress
from itertools import count

from stathmis.words.catalogue import _

log = logging.getLogger(__name__)

SERVICE, PATH, INTERFACE = "org.freedesktop.ScreenSaver", "/org/freedesktop/ScreenSaver", "org.freedesktop.ScreenSaver"
"""Source: the desktops' common specification of idle inhibition; from memory."""
ANSWER_MS = 300
_numbers = count(1)


class KeepAwake:
    """A request that holds until it is released. It has a line of its own to the desktop, which forgets the requests of
    whoever hangs up (the number it gives could not be handed back as the unsigned one it wants)."""

    def __init__(self) -> None:
        self.held = False
        self._line = f"stathmis awake {next(_numbers)}"
        # not on every system
        with suppress(ImportError):
            self._ask()

    def _ask(self) -> None:
        from PySide6.QtDBus import QDBusConnection, QDBusInterface, QDBusMessage

        bus = QDBusConnection.connectToBus(QDBusConnection.BusType.SessionBus, self._line)
        if not bus.isConnected():
            return
        desktop = QDBusInterface(SERVICE, PATH, INTERFACE, bus)
        # a desktop that does not answer at once keeps nobody waiting
        desktop.setTimeout(ANSWER_MS)
        answer = desktop.call("Inhibit", "Stathmis", _("Big figures stand on the screen"))
        self.held = answer.type() == QDBusMessage.MessageType.ReplyMessage
        if not self.held:
            log.info("no desktop keeps the screen awake: %s", answer.errorMessage())
            QDBusConnection.disconnectFromBus(self._line)

    def release(self) -> None:
        """The screen may sleep."""
        if self.held:
            from PySide6.QtDBus import QDBusConnection

            QDBusConnection.disconnectFromBus(self._line)
            self.held = False
