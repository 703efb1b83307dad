"""The window in other languages: no English is left, nothing is cut, and the language changes where one stands."""

from __future__ import annotations

import gettext
import re
import shutil
import zipfile
from collections.abc import Callable, Iterator
from contextlib import closing
from pathlib import Path
from typing import Any

import pytest
from PySide6.QtCore import QAbstractItemModel, QAbstractTableModel, QLocale, QModelIndex, QSettings, Qt
from PySide6.QtGui import QPainter, QTextDocument
from PySide6.QtWidgets import QAbstractButton, QAbstractItemView, QComboBox, QLabel, QLineEdit, QScrollArea, QWidget
from pytestqt.qtbot import QtBot

from sharing import NOW_MS, air_beside, build_demo, once_a_run
from stathmis.exchange.report_page import html_of
from stathmis.logbook.calibrations import calibrations
from stathmis.logbook.opening import open_logbook
from stathmis.logbook.records import Batch
from stathmis.services.batch import batches, profiles
from stathmis.services.book import Book
from stathmis.services.clock import FixedClock
from stathmis.services.desk import Desk
from stathmis.services.files import archive, readings_export
from stathmis.services.findings import trace
from stathmis.services.instruments.sheet import sheet
from stathmis.services.on_paper.brooder import brooder_card
from stathmis.services.on_paper.card import card
from stathmis.services.on_paper.labels import labels
from stathmis.services.on_paper.round_sheet import round_paper
from stathmis.services.plan import calendar, planning
from stathmis.services.report import season_report
from stathmis.services.report.batch_report import batch_report
from stathmis.ui import card_pdf, language, pictures
from stathmis.ui.instruments import sheet_pdf
from stathmis.ui.paper import Paper
from stathmis.ui.theme import Theme
from stathmis.ui.window import Window
from stathmis.words import catalogue, dates

OTHERS = dict(zip("aeiouAEIOUH", ("ää", "ëë", "ïï", "öö", "üü", "Ä", "Ë", "Ï", "Ö", "Ü", "Ĥ"), strict=True))


class Longer(gettext.NullTranslations):
    """A language that is English with other and more letters, and a decimal comma: what it does not reach was not
    looked up. Words grow by some 40 %."""

    def info(self) -> dict[str, str]:
        return {"language": "longer"}

    def gettext(self, message: str) -> str:
        message = re.sub(r"(?<=\d)\.(?=\d)", ",", message.replace("1,234.5", "1 234.5"))
        parts = re.split(r"(\{[^}]*\}|<[^>]*>|\(\*[^)]*\))", message)
        kept = [p if p[:1] in ("{", "<") or p[:2] == "(*" else "".join(OTHERS.get(c, c) for c in p) for p in parts]
        return "".join(kept)

    def ngettext(self, msgid1: str, msgid2: str, n: int) -> str:
        return self.gettext(msgid1 if n == 1 else msgid2)


# fmt: off
NAMES = {
    "Stathmis", "Ctrl", "Alt", "Shift", "Esc", "Enter", "English", "Deutsch", "hPa", "dev", "ttyS", "UTC", "UTF", "min",
    "37.52", "48.1.",
}
"""Said alike in every language; min is a unit. The numbers are what a probe sends."""
OF_THE_FILE = {
    "porch", "shelf", "autumn", "logger", "csv", "Date", "and", "time", "Temp", "Humidity", "17.05.2026",
}
"""What stands in the loggers' files that are brought in."""
# fmt: on


