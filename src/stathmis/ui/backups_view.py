"""Backups: what each holds, a copy to look at, and going back to one; the second folder they are put into."""

from __future__ import annotations

import sys
from functools import partial
from pathlib import Path

from PySide6.QtCore import QProcess, Signal
from PySide6.QtWidgets import QFileDialog, QLineEdit, QWidget

from stathmis.logbook import backups
from stathmis.logbook.backups import Held
from stathmis.services import notify
from stathmis.services.desk import Desk
from stathmis.services.files import backing_up
from stathmis.ui.kit.attempt import attempt
from stathmis.ui.kit.lines import Pool
from stathmis.ui.kit.page import Page, column, holder, put, row
from stathmis.ui.kit.pieces import button, label, problem_label, rule, say, set_property, set_text
from stathmis.ui.theme import Theme
from stathmis.ui.work import Background
from stathmis.words import backups as words
from stathmis.words.catalogue import _


class _Backup(QWidget):
    """One backup: its day, what it holds, and what can be done with it."""

    def __init__(self, view: BackupsView) -> None:
        super().__init__()
        self.path = Path()
        self.found: Held | None = None
        self._view = view
        self._name, self._holds, self._sound = label("", "name"), label("", wrap=True), label("", "small", wrap=True)
        self.look = button(_("Look at it"), lambda: view.look_at(self.path), tip=_("A copy in a window of its own"))
        self.back = button(_("Go back to it …"), lambda: view.ask(self.path))
        self._meaning = label("", wrap=True)
        self.really = button(
            _("Put the present one aside and go back"), lambda: view.going_back.emit(self.path), "main"
        )
        stay = button(_("Leave it as it is"), lambda: view.ask(None))
        self.asked = holder(column(self._meaning, row(self.really, stay, 1, spacing=12)))
        self.asked.hide()
        head = row((column(self._name, self._holds, self._sound, spacing=2), 1), self.look, self.back, spacing=12)
        put(self, column(head, self.asked, rule()), top=4)

    def show_backup(self, path: Path, found: Held | None, *, asked: bool) -> None:
        book, beside = self._view.desk.book, backups.folder_of(self._view.desk.logbook.path)
        self.path, self.found = path, found
        called = words.name(path, beside)
        set_text(self._name, called)
        self.look.setAccessibleName(_("Look at {backup}", backup=called))
        self.back.setAccessibleName(_("Go back to {backup}", backup=called))
        set_text(self._holds, words.holds(book, found) if found is not None else _("being read …"))
        say(self._sound, words.soundness(found) if found is not None and found.readings else "")
        set_property(self._sound, "ink", "undecided" if found is not None and found.faults else "")
        readable = found is not None and (found.older or found.faults is not None)
        self.look.setEnabled(readable)
        self.back.setEnabled(readable and not self._view.desk.read_only)
        set_text(self._meaning, words.meaning(book, found) if found is not None else "")
        self.asked.setVisible(asked)


class BackupsView(Page):
    """The page of backups. going_back: the keeper wants this one in the logbook's place."""

    going_back = Signal(Path)

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__(theme)
        self.desk = desk
        self._held: dict[tuple[Path, float], Held] = {}
        self._asked: Path | None = None
        self._job: Background | None = None
        self.page.addWidget(label(_("Backups"), "title"))
        self.page.addWidget(label(words.about(), "muted", wrap=True))
        self.folder = QLineEdit()
        self.folder.setPlaceholderText(_("none: a stick, or a folder that is synchronised"))
        self.folder.setAccessibleName(_("Second folder for backups"))
        self.folder.returnPressed.connect(self.keep_folder)
        self._problem = problem_label()
        keep, choose = button(_("Keep it"), self.keep_folder), button(_("Choose …"), self._choose)
        self.page.addLayout(row(label(_("Also into")), (self.folder, 1), choose, keep, spacing=12))
        self.page.addWidget(self._problem)
        self.page.addSpacing(8)
        self._none = label(words.none_yet(), "muted", wrap=True)
        self.page.addWidget(self._none)
        self.list = Pool(self.page, lambda: _Backup(self), 0)
        self.page.addStretch(1)

    def begin(self) -> None:
        """Come in at the newest backup."""
        first = next(iter(self.list.show(len(self._paths))), None)
        (first.back if first is not None else self.folder).setFocus()

    def refresh(self) -> None:
        """List what is there; what each holds is read off the window's thread."""
        if not self.folder.hasFocus():
            self.folder.setText(self.desk.book.settings.backup_folder)
        self._paths = backing_up.there_are(self.desk)
        self._show()
        unread = [p for p in self._paths if self._known(p) is None]
        if unread and self._job is None:
            self._job = Background(partial(self._read, unread))
            self._job.progressed.connect(lambda _fraction: self._show())
            self._job.done.connect(self._read_all)
            self._job.failed.connect(self._read_all)
            self._job.start(150)

    def _read(self, paths: list[Path], progress: object, cancelled: object) -> None:
        for found in backing_up.looked_through(paths, cancelled):  # type: ignore[arg-type]
            self._held[found.path, _written(found.path)] = found
            progress(0.0)  # type: ignore[operator]

    def _read_all(self, outcome: object) -> None:
        self._job = None
        if isinstance(outcome, BaseException):
            notify.tell_error(outcome)
        self._show()

    def _known(self, path: Path) -> Held | None:
        return self._held.get((path, _written(path)))

    def _show(self) -> None:
        self._none.setVisible(not self._paths)
        for line, path in zip(self.list.show(len(self._paths)), self._paths, strict=True):
            line.show_backup(path, self._known(path), asked=path == self._asked)

    def ask(self, path: Path | None) -> None:
        """Before going back to one: say what that means, beside it; None: leave it."""
        self._asked = path
        self._show()
        for line in self.list.show(len(self._paths)):
            if line.path == path:
                line.really.setFocus()

    def leave(self) -> bool:
        """Esc leaves the question first."""
        if self._asked is None:
            return False
        self.ask(None)
        return True

    def look_at(self, path: Path) -> None:
        """Open a copy of a backup in a window of its own, where nothing can be changed."""
        started, _pid = QProcess.startDetached(sys.executable, ["-m", "stathmis", "--look", str(path)])
        if not started:
            notify.tell("error", _("The window for the backup could not be started."))

    def _choose(self) -> None:
        chosen = QFileDialog.getExistingDirectory(self, _("Second folder for backups"), self.folder.text())
        if chosen:
            self.folder.setText(chosen)
            self.keep_folder()

    def keep_folder(self) -> None:
        """Put backups into the typed folder too."""

        def action() -> str:
            backing_up.set_second_folder(self.desk, self.folder.text())
            return _("Kept. Today's backup is put there within the hour.")

        attempt(self._problem, action)


def _written(path: Path) -> float:
    try:
        return path.stat().st_mtime
    except OSError:
        return 0.0
