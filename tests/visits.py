"""Every view is visited once in each setting of the window, and all that is to be checked there is checked at once.

A check registers itself and is a test of its own, with its own name; the first that asks of a view makes the visit.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from contextlib import AbstractContextManager, contextmanager

from PySide6.QtCore import qInstallMessageHandler

from cost import Shared
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
    """What was found at the visits of two windows: one that stays as light as it began, and one for all other settings.

    All views of a setting are visited in their order, whichever test asks first: where the focus stood, and how wide
    something once was, leaves its trace in a window.
    """

    def __init__(self, begin: Callable[[], Window]) -> None:
        """begin: opens a window."""
        self._begin = begin
        self._windows: dict[bool, Window] = {}
        self._found: dict[tuple[str, str, Check], AssertionError | None] = {}

    @property
    def window(self) -> Window:
        """The light one: to be looked at, and left as it was."""
        self._visit("light")
        window = self._windows[True]
        # another window may have had the focus meanwhile
        window.activateWindow()
        settle()
        return window

    def ask(self, setting: str, view: str, check: Check) -> None:
        """Raise what a check found wrong with a view in a setting."""
        self._visit(setting)
        wrong = self._found[setting, view, check]
        if wrong is not None:
            raise wrong

    def _visit(self, setting: str) -> None:
        if any(visited == setting for visited, _view, _check in self._found):
            return
        with Shared():
            light = setting == "light"
            window = self._windows.get(light) or self._windows.setdefault(light, self._begin())
            window.activateWindow()
            with SETTINGS[setting](window):
                for view in VIEWS:
                    self._look(window, setting, view)

    def _look(self, window: Window, setting: str, view: str) -> None:
        checks = [check for check, views in _checks[setting] if view in views]
        if not checks:
            return
        said: list[str] = []
        before = qInstallMessageHandler(lambda _kind, _where, text: said.append(text))
        try:
            bring(window, view)
        finally:
            qInstallMessageHandler(before)
        wrong_order = [text for text in said if "setTabOrder" in text]
        for check in checks:
            self._found[setting, view, check] = AssertionError(wrong_order) if wrong_order else None
            try:
                check(window, view)
            except AssertionError as wrong:
                self._found[setting, view, check] = wrong