@pytest.fixture(scope="module")
def longer_file(demo_file: Path, tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The demo logbook as it is made in that language."""

    def make(path: Path) -> None:
        catalogue.use(Longer())
        build_demo(path, air_beside(demo_file))
        catalogue.use(gettext.NullTranslations())

    return once_a_run(tmp_path_factory, "longer.stathmis", make)


@pytest.fixture(scope="module")
def german_file(demo_file: Path, tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The demo logbook as it is made in German."""

    def make(path: Path) -> None:
        language.speak("de")
        build_demo(path, air_beside(demo_file))
        language.speak("en")

    return once_a_run(tmp_path_factory, "german.stathmis", make)


@pytest.fixture
def longer(longer_file: Path, tmp_path: Path) -> Iterator[Desk]:
    """A demo logbook of one's own in that language, which is spoken meanwhile."""
    catalogue.use(Longer())
    with closing(open_logbook(Path(shutil.copy(longer_file, tmp_path / "demo.stathmis")))) as logbook:
        yield Desk(logbook, FixedClock(NOW_MS))
    catalogue.use(gettext.NullTranslations())


@pytest.fixture
def as_before() -> Iterator[None]:
    """Another language, and its days and times, are spoken in the test only."""
    locale, style = QLocale(), dates.style
    yield
    language.speak("en")
    QLocale.setDefault(locale)
    dates.use(style)


def _said(window: QWidget) -> Iterator[str]:
    for one in (window, *window.findChildren(QWidget)):
        if one.isVisible():
            yield from (one.toolTip(), one.accessibleName(), one.accessibleDescription())
            if isinstance(one, QLabel | QAbstractButton):
                yield one.text()
            if isinstance(one, QLineEdit):
                yield from (one.placeholderText(), one.text())
            if isinstance(one, QComboBox):
                yield from (one.itemText(i) for i in range(one.count()))
            if isinstance(one, QAbstractItemView):
                yield from _of_items(one.model())


def _of_items(model: QAbstractItemModel) -> Iterator[str]:
    whole = QModelIndex()
    columns = model.columnCount(whole) if isinstance(model, QAbstractTableModel) else 1
    for column in range(columns):
        yield str(model.headerData(column, Qt.Orientation.Horizontal) or "")
        for row in range(model.rowCount(whole)):
            at = model.index(row, column)
            yield from (str(at.data(role) or "") for role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.ToolTipRole))


def _english(texts: Iterator[str] | list[str]) -> set[str]:
    """Words of three letters and more with a vowel of English, its relative humidity, and numbers with its point."""
    found = set()
    for text in texts:
        plain = re.sub(r"<[^>]*>|&\w+;", " ", text)
        for word in re.findall(r"[^\W\d_]{3,}", plain):
            if word.isascii() and re.search("[aeiouAEIOU]", word):
                found.add(word)
        found |= set(re.findall(r"[\d.]*\d\.\d[\d.]*|\bRH\b", plain))
    return found


def _cut(window: QWidget) -> list[str]:
    """Labels and buttons whose words have less room than they need, and what is wider than where it scrolls."""
    found = [
        f"{type(area).__name__} {area.objectName()}"
        for area in window.findChildren(QScrollArea)
        if area.isVisible() and area.objectName() != "beyond"
        if area.widget() and area.widget().width() > area.viewport().width()
    ]
    for one in window.findChildren(QWidget):
        if not one.isVisible() or one.visibleRegion().isEmpty():
            continue
        if isinstance(one, QLabel) and one.text() and "<" not in one.text():
            if one.wordWrap():
                widest = max(
                    (one.fontMetrics().horizontalAdvance(w) for w in re.split(r"[\s–/-]+", one.text())), default=0
                )
                short = one.heightForWidth(one.width()) > one.height() + 2
            else:
                widest, short = one.fontMetrics().horizontalAdvance(one.text()), False
            if short or widest > one.width() + 2:
                found.append(one.text())
        elif isinstance(one, QAbstractButton):
            found += [one.text()] * (one.fontMetrics().horizontalAdvance(one.text().replace("&", "")) > one.width() + 2)
    return found


@pytest.mark.heavy("every page is visited")
def test_no_page_has_english_left_and_longer_words_are_not_cut(
    longer: Desk, theme: Theme, monkeypatch: pytest.MonkeyPatch
) -> None:
    painted: list[str] = []
    draw = QPainter.drawText

    def noted(self: QPainter, *arguments: object) -> object:
        painted.extend(a for a in arguments if isinstance(a, str))
        return draw(self, *arguments)  # type: ignore[call-overload]

    monkeypatch.setattr(QPainter, "drawText", noted)
    english: dict[str, set[str]] = {}
    cut: dict[str, list[str]] = {}
    with pictures.open_window(longer, theme) as window:
        for view in pictures.VIEWS:
            pictures.bring(window, view)
            window.grab()
            english[view] = _english(_said(window)) - NAMES - OF_THE_FILE
            cut[view] = _cut(window)
        menus = [a.text() for menu in window.menuBar().actions() for a in (menu, *menu.menu().actions())]  # type: ignore[attr-defined]
        english["menus"] = _english(menus) - NAMES
    english["drawn"] = _english(painted) - NAMES
    assert {view: words for view, words in english.items() if words} == {}
    assert {view: words for view, words in cut.items() if words} == {}


