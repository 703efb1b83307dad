"""The round: what hangs in an incubator, what it showed last, logging what is typed, and events."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from math import ceil, floor

from stathmis.core.course.profile import Band
from stathmis.core.units import Quantity, from_inside
from stathmis.logbook import readings
from stathmis.logbook.records import (
    CertificatePoint,
    Channel,
    Event,
    Incubator,
    Instrument,
    LoggerImport,
    Placement,
    Reading,
    StoredCalibration,
    Weighing,
)
from stathmis.logbook.snapshot import SETTINGS
from stathmis.services.batch import batches, sharing
from stathmis.services.batch.course import Course
from stathmis.services.book import Book, Same, finding
from stathmis.services.clock import DAY_MS
from stathmis.services.desk import Desk
from stathmis.services.findings import cycles
from stathmis.services.findings.corrections import InForce
from stathmis.services.findings.verdict import CURRENT_MS, Judged, Verdict, judge_reading, overall
from stathmis.services.moisture import water
from stathmis.services.reading_field import Field
from stathmis.words import rounds as say
from stathmis.words.catalogue import _, within
from stathmis.words.events import event_words, kind_word
from stathmis.words.numbers import as_typed, count, unit_word

SHEET_RESTS_ON: tuple[type | str, ...] = (
    *(*batches.COURSES_REST_ON, Weighing, Event),
    *(Instrument, Channel, Placement, StoredCalibration, CertificatePoint),
    *(LoggerImport, SETTINGS),
)


@dataclass(frozen=True)
class Line:
    """One field of the round: a channel of an instrument that hangs here, and what corrects it now."""

    instrument: Instrument
    placement: Placement
    channel: Channel
    force: InForce

    @property
    def hanging(self) -> tuple[Instrument, Placement, Channel]:
        """Instrument, place and channel together."""
        return self.instrument, self.placement, self.channel


@dataclass(frozen=True)
class RoundSheet:
    """An incubator's round at a time: its batch (if any), bands, lines, and the newest readings already logged."""

    incubator: Incubator
    at_ms: int
    course: Course | None
    lines: tuple[Line, ...]
    latest: tuple[Judged, ...]
    beside: tuple[Course, ...] = ()

    def band(self, quantity: Quantity, at_ms: int | None = None) -> Band | None:
        """The band to hold (now by default), °C or %; the temperature is the one that suits all batches beside it."""
        at = self.at_ms if at_ms is None else at_ms
        if self.course is None:
            return None
        if quantity == "temperature" and self.beside:
            return sharing.common_temperature([self.course, *self.beside], at)
        return self.course.band(quantity, at)

    def verdict(self, quantity: Quantity, judged: Mapping[int, Judged] | None = None) -> Verdict | None:
        """What the newest readings say together; judged (by channel id) are typed just now and count as if logged."""
        typed = judged or {}
        older = [j for j in self.latest if j.channel.id not in typed]
        return overall(quantity, _newest_together([*typed.values(), *older]), self.band(quantity))


def should_show(line: Line, band: Band | None) -> tuple[float, float] | None:
    """What an instrument shows while the air is in a band (°C or %): lowest and highest reading, in its own unit, in
    steps of its display and drawn in to what is certainly in the band. None without a band, or where a step of the
    display is wider than it."""
    if band is None:
        return None
    unit, step = line.channel.unit, line.channel.resolution
    ends = [line.force.curve.reading_for(float(from_inside(edge, unit))) for edge in (band.low, band.high)]
    if line.channel.quantity == "humidity":
        ends = [min(100.0, max(0.0, end)) for end in ends]
    low, high = (ceil(ends[0] / step - 1e-6) * step, floor(ends[1] / step + 1e-6) * step) if step > 0.0 else ends
    return (low, high) if low <= high else None


def sheet(book: Book, incubator: Incubator, at_ms: int | None = None, batch_id: int | None = None) -> RoundSheet:
    """The round of an incubator at a time (UTC ms, now by default). Temperature lines come first.

    batch_id: which of several batches it is about, the newest by default.
    """
    return _sheet_now(book, incubator, batch_id) if at_ms is None else _sheet(book, incubator, at_ms, batch_id)


@finding(*SHEET_RESTS_ON, each_minute=True, here=True)
def _sheet_now(book: Book, incubator: Incubator, batch_id: int | None) -> RoundSheet:
    return _sheet(book, incubator, book.now_ms, batch_id)


def _sheet(book: Book, incubator: Incubator, now: int, batch_id: int | None) -> RoundSheet:
    course = batches.running(book, incubator, batch_id)
    beside = tuple(c for c in batches.all_running(book, incubator) if course and c.batch.id != course.batch.id)
    return _of(book, incubator, now, course, beside)


def last_sheet(book: Book, course: Course) -> RoundSheet:
    """The last round of a batch that has ended, as its instruments showed it then."""
    ended = course.batch.ended_ms
    return _of(book, course.incubator, book.now_ms if ended is None else ended, course, ())


def _of(book: Book, incubator: Incubator, now: int, course: Course | None, beside: tuple[Course, ...]) -> RoundSheet:
    # a clutch's box may have instruments of its own
    incubator = course.incubator if course is not None else incubator
    hanging = {q: {p.id for p, _from, _to in book.hung_in(incubator, q, now, now)} for q in ("temperature", "humidity")}
    lines = [
        Line(instrument, placement, channel, book.corrections.in_force(channel, now))
        for instrument, placement, channels in book.hanging_in(incubator.id, now)
        for channel in channels
        if placement.id in hanging[channel.quantity]
    ]
    lines.sort(key=lambda line: line.channel.quantity == "humidity")
    made = RoundSheet(incubator, now, course, tuple(lines), (), beside)
    newest = readings.newest(book.snapshot, [line.channel for line in lines], now - CURRENT_MS, now)
    latest = []
    for line in lines:
        if line.channel.id in newest:
            at, shown = newest[line.channel.id]
            latest.append(_judged(book, incubator, line, at, shown, made.band(line.channel.quantity, at), now))
    return replace(made, latest=tuple(_newest_together(latest)))


