"""Which correction is in force for a channel at a time, and readings corrected by it.

Raw readings stay as they are; everything shown as corrected is computed here, from the calibration in force at the
reading's own time, else from the certificate, else from the stated accuracy alone.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from itertools import pairwise
from math import hypot, inf, sqrt
from typing import Literal, NamedTuple

import numpy as np
from numpy.typing import ArrayLike, NDArray

from stathmis.core.averaged import Prior
from stathmis.core.calibration import Correction, uncorrected
from stathmis.core.checks.certificate import CertificateCurve
from stathmis.core.checks.drift import between, fit_drift
from stathmis.core.uncertainty import NORMAL_95
from stathmis.core.units import Quantity, difference_from_inside, difference_to_inside, from_inside, to_inside
from stathmis.logbook.calibrations import Calibration, calibrations
from stathmis.logbook.records import CertificatePoint, Channel
from stathmis.logbook.snapshot import Series, Snapshot

Array = NDArray[np.float64]

SLOPE_ALLOWANCE: dict[Quantity, float] = {"temperature": 0.018, "humidity": 0.05}
"""Standard uncertainty per unit outside the checked range (K per K, % per %). Source: common practice, cautious."""
REFERENCE_SLOPE: dict[Quantity, float] = {"temperature": 0.005, "humidity": 0.05}
"""The same beyond a certificate's points: references are straighter. Source: common practice."""
PRIORS: dict[Quantity, Prior] = {
    "temperature": Prior(offset=1.0, slope=0.010, bend=0.06, middle=27.0, half=18.0, at=37.5),
    "humidity": Prior(offset=5.0, slope=0.06, bend=1.0, middle=55.0, half=22.0, at=55.0),
}
"""What is known of an instrument before it is checked, °C or %: how far it is off in the middle, how steeply that
changes, how far it bends between 9 and 45 °C, or 33 and 77 %. A maker who claims less is not believed; one who claims
more is. Source: common practice, cautious; held against instruments of another make-up in bench/sharp.py."""
USUAL_DRIFT_PER_YEAR: dict[Quantity, float] = {"temperature": 0.1, "humidity": 1.5}
"""Standard uncertainty of the drift in a year (K, %) while too few checks tell. Source: common practice, cautious."""
YEAR_MS = 365.25 * 86_400_000
SLOPE_REACH_K, SLOPE_REACH_RH = 25.0, 60.0
"""Beyond so many K or % an error nobody checked hardly grows. Source: our own: sensors wander, they do not run off."""


def slope_reach(channel: Channel) -> float:
    """How far the slope nobody checked leads, in the channel's unit."""
    if channel.quantity == "humidity":
        return SLOPE_REACH_RH
    return float(difference_from_inside(SLOPE_REACH_K, channel.unit))


def usual_drift(channel: Channel) -> float:
    """See USUAL_DRIFT_PER_YEAR, in the channel's unit."""
    per = 1.0 if channel.quantity == "humidity" else float(difference_from_inside(1.0, channel.unit))
    return USUAL_DRIFT_PER_YEAR[channel.quantity] * per


def prior(channel: Channel) -> Prior:
    """See PRIORS, in the channel's unit, and by its maker's stated accuracy where that is wider."""
    p = PRIORS[channel.quantity]
    per = 1.0 if channel.quantity == "humidity" else float(difference_from_inside(1.0, channel.unit))
    middle, at = (float(from_inside(v, channel.unit)) for v in (p.middle, p.at))
    return Prior(max(p.offset * per, channel.accuracy), p.slope, p.bend * per, middle, p.half * per, at)


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
    """The curve in force for a channel, what it rests on, and since when (UTC ms; None for stated accuracy).

    drift_per_year: standard uncertainty of how far it moves in a year; flicker: standard deviation of single readings,
    as seen in the check; both in the channel's unit.
    """

    curve: Correction | CertificateCurve
    basis: Literal["calibration", "certificate", "stated accuracy"]
    since_ms: int | None
    coverage_factor: float
    calibration_id: int | None = None
    drift_per_year: float = 0.0
    flicker: float = 0.0

    def aged(self, at_ms: ArrayLike) -> Array:
        """Standard uncertainty of the drift by a time (UTC ms) since, or before, it was checked, in the channel's
        unit."""
        since = 0.0 if self.since_ms is None else np.abs(np.asarray(at_ms, dtype=np.float64) - self.since_ms)
        return np.asarray(self.drift_per_year * since / YEAR_MS)


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
        self._drifts: dict[int, float] = {}

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
            curve = latest.correction
            if curve.model != "averaged":
                # an averaged curve has the slope nobody checked in its covariance
                allowed = max(curve.slope_allowance, SLOPE_ALLOWANCE[channel.quantity])
                curve = replace(curve, slope_allowance=allowed, slope_reach=slope_reach(channel))
            drift = self._drift(channel, latest)
            return InForce(
                curve, "calibration", latest.done_ms, curve.coverage_factor, latest.id, drift, latest.flicker
            )
        points = self.certificate_of(channel.id, at_ms)
        if points:
            certified = CertificateCurve(
                tuple(p.reading for p in points),
                tuple(p.correction for p in points),
                tuple(p.expanded_uncertainty / p.coverage_factor for p in points),
                REFERENCE_SLOPE[channel.quantity],
            )
            drift = points[0].drift_per_year / sqrt(3.0)
            return InForce(certified, "certificate", points[0].dated_ms, NORMAL_95, drift_per_year=drift)
        return InForce(uncorrected(channel.accuracy / sqrt(3.0)), "stated accuracy", None, NORMAL_95)

    def _drift(self, channel: Channel, latest: Calibration) -> float:
        """How far an instrument moves in a year, standard uncertainty: as its own checks tell, else the usual.

        A check made "as left" starts anew: what was adjusted did not drift.
        """
        known = self._drifts.get(latest.id)
        if known is not None:
            return known
        own = sorted((c for c in self.calibrations_of(channel.id) if c.done_ms <= latest.done_ms), key=_order)
        adjusted = max((i for i, c in enumerate(own) if c.conditions.state == "as left"), default=0)
        since, at = own[adjusted:], 0.5 * sum(latest.correction.domain)
        found = [c.correction.apply(at) for c in since]
        usual = usual_drift(channel)
        drift = fit_drift(
            [c.done_ms / YEAR_MS for c in since],
            [at - value for value, _u in found],
            [max(u, 1e-6) for _value, u in found],
            usual,
        )
        made = hypot(drift.rate, drift.u_rate * drift.k / NORMAL_95) if drift.fitted else usual
        self._drifts[latest.id] = made
        return made

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
        step_u = hypot(resolution_u(channel), force.flicker)
        value, u = force.curve.apply(part.shown, step_u)
        aged = force.aged(part.times_ms)
        u = np.hypot(u * (force.coverage_factor / NORMAL_95), aged)
        later = self._next_check(channel, force)
        if later is None or force.since_ms is None:
            return value, u
        after, u_after = later.correction.apply(part.shown, step_u)
        u_after = np.hypot(
            u_after * (later.correction.coverage_factor / NORMAL_95),
            force.drift_per_year * np.abs(later.done_ms - part.times_ms) / YEAR_MS,
        )
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


def _order(calibration: Calibration) -> tuple[int, int]:
    return calibration.done_ms, calibration.id


def resolution_u(channel: Channel) -> float:
    """Standard uncertainty from a display's steps (d/√12), in the channel's unit."""
    return channel.resolution / sqrt(12.0)
