"""Which correction is in force for a channel at a time, and readings corrected by it.

Raw readings stay as they are; everything shown as corrected is computed here, from the calibration in force at the
reading's own time, else from the certificate, else from the stated accuracy alone.
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise
from math import inf, sqrt
from typing import Literal, NamedTuple

import numpy as np
from numpy.typing import NDArray

from stathmis.core.calibration import Correction, uncorrected
from stathmis.core.checks.certificate import CertificateCurve
from stathmis.core.checks.drift import between
from stathmis.core.uncertainty import NORMAL_95
from stathmis.core.units import difference_to_inside, from_inside, to_inside
from stathmis.logbook.calibrations import Calibration, calibrations
from stathmis.logbook.records import CertificatePoint, Channel, Quantity
from stathmis.logbook.snapshot import Series, Snapshot

Array = NDArray[np.float64]

SLOPE_ALLOWANCE: dict[Quantity, float] = {"temperature": 0.005, "humidity": 0.05}
"""Standard uncertainty per unit outside the checked range (K per K, % per %). Source: common practice, cautious."""

_BLOCK = 262_144
"""So many readings are corrected at once: a long run's passing arrays stay small."""


class Corrected(NamedTuple):
    """A corrected reading in °C or %: value, and expanded uncertainty U (95 %)."""

    value: float
    U: float

    @property
    def u(self) -> float:
        """Standard uncertainty a normal distribution with this U would have; few degrees of freedom widen it."""
        return self.U / NORMAL_95


@dataclass(frozen=True)
class InForce:
    """The curve in force for a channel, what it rests on, and since when (UTC ms; None for stated accuracy)."""

    curve: Correction | CertificateCurve
    basis: Literal["calibration", "certificate", "stated accuracy"]
    since_ms: int | None
    coverage_factor: float
    calibration_id: int | None = None


