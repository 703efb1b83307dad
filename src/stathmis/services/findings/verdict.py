"""Is the batch on profile now? Corrected readings of all instruments, combined and held against the phase's band."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from math import hypot

from stathmis.core.conformity import UNDECIDED, decide
from stathmis.core.consensus import Consensus, combine
from stathmis.core.course.profile import Band
from stathmis.core.uncertainty import NORMAL_95
from stathmis.core.units import Quantity
from stathmis.logbook.records import Channel, Incubator, Instrument, Placement
from stathmis.services.book import Book
from stathmis.services.findings.corrections import Corrected

STILL_AIR_HEIGHT_U_K = 1.0
"""Standard uncertainty of a still-air reading taken elsewhere than at egg-top height: heat lies in layers.
Source: common practice (several degrees between floor and lid)."""

CURRENT_MS = 14 * 3_600_000
"""A reading counts as "now" this long: two rounds a day, and some."""


@dataclass(frozen=True)
class Judged:
    """One reading, corrected (°C or %), and whether it is in the band ("inside", "outside", "undecided").

    leans_on: channel id of the reference its correction rests on, and that one's own standard uncertainty. Of a logger,
    corrected is the mean over the last mean_s seconds (whole cycles of the thermostat), newest what it reads now.
    """

    instrument: Instrument
    channel: Channel
    placement: Placement
    time_ms: int
    shown: float
    corrected: Corrected
    decision: str
    leans_on: tuple[int, float] | None = None
    mean_s: float = 0.0
    newest: Corrected | None = None


@dataclass(frozen=True)
class Verdict:
    """What all instruments say together about one quantity, °C or %; band None: nothing is asked in this phase."""

    quantity: Quantity
    corrected: Corrected
    band: Band | None
    decision: str
    low: bool
    readings: tuple[Judged, ...]
    suspects: tuple[Judged, ...]

    @property
    def time_ms(self) -> int:
        """When the newest reading was taken, UTC ms."""
        return max(r.time_ms for r in self.readings)


def layers_u_k(incubator: Incubator, placement: Placement, channel: Channel) -> float:
    """Standard uncertainty (K) of taking a reading at its place for one at the egg tops; 0 where air is moved."""
    layered = incubator.air == "still" and channel.quantity == "temperature" and not placement.at_egg_top
    return STILL_AIR_HEIGHT_U_K if layered else 0.0


def judge_reading(
    book: Book,
    incubator: Incubator,
    hanging: tuple[Instrument, Placement, Channel],
    shown: float,
    at_ms: int,
    band: Band | None,
) -> Judged:
    """Correct one reading (in its channel's unit) and hold it against a band (°C or %)."""
    instrument, placement, channel = hanging
    corrected = book.corrections.correct(channel, shown, at_ms)
    corrected = Corrected(corrected.value, hypot(corrected.U, NORMAL_95 * layers_u_k(incubator, placement, channel)))
    leans_on = book.corrections.leans_on(channel, corrected.value, at_ms)
    return Judged(instrument, channel, placement, at_ms, shown, corrected, _decision(corrected, band), leans_on)


def _decision(corrected: Corrected, band: Band | None) -> str:
    if band is None:
        return UNDECIDED
    return str(decide(corrected.value, corrected.u, band.low, band.high))


def together_u(readings: Sequence[Judged]) -> Consensus:
    """Readings of one quantity combined by their uncertainties; what a common reference left does not average out."""
    order = list(dict.fromkeys(r.leans_on[0] for r in readings if r.leans_on is not None))
    groups = [order.index(r.leans_on[0]) if r.leans_on is not None else -1 for r in readings]
    u_group = [max(r.leans_on[1] for r in readings if r.leans_on is not None and r.leans_on[0] == i) for i in order]
    values, u = [r.corrected.value for r in readings], [max(r.corrected.u, 1e-6) for r in readings]
    return combine(values, u, groups, u_group)


def overall(quantity: Quantity, readings: Sequence[Judged], band: Band | None) -> Verdict | None:
    """Combine readings of one quantity; None without any. Suspects are named, not outvoted: they weigh by their U."""
    own = [r for r in readings if r.channel.quantity == quantity]
    if not own:
        return None
    together = together_u(own)
    corrected = Corrected(together.value, NORMAL_95 * together.u)
    return Verdict(
        quantity=quantity,
        corrected=corrected,
        band=band,
        decision=_decision(corrected, band),
        low=band is not None and corrected.value < band.middle,
        readings=tuple(own),
        suspects=tuple(own[i] for i in together.suspects),
    )
