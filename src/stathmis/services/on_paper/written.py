"""Typing back what was written in pencil: one row a visit, times as they stand on the paper."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from stathmis.core.errors import UserError
from stathmis.logbook import readings
from stathmis.services import rounds
from stathmis.services.book import Book
from stathmis.services.clock import DAY_MS, TimeError, local, midnight, parse_day, parse_moment
from stathmis.services.desk import Desk
from stathmis.services.on_paper.columns import Column
from stathmis.services.reading_field import Field, interpret
from stathmis.words import written as words

BACK_DAYS = 360
"""A day without a year is the last such day; paper older than this is dated with its year. Source: our own."""
_TIME_ALONE = re.compile(r"^\s*\d{1,2}[:.]\d{2}(\s*[ap]\.?m\.?)?\s*$", re.IGNORECASE)


@dataclass(frozen=True)
class Visit:
    """A row as it was typed: when, and the readings by column."""

    when: str
    cells: tuple[str, ...]

    @property
    def empty(self) -> bool:
        """Whether nothing stands in it."""
        return not self.when.strip() and not any(c.strip() for c in self.cells)


@dataclass(frozen=True)
class Read:
    """A row as it was understood: when (UTC ms), its fields by column, what is wrong with the time; there: columns that
    are in the log already, as they stand here."""

    at_ms: int | None
    fields: Mapping[int, Field]
    problem: str = ""
    there: frozenset[int] = frozenset()

    @property
    def wrong(self) -> bool:
        """Whether something of it has to be mended first."""
        return bool(self.problem) or any(f.problem for f in self.fields.values())

    @property
    def new(self) -> dict[int, Field]:
        """Its readings that are to be logged, by column."""
        return {i: f for i, f in self.fields.items() if f.shown is not None and i not in self.there}


def read(book: Book, columns: Sequence[Column], visits: Sequence[Visit]) -> list[Read]:
    """All rows understood, each time with the one above it in mind."""
    found, above = [], None
    for visit in visits:
        fields = {
            i: interpret(cell, column.line.channel)
            for i, (cell, column) in enumerate(zip(visit.cells, columns, strict=True))
            if cell.strip()
        }
        if visit.empty:
            found.append(Read(None, {}))
            continue
        try:
            at = when(visit.when, above, book)
        except UserError as error:
            found.append(Read(None, fields, str(error)))
            continue
        above = at
        there = frozenset(i for i, f in fields.items() if _is_there(book, columns[i], at, f))
        found.append(Read(at, fields, "", there))
    return found


def when(text: str, above_ms: int | None, book: Book) -> int:
    """A time as it stands on paper, UTC ms: "18 May 8:10" or "18.5. 8:10" (the last such day), "8:10" alone on the day
    of the row above (the day after, where it is earlier), or as on Round. Raises TimeError for anything else."""
    now, zone = book.now_ms, book.zone
    if not text.strip():
        raise TimeError(*words.no_time())
    if _TIME_ALONE.match(text) and above_ms is not None:
        day = local(above_ms, zone)
        at = parse_day(f"{day:%Y-%m-%d} {text.strip()}", now, zone)
        if at < above_ms:
            following = local(midnight(above_ms, zone, 1), zone)
            at = parse_day(f"{following:%Y-%m-%d} {text.strip()}", now, zone)
    else:
        try:
            at = parse_moment(text, now, zone)
        except TimeError:
            at = parse_day(text, now - BACK_DAYS * DAY_MS, zone)
            if not re.search(r"[:.]\d{2}\b", text):
                raise TimeError(*words.no_hour(text.strip())) from None
    if at > now:
        raise TimeError(*words.to_come(text.strip()))
    return at


def _is_there(book: Book, column: Column, at_ms: int, field: Field) -> bool:
    """Whether the very reading is in the log: the same paper is being typed a second time."""
    known = readings.hand_readings(book.snapshot, column.line.channel.id, at_ms, at_ms)
    return any((r.value, r.unit) == (field.value, field.unit) for r in known)


def keep(desk: Desk, columns: Sequence[Column], visits: Sequence[Visit]) -> tuple[int, int]:
    """Log all that is new in one edit, undoable: how many readings of how many visits.

    Raises UserError where a row is wrong still, or nothing is new.
    """
    rows = read(desk.book, columns, visits)
    if any(row.wrong for row in rows):
        raise UserError(*words.mend_first())
    fresh = [row for row in rows if row.new]
    if not fresh:
        raise UserError(*words.nothing_new())
    total = 0
    with desk.edit(words.label(len(fresh))):
        for row in fresh:
            assert row.at_ms is not None
            fields = {columns[i].line.channel.id: f for i, f in row.new.items()}
            total += rounds.log_round(desk, fields, row.at_ms)
    return total, len(fresh)
