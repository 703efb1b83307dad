"""What the keeper may want next is made ready in idle moments, in steps too short to be noticed."""

from __future__ import annotations

import importlib
import importlib.util
import re
import sys
from collections.abc import Iterator
from pathlib import Path

from PySide6.QtCore import QObject, QTimer, Signal
from PySide6.QtWidgets import QWidget

IDLE_MS = 800
"""So long after the window stands it begins."""
_IMPORT = re.compile(r"^from (stathmis[\w.]*) import ([^\n(]+)", re.MULTILINE)
STEP_MS = 25
"""From one step to the next: between them the window answers."""


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


def polish(view: QWidget) -> None:
    """Give all of a view its style and its places, which it would else get when it is first shown."""
    widgets = [view, *view.findChildren(QWidget)]
    for widget in widgets:
        widget.ensurePolished()
    for widget in widgets:
        layout = widget.layout()
        if layout is not None:
            layout.activate()


class Ahead(QObject):
    """Steps taken one by one on the window's thread until they end."""

    took_step = Signal()

    def __init__(self, steps: Iterator[None], parent: QObject) -> None:
        super().__init__(parent)
        self._steps = steps
        self.over = False
        self._timer = QTimer(self)
        self._timer.timeout.connect(self._step)
        QTimer.singleShot(IDLE_MS, self, lambda: self._timer.start(STEP_MS))

    def _step(self) -> None:
        try:
            next(self._steps)
        except StopIteration:
            self.stop()
            return
        self.took_step.emit()

    def stop(self) -> None:
        """Take no more of them."""
        self.over = True
        self._timer.stop()
