"""What the command line writes: readings, and a logger's file; in a process of its own, or in the window's."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from stathmis.core.errors import UserError
from stathmis.core.units import NotANumberError, parse_typed
from stathmis.logbook.records import Channel, Instrument
from stathmis.services import clock, rounds
from stathmis.services.book import Book
from stathmis.services.desk import Desk
from stathmis.services.files import logger_import
from stathmis.services.reading_field import Field, interpret
from stathmis.words import command as words
from stathmis.words import dates, logger_files
from stathmis.words.catalogue import in_order
from stathmis.words.numbers import as_typed


@dataclass(frozen=True)
class Log:
    """Readings of an instrument as typed; at: when, as a keeper writes it, empty: now."""

    instrument: str
    values: tuple[str, ...]
    at: str = ""

    def run(self, desk: Desk) -> str:
        """Log them in one edit, and say so. Raises UserError for whatever Round would ask about."""
        book = desk.book
        instrument = instrument_named(book, self.instrument)
        fields = _fields(book, instrument, self.values)
        at_ms = clock.parse_moment(self.at, desk.now_ms, book.zone)
        rounds.log_round(desk, fields, at_ms)
        shown = [(as_typed(f.typed), f.unit) for f in fields.values()]
        return words.logged(instrument.name, shown, dates.moment(book.local(at_ms)))


@dataclass(frozen=True)
class Import:
    """A logger's file, read as files like it were before, or as it tells by itself. path: as an absolute path."""

    path: str

    def run(self, desk: Desk) -> str:
        """Bring it in, and say so. Raises UserError for a file that leaves a question, or is none."""
        plan = logger_import.propose(desk.book, Path(self.path))
        asked = logger_import.questions(plan)
        if asked:
            raise UserError(logger_files.asked(asked[0]), words.ask_in_window())
        examined = logger_import.examine(desk.book, plan)
        if examined.good:
            logger_import.store(desk, examined)
        return words.brought_in(plan.path.name, examined.good, examined.duplicate, examined.faults.total)


Verb = Log | Import
VERBS: dict[str, type[Log] | type[Import]] = {"log": Log, "import": Import}


def instrument_named(book: Book, name: str) -> Instrument:
    """The instrument of a name, or the only one that begins like it, in any case. Raises UserError for none."""
    every = book.records(Instrument)
    wanted = name.strip().casefold()
    exact = [i for i in every if i.name.casefold() == wanted]
    found = exact or [i for i in every if wanted and i.name.casefold().startswith(wanted)]
    if len(found) != 1:
        raise UserError(*words.no_instrument(name, sorted((i.name for i in every), key=in_order)))
    return found[0]


def _fields(book: Book, instrument: Instrument, values: Sequence[str]) -> dict[int, Field]:
    """What each typed number says, by channel: by its unit, or by its place where every channel has one."""
    free = sorted(book.records(Channel, instrument_id=instrument.id), key=lambda c: c.quantity == "humidity")
    if len(values) > len(free):
        raise UserError(*words.too_many(instrument.name, len(free)))
    by_place = len(values) == len(free)
    found = {}
    for typed in values:
        channel = _meant(free, typed, by_place)
        if channel is None:
            raise UserError(*words.which_channel(instrument.name, typed))
        free.remove(channel)
        field = interpret(typed, channel)
        if field.shown is None:
            raise UserError(*words.wrong_value(instrument.name, field.problem, field.offer))
        found[channel.id] = field
    return found


def _meant(free: Sequence[Channel], typed: str, by_place: bool) -> Channel | None:
    """The channel a number belongs to; None where that cannot be told."""
    try:
        unit = parse_typed(typed).unit
    except NotANumberError:
        # the channel itself says what is wrong with it
        return free[0]
    if unit is not None:
        fitting = [c for c in free if (c.unit == "%") == (unit == "%")]
        return fitting[0] if fitting else free[0]
    return free[0] if by_place or len(free) == 1 else None
