"""What tests share that work with a window."""

from __future__ import annotations

import pytest
from PySide6.QtGui import QKeySequence
from pytestqt.qtbot import QtBot

from stathmis.ui.batch_pages import BatchPages
from stathmis.ui.pictures import settle
from stathmis.ui.trace_view import TraceView
from stathmis.ui.window import Window


def press(qtbot: QtBot, window: Window, keys: str) -> None:
    """Press a shortcut, wherever the cursor is."""
    sequence = QKeySequence(keys)[0]
    qtbot.keyClick(window, sequence.key(), sequence.keyboardModifiers())
    settle()


def nobody_looks_ahead(monkeypatch: pytest.MonkeyPatch) -> None:
    """What comes over the next two days takes a second for each machine: most tests do not look at it."""
    monkeypatch.setattr(BatchPages, "_look_ahead", lambda *_args, **_more: None)
    monkeypatch.setattr(TraceView, "_look_ahead", lambda *_args: None)
