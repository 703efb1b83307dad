"""The way about: menus, the line to type in, the guide, other logbooks and printing, through the real window."""

from __future__ import annotations

import re
import tomllib
from pathlib import Path

import pytest
from pypdf import PdfReader
from PySide6.QtCore import QPoint, QSettings, Qt
from PySide6.QtGui import QAction
from PySide6.QtPrintSupport import QPrinter, QPrintPreviewDialog
from PySide6.QtWidgets import QFileDialog, QPushButton, QWidget
from pytestqt.qtbot import QtBot

import translations
from stathmis.logbook.records import Batch, EggFinding, Event
from stathmis.services import guide
from stathmis.ui.commands import MENUS
from stathmis.ui.logbooks import Logbooks
from stathmis.ui.pictures import settle
from stathmis.ui.theme import Theme
from stathmis.ui.window import _PLACES, Window

CONTROL = Qt.KeyboardModifier.ControlModifier


def find(window: Window, qtbot: QtBot, typed: str, down: int = 0) -> str:
    """Type into the line and do what is marked; returns what that was."""
    qtbot.keyClick(window, Qt.Key.Key_K, CONTROL)
    qtbot.keyClicks(window.focusWidget(), typed)
    for _ in range(down):
        qtbot.keyClick(window.finder.line, Qt.Key.Key_Down)
    item = window.finder.found.currentItem()
    said = item.text() if item is not None else ""
    qtbot.keyClick(window.finder.line, Qt.Key.Key_Return)
    settle()
    return said


def test_a_few_words_lead_anywhere(window: Window, qtbot: QtBot) -> None:
    assert find(window, qtbot, "plan").startswith("Planner")
    assert window._place == "planner"
    find(window, qtbot, "check round")
    assert window.stack.currentWidget().currentWidget() is window.stack.currentWidget().check  # type: ignore[union-attr]
    find(window, qtbot, "old still")
    assert window.pages.incubator is not None and window.pages.incubator.name == "Old still box"
    find(window, qtbot, "north")
    assert find(window, qtbot, "egg 12").startswith("Egg 12 in the tray")
    assert window.pages.page == "eggs" and window.pages.eggs.picture.mark == "12"
    assert window.focusWidget() is window.pages.eggs.picture


def test_what_was_done_is_logged_from_the_line(window: Window, qtbot: QtBot) -> None:
    desk = window.desk
    before = len(desk.book.records(Event))
    window.show_place("planner")
    find(window, qtbot, "water both cups")
    assert window._place == "planner", "whoever logs from elsewhere stays there"
    find(window, qtbot, "set 37.8")
    made = desk.book.records(Event)[before:]
    assert [(e.kind, e.note) for e in made] == [("water", "both cups"), ("set_point", "37.8 °C")]
    find(window, qtbot, "set 75")
    assert len(desk.book.records(Event)) == before + 2
    assert window._place == "" and "no set point for eggs" in window.pages.round.event_problem.text()
    found = len(desk.book.records(EggFinding))
    find(window, qtbot, "egg 12 clear")
    assert [(f.mark, f.kind) for f in desk.book.records(EggFinding)[found:]] == [("12", "clear")]


def test_what_is_refused_elsewhere_is_mended_on_round(window: Window, qtbot: QtBot) -> None:
    window.show_place("planner")
    before = len(window.desk.book.records(Event))
    window.menus.actions["Set point changed"].trigger()
    settle()
    page = window.pages.round
    assert window._place == "" and "What is the new set point" in page.event_problem.text() and page.note.hasFocus()
    assert len(window.desk.book.records(Event)) == before


def test_in_the_room_nothing_is_filled_or_switched_off(window: Window, qtbot: QtBot) -> None:
    find(window, qtbot, "egg room")
    before = len(window.desk.book.records(Event))
    for command in ("Water added", "Power cut …"):
        window.menus.actions[command].trigger()
        settle()
        assert "done at a machine" in window.messages.text.text() and not window.pages.round.power_cut.isVisible()
    assert len(window.desk.book.records(Event)) == before
    find(window, qtbot, "note the window was open")
    assert window.desk.book.records(Event)[-1].note == "the window was open"


def test_no_command_fails_in_an_empty_logbook(empty_window: Window, theme: Theme) -> None:
    try:
        for text, made in empty_window.menus.actions.items():
            if made.isCheckable():
                # another language closes the window, to open it again
                continue
            if (not text.endswith("…") and text not in ("Open the demo", "Close Stathmis")) or text == "Power cut …":
                made.trigger()
                settle()
        assert empty_window.desk.book.is_empty and empty_window.isVisible()
    finally:
        # the theme is everybody's
        theme.scale, theme.contrast = 1.0, False
        theme.choose("light")


