"""An icon in the desktop's tray, where the keeper wants one: what is to be done, and the window with a click."""

from __future__ import annotations

from importlib import resources

from PySide6.QtGui import QIcon
from PySide6.QtWidgets import QMenu, QSystemTrayIcon, QWidget

from stathmis.services.desk import Desk
from stathmis.services.plan import tasks
from stathmis.words.catalogue import _, within
from stathmis.words.numbers import count


class Tray:
    """Off until it is switched on."""

    def __init__(self, desk: Desk, window: QWidget) -> None:
        self._desk, self._window = desk, window
        self._icon: QSystemTrayIcon | None = None
        self._menu: QMenu | None = None

    @property
    def on(self) -> bool:
        """Whether the icon is there."""
        return self._icon is not None

    def switch(self) -> str:
        """Put the icon there, or take it away; returns what happened, in words."""
        if self._icon is not None:
            self.take_away()
            return _("No icon in the tray any more.")
        if not QSystemTrayIcon.isSystemTrayAvailable():
            return _("This desktop has no tray for icons.")
        self._icon = QSystemTrayIcon(QIcon(str(resources.files("stathmis") / "data" / "icons" / "stathmis.svg")))
        self._menu = QMenu()
        self._menu.addAction(_("Show the window"), self._show)
        self._menu.addAction(_("Close Stathmis"), self._window.close)
        self._icon.setContextMenu(self._menu)
        self._icon.activated.connect(lambda _reason: self._show())
        self._icon.show()
        self.refresh()
        return _("An icon in the tray says what is to be done.")

    def _show(self) -> None:
        self._window.show()
        self._window.raise_()
        self._window.activateWindow()

    def refresh(self) -> None:
        """Say how much is to be done now."""
        if self._icon is not None:
            now = self._desk.now_ms
            left = [t for t in tasks.today(self._desk.book) if t.state == "open" and t.due_ms <= now]
            names = ", ".join(within(t.title) for t in left[:3])
            self._icon.setToolTip(
                _(
                    "Stathmis: {tasks} due{left}",
                    tasks=count(len(left), "{n} task", "{n} tasks"),
                    left=": " + names if left else "",
                )
            )

    def take_away(self) -> None:
        """No icon any more."""
        if self._icon is not None:
            self._icon.hide()
            self._icon.deleteLater()
            self._icon = None
