"""Desktop notifications, where the system has its usual command for one."""

from __future__ import annotations

import shutil

from PySide6.QtCore import QProcess


def tell_desktop(title: str, text: str, *, urgent: bool = False) -> None:
    """Show a notification; nothing happens where the desktop has none."""
    command = shutil.which("notify-send")
    if command:
        QProcess.startDetached(command, ["-a", "Stathmis", "-u", "critical" if urgent else "normal", "--", title, text])
