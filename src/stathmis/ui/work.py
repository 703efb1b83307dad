"""Long work off the window's thread: progress, cancel, the latest of several asked for, and a closing that does not
wait for ever.

Whatever a job finds out is told on the window's thread, whoever listens. A job is given a book or plain data, never the
open logbook for reading.
"""

from __future__ import annotations

import gc
import logging
import sys
import threading
import time
import weakref
from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QObject, Qt, QTimer, Signal
from shiboken6 import isValid

from stathmis.services import notify

Job = Callable[[Callable[[float], None], Callable[[], bool]], Any]

log = logging.getLogger(__name__)

AT_ONCE = 3
AFTER_PAINT_MS = 150
SWITCH_S = 0.00003
"""Threads take turns this often. Each time the window's toolkit calls into Python it waits so long for its turn while
other work is under way, and for one change of page it calls some hundred times."""
sys.setswitchinterval(SWITCH_S)
CLOSING_S = 5.0
"""So long closing waits for work that was asked to stop. What is cut off was not kept: files are written beside and
renamed, edits are whole or not there."""

COLLECT_MS = 500


class Collector(QObject):
    """Has Python look for garbage on the window's thread alone, as often as it would by itself.

    Whichever thread happens to look also takes apart what it finds, and a widget that is taken apart on a worker's
    thread takes the program down.
    """

    _there = 0

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self._timer = QTimer(self)
        self._timer.timeout.connect(self._look)
        self._timer.start(COLLECT_MS)
        Collector._there += 1
        gc.disable()

    @staticmethod
    def _look() -> None:
        counts, limits = gc.get_count(), gc.get_threshold()
        full = [generation for generation in range(3) if counts[generation] > limits[generation]]
        if full:
            gc.collect(full[-1])

    def stop(self) -> None:
        """Leave it to Python again, once no window needs it."""
        if self._timer.isActive():
            self._timer.stop()
            Collector._there -= 1
            if not Collector._there:
                gc.enable()


_running: set[Background] = set()
_fading: set[Background] = set()
"""Not wanted any more, but still under way: kept until they end, for they may die on the window's thread only."""
_places = threading.BoundedSemaphore(AT_ONCE)


class Background(QObject):
    """One piece of long work. done carries its result, failed its exception; both come on the window's thread."""

    progressed = Signal(float)
    done = Signal(object)
    failed = Signal(object)
    _moved = Signal(float)
    _ended = Signal(object, object)

    def __init__(self, job: Job) -> None:
        super().__init__()
        self._task = job
        self._cancel = threading.Event()
        self._forgotten = False
        self._thread = threading.Thread(target=self._work, daemon=True, name="work")
        self._moved.connect(self._tell_progress, Qt.ConnectionType.QueuedConnection)
        # to this object, which lives on the window's thread: what is connected to done is called there too
        self._ended.connect(self._deliver, Qt.ConnectionType.QueuedConnection)

    def start(self, after_ms: int = 0) -> Background:
        """Begin, at once or so long from now: what the keeper waits for is painted first."""
        _running.add(self)
        if after_ms:
            QTimer.singleShot(after_ms, self, self._begin)
        else:
            self._begin()
        return self

    def _begin(self) -> None:
        # one that nobody wants any more is not even begun
        if self in _running:
            self._thread.start()

    def cancel(self) -> None:
        """Ask it to stop; failed then carries CancelledError."""
        self._cancel.set()

    def forget(self) -> None:
        """Its result is not wanted any more: ask it to stop, and tell nobody."""
        self.cancel()
        self._forgotten = True
        _running.discard(self)
        if self._thread.is_alive():
            _fading.add(self)

    def wait(self, seconds: float) -> bool:
        """Wait until it is over, at most so long; returns whether it is."""
        if self._thread.is_alive():
            self._thread.join(max(0.0, seconds))
        return not self._thread.is_alive()

    def _work(self) -> None:
        with _places:
            result, error = None, None
            try:
                result = self._task(self._moved.emit, self._cancel.is_set)
            except Exception as found:  # noqa: BLE001  carried to the window's thread, where it is told or logged
                error = found
        try:
            self._ended.emit(result, error)
        except RuntimeError:
            # the window is gone
            log.info("work ended after its window had closed")

    def _tell_progress(self, fraction: float) -> None:
        if not self._forgotten:
            self.progressed.emit(fraction)

    def _deliver(self, result: object, error: object) -> None:
        # its thread lets go of it first: the last to hold it would clear it away, and that must be the window's thread
        self._thread.join()
        try:
            if self._forgotten:
                return
            if error is not None:
                self.failed.emit(error)
            else:
                self.done.emit(result)
        finally:
            # after its result was told: whoever waits for it to end finds it shown
            _running.discard(self)
            _fading.discard(self)


class Latest:
    """Of the same work asked for again and again, the latest counts: an earlier one is asked to stop and not heard."""

    def __init__(self) -> None:
        self._task: Background | None = None

    def start(
        self, job: Job, done: Callable[[Any], object], failed: Callable[[Any], object], after_ms: int = 0
    ) -> Background:
        """Begin a job in place of an earlier one, at once or so long from now."""
        self.forget()
        task = self._task = Background(job)
        task.done.connect(done)
        task.failed.connect(failed)
        return task.start(after_ms)

    def find(self, what: Callable[[], Any], done: Callable[[Any], object]) -> Background:
        """Find something out once what is shown now is painted; what goes wrong is told the keeper."""
        return self.start(lambda progress, cancelled: what(), done, notify.tell_error, AFTER_PAINT_MS)

    def forget(self) -> None:
        """Hear nothing of what is under way."""
        if self._task is not None:
            self._task.forget()
            self._task = None


def find(what: Callable[[], Any], done: Callable[[Any], object]) -> None:
    """Find something out once what is shown now is painted, beside others; what goes wrong is told the keeper."""
    task = Background(lambda progress, cancelled: what())
    task.done.connect(done)
    task.failed.connect(notify.tell_error)
    task.start(AFTER_PAINT_MS)


class Turn(QTimer):
    """Something left for one of the window's next turns, so that what the keeper waits for is painted first."""

    def __init__(self, owner: QObject, do: Callable[[], object], after_ms: int) -> None:
        super().__init__(owner, singleShot=True, interval=after_ms)
        self.timeout.connect(do)
        _turns.add(self)


def soon(owner: QObject, do: Callable[[], object], after_ms: int) -> None:
    """Do something once in a later turn of the window, unless its owner is gone by then."""
    turn = Turn(owner, do, after_ms)
    turn.timeout.connect(turn.deleteLater)
    turn.start()


_turns: weakref.WeakSet[Turn] = weakref.WeakSet()


def busy() -> bool:
    """Whether any work is under way, or left for one of the window's next turns."""
    return bool(_running) or any(isValid(turn) and turn.isActive() for turn in _turns)


def wait_for_all() -> None:
    """Ask all work to stop and wait for it, but not for ever; for closing. What it finds out is told to nobody."""
    until = time.monotonic() + CLOSING_S
    for turn in _turns:
        if isValid(turn):
            turn.stop()
    left = list(_running)
    for task in left:
        task.forget()
    for task in left:
        if not task.wait(until - time.monotonic()):
            log.warning("work went on after closing had waited %.0f s", CLOSING_S)
