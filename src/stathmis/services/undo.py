"""Undo and redo of a keeper's edits, newest first."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass


@dataclass(frozen=True)
class Edit:
    """One edit in the keeper's words ("3 readings logged"), with how to take it back and do it again."""

    label: str
    undo: Callable[[], None]
    redo: Callable[[], None]


class History:
    """The edits of this run of the program. An edit that fails to undo stays where it was."""

    def __init__(self) -> None:
        self._done: list[Edit] = []
        self._undone: list[Edit] = []

    def add(self, edit: Edit) -> None:
        """Record an edit that has just been made; what was undone before it can no longer be redone."""
        self._done.append(edit)
        self._undone.clear()

    def undo(self) -> str | None:
        """Take back the newest edit; returns its label, None when there is none."""
        if not self._done:
            return None
        self._done[-1].undo()
        self._undone.append(self._done.pop())
        return self._undone[-1].label

    def redo(self) -> str | None:
        """Do again what was undone last; returns its label, None when there is none."""
        if not self._undone:
            return None
        self._undone[-1].redo()
        self._done.append(self._undone.pop())
        return self._done[-1].label
