"""A check while it is being made: what is typed where, and when. Views write into it; nothing here computes."""

from __future__ import annotations

import re
from dataclasses import dataclass, field

from stathmis.core.checks.pairing import Pairs
from stathmis.core.units import difference_from_inside
from stathmis.logbook.records import Channel
from stathmis.services.instruments.methods import HYSTERESIS, Method, methods, methods_for

ROWS_AT_FIRST = 4


def split_readings(text: str) -> list[str]:
    """Readings typed in one field: apart by spaces or semicolons."""
    return [part for part in re.split(r"[;\s]+", text.strip()) if part]


@dataclass
class Row:
    """One point: what the instrument showed (several readings), the other fields by key, and which way it came.

    moments: when each reading was typed, UTC ms; direction: "", "rising" or "falling".
    """

    shown: str = ""
    cells: dict[str, str] = field(default_factory=dict)
    direction: str = ""
    moments: list[int] = field(default_factory=list)

    @property
    def empty(self) -> bool:
        """Whether no reading was typed: a chosen salt alone is no point."""
        return not self.shown.strip() and not any(v.strip() for k, v in self.cells.items() if k != "salt")

    def type_shown(self, text: str, now_ms: int) -> None:
        """Take what stands in the field, noting when each further reading came."""
        before, after = split_readings(self.shown), split_readings(text)
        # the last reading may still be being typed: its time is that of the newest key
        kept = min(len(before), max(len(after) - 1, 0))
        self.moments = self.moments[:kept] + [now_ms] * (len(after) - kept)
        self.shown = text


@dataclass(frozen=True)
class Logged:
    """Points picked from two logs: paired block means, with the stretch they come from (UTC ms)."""

    pairs: Pairs
    start_ms: int
    end_ms: int
    readings: int


@dataclass
class PointSet:
    """Points taken by one method: with which instruments, what is allowed for (as typed), settings, and rows."""

    method: Method
    reference_id: int | None = None
    second_id: int | None = None
    allowances: dict[str, str] = field(default_factory=dict)
    settings: dict[str, str] = field(default_factory=dict)
    rows: list[Row] = field(default_factory=lambda: [Row() for _ in range(ROWS_AT_FIRST)])
    logged: Logged | None = None


@dataclass
class Draft:
    """A check of one channel: point sets, the curve asked for, "as found" or "as left", hysteresis as typed."""

    channel: Channel
    sets: list[PointSet] = field(default_factory=list)
    model: str = "auto"
    state: str = "as found"
    hysteresis: str = ""


def new_set(channel: Channel, method: Method, altitude_m: float | None) -> PointSet:
    """An empty set of points with the method's usual allowances and settings."""
    made = PointSet(method)
    made.allowances = {a.key: f"{a.usual(channel.quantity, channel.unit):.3g}" for a in method.allowances}
    if method.needs_pressure:
        altitude = "" if altitude_m is None else f"{altitude_m:g}"
        made.settings = {"pressure_from": "altitude", "pressure": "", "altitude": altitude}
    if method.reference == "bulbs":
        made.settings["wick"] = "ventilated"
    if method.reference == "gun":
        made.settings.update(emissivity="0.95", gun_setting="0.95")
    return made


def new_draft(channel: Channel, altitude_m: float | None, method: str | None = None) -> Draft:
    """An empty check of a channel, by a method (the first for its quantity by default)."""
    chosen = methods()[method] if method else methods_for(channel.quantity)[0]
    usual = float(difference_from_inside(HYSTERESIS[channel.quantity], channel.unit))
    return Draft(channel, [new_set(channel, chosen, altitude_m)], hysteresis=f"{usual:g}")
