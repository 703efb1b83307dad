"""What an instrument is wanted for: the bands of the batches in hand, and whether its correction can tell them."""

from __future__ import annotations

from dataclasses import dataclass

from stathmis.core.calibration import Correction
from stathmis.core.course.profile import Band
from stathmis.core.units import from_inside
from stathmis.logbook.records import Channel
from stathmis.services.batch import batches
from stathmis.services.book import Book
from stathmis.services.findings.corrections import resolution_u
from stathmis.words.catalogue import _


@dataclass(frozen=True)
class Zone:
    """A band (°C or %) an instrument is wanted for, and what for in words."""

    what: str
    band: Band


@dataclass(frozen=True)
class ZoneVerdict:
    """Whether an instrument can decide about a zone: U (channel's unit) at the reading that means its middle."""

    zone: Zone
    reading: float
    U: float
    half: float

    @property
    def can_decide(self) -> bool:
        """Whether some reading could be told to be inside."""
        return self.half > self.U


def zones(book: Book, channel: Channel) -> list[Zone]:
    """What an instrument is wanted for: the bands of all batches in hand, else common ones."""
    found: dict[tuple[float, float], str] = {}
    for incubator in book.incubators():
        course = batches.running(book, incubator)
        for phase in course.phases if course is not None else ():
            band = phase.temperature_c if channel.quantity == "temperature" else phase.humidity
            if band is not None and phase.name != "warm-up":
                found.setdefault((band.low, band.high), f"{incubator.name}, {_(phase.name)}")
    if not found:
        common = [(37.2, 37.8)] if channel.quantity == "temperature" else [(45.0, 55.0), (65.0, 75.0)]
        found = dict.fromkeys(common, _("common practice"))
    return [Zone(what, Band(*edges)) for edges, what in sorted(found.items())]


def verdicts(book: Book, channel: Channel, correction: Correction | None) -> tuple[ZoneVerdict, ...]:
    """Whether an instrument with a correction can decide about each zone."""
    assert correction is not None
    made = []
    for zone in zones(book, channel):
        low, high = (float(from_inside(v, channel.unit)) for v in (zone.band.low, zone.band.high))
        reading = correction.reading_for(0.5 * (low + high))
        _, u = correction.apply(reading, resolution_u(channel))
        made.append(ZoneVerdict(zone, reading, u * correction.coverage_factor, 0.5 * (high - low)))
    return tuple(made)


def working_point(book: Book, channel: Channel) -> float:
    """Where this instrument works: the middle of the band of the batch it hangs with, else 37.5 °C or 50 %."""
    low, high = working_zone(book, channel)
    return float(from_inside(0.5 * (low + high), channel.unit))


def working_zone(book: Book, channel: Channel) -> tuple[float, float]:
    """The band (°C or %) this instrument is to decide about: its batch's now, else common ones."""
    now = book.now_ms
    for incubator in book.incubators():
        if not any(instrument.id == channel.instrument_id for instrument, _, _ in book.hanging_in(incubator.id, now)):
            continue
        course = batches.running(book, incubator)
        band = course.band(channel.quantity, now) if course is not None else None
        if band is not None:
            return band.low, band.high
    return (37.2, 37.8) if channel.quantity == "temperature" else (45.0, 55.0)