@pytest.mark.usefixtures("longer")
def test_an_empty_logbook_speaks_too(desk: Desk, theme: Theme) -> None:
    with pictures.open_window(desk, theme) as window:
        for place in ("", "planner", "instruments", "live", "records", "written", "backups", "changes", "practise"):
            if place:
                window.show_place(place)
            pictures.settle()
            assert _english(_said(window)) - NAMES - {"Test"} == set(), place


@pytest.mark.heavy("a practice hatch is lived through, and again for each of its decisions")
@pytest.mark.usefixtures("longer")
def test_a_practice_hatch_uncovered_has_no_english_left(theme: Theme) -> None:
    with pictures.uncovered(theme) as window:
        assert _english(_said(window)) - NAMES == set()


def _papers(desk: Desk, folder: Path, monkeypatch: pytest.MonkeyPatch) -> dict[str, str]:
    """What stands on each paper of a logbook, tags and all: reports, the batch's card, the brooder's card, the round's
    sheet, labels, a check's sheet, and the calendar."""
    book = desk.book
    written: list[str] = []
    put = QTextDocument.setHtml
    monkeypatch.setattr(QTextDocument, "setHtml", lambda self, html: (written.append(html), put(self, html))[1])
    said: dict[str, str] = {}

    def drawn(name: str, draw: Callable[[Book, Any, Paper], object], made: object) -> None:
        draw(book, made, Paper(name))
        said[name], written[:] = " ".join(written), []

    for batch in book.records(Batch):
        course = batches.course_by_id(book, batch.id)
        assert course is not None
        said[f"report of {batch.name}"] = html_of(batch_report(book, course))
        drawn(f"brooder of {batch.name}", card_pdf.draw_brooder, brooder_card(book, course))
        if batch.ended_ms is None:
            drawn(f"card of {batch.name}", card_pdf.draw_card, card(book, course))
    for year in season_report.seasons(book):
        said[f"season {year}"] = html_of(season_report.season_report(book, year))
    drawn("round", card_pdf.draw_round, round_paper(book))
    drawn("labels", card_pdf.draw_labels, labels(book))
    for check in calibrations(book.snapshot):
        drawn(f"check {check.id}", lambda _book, made, paper: sheet_pdf.draw(made, paper), sheet(book, check))
    calendar.write(desk, folder / "plan.ics")
    lines = (folder / "plan.ics").read_text(encoding="utf-8").replace("\n ", "").splitlines()
    told = [line.split(":", 1)[1] for line in lines if line.startswith(("SUMMARY", "DESCRIPTION"))]
    said["calendar"] = re.sub(r"\\.", " ", " ".join(told))
    return {name: re.sub(r"<style>.*?</style>", "", text, flags=re.DOTALL) for name, text in said.items()}


def test_no_paper_has_english_left(longer: Desk, tmp_path: Path, theme: Theme, monkeypatch: pytest.MonkeyPatch) -> None:
    papers = _papers(longer, tmp_path, monkeypatch)
    english = {name: _english([text]) - NAMES - {"Wilson"} for name, text in papers.items()}
    assert {name: words for name, words in english.items() if words} == {}


@pytest.mark.heavy("every page is visited")
@pytest.mark.usefixtures("as_before")
@pytest.mark.parametrize("large", [False, True])
def test_german_is_not_cut(german_file: Path, tmp_path: Path, theme: Theme, large: bool) -> None:
    """Every page at 1280 x 800, and with large text in a small window."""
    path = Path(shutil.copy(german_file, tmp_path / "demo.stathmis"))
    language.speak("de")
    try:
        while large and theme.scale < 1.5:
            theme.enlarge(1)
        with (
            closing(open_logbook(path)) as logbook,
            pictures.open_window(Desk(logbook, FixedClock(NOW_MS)), theme) as window,
        ):
            if large:
                window.resize(1024, 700)
            cut = {}
            for view in pictures.VIEWS:
                pictures.bring(window, view)
                cut[view] = _cut(window)
            assert {view: words for view, words in cut.items() if words} == {}
            assert window.pages.tabs["round"].text() == "Rundgang"
    finally:
        while theme.scale > 1.0:
            theme.enlarge(-1)


