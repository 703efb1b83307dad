"""When the logbook cannot be opened: a window that says why, and offers what can be done about it."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtWidgets import QFileDialog, QMessageBox, QPushButton

from stathmis.core.errors import UserError
from stathmis.words.catalogue import _

LOGBOOKS = "Logbooks (*.stathmis);;All files (*)"


class Starting(QMessageBox):
    """Why a logbook cannot be opened, with ways on; `asked` is None where the keeper gives up."""

    def __init__(self, error: UserError, path: Path) -> None:
        super().__init__(QMessageBox.Icon.NoIcon, "Stathmis", error.what)
        self._path = path
        self.setInformativeText(error.to_do)
        role = QMessageBox.ButtonRole.ActionRole
        backups = self._backups()
        self.ways: dict[str, QPushButton] = {"another": self.addButton(_("Open another …"), role)}
        if backups.is_dir():
            self.ways["backup"] = self.addButton(_("Open a backup …"), role)
        self.ways["new"] = self.addButton(_("Make a new one …"), role)
        self.addButton(QMessageBox.StandardButton.Close)

    def _backups(self) -> Path:
        return self._path.with_name(self._path.stem + " backups")

    def ask(self) -> Path | None:
        """Show it, and what file to open instead (one that is not there yet is made)."""
        self.exec()
        chosen, name = self.clickedButton(), ""
        if chosen is self.ways["another"]:
            name, _kind = QFileDialog.getOpenFileName(self, _("Open a logbook"), str(self._path.parent), LOGBOOKS)
        elif chosen is self.ways.get("backup"):
            name, _kind = QFileDialog.getOpenFileName(self, _("Open a backup"), str(self._backups()), LOGBOOKS)
        elif chosen is self.ways["new"]:
            name, _kind = QFileDialog.getSaveFileName(self, _("A new logbook"), str(self._path.parent), LOGBOOKS)
        else:
            return None
        # no file chosen: the question stands
        return Path(name) if name else self.ask()
