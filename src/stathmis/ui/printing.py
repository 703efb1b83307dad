"""Printing with a preview: the report of a batch or a season, or the sheet of a check, whichever page is in view."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtGui import QPageLayout
from PySide6.QtPrintSupport import QPrinter, QPrintPreviewDialog
from PySide6.QtWidgets import QWidget

from stathmis.exchange.report_page import Report
from stathmis.logbook.calibrations import Calibration
from stathmis.services import notify
from stathmis.services.instruments.sheet import sheet
from stathmis.services.on_paper.brooder import brooder_card
from stathmis.services.on_paper.card import card
from stathmis.services.on_paper.labels import labels
from stathmis.services.on_paper.round_sheet import round_paper
from stathmis.services.report.batch_report import batch_report
from stathmis.services.report.season_report import season_report
from stathmis.ui import card_pdf, report_pdf
from stathmis.ui.instruments import sheet_pdf
from stathmis.ui.paper import Paper, page, usual_size
from stathmis.ui.work import find
from stathmis.words.catalogue import _

if TYPE_CHECKING:
    from stathmis.ui.window import Window


def print_page(window: Window) -> None:
    """Show what the page in view prints, before it is printed; long work is done off the window's thread."""
    book, view = window.desk.book, window.stack.currentWidget()
    calibration: Calibration | None = getattr(view, "printed", lambda: None)()
    season: int | None = getattr(view, "printed_season", lambda: None)()
    course = window.pages.course_in_view if view is window.pages else None
    if calibration is not None:
        found = sheet(book, calibration)
        preview(window, found.title, lambda paper: sheet_pdf.draw(found, paper))
    elif season is not None:
        find(lambda: season_report(book, season), lambda report: preview_report(window, report))
    elif course is not None:
        find(lambda: batch_report(book, course), lambda report: preview_report(window, report))
    else:
        words = _(
            "This page has no sheet. A batch's pages print its report, Records a season's, an instrument its check."
        )
        notify.tell("info", words)


def print_card(window: Window) -> None:
    """Show the card of the batch in view before it is printed."""
    book, course = window.desk.book, window.pages.course_in_view
    if course is None or course.batch.ended_ms is not None:
        notify.tell("info", _("A card is of a batch that runs: go to its machine first."))
        return
    made = card(book, course)
    preview(window, course.batch.name, lambda paper: card_pdf.draw_card(book, made, paper), card_pdf.page_of())


def print_brooder(window: Window) -> None:
    """Show the brooder's card of the batch in view before it is printed."""
    book, course = window.desk.book, window.pages.course_in_view
    if course is None:
        notify.tell("info", _("A brooder's card is of a batch: go to its machine first."))
        return
    made = brooder_card(book, course)
    layout = card_pdf.page_of("A5" if usual_size() == "A4" else "Letter")
    preview(window, _("Brooder"), lambda paper: card_pdf.draw_brooder(book, made, paper), layout)


def print_labels(window: Window) -> None:
    """Show labels of all batches and plans before they are printed."""
    book = window.desk.book
    made = labels(book)
    if not made:
        notify.tell("info", _("Labels are of batches: plan or set one first."))
        return
    preview(window, _("Labels"), lambda paper: card_pdf.draw_labels(book, made, paper), card_pdf.page_of())


def print_round(window: Window) -> None:
    """Show the sheet for a walk past everything before it is printed."""
    book = window.desk.book
    made = round_paper(book)
    preview(window, _("Round"), lambda paper: card_pdf.draw_round(book, made, paper), card_pdf.page_of())


def preview_report(parent: QWidget, report: Report) -> QPrintPreviewDialog:
    """Show a report as it will be printed."""
    return preview(parent, report.title, lambda paper: report_pdf.draw(report, paper))


class _Preview(QPrintPreviewDialog):
    """What will be printed. It holds its printer as long as it is there: Qt does not."""

    def __init__(self, parent: QWidget, title: str, draw: Callable[[Paper], object], layout: QPageLayout) -> None:
        self._printer = QPrinter(QPrinter.PrinterMode.HighResolution)
        super().__init__(self._printer, parent)
        self._printer.setPageLayout(layout)
        self._printer.setDocName(title)
        self.setWindowTitle(title)
        self.resize(900, 720)
        self.paintRequested.connect(lambda onto: draw(Paper(title, onto, onto.resolution())))


def preview(
    parent: QWidget, title: str, draw: Callable[[Paper], object], layout: QPageLayout | None = None
) -> QPrintPreviewDialog:
    """Show what will be printed; from there it goes to a printer, or to a PDF file."""
    dialog = _Preview(parent, title, draw, layout or page(usual_size()))
    dialog.finished.connect(dialog.deleteLater)
    dialog.open()
    return dialog
