"""Other logbooks: a new one, one opened lately or long ago, the demo; each in a window of its own."""

from __future__ import annotations

import sys
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from PySide6.QtCore import QProcess, QSettings
from PySide6.QtWidgets import QFileDialog, QWidget

from stathmis.services import notify
from stathmis.words.catalogue import _

REMEMBERED = 8
ENDING = ".stathmis"


class Logbooks:
    """Opens other logbooks beside the one of a window; settings: where those opened lately are kept, None: nowhere."""

    def __init__(self, window: QWidget, path: Path, settings: QSettings | None) -> None:
        self._window, self._path, self._settings = window, path.absolute(), settings
        if settings is not None:
            kept = [str(p) for p in self._kept() if p != self._path]
            settings.setValue("recent", [str(self._path), *kept][:REMEMBERED])

    def _kept(self) -> list[Path]:
        value: Any = self._settings.value("recent", []) if self._settings is not None else []
        # one alone comes back as text
        return [Path(p) for p in ([value] if isinstance(value, str) else value or [])]

    def recent(self) -> list[Path]:
        """Other logbooks that were opened lately and are still there, the newest first."""
        return [p for p in self._kept() if p != self._path and p.exists()]

    def new(self) -> None:
        """Ask where, and begin an empty logbook there."""
        name, _kind = QFileDialog.getSaveFileName(
            self._window, _("A new logbook"), str(self._path.parent), f"Stathmis (*{ENDING})"
        )
        if not name:
            return
        path = Path(name) if name.endswith(ENDING) else Path(name + ENDING)
        if path.exists():
            notify.tell("warning", _("{name} is there already: open it, or choose another name.", name=path.name))
            return
        self.launch(path)

    def open(self) -> None:
        """Ask which, and open it."""
        name, _kind = QFileDialog.getOpenFileName(
            self._window, _("Open a logbook"), str(self._path.parent), f"Stathmis (*{ENDING})"
        )
        if name:
            self.launch(Path(name))

    def demo(self) -> None:
        """The demo logbook; nothing in it is kept."""
        self._start(["--demo"])

    def launch(self, path: Path) -> None:
        """Open a logbook in a window of its own."""
        self._start([str(path)])

    def _start(self, arguments: Sequence[str]) -> None:
        # as this one was started: the package is found the same way
        started, _pid = QProcess.startDetached(sys.executable, ["-m", "stathmis", *arguments])
        if not started:
            notify.tell("error", _("No other window could be opened. Start stathmis once more beside this one."))
