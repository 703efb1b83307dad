"""The screen is kept awake as long as it is asked for, by a desktop's stand-in on a session bus of its own."""

from __future__ import annotations

import shutil
import subprocess
import sys

import pytest

from making import environment

DESKTOP = """
import sys
from PySide6.QtCore import ClassInfo, QCoreApplication, QObject, QTimer, Slot
from PySide6.QtDBus import QDBusConnection

@ClassInfo({"D-Bus Interface": "org.freedesktop.ScreenSaver"})
class Desktop(QObject):
    @Slot(str, str, result="uint")
    def Inhibit(self, who, why):
        print("asked by", who, flush=True)
        return 4

app = QCoreApplication([])
bus, desktop = QDBusConnection.sessionBus(), Desktop()
bus.registerObject("/org/freedesktop/ScreenSaver", desktop, QDBusConnection.RegisterOption.ExportAllSlots)
print(bus.registerService("org.freedesktop.ScreenSaver"), flush=True)
QTimer.singleShot(60_000, app.quit)
app.exec()
"""
WINDOW = """
import subprocess, sys
from PySide6.QtCore import QCoreApplication
from stathmis.ui.keep_awake import KeepAwake

app = QCoreApplication([])
desktop = subprocess.Popen([sys.executable, "-c", sys.argv[1]], stdout=subprocess.PIPE, text=True)
assert desktop.stdout.readline().strip() == "True"

def lines():
    listed = ["dbus-send", "--print-reply", "--dest=org.freedesktop.DBus", "/", "org.freedesktop.DBus.ListNames"]
    return subprocess.run(listed, capture_output=True, text=True).stdout.count('":1.')

awake = KeepAwake()
print(awake.held, desktop.stdout.readline().strip())
before = lines()
awake.release()
print(awake.held, before - lines(), "hung up")
desktop.kill()
desktop.wait()
print(KeepAwake().held)
"""


@pytest.mark.skipif(shutil.which("dbus-run-session") is None, reason="no session bus on this machine")
def test_awake_until_it_hangs_up() -> None:
    done = subprocess.run(
        ["dbus-run-session", "--", sys.executable, "-c", WINDOW, DESKTOP],
        capture_output=True, text=True, env=environment(), timeout=60, check=False,
    )  # fmt: skip
    assert done.stdout.splitlines() == ["True asked by Stathmis", "False 1 hung up", "False"], done.stderr[-600:]
