"""Desktop notifications: through the desktop's portal, else by the system's usual command."""

from __future__ import annotations

import shutil

from PySide6.QtCore import QProcess
from PySide6.QtDBus import QDBusConnection, QDBusMessage

SERVICE = "org.freedesktop.portal.Desktop"
PATH = "/org/freedesktop/portal/desktop"
INTERFACE = "org.freedesktop.portal.Notification"


def tell_desktop(title: str, text: str, *, urgent: bool = False) -> None:
    """Show a notification; nothing happens where the desktop has none."""
    bus = QDBusConnection.sessionBus()
    if bus.isConnected() and _has_portal(bus):
        bus.send(portal_message(title, text, urgent=urgent))
        return
    command = shutil.which("notify-send")
    if command:
        QProcess.startDetached(command, ["-a", "Stathmis", "-u", "critical" if urgent else "normal", "--", title, text])


def _has_portal(bus: QDBusConnection) -> bool:
    interface = bus.interface()
    return interface is not None and bool(interface.isServiceRegistered(SERVICE).value())


def portal_message(title: str, text: str, *, urgent: bool) -> QDBusMessage:
    """The call that shows a notification. Source: XDG Desktop Portal, interface Notification, AddNotification."""
    made = QDBusMessage.createMethodCall(SERVICE, PATH, INTERFACE, "AddNotification")
    # one of a title takes the place of the one before
    about = {"title": title, "body": text, "priority": "urgent" if urgent else "normal"}
    made.setArguments([f"stathmis-{title}", about])
    return made