def _judged(
    book: Book, incubator: Incubator, line: Line, at_ms: int, shown: float, band: Band | None, now_ms: int
) -> Judged:
    """The newest reading of a line, judged once for as long as nothing else was read there."""

    def make(_: object) -> Judged:
        judged = judge_reading(book, incubator, line.hanging, shown, at_ms, band)
        return cycles.averaged(book, incubator, judged, band, now_ms)

    rests_on = (*book.readings_by(line.channel.id), Same(book.corrections), *book.versions(Event), now_ms // 60_000)
    key = (book.snapshot.known_ms, incubator, line.hanging, at_ms, shown, band)
    found: Judged = book.kept.get(_judged, key, rests_on, make)
    return found


def _newest_together(judged: list[Judged]) -> list[Judged]:
    """Per quantity, the readings of the newest quarter of an hour: older ones say nothing about now."""
    kept: list[Judged] = []
    for quantity in ("temperature", "humidity"):
        own = [j for j in judged if j.channel.quantity == quantity]
        newest = max((j.time_ms for j in own), default=0)
        kept += [j for j in own if newest - j.time_ms <= 15 * 60_000]
    return kept


def log_round(desk: Desk, fields: Mapping[int, Field], at_ms: int) -> int:
    """Log all good fields (by channel id) at a time, in one transaction, undoable. Returns how many were logged."""
    good = {channel_id: field for channel_id, field in fields.items() if field.shown is not None}
    if not good:
        return 0
    with desk.edit(_("{readings} logged", readings=count(len(good), "{n} reading", "{n} readings"))) as edit:
        for channel_id, field in good.items():
            edit.add(
                Reading,
                channel_id=channel_id,
                time_ms=at_ms,
                value=field.value,
                unit=field.unit,
                typed=field.typed.strip(),
                logged_ms=desk.now_ms,
            )
    return len(good)


def strike_reading(desk: Desk, reading_id: int, why: str) -> None:
    """Strike a wrong reading with a reason; it stays in the file, and undo brings it back."""
    desk.strike(_("reading struck"), Reading, [reading_id], why)


def log_event(
    desk: Desk, incubator: Incubator, kind: str, note: str, at_ms: int, set_point_c: float | None = None
) -> None:
    """Log something done to an incubator at a time; undoable. set_point_c: °C, for a changed set point.

    How far a vent stands open, and how much water was poured, is taken from the note where it says so.
    """
    with desk.edit(_("{kind_word} logged", kind_word=within(kind_word(kind)))) as edit:
        edit.add(
            Event,
            incubator_id=incubator.id,
            time_ms=at_ms,
            kind=kind,
            note=note.strip(),
            set_point_c=set_point_c,
            opening=water.opening_in_note(note) if kind == "vent" else None,
            water_ml=water.amount_in_note(note) if kind == "water" else None,
        )


def strike_event(desk: Desk, event_id: int) -> None:
    """Strike a wrong event; it stays in the file, and undo brings it back."""
    desk.strike(_("event struck"), Event, [event_id])


@dataclass(frozen=True)
class Entry:
    """Something logged by hand: when (UTC ms), in words, and which record it is."""

    time_ms: int
    words: str
    kind: type[Reading] | type[Event]
    id: int


def strike(desk: Desk, entry: Entry) -> None:
    """Strike what was logged wrongly; it stays in the file, and undo brings it back."""
    if entry.kind is Reading:
        strike_reading(desk, entry.id, say.STRUCK_BY_THE_KEEPER())
    else:
        strike_event(desk, entry.id)


def logged_lately(book: Book, sheet: RoundSheet, count_of: int) -> list[Entry]:
    """The newest readings and events of an incubator entered by hand in the last week, newest first."""
    start = sheet.at_ms - 7 * DAY_MS
    found = []
    for line in sheet.lines:
        for reading in readings.hand_readings(book.snapshot, line.channel.id, start, sheet.at_ms):
            words = f"{line.instrument.name} {as_typed(reading.typed)} {unit_word(reading.unit)}"
            found.append(Entry(reading.time_ms, words, Reading, reading.id))
    for event in book.events_between(sheet.incubator.id, start, sheet.at_ms):
        found.append(Entry(event.time_ms, event_words(book, event), Event, event.id))
    return sorted(found, key=lambda e: e.time_ms, reverse=True)[:count_of]


def set_point(book: Book, incubator: Incubator, at_ms: int) -> float | None:
    """What the controller is set to at a time, °C."""
    changes = [e for e in book.events_between(incubator.id, 0, at_ms) if e.set_point_c is not None]
    return changes[-1].set_point_c if changes else incubator.set_point_c


def basis_text(book: Book, force: InForce) -> str:
    """What a correction rests on, in a few words: "checked 9 days ago"."""
    if force.since_ms is None:
        return _("never checked")
    days = max(0, (book.now_ms - force.since_ms) // DAY_MS)
    ago = _("today") if days == 0 else _("yesterday") if days == 1 else _("{days} days ago", days=days)
    return _("certificate, {ago}", ago=ago) if force.basis == "certificate" else _("checked {ago}", ago=ago)
