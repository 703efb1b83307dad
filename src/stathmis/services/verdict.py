"""Is the batch on profile now? Corrected readings of all instruments, combined and held against the phase's band."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from math import hypot

from stathmis.core.conformity import UNDECIDED, decide
from stathmis.core.consensus import combine
from stathmis.core.profile import Band
from stathmis.logbook.records import Channel, Incubator, Instrument, Placement, Quantity
from stathmis.services.corrections import NORMAL_95, Corrected
from stathmis.services.workbench import Workbench

STILL_AIR_HEIGHT_U_K = 1.0
"""Standard uncertainty of a still-air reading taken elsewhere than at egg-top height: heat lies in layers.
Source: common practice (several degrees between floor and lid)."""

CURRENT_MS = 14 * 3_600_000
"""A reading counts as "now" this long: two rounds a day, and some."""


@dataclass(frozen=True)
class Judged:
    """One reading, corrected (°C or %), and whether it is in the band ("inside", "outside", "undecided")."""

    instrument: Instrument
    channel: Channel
    placement: Placement
    time_ms: int
    shown: float
    corrected: Corrected
    decision: str


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
    bench: Workbench,
    incubator: Incubator,
    hanging: tuple[Instrument, Placement, Channel],
    shown: float,
    at_ms: int,
    band: Band | None,
) -> Judged:
    """Correct one reading (in its channel's unit) and hold it against a band (°C or %)."""
    instrument, placement, channel = hanging
    corrected = bench.corrections.correct(channel, shown, at_ms)
    corrected = Corrected(corrected.value, hypot(corrected.U, NORMAL_95 * layers_u_k(incubator, placement, channel)))
    return Judged(instrument, channel, placement, at_ms, shown, corrected, _decision(corrected, band))


def _decision(corrected: Corrected, band: Band | None) -> str:
    if band is None:
        return UNDECIDED
    return str(decide(corrected.value, corrected.u, band.low, band.high))


def overall(quantity: Quantity, readings: Sequence[Judged], band: Band | None) -> Verdict | None:
    """Combine readings of one quantity; None without any. Suspects are named, not outvoted: they weigh by their U."""
    own = [r for r in readings if r.channel.quantity == quantity]
    if not own:
        return None
    together = combine([r.corrected.value for r in own], [max(r.corrected.u, 1e-6) for r in own])
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