def test_an_egg_is_of_the_batch_in_view(window: Window, qtbot: QtBot) -> None:
    """Also while an ended one is looked back at, whose eggs have no marks."""
    ended = next(b for b in window.desk.book.records(Batch) if b.name == "26 rock partridge, first set")
    window.show_batch(ended.id)
    before = len(window.desk.book.records(EggFinding))
    assert find(window, qtbot, "egg 12 clear") == ""
    assert len(window.desk.book.records(EggFinding)) == before


def test_a_round_in_one_line(window: Window, qtbot: QtBot) -> None:
    find(window, qtbot, "37.0 37.7 38 40 43")
    assert [row.edit.text() for row in window.pages.round.rows] == ["37.0", "37.7", "38", "40", "43"]
    qtbot.keyClick(window.focusWidget(), Qt.Key.Key_Return)
    assert "5 readings logged" in window.messages.text.text()


def test_nothing_found_does_nothing_and_esc_brings_the_cursor_back(window: Window, qtbot: QtBot) -> None:
    field = window.pages.round.rows[1].edit
    field.setFocus()
    qtbot.keyClick(window, Qt.Key.Key_K, CONTROL)
    qtbot.keyClicks(window.finder.line, "xyzzy")
    assert window.finder.found.count() == 0 and "Nothing is found" in window.finder.line.accessibleDescription()
    qtbot.keyClick(window.finder.line, Qt.Key.Key_Return)
    assert window.finder.isVisible()
    qtbot.keyClick(window.finder.line, Qt.Key.Key_Escape)
    assert not window.finder.isVisible() and window.focusWidget() is field
    qtbot.keyClick(window, Qt.Key.Key_K, CONTROL)
    first = window.finder.found.item(0).text()
    assert first.startswith("Done: "), "with nothing typed, what is due stands first"
    qtbot.mouseClick(
        window.finder.found.viewport(),
        Qt.MouseButton.LeftButton,
        pos=window.finder.found.visualItemRect(window.finder.found.item(0)).center(),
    )
    assert not window.finder.isVisible() and "Ctrl+Z" in window.messages.text.text()


def test_every_command_stands_in_a_menu_once(window: Window) -> None:
    listed = [a.text() for menu in window.menus.menus.values() for a in menu.actions() if not a.isSeparator()]
    assert set(window.menus.menus) == set(MENUS)
    for command in window.commands:
        assert sum(command.text in text for text in listed) >= 1
    keys = [k.toString() for a in window.findChildren(QAction) for k in a.shortcuts()]
    assert len(keys) == len(set(keys)), "no key does two things"


def test_undo_says_what_it_would_take_back(window: Window, qtbot: QtBot) -> None:
    find(window, qtbot, "note the fan hums")
    window.menus.name_undo()
    assert window.menus.actions["Undo"].text() == "Undo: note logged"
    window.menus.actions["Undo"].trigger()
    window.menus.name_undo()
    assert window.menus.actions["Redo"].text() == "Redo: note logged"


def test_by_mouse_alone(window: Window, qtbot: QtBot) -> None:
    left = Qt.MouseButton.LeftButton

    def click(widget: QWidget, at: QPoint | None = None) -> None:
        assert widget.isVisible()
        qtbot.mouseClick(widget, left, pos=at if at is not None else widget.rect().center())
        settle()

    def link(text: str) -> QWidget:
        return next(b for b in window.findChildren(QPushButton) if b.text() == text and b.isVisible())

    click(window.column._cards[3])
    assert window.pages.incubator is not None and window.pages.incubator.id == 3
    click(window.pages.tabs["trace"])
    assert window.pages.page == "trace"
    click(window.column.places["planner"])
    assert window._place == "planner"
    click(link("guide"))
    assert window._place == "guide"
    click(link("find"))
    listed = window.finder.found
    at = next(i for i in range(listed.count()) if listed.item(i).text().startswith("Round"))
    click(listed.viewport(), listed.visualItemRect(listed.item(at)).center())
    assert (window._place, window.pages.page) == ("", "round")
    bar, menu = window.menuBar(), window.menus.menus["view"]
    click(bar, bar.actionGeometry(menu.menuAction()).center())
    unit = window.menus.actions["°C or °F"]
    click(menu, menu.actionGeometry(unit).center())
    assert window.desk.book.temperature_unit == "°F"
    task = window.pages.round.today.tasks[0]
    click(window.pages.round.today.ticks[task.subject, task.step])
    assert "Ctrl+Z" in window.messages.text.text()


@pytest.mark.parametrize("page", ["round", "trace", "moisture", "eggs", "hatch", *_PLACES])
def test_every_page_has_its_part_of_the_guide(page: str) -> None:
    if page != "guide":
        assert guide.part_of(page).title.startswith(guide.PARTS[page])


