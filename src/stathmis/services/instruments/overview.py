"""All instruments at one glance, and those that hung together held against each other."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from stathmis.core.conformity import decide
from stathmis.core.consensus import Consensus, combine, normalized_error
from stathmis.core.course.profile import Band
from stathmis.core.uncertainty import NORMAL_95
from stathmis.core.units import Quantity, from_inside, to_inside
from stathmis.logbook import readings
from stathmis.logbook.records import CertificatePoint, Channel, Incubator, Instrument, Placement, StoredCalibration
from stathmis.logbook.snapshot import SETTINGS
from stathmis.services import rounds
from stathmis.services.batch import batches
from stathmis.services.batch.batches import COURSES_REST_ON
from stathmis.services.book import Book, finding
from stathmis.services.findings.corrections import Corrected, InForce
from stathmis.services.findings.verdict import CURRENT_MS, Judged, judge_reading, together_u
from stathmis.services.instruments import history
from stathmis.services.instruments.zones import working_zone
from stathmis.words.catalogue import _
from stathmis.words.instruments import sheet as say

TOGETHER_MS = 8 * 60_000
"""Readings this near to one moment count as taken together. Source: common practice (a round takes minutes)."""


@dataclass(frozen=True)
class Glance:
    """One channel in the drawer: where it is, and what it can tell at its working point (°C or %)."""

    instrument: Instrument
    channel: Channel
    where: str
    band: Band
    shown: float
    corrected: Corrected
    decision: str
    force: InForce
    age: str
    due: bool
    due_ms: int | None


@finding(StoredCalibration, CertificatePoint, Instrument, Channel, *COURSES_REST_ON, SETTINGS, each_minute=True)
def glances(book: Book) -> list[Glance]:
    """Every channel of every instrument, references first."""
    return [_glance(book, instrument, channel) for instrument, channel in _pairs(book)]


def _glance(book: Book, instrument: Instrument, channel: Channel) -> Glance:
    low, high = working_zone(book, channel)
    middle = 0.5 * (low + high)
    shown = float(from_inside(middle, channel.unit))
    corrected = book.corrections.correct(channel, shown, book.now_ms)
    force = book.corrections.in_force(channel, book.now_ms)
    due_ms = history.history(book, channel).due_ms
    return Glance(
        instrument,
        channel,
        where(book, instrument),
        Band(low, high),
        shown,
        corrected,
        # the question is how finely it can tell, not whether this made-up reading is right
        str(decide(middle, corrected.u, low, high)),
        force,
        rounds.basis_text(book, force),
        due_ms is None or book.now_ms > due_ms,
        due_ms,
    )


def _read_together(book: Book, incubator: Incubator, quantity: Quantity) -> list[Judged]:
    """One reading of each instrument around one moment: of the newest ones, the moment most were read at."""
    now = book.now_ms
    course = batches.running(book, incubator)
    runs = []
    for instrument, placement, channels in book.hanging_in(incubator.id, now):
        # boxes have an air of their own
        for channel in (c for c in channels if c.quantity == quantity and placement.batch_id is None):
            found = readings.series(book.snapshot, channel, now - CURRENT_MS, now)
            if found.times_ms.size:
                runs.append(((instrument, placement, channel), found))
    best: list[Judged] = []
    for moment in sorted({int(found.times_ms[-1]) for _hanging, found in runs}, reverse=True):
        around = []
        for hanging, found in runs:
            nearest = int(np.argmin(np.abs(found.times_ms - moment)))
            at = int(found.times_ms[nearest])
            if abs(at - moment) <= TOGETHER_MS:
                band = course.band(quantity, at) if course else None
                shown = float(found.shown[nearest])
                around.append(judge_reading(book, incubator, hanging, shown, at, band))
        if len(around) > len(best):
            best = around
    return best


def instruments_for(book: Book, quantity: Quantity) -> list[tuple[Instrument, Channel]]:
    """All instruments that show a quantity, references first."""
    return [(g, c) for g, c in _pairs(book) if c.quantity == quantity]


def _pairs(book: Book) -> list[tuple[Instrument, Channel]]:
    ordered = sorted(book.records(Instrument), key=lambda i: i.role != "reference")
    return [(i, c) for i in ordered for c in book.records(Channel) if c.instrument_id == i.id]


def read_value(judged: Judged) -> float:
    """What an instrument showed, in °C or %."""
    return float(to_inside(judged.shown, judged.channel.unit))


def where(book: Book, instrument: Instrument) -> str:
    """Where an instrument is now, in words."""
    names = {i.id: i.name for i in book.records(Incubator)}
    now = book.now_ms
    for place in (p for p in book.records(Placement) if p.instrument_id == instrument.id):
        if place.from_ms <= now and (place.to_ms is None or now < place.to_ms):
            return f"{names.get(place.incubator_id, '')}, {place.place}"
    return say.REFERENCE_IN_THE_DRAWER() if instrument.role == "reference" else _("in the drawer")


@dataclass(frozen=True)
class Together:
    """Instruments that hung together, read within a quarter of an hour, held against each other (°C or %).

    share: what each counts for in the consensus, 0 to 1; e_n: normalized error of each against the others together;
    pairs: normalized errors between every two, by their places in readings.
    """

    incubator: Incubator
    quantity: Quantity
    band: Band | None
    readings: tuple[Judged, ...]
    share: tuple[float, ...]
    e_n: tuple[float, ...]
    pairs: dict[tuple[int, int], float]
    consensus: Consensus

    @property
    def corrected(self) -> Corrected:
        """The consensus with its expanded uncertainty."""
        return Corrected(self.consensus.value, NORMAL_95 * self.consensus.u)


def side_by_side(book: Book, incubator: Incubator, quantity: Quantity) -> Together | None:
    """The newest readings of two or more instruments in an incubator held against each other; None for fewer."""
    own = _read_together(book, incubator, quantity)
    if len(own) < 2:
        return None
    values = [j.corrected.value for j in own]
    u = [max(j.corrected.u, 1e-6) for j in own]
    together = together_u(own)
    weights = [1.0 / x**2 for x in u]
    e_n = []
    for i in range(len(own)):
        others = [k for k in range(len(own)) if k != i]
        rest = combine([values[k] for k in others], [u[k] for k in others])
        e_n.append(float(normalized_error(values[i], 2 * u[i], rest.value, 2 * rest.u)))
    pairs = {
        (i, k): float(normalized_error(values[i], 2 * u[i], values[k], 2 * u[k]))
        for i in range(len(own))
        for k in range(i + 1, len(own))
    }
    course = batches.running(book, incubator)
    band = course.band(quantity, book.now_ms) if course else None
    shares = tuple(w / sum(weights) for w in weights)
    return Together(incubator, quantity, band, tuple(own), shares, tuple(e_n), pairs, together)