@pytest.mark.heavy("the whole logbook leaves twice")
@pytest.mark.usefixtures("as_before")
def test_files_that_leave_are_alike_in_every_language(demo: Desk, tmp_path: Path) -> None:
    """Readings, archive, a way and a profile to the letter; the calendar but for its words."""
    book = demo.book
    course = batches.running(book, book.incubators()[0])
    assert course is not None
    plan = planning.plan_of(book, course.batch)
    profile = profiles.start_from(book, course.species.key, "steady")
    left: dict[str, dict[str, str]] = {}
    for spoken in ("en", "de"):
        language.speak(spoken)
        folder = tmp_path / spoken
        folder.mkdir()
        # the first calendar gives the logbook its number
        calendar.write(demo, folder / "plan.ics")
        readings_export.export_readings(book, trace.trace(book, course), folder / "readings.csv")
        archive.write(demo, folder / "logbook.zip")
        planning.pass_on(plan, folder / "way.toml")
        profiles.write_out(profile, folder / "profile.toml")
        with zipfile.ZipFile(folder / "logbook.zip") as whole:
            left[spoken] = {name: whole.read(name).decode() for name in whole.namelist()}
        for file in folder.glob("*.[!z]*"):
            left[spoken][file.name] = file.read_text(encoding="utf-8")
    said = {spoken: files.pop("plan.ics") for spoken, files in left.items()}
    assert left["en"] == left["de"] and len(left["en"]) > 20
    words = re.compile(r"^(SUMMARY|DESCRIPTION|LOCATION|X-WR-CALNAME)\b.*\n(?: .*\n)*", re.MULTILINE)
    assert "Schlupf erwartet" in said["de"] and "Schlupf" not in said["en"]
    assert words.sub("", said["en"]) == words.sub("", said["de"]) and "BEGIN:VEVENT" in words.sub("", said["de"])


def test_the_chosen_language_stays_for_the_next_start(tmp_path: Path) -> None:
    """One that is gone since, and none, follow the system."""
    place = str(tmp_path / "window.ini")
    for kept, then in (("de", "de"), ("en", "en"), ("xx", language.SYSTEM), (language.SYSTEM, language.SYSTEM)):
        settings = QSettings(place, QSettings.Format.IniFormat)
        settings.setValue(language.KEY, kept)
        settings.sync()
        assert language.chosen(QSettings(place, QSettings.Format.IniFormat)) == then


@pytest.mark.usefixtures("as_before")
def test_the_language_changes_where_one_stands(qtbot: QtBot, demo: Desk, theme: Theme) -> None:
    language.speak("en")
    window = Window(demo, theme)
    window.show()
    qtbot.waitExposed(window)
    window.show_page("moisture")
    pictures.settle()
    typed = window.pages.moisture.eggs.step_g
    typed.setText("")
    qtbot.keyClicks(typed, "0.5")
    window.menus.actions["Deutsch"].trigger()
    assert window.language_wanted == "de" and not window.isVisible() and not window.goes_for_good
    stood = window.stood
    assert stood is not None and stood.page == "moisture" and "0.5" in stood.typed.values()
    window.deleteLater()
    language.speak("de")
    logbook = open_logbook(demo.logbook.path)
    again = Window(Desk(logbook, demo.clock), theme)
    try:
        again.stand_at(stood)
        again.show()
        qtbot.waitExposed(again)
        pictures.settle()
        language.type_again(again, stood.typed)
        assert again.pages.page == "moisture" and again.pages.tabs["moisture"].text() == "Feuchte"
        assert again.pages.moisture.eggs.step_g.text() == "0.5"
        assert again.menus.actions["Deutsch"].isChecked()
        # the decimal sign of the language is understood, and so is the other
        again.show_page("round")
        pictures.settle()
        row = again.pages.round.rows[0]
        again.pages.round.type_into(row, "37,2")
        assert "37,7" in row.value.text() or "37,6" in row.value.text()
    finally:
        again.close()
        again.deleteLater()
        logbook.close()
