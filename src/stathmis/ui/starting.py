"""When the logbook cannot be opened: a window that says why, and offers what can be done about it."""

from __future__ import annotations

from datetime import datetime
from pathlib import Path

from PySide6.QtWidgets import QFileDialog, QMessageBox, QPushButton

from stathmis.core.errors import UserError
from stathmis.logbook import backups
from stathmis.words.catalogue import Sentence, _

LOGBOOKS = Sentence("Logbooks (*.stathmis);;All files (*)")


class Starting(QMessageBox):
    """Why a logbook cannot be opened, with ways on; `asked` is None where the keeper gives up."""

    def __init__(self, error: UserError, path: Path) -> None:
        super().__init__(QMessageBox.Icon.NoIcon, "Stathmis", error.what)
        self._path = path
        self.setInformativeText(error.to_do)
        role = QMessageBox.ButtonRole.ActionRole
        self.ways: dict[str, QPushButton] = {"another": self.addButton(_("Open another …"), role)}
        if backups.folder_of(path).is_dir():
            self.ways["backup"] = self.addButton(_("Go back to a backup …"), role)
        self.ways["new"] = self.addButton(_("Make a new one …"), role)
        self.addButton(_("Close"), QMessageBox.ButtonRole.RejectRole)
        # Enter does what the words above advise, and nothing that could hurt
        self.setDefaultButton(self.ways.get("backup", self.ways["another"]))

    def ask(self) -> Path | None:
        """Show it, and what file to open instead (one that is not there yet is made)."""
        self.exec()
        chosen, name = self.clickedButton(), ""
        if chosen is self.ways["another"]:
            name, _kind = QFileDialog.getOpenFileName(self, _("Open a logbook"), str(self._path.parent), LOGBOOKS())
        elif chosen is self.ways.get("backup"):
            beside = str(backups.folder_of(self._path))
            name, _kind = QFileDialog.getOpenFileName(self, _("Go back to a backup"), beside, LOGBOOKS())
            if name:
                return self._gone_back(Path(name))
        elif chosen is self.ways["new"]:
            name, _kind = QFileDialog.getSaveFileName(self, _("A new logbook"), str(self._path.parent), LOGBOOKS())
        else:
            return None
        # no file chosen: the question stands
        return Path(name) if name else self.ask()

    def _gone_back(self, backup: Path) -> Path | None:
        """The logbook itself, a backup in its place; where that fails, why, and the question again."""
        try:
            backups.go_back(self._path, backup, f"{datetime.now():%Y-%m-%d %H%M%S}")
        except UserError as error:
            self.setText(error.what)
            self.setInformativeText(error.to_do)
            return self.ask()
        return self._path
