"""The menu bar: every command where desktop users look for it, with its key; undo says what it would take back."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt
from PySide6.QtGui import QAction, QKeySequence
from PySide6.QtWidgets import QMenu, QMenuBar

from stathmis.logbook import edits
from stathmis.ui.commands import MENUS, Command
from stathmis.words.catalogue import _

if TYPE_CHECKING:
    from stathmis.ui.window import Window


ALSO = {"Ctrl++": "Ctrl+=", "Ctrl+K": "Ctrl+F", "Ctrl+Shift+Z": "Ctrl+Y"}
"""What desktop users press for the same."""


class Menus:
    """Fills a window's menu bar and gives every command its key, also while the menus are shut."""

    def __init__(self, window: Window, commands: Sequence[Command]) -> None:
        self._window = window
        self.actions: dict[str, QAction] = {}
        bar: QMenuBar = window.menuBar()
        # in the window on every desktop: it is where the guide's pictures show it
        bar.setNativeMenuBar(False)
        self.menus = {key: bar.addMenu(_(text)) for key, text in MENUS.items()}
        groups = dict.fromkeys(MENUS, 0)
        for command in commands:
            menu = self.menus[command.menu]
            if command.group != groups[command.menu]:
                menu.addSeparator()
                groups[command.menu] = command.group
            self._add(menu, command)
            if command.do == window.files.open:
                self.recent = menu.addMenu(_("Open again"))
                self.recent.aboutToShow.connect(self._show_recent)
        self.menus["edit"].aboutToShow.connect(self.name_undo)
        first = QAction(window)
        first.setShortcut(QKeySequence("F10"))
        first.triggered.connect(lambda: bar.setActiveAction(self.menus["logbook"].menuAction()))
        window.addAction(first)

    def _add(self, menu: QMenu, command: Command) -> None:
        made = QAction(command.text.replace("&", "&&"), self._window)
        if command.pressed:
            # a button has the key: here it is only shown
            made.setText(f"{made.text()}\t{command.keys}")
        elif command.keys:
            also = ALSO.get(command.keys)
            made.setShortcuts([QKeySequence(keys) for keys in (command.keys, also) if keys])
            made.setShortcutContext(Qt.ShortcutContext.WindowShortcut)
        if command.checked is not None:
            made.setCheckable(True)
            made.setChecked(command.checked)
        made.triggered.connect(lambda _on=False: command.do())
        menu.addAction(made)
        self._window.addAction(made)
        self.actions[command.text] = made

    def name_undo(self) -> None:
        """Undo and redo say what they would do."""
        logbook = self._window.desk.logbook
        for text, found in ((_("Undo"), edits.to_undo(logbook)), (_("Redo"), edits.to_redo(logbook))):
            made = self.actions[text]
            made.setText(f"{text}: {found.label}".replace("&", "&&") if found is not None else text)

    def _show_recent(self) -> None:
        self.recent.clear()
        found = self._window.files.recent()
        for path in found:
            made = self.recent.addAction(path.stem.replace("&", "&&"), partial(self._window.files.launch, path))
            made.setToolTip(str(path))
        if not found:
            self.recent.addAction(_("No other logbook was opened yet")).setEnabled(False)
