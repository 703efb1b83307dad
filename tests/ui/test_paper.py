"""The card on every paper, typing back by keyboard, and the big figures."""

from __future__ import annotations

from pathlib import Path

import pytest
from pypdf import PdfReader
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication, QLabel
from pytestqt.qtbot import QtBot
from shiboken6 import isValid

from stathmis.exchange.report_page import Heading, Report, Words
from stathmis.logbook.records import Reading
from stathmis.services.batch import batches
from stathmis.services.on_paper.brooder import brooder_card
from stathmis.services.on_paper.card import card
from stathmis.services.on_paper.labels import labels
from stathmis.services.on_paper.round_sheet import round_paper
from stathmis.services.plan import planning
from stathmis.services.report.drawing import loss_chart
from stathmis.ui import card_pdf, printing, report_pdf
from stathmis.ui.big_figures import NIGHT, BigFigures
from stathmis.ui.paper import SIZES, Paper, Size
from stathmis.ui.window import Window
from stathmis.ui.written_view import WrittenView
from stathmis.words.numbers import value_text

MM = 72.0 / 25.4
PAGE = {"A4": (210, 297), "Letter": (216, 279), "A5": (148, 210)}


def texts(window: Window) -> str:
    labels = window.stack.currentWidget().findChildren(QLabel)
    return " | ".join(label.text() for label in labels if label.isVisible())


@pytest.mark.parametrize("size", SIZES)
def test_one_page_whatever_the_paper(window: Window, tmp_path: Path, size: Size) -> None:
    book = window.desk.book
    course = batches.running(book, book.incubators()[0])
    assert course is not None
    card_pdf.write_card(book, card(book, course), tmp_path / "card.pdf", size)
    card_pdf.write_round(book, round_paper(book), tmp_path / "round.pdf", size)
    for name, wanted in (
        ("card", ["30 rock partridge, set A", "Lid display", "36.8–37.3 °C", "Lockdown", "Power cut", "authority"]),
        ("round", ["North cabinet", "Old still box", "Egg room", "Red probe", "done"]),
    ):
        pages = PdfReader(tmp_path / f"{name}.pdf").pages
        assert len(pages) == 1
        box = pages[0].mediabox
        assert (float(box.width) / MM, float(box.height) / MM) == pytest.approx(PAGE[size], abs=1.0)
        # a PDF's letters may stand apart: what counts is that they are there in their order
        text = "".join(pages[0].extract_text().split())
        assert [w for w in wanted if w.replace(" ", "") not in text] == []


def test_previewed_from_the_menu(window: Window, qtbot: QtBot) -> None:
    for which in ("card", "round"):
        window.print_paper(which)  # type: ignore[arg-type]
        found = [w for w in QApplication.topLevelWidgets() if isinstance(w, printing._Preview) and w.isVisible()]
        assert len(found) == 1
        found[0].close()
    window.show_incubator(window.desk.book.incubators()[2].id)
    window.print_paper("card")
    assert "of a batch that runs" in window.messages.text.text()


