"""Rows of the logbook as plain data. Times are UTC ms; values are as shown, in the unit named beside them."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from stathmis.core.profile import Air
from stathmis.core.units import Unit

Quantity = Literal["temperature", "humidity"]


@dataclass(frozen=True)
class Incubator:
    """A machine; set_point_c is what its controller was set to at the start, °C, None where unknown."""

    id: int
    name: str
    air: Air
    set_point_c: float | None


@dataclass(frozen=True)
class Instrument:
    """A thing that shows numbers; role is "working" or "reference", kind the keeper's word for it."""

    id: int
    name: str
    role: Literal["working", "reference"]
    kind: str


@dataclass(frozen=True)
class Channel:
    """One quantity an instrument shows, in its unit: resolution, stated accuracy (± this much), range."""

    id: int
    instrument_id: int
    quantity: Quantity
    unit: Unit
    resolution: float
    accuracy: float
    low: float
    high: float


@dataclass(frozen=True)
class Placement:
    """Where an instrument hangs, from one time to another (None: still there)."""

    id: int
    instrument_id: int
    incubator_id: int
    place: str
    at_egg_top: bool
    from_ms: int
    to_ms: int | None


@dataclass(frozen=True)
class Batch:
    """Eggs set together; species and regime are keys of the shipped lists."""

    id: int
    incubator_id: int
    name: str
    species: str
    regime: str
    eggs: int
    set_ms: int
    ended_ms: int | None


@dataclass(frozen=True)
class Reading:
    """A reading typed by hand; typed is what stood in the field."""

    id: int
    channel_id: int
    time_ms: int
    value: float
    unit: Unit
    typed: str


@dataclass(frozen=True)
class NewReading:
    """A reading about to be logged."""

    channel_id: int
    time_ms: int
    value: float
    unit: Unit
    typed: str


@dataclass(frozen=True)
class Event:
    """Something done to an incubator: water, vent, lid, set point, note."""

    id: int
    incubator_id: int
    time_ms: int
    kind: str
    note: str
    set_point_c: float | None


@dataclass(frozen=True)
class CertificatePoint:
    """A line of a reference's certificate, in the channel's unit."""

    id: int
    channel_id: int
    dated_ms: int
    reading: float
    correction: float
    expanded_uncertainty: float
    coverage_factor: float


@dataclass(frozen=True)
class CalibrationPoint:
    """A point of a check: what was typed on both sides, and the means and uncertainties used, in channel units."""

    shown: str
    reference_shown: str
    reading: float
    reference: float
    u_reading: float
    u_reference: float


@dataclass(frozen=True)
class LoggerImport:
    """A logger file that was brought in, with its row counts."""

    id: int
    file_name: str
    imported_ms: int
    good: int
    duplicate: int
    bad: int
