"""What was changed: every edit in words with its time, what stood there before, and the newest taken back here."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtCore import QModelIndex, Qt, Signal
from PySide6.QtWidgets import QAbstractItemView, QHeaderView, QTableView, QWidget

from stathmis.core.errors import UserError
from stathmis.logbook import edits
from stathmis.logbook.edits import Done
from stathmis.services import notify
from stathmis.services.desk import Desk
from stathmis.services.files.soundness import Checked, checked
from stathmis.ui.kit.page import column, row
from stathmis.ui.kit.pieces import button, label, set_text
from stathmis.ui.models import ListModel
from stathmis.ui.theme import Theme
from stathmis.ui.work import Latest
from stathmis.words import changes, damage
from stathmis.words.catalogue import _

MOST = 400
SHOWN = 12


class ChangesView(QWidget):
    """The page of edits, newest first."""

    backups_wanted = Signal()

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self.setObjectName("page")
        self._desk, self._theme = desk, theme
        words = _(
            "Every edit with what stood there before. It is kept in the logbook's file, also when it is taken back."
        )
        columns = (
            (_("when"), lambda d: changes.when(desk.book, d)),
            (_("what"), changes.title),
            (_("rows"), lambda d: str(d.touched)),
        )
        self.model: ListModel[Done] = ListModel(columns, lambda d: d.id, self)
        self.table = QTableView()
        self.table.setModel(self.model)
        self.table.setAccessibleName(_("Edits, newest first"))
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.table.setTabKeyNavigation(False)
        self.table.setShowGrid(False)
        self.table.setWordWrap(False)
        self.table.verticalHeader().hide()
        self.table.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        header = self.table.horizontalHeader()
        header.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft)
        # as wide as what is in view: not every row there is is asked
        header.setResizeContentsPrecision(0)
        header.setSectionResizeMode(0, QHeaderView.ResizeMode.ResizeToContents)
        header.setSectionResizeMode(1, QHeaderView.ResizeMode.Stretch)
        header.setSectionResizeMode(2, QHeaderView.ResizeMode.ResizeToContents)
        self.table.selectionModel().currentRowChanged.connect(self._chosen)
        self.back = button(_("Take back"), lambda: self._step(desk.undo, _("Undone: {}.")), tip="Ctrl+Z")
        self.again = button(_("Do again"), lambda: self._step(desk.redo, _("Done again: {}.")), tip="Ctrl+Shift+Z")
        self.check = button(_("Check the logbook"), self._check, tip=_("Whether all of it still is as it was written"))
        self._checking = Latest()
        self._details = label("", "small", wrap=True)
        backups = button(_("Backups"), self.backups_wanted.emit, tip=_("What each holds, and going back to one"))
        head = column(
            label(_("What was changed"), "title"),
            label(words, "muted", wrap=True),
            row(self.check, backups, 1, spacing=12),
        )
        box = column(head, (self.table, 3), row(self.back, self.again, 1, spacing=12), self._details, 1)
        box.setContentsMargins(32, 16, 32, 24)
        self.setLayout(box)
        theme.dress(self)

    def begin(self) -> None:
        """Come in at the newest edit."""
        if self.model.rowCount():
            self.table.selectRow(0)
        self.table.setFocus()

    def refresh(self) -> None:
        """Show the edits as they stand; the one that was chosen stays chosen."""
        self.model.show_rows(edits.history(self._desk.logbook, MOST))
        undo, redo = edits.to_undo(self._desk.logbook), edits.to_redo(self._desk.logbook)
        for made, found, nothing in (
            (self.back, undo, _("Nothing to take back")),
            (self.again, redo, _("Nothing to do again")),
        ):
            verb = _("Take back") if made is self.back else _("Do again")
            made.setEnabled(found is not None)
            set_text(made, f"{verb}: {found.label[:40]}" if found is not None else nothing)
        self._chosen(self.table.currentIndex())

    def _chosen(self, index: QModelIndex, _before: QModelIndex | None = None) -> None:
        done = self.model.row(index.row()) if index.isValid() else None
        rows = edits.rows_of(self._desk.logbook, done, SHOWN) if done is not None else []
        set_text(self._details, "\n".join(changes.lines(self._desk.book, done, rows)) if done is not None else "")

    def _check(self) -> None:
        set_text(self._details, _("Checking every reading, check and edit …"))
        self.check.setEnabled(False)
        self._checking.start(partial(checked, self._desk), self._checked, self._not_checked)

    def _checked(self, found: Checked) -> None:
        self.check.setEnabled(True)
        if found.damages:
            notify.tell("error", damage.summary(found.damages, found.backup))
        said = damage.lines(self._desk.book, found.damages)
        set_text(self._details, "\n".join(said or [damage.sound()]))

    def _not_checked(self, error: BaseException) -> None:
        self.check.setEnabled(True)
        set_text(self._details, "")
        notify.tell_error(error)

    @staticmethod
    def _step(step: Callable[[], str | None], words: str) -> None:
        try:
            found = step()
        except UserError as error:
            notify.tell_error(error)
            return
        if found:
            notify.tell("info", words.format(found))