def test_a_card_is_typed_back_by_keyboard(window: Window, qtbot: QtBot) -> None:
    """Two visits from the card: the day once, an offer taken with Enter, all logged at once, taken back at once."""
    before = len(window.desk.book.records(Reading))
    qtbot.keyClick(window, Qt.Key.Key_W, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
    view = window.stack.currentWidget()
    assert isinstance(view, WrittenView)
    view.paper.choose(window.desk.book.incubators()[0].id)
    view.refresh()
    view.begin()
    qtbot.waitUntil(lambda: "North cabinet" in texts(window) and "Egg room" in texts(window), timeout=3000)

    def type_on(text: str) -> None:
        focused = QApplication.focusWidget()
        assert focused is not None
        qtbot.keyClicks(focused, text)
        qtbot.keyClick(focused, Qt.Key.Key_Return)

    for text in ("17 May 8:10", "37.1", "99.5"):
        type_on(text)
    assert view.rows[0].cells[2].text() == "99.5F", "Enter took the offer"
    view.go(1, 0)
    for text in ("20:30", "37.0"):
        type_on(text)
    view.go(2, 0)
    type_on("25:00")
    qtbot.keyClick(window, Qt.Key.Key_L, Qt.KeyboardModifier.AltModifier)
    qtbot.waitUntil(lambda: "nothing was logged" in texts(window), timeout=3000)
    assert len(window.desk.book.records(Reading)) == before
    assert view.rows[2].cells[0].hasFocus()
    view.rows[2].cells[0].clear()
    view.typed(2)
    assert view.log.text() == "&Log 3 readings of 2 visits"
    qtbot.keyClick(window, Qt.Key.Key_L, Qt.KeyboardModifier.AltModifier)
    qtbot.waitUntil(lambda: len(window.desk.book.records(Reading)) == before + 3, timeout=3000)
    assert "3 readings of 2 visits logged" in window.messages.text.text()
    assert view.rows[0].visit.empty and view.rows[0].cells[0].hasFocus()
    window.undo()
    assert len(window.desk.book.records(Reading)) == before


def test_the_last_row_is_followed_by_another(window: Window, qtbot: QtBot) -> None:
    window.show_place("written")
    view = window.stack.currentWidget()
    assert isinstance(view, WrittenView)
    count = len(view.rows)
    view.go(count - 1, 0)
    qtbot.keyClicks(view.rows[-1].cells[0], "1")
    assert len(view.rows) == count + 1


def test_big_figures_say_what_the_column_says(window: Window, qtbot: QtBot) -> None:
    qtbot.keyClick(window, Qt.Key.Key_F11)
    big = window.big
    assert isinstance(big, BigFigures) and big.isFullScreen()
    window.show_big()
    assert not isValid(big) or not big.isVisible(), "one at a time"
    big = window.big
    assert big is not None
    book = window.desk.book
    places = big.chosen()
    assert [one.head.partition(" · ")[0] for one in big.shown] == [p.name for p in places]
    for place, one in zip(places, big.shown, strict=True):
        card_of = window.column._cards[place.id]
        seen = [label.text() for label in card_of.findChildren(QLabel)]
        for value, unit, state in one.values:
            if state.corrected is None:
                assert value == "–" and "not read" in unit
                continue
            own = book.shown_unit(state.quantity)
            text = value_text(state.corrected.value, state.corrected.U, state.quantity, own)
            assert value == text and any(label.startswith(text) for label in seen)
            assert card_of._levels[state.quantity]._state.decision == state.decision
    assert not big.night, "08:40"
    qtbot.keyClick(big, Qt.Key.Key_N)
    assert big.night and big.grab().toImage().pixelColor(1, 1).name() == NIGHT.paper.lower()
    qtbot.keyClick(big, Qt.Key.Key_2)
    assert [p.name for p in big.chosen()] == ["North cabinet", "Spare cabinet"]
    window.switch_unit()
    assert "°F" in big.shown[0].values[0][1], "it follows what is changed"
    listeners = len(window.desk.listeners)
    big.activateWindow()
    qtbot.waitUntil(big.isActiveWindow, timeout=5000)
    qtbot.keyClick(big, Qt.Key.Key_Escape)
    assert len(window.desk.listeners) == listeners - 1
    window.show_big()
    assert window.big is not None and window.big.isVisible()
    window.close()
    assert window.big is None and not [
        w for w in QApplication.topLevelWidgets() if isinstance(w, BigFigures) and w.isVisible()
    ]


def test_labels_and_the_brooders_card(window: Window, tmp_path: Path) -> None:
    book = window.desk.book
    plans = planning.plans(book)
    made = labels(book)
    assert [one.plan.subject for one in made] == [p.subject for p in plans]
    # more than a page holds: they go on over pages, each there once
    paper = Paper("labels", layout=card_pdf.page_of("A4"))
    card_pdf.draw_labels(book, made * 8, paper)
    paper.save(tmp_path / "labels.pdf")
    pages = PdfReader(tmp_path / "labels.pdf").pages
    text = "".join("".join(p.extract_text().split()) for p in pages)
    assert len(pages) == 2 and text.count(made[0].plan.name.replace(" ", "")) == 8
    course = batches.running(book, book.incubators()[1])
    assert course is not None
    paper = Paper("brooder", layout=card_pdf.page_of("A5"))
    card_pdf.draw_brooder(book, brooder_card(book, course), paper)
    paper.save(tmp_path / "brooder.pdf")
    (page,) = PdfReader(tmp_path / "brooder.pdf").pages
    text = "".join(page.extract_text().split())
    assert [w for w in ("35.0°C", "32.0°C", "23.0°C", "Heatlampsstartfires") if w not in text] == []
    for which in ("brooder", "labels"):
        window.print_paper(which)  # type: ignore[arg-type]
        found = [w for w in QApplication.topLevelWidgets() if isinstance(w, printing._Preview) and w.isVisible()]
        assert len(found) == 1
        found[0].close()


def test_a_heading_stands_over_its_picture(tmp_path: Path) -> None:
    """A picture that does not fit below its heading takes it along to the next page."""
    picture = loss_chart([(0.0, 0.0), (10.0, 6.0)], 18.0, (11.0, 15.0), "#7F5E14", "of set weight", "lost")
    filler = tuple(Words(f"line {i}") for i in range(46))
    for lines in range(30, 46):
        report = Report("R", "", (*filler[:lines], Heading("Weights"), picture, Words("after it")))
        pages = report_pdf.write_pdf(report, tmp_path / "r.pdf")
        texts_of = [p.extract_text() for p in PdfReader(tmp_path / "r.pdf").pages]
        assert len(texts_of) == pages
        heading = next(i for i, t in enumerate(texts_of) if "Weights" in t)
        assert "ofsetweight" in "".join(texts_of[heading].split()), f"{lines} lines above"
