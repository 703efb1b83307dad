"""Every view is visited once in each setting of the window, and all that is to be checked there is checked at once.

A check registers itself and is a test of its own, with its own name; the first that asks of a view makes the visit.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from contextlib import AbstractContextManager, ExitStack, contextmanager

from PySide6.QtCore import qInstallMessageHandler

from stathmis.ui.pictures import VIEWS, bring, settle
from stathmis.ui.window import Window

Check = Callable[[Window, str], None]


@contextmanager
def themed(window: Window, name: str = "light", scale: float = 1.0) -> Iterator[None]:
    """The window in another theme ("strong" is light with more contrast) and text size for a while."""
    theme = window.theme
    theme.scale = scale
    if name == "strong":
        theme.switch_contrast()
    theme.choose("light" if name == "strong" else name)
    try:
        yield
    finally:
        if name == "strong":
            theme.switch_contrast()
        theme.scale = 1.0
        theme.choose("light")


SETTINGS: dict[str, Callable[[Window], AbstractContextManager[None]]] = {
    "light": themed,
    "dark": lambda window: themed(window, "dark"),
    "strong": lambda window: themed(window, "strong"),
    "large": lambda window: themed(window, scale=2.0),
}
_checks: dict[str, list[tuple[Check, Sequence[str]]]] = {setting: [] for setting in SETTINGS}


def checked_in(setting: str, views: Sequence[str] = VIEWS, *, first: bool = False) -> Callable[[Check], Check]:
    """Have a check made at each visit of these views in a setting; first: before others that move the focus."""

    def register(check: Check) -> Check:
        _checks[setting].insert(0 if first else len(_checks[setting]), (check, views))
        return check

    return register


class Visits:
    """What was found at the visits of one window."""

    def __init__(self, window: Window) -> None:
        self._window, self._setting, self._stack = window, "", ExitStack()
        self._found: dict[tuple[str, str, Check], AssertionError | None] = {}

    @property
    def window(self) -> Window:
        """The window as it is for most: to be looked at, and left as it was."""
        return self._set("light")

    def _set(self, setting: str) -> Window:
        if setting != self._setting:
            self._stack.close()
            self._stack.enter_context(SETTINGS[setting](self._window))
            self._setting = setting
        # another window may have had the focus meanwhile
        self._window.activateWindow()
        settle()
        return self._window

    def close(self) -> None:
        """Leave the window as it was."""
        self._stack.close()

    def ask(self, setting: str, view: str, check: Check) -> None:
        """Raise what a check found wrong with a view in a setting, which is visited where it was not yet."""
        if (setting, view, check) not in self._found:
            self._visit(self._set(setting), setting, view)
        wrong = self._found[setting, view, check]
        if wrong is not None:
            raise wrong

    def _visit(self, window: Window, setting: str, view: str) -> None:
        said: list[str] = []
        before = qInstallMessageHandler(lambda _kind, _where, text: said.append(text))
        try:
            bring(window, view)
        finally:
            qInstallMessageHandler(before)
        wrong_order = [text for text in said if "setTabOrder" in text]
        assert not wrong_order, wrong_order
        for check in [check for check, views in _checks[setting] if view in views]:
            self._found[setting, view, check] = None
            try:
                check(window, view)
            except AssertionError as wrong:
                self._found[setting, view, check] = wrong
