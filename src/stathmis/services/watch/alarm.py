"""What an alarm is: something that cannot wait until the next round."""

from __future__ import annotations

from dataclasses import dataclass
from math import nan
from typing import Literal

from stathmis.logbook.records import Incubator, Instrument
from stathmis.services.watch.live import ProbeStatus
from stathmis.words.catalogue import _

AlarmKind = Literal["hot", "eggs", "trend", "air", "moisture", "drying", "stuck", "ended", "silent"]


@dataclass(frozen=True)
class Alarm:
    """Something that cannot wait; danger before watch.

    kind: air that is dangerous at once, eggs beyond their limit or on the way to it, air far off for no known reason,
    too dry or too moist ("moisture"), or going to be too dry ("drying"); a logger that shows the very same for hours
    ("stuck") or whose file has ended ("ended"), or a probe that went silent. warm: it is, or gets, too warm. celsius:
    the air ("hot", "air") or the eggs; limit_c: what the eggs will pass; rh: the humidity and what is asked, percent;
    minutes: for how long; at_ms: when it will be so (UTC ms); instrument: which is meant.
    """

    kind: AlarmKind
    incubator: Incubator | None
    danger: bool
    warm: bool = False
    celsius: float = nan
    limit_c: float = nan
    minutes: int = 0
    probe: ProbeStatus | None = None
    at_ms: int = 0
    instrument: Instrument | None = None
    rh: tuple[float, float] = (nan, nan)

    @property
    def what(self) -> str:
        """Its kind, with the side or the instrument: too cold is another alarm than too warm."""
        side = ""
        if self.kind in ("eggs", "trend", "air"):
            side = _(" warm") if self.warm else _(" cold")
        elif self.kind == "moisture":
            side = _(" dry") if self.rh[0] < self.rh[1] else _(" moist")
        elif self.instrument is not None:
            side = f" {self.instrument.id}"
        return f"{self.kind}{side}"

    @property
    def key(self) -> str:
        """What and where: the same alarm is told once."""
        place = self.incubator.id if self.incubator is not None else self.probe and self.probe.probe.id
        return f"{self.what} {place}"
