"""The window's language: as the system has it, or as chosen; with it how days, times and Qt's own words are said."""

from __future__ import annotations

from dataclasses import dataclass, field

from PySide6.QtCore import QByteArray, QLibraryInfo, QLocale, QSettings, QTranslator
from PySide6.QtWidgets import QApplication, QLineEdit, QWidget

from stathmis.words import catalogue, dates

KEY = "language"
SYSTEM = ""
"""What is kept where the language follows the system."""
_qt: list[QTranslator] = []
_wanted = SYSTEM


@dataclass(frozen=True)
class Stand:
    """Where the keeper stood in a window: place, page, incubator, its size, and what was typed and not yet entered, by
    its place among the fields."""

    place: str
    page: str
    incubator_id: int | None
    geometry: QByteArray
    typed: dict[int, str] = field(default_factory=dict)


def chosen(settings: QSettings) -> str:
    """The language that was chosen, SYSTEM where none was."""
    kept = str(settings.value(KEY, SYSTEM))
    return kept if kept in catalogue.spoken_languages() else SYSTEM


def speak(language: str) -> None:
    """Say everything in a language from now on: words, days and times, and what Qt says itself."""
    global _wanted
    _wanted = language
    system = QLocale.system()
    wanted = [language] if language else [name.replace("-", "_") for name in system.uiLanguages()]
    spoken = catalogue.speak(wanted)
    own = system.name().partition("_")[0] == spoken or not language
    locale = system if own else QLocale(spoken)
    QLocale.setDefault(locale)
    short = QLocale.FormatType.ShortFormat
    day, time = locale.dateFormat(short), locale.timeFormat(short)
    dates.use(dates.Style(twelve_hours="a" in time.lower(), month_first=day.lower().startswith("m")))
    _translate_qt(spoken)


def wanted() -> str:
    """The language that was asked for, SYSTEM where it follows the system."""
    return _wanted


def _translate_qt(language: str) -> None:
    """What Qt says itself: its dialogs, and the names of keys."""
    for old in _qt:
        QApplication.removeTranslator(old)
    _qt.clear()
    made = QTranslator()
    folder = QLibraryInfo.path(QLibraryInfo.LibraryPath.TranslationsPath)
    if language != catalogue.ENGLISH and made.load(f"qtbase_{language}", folder):
        QApplication.installTranslator(made)
        _qt.append(made)


def names() -> dict[str, str]:
    """The languages there are, each called as it calls itself."""
    there = catalogue.spoken_languages()
    return {one: "English" if one == catalogue.ENGLISH else QLocale(one).nativeLanguageName() for one in there}


def typed_in(window: QWidget) -> dict[int, str]:
    """What was typed into the fields in view and not yet entered, by their place among them."""
    return {i: edit.text() for i, edit in enumerate(_fields(window)) if edit.isModified()}


def type_again(window: QWidget, typed: dict[int, str]) -> None:
    """Type it into the fields of a window that shows the same."""
    fields = _fields(window)
    for at, text in typed.items():
        if at < len(fields):
            fields[at].setText(text)
            fields[at].setModified(True)
            fields[at].textEdited.emit(text)


def _fields(window: QWidget) -> list[QLineEdit]:
    return [edit for edit in window.findChildren(QLineEdit) if edit.isVisible() and not edit.isReadOnly()]
