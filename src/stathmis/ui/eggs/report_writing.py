"""Reports worked out off the window's thread and written as PDF or as a web page, by the name of the file."""

from __future__ import annotations

from pathlib import Path

from stathmis.core.errors import UserError
from stathmis.exchange.report_page import Report, write_html
from stathmis.services import notify
from stathmis.services.batch.course import Course
from stathmis.services.book import Book
from stathmis.services.report.batch_report import batch_report
from stathmis.ui.work import Background
from stathmis.words.catalogue import _, ngettext


def write_report(report: Report, path: Path) -> str:
    """Write a report where its name says, and say so. Raises UserError where it cannot be written."""
    if path.suffix.lower() in (".html", ".htm"):
        write_html(report, path)
        return _("{title}: written to {path}.", title=report.title, path=path.name)
    # drawing on paper is needed by few
    from stathmis.ui.report_pdf import write_pdf

    target = path if path.suffix.lower() == ".pdf" else path.with_name(path.name + ".pdf")
    pages = write_pdf(report, target)
    return ngettext(
        "{title}: {pages} page written to {target}.",
        "{title}: {pages} pages written to {target}.",
        pages,
        title=report.title,
        pages=pages,
        target=target.name,
    )


def write_batch_report(book: Book, course: Course, path: Path) -> Background:
    """Write the report of a batch."""
    _ = book.corrections
    job = Background(lambda progress, cancelled: batch_report(book, course))
    job.done.connect(lambda report: tell_written(report, path))
    job.failed.connect(notify.tell_error)
    return job.start()


def tell_written(report: Report, path: Path) -> None:
    """Write a report that was worked out elsewhere, and say so or why not.

    On the window's thread: text is laid out with fonts the window uses as well, and Qt may wait for itself for ever
    where another thread does it.
    """
    try:
        notify.tell("info", write_report(report, path))
    except UserError as error:
        notify.tell_error(error)
