"""Long work off the window's thread: of what is asked again the latest counts; nothing of Qt dies on another thread."""

from __future__ import annotations

import threading
import time
import weakref
from collections.abc import Callable

from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from stathmis.ui import work


def test_work_that_is_forgotten_dies_on_the_windows_thread(qapp: QApplication, qtbot: QtBot) -> None:
    """Else Qt goes on delivering to what another thread is clearing away, and the window crashes now and then."""
    latest, got, died = work.Latest(), list[object](), list[int]()

    def job(progress: Callable[[float], None], cancelled: Callable[[], bool]) -> str:
        for i in range(20):
            progress(i / 20)
            time.sleep(0.0005)
            if cancelled():
                break
        return "done"

    for i in range(120):
        task = latest.start(job, got.append, got.append)
        weakref.finalize(task, lambda: died.append(threading.get_ident()))
        del task
        if i % 3 == 0:
            time.sleep(0.002)
            qapp.processEvents()
    qtbot.waitUntil(lambda: not work.busy() and not work._fading, timeout=20_000)
    latest.forget()
    qtbot.waitUntil(lambda: len(died) == 120, timeout=20_000)
    assert got[-1] == "done" and set(died) == {threading.main_thread().ident}