def test_f1_opens_the_guide_at_the_page_and_esc_goes_back(window: Window, qtbot: QtBot) -> None:
    window.show_place("records")
    qtbot.keyClick(window, Qt.Key.Key_F1)
    view = window.stack.currentWidget()
    assert view.list.currentItem().text() == "Records"  # type: ignore[union-attr]
    assert "Records" in view.text.toPlainText()  # type: ignore[union-attr]
    images = [view.text.document().resource(2, "screenshots/records.png")]  # type: ignore[union-attr]
    assert images[0].width() <= view.text.viewport().width(), "our pictures, as wide as there is room"  # type: ignore[union-attr]
    qtbot.keyClicks(view.search, "salt")  # type: ignore[union-attr]
    assert [part.title for part in view._shown] == [part.title for part in guide.with_words("salt")]  # type: ignore[union-attr]
    assert view.text.extraSelections() and "salt" in view.text.toPlainText().lower()  # type: ignore[union-attr]
    qtbot.keyClick(window, Qt.Key.Key_Escape)
    qtbot.keyClick(window, Qt.Key.Key_Escape)
    assert window._place == "records"


def test_what_was_marked_in_the_guide_goes_with_its_text(window: Window, qtbot: QtBot) -> None:
    """Marks of an earlier text must not be followed into the next one."""
    window.show_guide()
    view = window.stack.currentWidget()
    for words in ("salt", "water", "xyzzy", "lid", "power"):
        view.search.clear()  # type: ignore[union-attr]
        qtbot.keyClicks(view.search, words)  # type: ignore[union-attr]
        marks = view.text.extraSelections()  # type: ignore[union-attr]
        assert all(m.cursor.document() is view.text.document() for m in marks)  # type: ignore[union-attr]
        assert bool(marks) == (words != "xyzzy")
        qtbot.keyClick(window, Qt.Key.Key_Escape)
        assert not view.text.extraSelections(), "nothing is searched for any more"  # type: ignore[union-attr]


def test_the_guide_ships_with_its_pictures() -> None:
    root = Path(__file__).resolve().parents[2]
    wheel = tomllib.loads((root / "pyproject.toml").read_text(encoding="utf-8"))["tool"]["hatch"]["build"]["targets"]
    shipped = wheel["wheel"]["force-include"]
    guides = {
        root / "docs" / f"guide{language}.md" for language in ("", *(f".{one}" for one in translations.languages()))
    }
    assert {root / source for source in shipped} == {*guides, root / "docs" / "screenshots"}
    assert all(to.startswith("stathmis/data/guide/") for to in shipped.values())
    for part in guide.parts():
        for name in re.findall(r"\]\(([^)]+)\)", part.text):
            assert (guide.folder() / name).exists(), f"{name} in {part.title}"


def test_the_guide_fetches_nothing_from_elsewhere(window: Window) -> None:
    window.show_guide()
    text = window.stack.currentWidget().text  # type: ignore[union-attr]
    for name in ("https://example.org/a.png", "../../pyproject.toml", "/etc/hostname"):
        assert text.loadResource(2, name) is None


def test_other_logbooks_open_in_windows_of_their_own(
    window: Window, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    settings = QSettings(str(tmp_path / "w.ini"), QSettings.Format.IniFormat)
    started: list[list[str]] = []
    monkeypatch.setattr(Logbooks, "_start", lambda self, arguments: started.append(list(arguments)))
    paths = [tmp_path / f"{n}.stathmis" for n in "abc"]
    for path in paths:
        path.touch()
        files = Logbooks(window, path, settings)
    assert files.recent() == [paths[1], paths[0]]
    paths[0].unlink()
    assert files.recent() == [paths[1]], "what is gone is not offered"
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a: (str(paths[1]), ""))
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a: (str(tmp_path / "new"), ""))
    files.open()
    files.new()
    files.demo()
    assert started == [[str(paths[1])], [str(tmp_path / "new.stathmis")], ["--demo"]]
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a: (str(paths[1]), ""))
    files.new()
    assert len(started) == 3 and "is there already" in window.messages.text.text()


def _printed(window: Window, path: Path) -> str:
    """What the preview would print, as a PDF's words."""
    settle()
    dialog = window.findChildren(QPrintPreviewDialog)[-1]
    printer = QPrinter(QPrinter.PrinterMode.HighResolution)
    printer.setOutputFormat(QPrinter.OutputFormat.PdfFormat)
    printer.setOutputFileName(str(path))
    dialog.paintRequested.emit(printer)
    title = dialog.windowTitle()
    dialog.close()
    return title + " " + " ".join(page.extract_text() for page in PdfReader(path).pages)


def test_reports_and_sheets_are_printed_with_a_preview(window: Window, tmp_path: Path) -> None:
    window.print_page()
    assert "partridge, set A" in _printed(window, tmp_path / "batch.pdf")
    window.show_place("records")
    settle()
    window.print_page()
    assert "Season" in _printed(window, tmp_path / "season.pdf")
    window.errands.show_history(window.pages.round.rows[-1].line.channel.id)
    settle()
    window.print_page()
    assert "Round hygrometer" in _printed(window, tmp_path / "sheet.pdf")
    window.show_place("live")
    window.print_page()
    assert "no sheet" in window.messages.text.text()
