"""What the keeper may want next is made ready in idle moments, in steps too short to be noticed."""

from __future__ import annotations

import gc
import importlib
import importlib.util
import re
import sys
import time
from collections.abc import Iterator
from pathlib import Path

from PySide6.QtCore import QObject, Qt, QTimer, Signal
from PySide6.QtWidgets import QWidget
from shiboken6 import isValid

IDLE_MS = 800
"""So long after the window stands it begins."""
_IMPORT = re.compile(r"^from (stathmis[\w.]*) import ([^\n(]+)", re.MULTILINE)
_FEW = 20
"""So many widgets are painted in one step."""
TURN_MS = 12
"""From one turn to the next: between them the window answers."""
TURN_S = 0.005
"""A turn takes no further step after so long."""


def importing(name: str) -> Iterator[None]:
    """Import one of our modules and what it needs of ours, each in a step of its own."""
    if name in sys.modules:
        return
    spec = importlib.util.find_spec(name)
    if spec is None or spec.origin is None:
        return
    for needed, names in _IMPORT.findall(Path(spec.origin).read_text(encoding="utf-8")):
        yield from importing(needed)
        if hasattr(sys.modules[needed], "__path__"):
            for one in names.split(","):
                yield from importing(f"{needed}.{one.strip()}")
    importlib.import_module(name)
    yield


def seen(view: QWidget) -> Iterator[None]:
    """Give all of a view its style and its places and paint it where nobody sees it, a piece a step: all that would
    else be done when it is first shown."""
    widgets = [view, *view.findChildren(QWidget)]
    for widget in widgets:
        widget.ensurePolished()
    yield
    for widget in widgets:
        layout = widget.layout() if isValid(widget) else None
        if layout is not None:
            layout.activate()
    yield
    for piece in _pieces(view):
        piece.grab()
        yield


def _pieces(widget: QWidget) -> Iterator[QWidget]:
    """Parts of a view that hold few widgets each, without those that are hidden, or gone by then."""
    if not isValid(widget):
        return
    if len(widget.findChildren(QWidget)) <= _FEW:
        yield widget
        return
    for child in widget.findChildren(QWidget, options=Qt.FindChildOption.FindDirectChildrenOnly):
        if isValid(child) and not child.isHidden():
            yield from _pieces(child)


class Idle(QObject):
    """Steps taken one by one on the window's thread until they end."""

    took_step = Signal()

    def __init__(self, steps: Iterator[None], parent: QObject) -> None:
        super().__init__(parent)
        self._steps = steps
        self.over = False
        self._timer = QTimer(self)
        self._timer.timeout.connect(self._step)
        gc.freeze()
        QTimer.singleShot(IDLE_MS, self, self._start)

    def _start(self) -> None:
        # the window may have been closed by then
        if not self.over:
            self._timer.start(TURN_MS)

    def _step(self) -> None:
        began = time.perf_counter()
        while not self.over and time.perf_counter() - began < TURN_S:
            try:
                next(self._steps)
            except StopIteration:
                self.stop()
            else:
                self.took_step.emit()
        # what was made stays as long as the window: looking through it for what can be let go takes up to 90 ms
        gc.freeze()

    def stop(self) -> None:
        """Take no more of them."""
        self.over = True
        self._timer.stop()