class CorrectionBook:
    """All corrections of a logbook as it stood at a moment."""

    def __init__(self, snapshot: Snapshot) -> None:
        self._calibrations: dict[int, list[Calibration]] = {}
        for found in calibrations(snapshot):
            self._calibrations.setdefault(found.channel_id, []).append(found)
        self._certificates: dict[int, list[CertificatePoint]] = {}
        for point in snapshot.records(CertificatePoint):
            self._certificates.setdefault(point.channel_id, []).append(point)
        self._channels = {c.id: c for c in snapshot.records(Channel)}

    def calibrations_of(self, channel_id: int) -> list[Calibration]:
        """Calibrations of a channel in the order in which they come into force."""
        return self._calibrations.get(channel_id, [])

    def certificate_of(self, channel_id: int, at_ms: float = inf) -> list[CertificatePoint]:
        """Points of the certificate a channel had at a time (UTC ms), in order of reading.

        That is the newest dated until then; before the first, the first.
        """
        points = self._certificates.get(channel_id, [])
        dates = sorted({p.dated_ms for p in points})
        if not dates:
            return []
        dated = max((d for d in dates if d <= at_ms), default=dates[0])
        return sorted((p for p in points if p.dated_ms == dated), key=lambda p: p.reading)

    def in_force(self, channel: Channel, at_ms: float) -> InForce:
        """What corrects this channel's readings at a time (UTC ms)."""
        valid = [c for c in self.calibrations_of(channel.id) if c.valid_from_ms <= at_ms]
        if valid:
            # a later check supersedes an earlier one wherever it holds, also when it was put to use for the past
            latest = max(valid, key=lambda c: (c.done_ms, c.id))
            return InForce(
                latest.correction, "calibration", latest.done_ms, latest.correction.coverage_factor, latest.id
            )
        points = self.certificate_of(channel.id, at_ms)
        if points:
            curve = CertificateCurve(
                tuple(p.reading for p in points),
                tuple(p.correction for p in points),
                tuple(p.expanded_uncertainty / p.coverage_factor for p in points),
                SLOPE_ALLOWANCE[channel.quantity],
            )
            return InForce(curve, "certificate", points[0].dated_ms, NORMAL_95)
        return InForce(uncorrected(channel.accuracy / sqrt(3.0)), "stated accuracy", None, NORMAL_95)

    def leans_on(self, channel: Channel, value: float, at_ms: float) -> tuple[int, float] | None:
        """The reference a channel's correction rests on, by channel id, and the reference's own standard uncertainty.

        value: corrected, °C or %. Instruments checked against one reference all carry its error alike. None where no
        reference of the same quantity is known.
        """
        force = self.in_force(channel, at_ms)
        found = next((c for c in self.calibrations_of(channel.id) if c.id == force.calibration_id), None)
        reference = self._channels.get(found.reference_channel_id or -1) if found is not None else None
        if found is None or reference is None or reference.quantity != channel.quantity:
            return None
        _, u = self.in_force(reference, found.done_ms).curve.apply(float(from_inside(value, reference.unit)))
        return reference.id, float(difference_to_inside(u, reference.unit))

    def correct(self, channel: Channel, shown: float, at_ms: float) -> Corrected:
        """One reading, corrected. shown: in the channel's unit. Returns °C or %."""
        values, u = self.correct_series(channel, Series(np.array([at_ms]), np.array([shown])))
        return Corrected(float(values[0]), float(u[0]) * NORMAL_95)

    def correct_series(self, channel: Channel, series: Series) -> tuple[Array, Array]:
        """All readings of a series, corrected, each by what was in force at its time.

        Returns values and standard uncertainties in °C or %, shape of the series. Humidity is held to 0–100 %.
        """
        times = series.times_ms
        value, u = np.empty(times.size), np.empty(times.size)
        starts = [-inf, *self._changes(channel.id), inf]
        for start, stop in pairwise(starts):
            # searchsorted on Python ints: times are int64 and inf does not fit
            first = 0 if start == -inf else int(np.searchsorted(times, int(start), "left"))
            last = times.size if stop == inf else int(np.searchsorted(times, int(stop), "left"))
            if last <= first:
                continue
            for begin in range(first, last, _BLOCK):
                end = min(begin + _BLOCK, last)
                part = Series(times[begin:end], series.shown[begin:end])
                value[begin:end], u[begin:end] = self._correct_part(channel, part, start)
        if channel.unit == "°F":
            return np.asarray(to_inside(value, "°F")), np.asarray(difference_to_inside(u, "°F"))
        if channel.quantity == "humidity":
            np.clip(value, 0.0, 100.0, out=value)
        return value, u

    def _changes(self, channel_id: int) -> list[float]:
        """Times at which what corrects a channel changes."""
        checks = {float(c.valid_from_ms) for c in self.calibrations_of(channel_id)}
        return sorted(checks | {float(p.dated_ms) for p in self._certificates.get(channel_id, [])})

    def _correct_part(self, channel: Channel, part: Series, start: float) -> tuple[Array, Array]:
        """Readings of a stretch over which nothing new came into force."""
        force = self.in_force(channel, start)
        step_u = resolution_u(channel)
        value, u = force.curve.apply(part.shown, step_u)
        u = u * (force.coverage_factor / NORMAL_95)
        later = self._next_check(channel, force)
        if later is None or force.since_ms is None:
            return value, u
        after, u_after = later.correction.apply(part.shown, step_u)
        u_after = u_after * (later.correction.coverage_factor / NORMAL_95)
        share = np.clip((part.times_ms - force.since_ms) / (later.done_ms - force.since_ms), 0.0, 1.0)
        return between(value, u, after, u_after, share)

    def _next_check(self, channel: Channel, force: InForce) -> Calibration | None:
        """The check to go towards, where the keeper wants corrections to run straight between two checks.

        A check made "as left" starts anew: what was adjusted did not drift.
        """
        if channel.between_checks != "between" or force.basis != "calibration" or force.since_ms is None:
            return None
        later = [c for c in self.calibrations_of(channel.id) if c.done_ms > (force.since_ms or 0)]
        following = min(later, key=lambda c: (c.done_ms, c.id), default=None)
        return None if following is None or following.conditions.state == "as left" else following


def resolution_u(channel: Channel) -> float:
    """Standard uncertainty from a display's steps (d/√12), in the channel's unit."""
    return channel.resolution / sqrt(12.0)
