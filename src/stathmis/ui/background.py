"""Long work off the window's thread, with progress and cancel."""

from __future__ import annotations

import threading
from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QObject, QRunnable, QThreadPool, Signal

Job = Callable[[Callable[[float], None], Callable[[], bool]], Any]


_running: set[Task] = set()


class Task(QObject):
    """One piece of long work. done carries its result, failed its exception; both arrive on the window's thread."""

    progressed = Signal(float)
    done = Signal(object)
    failed = Signal(object)

    def __init__(self, job: Job) -> None:
        super().__init__()
        self._job = job
        self._cancel = threading.Event()
        self.done.connect(self._forget)
        self.failed.connect(self._forget)

    def start(self) -> Task:
        """Begin."""
        _running.add(self)
        QThreadPool.globalInstance().start(_Runner(self))
        return self

    def cancel(self) -> None:
        """Ask it to stop; failed then carries CancelledError."""
        self._cancel.set()

    def work(self) -> None:
        """Do the work (on a worker thread)."""
        try:
            result = self._job(self.progressed.emit, self._cancel.is_set)
        except Exception as error:  # noqa: BLE001  carried to the window's thread, where it is told or logged
            self.failed.emit(error)
        else:
            self.done.emit(result)

    def _forget(self, _result: object) -> None:
        _running.discard(self)


class _Runner(QRunnable):
    def __init__(self, task: Task) -> None:
        super().__init__()
        self._task = task

    def run(self) -> None:
        """Called by the pool."""
        self._task.work()


def busy() -> bool:
    """Whether any work is under way."""
    return bool(_running)


def wait_for_all() -> None:
    """Wait until no work is under way; for closing. What it finds out is no longer told to anyone."""
    for task in list(_running):
        task.cancel()
        task.blockSignals(True)
    QThreadPool.globalInstance().waitForDone()
    _running.clear()
