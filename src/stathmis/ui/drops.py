"""Files dropped anywhere on the window: what each is for, by the end of its name."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QEvent, QMimeData, QObject
from PySide6.QtGui import QDropEvent
from PySide6.QtWidgets import QWidget

from stathmis.services import notify
from stathmis.ui.logbooks import ENDING
from stathmis.words.catalogue import _

if TYPE_CHECKING:
    from stathmis.ui.window import Window

LOGS = (".csv", ".txt", ".tsv", ".log")


class Drops(QObject):
    """Takes what is dropped on a window, wherever no view of it takes it itself."""

    def __init__(self, window: Window) -> None:
        super().__init__(window)
        self._window = window
        window.setAcceptDrops(True)
        window.installEventFilter(self)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Files are taken, anything else is not."""
        if event.type() not in (QEvent.Type.DragEnter, QEvent.Type.Drop) or not isinstance(watched, QWidget):
            return False
        assert isinstance(event, QDropEvent)
        found = files(event.mimeData())
        if not found:
            return False
        event.acceptProposedAction()
        if event.type() == QEvent.Type.Drop:
            self.take(found[0])
        return True

    def take(self, path: Path) -> None:
        """Do with a file what it is for."""
        kind = path.suffix.lower()
        if kind == ENDING:
            self._window.files.launch(path)
        elif self._window.desk.book.is_empty:
            notify.tell("info", _("Answer the three questions first; then {name} can be brought in.", name=path.name))
        elif kind in LOGS:
            self._window.show_place("bring_in")
            self._window.stack.currentWidget().load(path)  # type: ignore[union-attr]
        else:
            told = _("{name} is neither a logger's file (CSV) nor a logbook.", name=path.name)
            notify.tell("warning", told)


def files(data: QMimeData) -> list[Path]:
    """The files of this computer that are dragged."""
    return [Path(url.toLocalFile()) for url in data.urls() if url.isLocalFile()]
