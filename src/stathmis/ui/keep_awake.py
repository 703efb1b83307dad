"""The screen kept awake, by asking the desktop for it; where none answers it sleeps as it is set to."""

from __future__ import annotations

import logging

from stathmis.words.catalogue import _

log = logging.getLogger(__name__)

SERVICE, PATH, INTERFACE = "org.freedesktop.ScreenSaver", "/org/freedesktop/ScreenSaver", "org.freedesktop.ScreenSaver"
"""Source: the desktops' common specification of idle inhibition; from memory."""

ANSWER_MS = 300


class KeepAwake:
    """A request that holds until it is released (or this process ends)."""

    def __init__(self) -> None:
        self._cookie: int | None = None
        try:
            # not on every system
            from PySide6.QtDBus import QDBusConnection, QDBusInterface, QDBusMessage
        except ImportError:
            return
        bus = QDBusConnection.sessionBus()
        if not bus.isConnected():
            return
        self._desktop = QDBusInterface(SERVICE, PATH, INTERFACE, bus)
        # a desktop that does not answer at once keeps nobody waiting
        self._desktop.setTimeout(ANSWER_MS)
        answer = self._desktop.call("Inhibit", "Stathmis", _("Big figures stand on the screen"))
        if answer.type() == QDBusMessage.MessageType.ReplyMessage and answer.arguments():
            self._cookie = int(answer.arguments()[0])
        else:
            log.info("no desktop keeps the screen awake: %s", answer.errorMessage())

    @property
    def held(self) -> bool:
        """Whether the desktop promised it."""
        return self._cookie is not None

    def release(self) -> None:
        """The screen may sleep."""
        if self._cookie is not None:
            self._desktop.call("UnInhibit", self._cookie)
            self._cookie = None
