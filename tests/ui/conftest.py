"""Windows for tests: on the demo logbook and on an empty one, with no timers or work left behind."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import ExitStack

import pytest
from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from sharing import Mark
from stathmis.services.desk import Desk
from stathmis.ui import work
from stathmis.ui.pictures import open_window, settle
from stathmis.ui.theme import Theme
from stathmis.ui.window import Window
from visits import Visits
from windows import nobody_looks_ahead

# nobody looks at what is painted before: without this each wait for work is that much longer
work.AFTER_PAINT_MS = 0


@pytest.fixture(scope="session")
def theme(qapp: QApplication) -> Theme:
    """The light theme."""
    qapp.setStyle("Fusion")
    return Theme(qapp, "light")


def _open(qtbot: QtBot, desk: Desk, theme: Theme) -> Window:
    window = Window(desk, theme)
    window.show()
    qtbot.waitExposed(window)
    window.activateWindow()
    qtbot.waitUntil(window.isActiveWindow, timeout=5000)
    return window


@pytest.fixture
def window(qtbot: QtBot, demo: Desk, theme: Theme) -> Iterator[Window]:
    """The window on the demo logbook."""
    made = _open(qtbot, demo, theme)
    yield made
    made.close()
    made.deleteLater()
    assert not work.busy()


@pytest.fixture
def empty_window(qtbot: QtBot, desk: Desk, theme: Theme) -> Iterator[Window]:
    """The window on an empty logbook."""
    made = _open(qtbot, desk, theme)
    yield made
    made.close()
    made.deleteLater()


@pytest.fixture(scope="session")
def visits(demo_mark: Mark, theme: Theme, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Visits]:
    """The windows of all tests that only look."""
    with ExitStack() as stack:

        def begin() -> Window:
            path = tmp_path_factory.mktemp("looked at") / "demo.stathmis"
            window = stack.enter_context(open_window(stack.enter_context(demo_mark.copy(path)), theme))
            window.activateWindow()
            settle()
            # what comes round by itself would come in the middle of other tests
            for collector in window.findChildren(work.Collector):
                collector.stop()
            for timer in window.findChildren(QTimer):
                timer.stop()
            return window

        yield Visits(begin)


LOOKING_AHEAD = ("test_beside_window", "test_twin_pages", "test_kept_pictures", "test_for_everyone")


@pytest.fixture(autouse=True)
def _only_where_it_is_looked_at(request: pytest.FixtureRequest) -> Iterator[None]:
    with pytest.MonkeyPatch.context() as patched:
        if request.node.path.stem not in LOOKING_AHEAD:
            nobody_looks_ahead(patched)
        yield
