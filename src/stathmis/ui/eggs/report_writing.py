"""Reports written off the window's thread, as PDF or as a web page, by the name of the file."""

from __future__ import annotations

from pathlib import Path

from stathmis.exchange.report_page import Report, write_html
from stathmis.services import notify
from stathmis.services.batches import Course
from stathmis.services.report.batch_report import batch_report
from stathmis.services.workbench import Workbench
from stathmis.ui.background import Task


def write_report(report: Report, path: Path) -> str:
    """Write a report where its name says, and say so. Raises UserError where it cannot be written."""
    if path.suffix.lower() in (".html", ".htm"):
        write_html(report, path)
        return f"{report.title}: written to {path.name}."
    # drawing on paper is needed by few
    from stathmis.ui.report_pdf import write_pdf

    target = path if path.suffix.lower() == ".pdf" else path.with_name(path.name + ".pdf")
    pages = write_pdf(report, target)
    return f"{report.title}: {pages} {'page' if pages == 1 else 'pages'} written to {target.name}."


def write_batch_report(bench: Workbench, course: Course, path: Path) -> Task:
    """Write the report of a batch."""
    _ = bench.corrections
    task = Task(lambda progress, cancelled: write_report(batch_report(bench, course), path))
    task.done.connect(_told)
    task.failed.connect(notify.tell_error)
    return task.start()


def _told(said: str) -> None:
    notify.tell("info", said)
