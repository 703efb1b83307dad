"""The round: what hangs in an incubator, what it showed last, logging what is typed, and events."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from functools import partial

from stathmis.core.profile import Band
from stathmis.logbook import keeping, readings
from stathmis.logbook.records import Channel, Event, Incubator, Instrument, NewReading, Placement, Quantity
from stathmis.services import batches, company
from stathmis.services.clock import DAY_MS
from stathmis.services.corrections import InForce
from stathmis.services.moisture import water
from stathmis.services.reading_field import Field
from stathmis.services.verdict import CURRENT_MS, Judged, Verdict, judge_reading, overall
from stathmis.services.wording import count, unit_word
from stathmis.services.workbench import Workbench

EVENT_KINDS = {
    "water": "Water added",
    "vent": "Vent changed",
    "lid": "Lid opened",
    "set_point": "Set point changed",
    "cool": "Cooled",
    "note": "Note",
}
EVENT_WORDS = {**EVENT_KINDS, "power": "Power cut", "alarm": "Alarm", "turn": "Turned", "moved": "Eggs moved"}
"""All events of the log: what a keeper does, and what the application noted."""


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
    course: batches.Course | None
    lines: tuple[Line, ...]
    latest: tuple[Judged, ...]
    beside: tuple[batches.Course, ...] = ()

    def band(self, quantity: Quantity, at_ms: int | None = None) -> Band | None:
        """The band to hold (now by default), °C or %; the temperature is the one that suits all batches beside it."""
        at = self.at_ms if at_ms is None else at_ms
        if self.course is None:
            return None
        if quantity == "temperature" and self.beside:
            return company.common_temperature([self.course, *self.beside], at)
        return self.course.band(quantity, at)

    def verdict(self, quantity: Quantity, judged: Mapping[int, Judged] | None = None) -> Verdict | None:
        """What the newest readings say together; judged (by channel id) are typed just now and take their place."""
        typed = judged or {}
        if any(j.channel.quantity == quantity for j in typed.values()):
            chosen = list(typed.values())
        else:
            chosen = list(self.latest)
        return overall(quantity, chosen, self.band(quantity))


def sheet(bench: Workbench, incubator: Incubator, at_ms: int | None = None, batch_id: int | None = None) -> RoundSheet:
    """The round of an incubator at a time (UTC ms, now by default). Temperature lines come first.

    batch_id: which of several batches it is about, the newest by default.
    """
    now = bench.now_ms if at_ms is None else at_ms
    course = batches.running(bench, incubator, batch_id)
    beside = tuple(c for c in batches.all_running(bench, incubator) if course and c.batch.id != course.batch.id)
    lines = [
        Line(instrument, placement, channel, bench.corrections.in_force(channel, now))
        for instrument, placement, channels in bench.hanging_in(incubator.id, now)
        for channel in channels
    ]
    lines.sort(key=lambda line: line.channel.quantity == "humidity")
    made = RoundSheet(incubator, now, course, tuple(lines), (), beside)
    latest = []
    newest = readings.newest(bench.logbook, [line.channel for line in lines], now - CURRENT_MS, now) if lines else {}
    for line in lines:
        if line.channel.id in newest:
            at, shown = newest[line.channel.id]
            latest.append(
                judge_reading(bench, incubator, line.hanging, shown, at, made.band(line.channel.quantity, at))
            )
    return replace(made, latest=tuple(_newest_together(latest)))


def _newest_together(judged: list[Judged]) -> list[Judged]:
    """Per quantity, the readings of the newest quarter of an hour: older ones say nothing about now."""
    kept: list[Judged] = []
    for quantity in ("temperature", "humidity"):
        own = [j for j in judged if j.channel.quantity == quantity]
        newest = max((j.time_ms for j in own), default=0)
        kept += [j for j in own if newest - j.time_ms <= 15 * 60_000]
    return kept


def log_round(bench: Workbench, fields: Mapping[int, Field], at_ms: int) -> int:
    """Log all good fields (by channel id) at a time, in one transaction, undoable. Returns how many were logged."""
    new = [
        NewReading(channel_id, at_ms, field.value, field.unit, field.typed.strip())
        for channel_id, field in fields.items()
        if field.shown is not None
    ]
    if not new:
        return 0
    ids = readings.log_readings(bench.logbook, new, bench.now_ms)
    bench.did(
        f"{count(len(ids), 'reading')} logged",
        undo=lambda: readings.strike(bench.logbook, ids, bench.now_ms, "undone"),
        redo=lambda: readings.strike(bench.logbook, ids, None, None),
    )
    return len(ids)


def strike_reading(bench: Workbench, reading_id: int, why: str) -> None:
    """Strike a wrong reading with a reason; it stays in the file, and undo brings it back."""
    readings.strike(bench.logbook, [reading_id], bench.now_ms, why)
    bench.did(
        "reading struck",
        undo=lambda: readings.strike(bench.logbook, [reading_id], None, None),
        redo=lambda: readings.strike(bench.logbook, [reading_id], bench.now_ms, why),
    )


def log_event(
    bench: Workbench, incubator: Incubator, kind: str, note: str, at_ms: int, set_point_c: float | None = None
) -> None:
    """Log something done to an incubator at a time; undoable. set_point_c: °C, for a changed set point.

    How far a vent stands open, and how much water was poured, is taken from the note where it says so.
    """
    event_id = keeping.add(
        bench.logbook,
        Event,
        incubator_id=incubator.id,
        time_ms=at_ms,
        kind=kind,
        note=note.strip(),
        set_point_c=set_point_c,
        opening=water.opening_in_note(note) if kind == "vent" else None,
        water_ml=water.amount_in_note(note) if kind == "water" else None,
    )
    bench.added(f"{EVENT_WORDS[kind].lower()} logged", Event, [event_id])


def strike_event(bench: Workbench, event_id: int) -> None:
    """Strike a wrong event; it stays in the file, and undo brings it back."""
    bench.strike("event struck", Event, [event_id])


@dataclass(frozen=True)
class Entry:
    """Something logged by hand: when (UTC ms), in words, and how to strike it."""

    time_ms: int
    words: str
    strike: Callable[[], None]


def logged_lately(bench: Workbench, sheet: RoundSheet, count_of: int) -> list[Entry]:
    """The newest readings and events of an incubator entered by hand in the last week, newest first."""
    start = sheet.at_ms - 7 * DAY_MS
    found = []
    for line in sheet.lines:
        for reading in readings.hand_readings(bench.logbook, line.channel.id, start, sheet.at_ms):
            words = f"{line.instrument.name} {reading.typed} {unit_word(reading.unit)}"
            found.append(
                Entry(reading.time_ms, words, partial(strike_reading, bench, reading.id, "struck by the keeper"))
            )
    for event in bench.events_between(sheet.incubator.id, start, sheet.at_ms):
        words = EVENT_WORDS[event.kind] + (f": {event.note}" if event.note else "")
        found.append(Entry(event.time_ms, words, partial(strike_event, bench, event.id)))
    return sorted(found, key=lambda e: e.time_ms, reverse=True)[:count_of]


def set_point(bench: Workbench, incubator: Incubator, at_ms: int) -> float | None:
    """What the controller is set to at a time, °C."""
    changes = [e for e in bench.events_between(incubator.id, 0, at_ms) if e.set_point_c is not None]
    return changes[-1].set_point_c if changes else incubator.set_point_c


def basis_text(bench: Workbench, force: InForce) -> str:
    """What a correction rests on, in a few words: "checked 9 days ago"."""
    if force.since_ms is None:
        return "never checked"
    days = max(0, (bench.now_ms - force.since_ms) // DAY_MS)
    ago = "today" if days == 0 else "yesterday" if days == 1 else f"{days} days ago"
    return f"certificate, {ago}" if force.basis == "certificate" else f"checked {ago}"
