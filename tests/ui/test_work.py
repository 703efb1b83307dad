"""Long work off the window's thread: of what is asked again the latest counts; nothing of Qt dies on another thread."""

from __future__ import annotations

import gc
import threading
import time
import weakref
from collections.abc import Callable

from PySide6.QtCore import QObject
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from stathmis.ui import idle, work


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


def test_what_is_stopped_before_it_began_never_begins(qtbot: QtBot) -> None:
    """A window closed in its first moments: else all that is garbage from then on would be kept for good."""
    parent, steps = QObject(), iter([None] * 3)
    made = idle.Idle(steps, parent)
    made.stop()
    frozen, litter = gc.get_freeze_count(), [[] for _ in range(1000)]
    qtbot.wait(idle.IDLE_MS + 5 * idle.TURN_MS)
    assert len(list(steps)) == 3 and gc.get_freeze_count() <= frozen and litter


def test_garbage_is_looked_for_on_the_windows_thread_alone(qtbot: QtBot) -> None:
    """A widget that a worker's thread takes apart takes the program down."""
    taken_apart: list[threading.Thread] = []

    class Litter:
        """In a circle, so that only a look for garbage finds it."""

        def __init__(self) -> None:
            self.itself = self

        def __del__(self) -> None:
            taken_apart.append(threading.current_thread())

    def job(_progress: object, _cancelled: object) -> int:
        return len([[Litter() for _ in range(100)] and [[] for _ in range(300)] for _ in range(20)])

    parent, before, limits = QObject(), gc.isenabled(), gc.get_threshold()
    # as often as Python would by itself, which tests are spared
    gc.set_threshold(700, 10, 10)
    collectors = [work.Collector(parent), work.Collector(parent)]
    try:
        found: list[object] = []
        made = work.Background(job)
        made.done.connect(found.append)
        made.start()
        qtbot.waitUntil(lambda: bool(found), timeout=10_000)
        assert found == [20] and taken_apart == []
        collectors[0].stop()
        collectors[0].stop()
        assert not gc.isenabled(), "the other window still stands"
        qtbot.waitUntil(lambda: len(taken_apart) >= 2000, timeout=10_000)
        assert set(taken_apart) == {threading.main_thread()}
    finally:
        gc.set_threshold(*limits)
        for one in collectors:
            one.stop()
    assert gc.isenabled() == before
