"""Readings out as CSV: every raw value with its correction, safe to open in a spreadsheet."""

from __future__ import annotations

import csv
from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path

from stathmis.core.uncertainty import NORMAL_95
from stathmis.core.units import difference_from_inside, from_inside
from stathmis.exchange.logger_csv import CancelledError, Progress
from stathmis.exchange.whole_file import replacing
from stathmis.services.book import Book
from stathmis.services.findings.runs import Run
from stathmis.services.findings.trace import BatchTrace

HEADINGS = (
    "time (UTC)",
    "local time",
    "incubator",
    "instrument",
    "quantity",
    "shown",
    "shown unit",
    "corrected",
    "U (95 %)",
    "unit",
)


def safe_cell(text: str) -> str:
    """Text that a spreadsheet will not take for a formula."""
    return "'" + text if text[:1] in ("=", "+", "-", "@", "\t", "\r") else text


def export_readings(
    book: Book,
    traced: BatchTrace,
    path: Path,
    progress: Progress = lambda fraction: None,
    cancelled: Callable[[], bool] = lambda: False,
) -> int:
    """Write all readings of a batch and return how many; the file appears whole or not at all.

    Raises UserError where it cannot be written, CancelledError when cancelled() turns true.
    """
    runs = [*traced.temperature.runs, *traced.humidity.runs]
    total, written = max(1, sum(r.times_ms.size for r in runs)), 0
    with replacing(path) as partial, partial.open("w", encoding="utf-8-sig", newline="") as file:
        out = csv.writer(file)
        out.writerow(HEADINGS)
        for run in runs:
            for start in range(0, run.times_ms.size, 10_000):
                if cancelled():
                    raise CancelledError
                out.writerows(_rows(book, traced, run, start, start + 10_000))
                written += min(10_000, run.times_ms.size - start)
                progress(written / total)
    return written


def _rows(book: Book, traced: BatchTrace, run: Run, start: int, stop: int) -> list[tuple[object, ...]]:
    unit = book.shown_unit(run.channel.quantity)
    corrected = from_inside(run.corrected[start:stop], unit)
    U = difference_from_inside(NORMAL_95 * run.u[start:stop], unit)
    shown = from_inside(run.shown[start:stop], run.channel.unit)
    incubator, instrument = safe_cell(traced.course.incubator.name), safe_cell(run.instrument.name)
    return [
        (
            datetime.fromtimestamp(t / 1000, UTC).strftime("%Y-%m-%dT%H:%M:%SZ"),
            book.local(t).strftime("%Y-%m-%d %H:%M:%S"),
            incubator,
            instrument,
            run.channel.quantity,
            round(float(raw), 4),
            run.channel.unit,
            round(float(value), 3),
            round(float(wide), 3),
            unit,
        )
        for t, raw, value, wide in zip(run.times_ms[start:stop].tolist(), shown, corrected, U, strict=True)
    ]
