"""Small pieces every view is made of: labels with a role, rules, buttons; and changing them without a flicker."""

from __future__ import annotations

from collections.abc import Callable
from typing import TypeVar

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFrame, QLabel, QLayout, QPushButton, QWidget

T = TypeVar("T")


def label(text: str = "", role: str = "", ink: str = "", *, wrap: bool = False) -> QLabel:
    """A label in a role ("title", "muted", ...) and ink of the style sheet. Text is plain."""
    made = QLabel(text)
    made.setTextFormat(Qt.TextFormat.PlainText)
    if role:
        made.setProperty("role", role)
    if ink:
        made.setProperty("ink", ink)
    made.setWordWrap(wrap)
    return made


def problem_label() -> QLabel:
    """A hidden line for what is wrong, to stand beside its field."""
    made = label("", "problem", wrap=True)
    made.hide()
    return made


def set_property(widget: QWidget, name: str, value: object) -> None:
    """Change a property the style sheet looks at, and restyle."""
    if (widget.property(name) or "") != (value or ""):
        widget.setProperty(name, value)
        widget.style().unpolish(widget)
        widget.style().polish(widget)


def set_text(widget: QLabel | QPushButton, text: str) -> None:
    """Show a text, and touch nothing where it is shown already: layouts are not worked out again for nothing."""
    if widget.text() != text:
        widget.setText(text)


def say(widget: QLabel, text: str) -> None:
    """Show a text; the line is gone where there is none."""
    set_text(widget, text)
    widget.setVisible(bool(text))


def rule() -> QFrame:
    """A hairline."""
    made = QFrame()
    made.setObjectName("rule")
    return made


def button(text: str, on_click: Callable[[], object], role: str = "", tip: str = "", *, name: str = "") -> QPushButton:
    """A button; role "main", "link", "tab" or "place"; name: what it is called where its text alone does not say it."""
    made = QPushButton(text)
    if role:
        made.setProperty("role", role)
    made.setToolTip(tip)
    if name:
        made.setAccessibleName(name)
    made.setCheckable(role == "tab")
    made.setAutoDefault(False)
    made.clicked.connect(lambda _checked=False: on_click())
    return made


def given(what: Callable[[], T | None], do: Callable[[T], object]) -> Callable[[], None]:
    """What a button of a line that lives on does with what its line is about just then; nothing where that is None."""

    def clicked() -> None:
        found = what()
        if found is not None:
            do(found)

    return clicked


def hide(widget: QWidget) -> None:
    """Hide a widget; one that has the focus gives it up first, else the page would scroll to whatever gets it."""
    focused = widget.focusWidget()
    if focused is not None and focused.hasFocus():
        focused.clearFocus()
    widget.hide()


def clear(layout: QLayout) -> None:
    """Remove and delete everything in a layout."""
    while (item := layout.takeAt(0)) is not None:
        inner, widget = item.layout(), item.widget()
        if inner is not None:
            clear(inner)
        if widget is not None:
            hide(widget)
            widget.deleteLater()
