"""A check while it is being made: what is typed where, and when. Views write into it; nothing here computes."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, field

from stathmis.core.checks.pairing import Pairs
from stathmis.core.units import difference_from_inside
from stathmis.logbook.records import Channel
from stathmis.services.instruments.methods import HYSTERESIS, Allowance, Method, methods, methods_for
from stathmis.words.catalogue import as_number

ROWS_AT_FIRST = 4
JAR_HOURS = "12"
"""How long an instrument lies in a salt jar where nothing is said, h. Source: common practice (8-24)."""


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
    if method.needs_pressure:
        altitude = "" if altitude_m is None else as_number(altitude_m, "g")
        made.settings = {"pressure_from": "altitude", "pressure": "", "altitude": altitude}
    if method.reference == "bulbs":
        made.settings["wick"] = "ventilated"
    if method.reference == "gun":
        made.settings.update(emissivity="0.95", gun_setting="0.95", gun_c="")
    if method.reference == "salt":
        made.settings["jar_hours"] = JAR_HOURS
    made.allowances = {a.key: _usual(channel, a, made.settings) for a in method.allowances}
    return made


def _usual(channel: Channel, allowance: Allowance, settings: Mapping[str, str]) -> str:
    return as_number(allowance.usual(channel.quantity, channel.unit, settings), ".3g")


def choose(points: PointSet, channel: Channel, setting: str, what: str) -> None:
    """Choose another way; allowances that follow it take their usual size, but not what the keeper typed."""
    following = [a for a in points.method.allowances if a.by == setting]
    untouched = [a for a in following if points.allowances.get(a.key) == _usual(channel, a, points.settings)]
    points.settings[setting] = what
    for allowance in untouched:
        points.allowances[allowance.key] = _usual(channel, allowance, points.settings)


def new_draft(channel: Channel, altitude_m: float | None, method: str | None = None) -> Draft:
    """An empty check of a channel, by a method (the first for its quantity by default)."""
    chosen = methods()[method] if method else methods_for(channel.quantity)[0]
    usual = float(difference_from_inside(HYSTERESIS[channel.quantity], channel.unit))
    return Draft(channel, [new_set(channel, chosen, altitude_m)], hysteresis=as_number(usual, "g"))
