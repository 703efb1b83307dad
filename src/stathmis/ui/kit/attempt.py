"""What a keeper does in a view: done and told, or refused in words beside the field, with nothing typed lost."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager

from PySide6.QtWidgets import QLabel, QLineEdit

from stathmis.core.errors import UserError
from stathmis.services import notify
from stathmis.ui.kit.pieces import say
from stathmis.words.catalogue import _


def attempt(problem: QLabel, action: Callable[[], str]) -> bool:
    """Do something that can be undone. What it says is told; why it cannot be stands in the problem's line."""
    try:
        said = action()
    except UserError as error:
        say(problem, str(error))
        return False
    problem.hide()
    notify.tell("info", _("{said} Ctrl+Z takes it back.", said=said))
    return True


@contextmanager
def emptied(*edits: QLineEdit) -> Iterator[list[str]]:
    """Fields whose texts are being taken: empty while it is done (the view may be built anew by it), and as they were
    where it is refused. Yields what was typed."""
    typed = [edit.text() for edit in edits]
    for edit in edits:
        edit.setText("")
    try:
        yield typed
    except UserError:
        for edit, text in zip(edits, typed, strict=True):
            edit.setText(text)
        raise
