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
from stathmis.core.certificate import CertificateCurve
from stathmis.core.units import difference_to_inside, to_inside
from stathmis.logbook import keeping
from stathmis.logbook.calibrations import Calibration, calibrations
from stathmis.logbook.opening import Logbook
from stathmis.logbook.readings import Series
from stathmis.logbook.records import CertificatePoint, Channel, Quantity

Array = NDArray[np.float64]

SLOPE_ALLOWANCE: dict[Quantity, float] = {"temperature": 0.005, "humidity": 0.05}
"""Standard uncertainty per unit outside the checked range (K per K, % per %). Source: common practice, cautious."""

NORMAL_95 = 1.959963984540054


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
    """All corrections of a logbook, read once; make a new one after a calibration changes."""

    def __init__(self, logbook: Logbook) -> None:
        self._calibrations: dict[int, list[Calibration]] = {}
        for found in calibrations(logbook):
            self._calibrations.setdefault(found.channel_id, []).append(found)
        self._certificates: dict[int, list[CertificatePoint]] = {}
        for point in keeping.all_of(logbook, CertificatePoint):
            self._certificates.setdefault(point.channel_id, []).append(point)

    def calibrations_of(self, channel_id: int) -> list[Calibration]:
        """Calibrations of a channel in the order in which they come into force."""
        return self._calibrations.get(channel_id, [])

    def certificate_of(self, channel_id: int) -> list[CertificatePoint]:
        """Certificate points of a channel, in order of reading."""
        return sorted(self._certificates.get(channel_id, []), key=lambda p: p.reading)

    def in_force(self, channel: Channel, at_ms: float) -> InForce:
        """What corrects this channel's readings at a time (UTC ms)."""
        valid = [c for c in self.calibrations_of(channel.id) if c.valid_from_ms <= at_ms]
        if valid:
            # a later check supersedes an earlier one wherever it holds, also when it was put to use for the past
            latest = max(valid, key=lambda c: (c.done_ms, c.id))
            return InForce(
                latest.correction, "calibration", latest.done_ms, latest.correction.coverage_factor, latest.id
            )
        points = self.certificate_of(channel.id)
        if points:
            curve = CertificateCurve(
                tuple(p.reading for p in points),
                tuple(p.correction for p in points),
                tuple(p.expanded_uncertainty / p.coverage_factor for p in points),
                SLOPE_ALLOWANCE[channel.quantity],
            )
            return InForce(curve, "certificate", points[0].dated_ms, NORMAL_95)
        return InForce(uncorrected(channel.accuracy / sqrt(3.0)), "stated accuracy", None, NORMAL_95)

    def correct(self, channel: Channel, shown: float, at_ms: float) -> Corrected:
        """One reading, corrected. shown: in the channel's unit. Returns °C or %."""
        force = self.in_force(channel, at_ms)
        value, u = force.curve.apply(shown, resolution_u(channel))
        return _inside(channel, value, u * force.coverage_factor)

    def correct_series(self, channel: Channel, series: Series) -> tuple[Array, Array]:
        """All readings of a series, corrected, each by what was in force at its time.

        Returns values and standard uncertainties in °C or %, shape of the series.
        """
        times = series.times_ms
        value, u = np.empty(times.size), np.empty(times.size)
        starts = [-inf, *sorted({float(c.valid_from_ms) for c in self.calibrations_of(channel.id)}), inf]
        for start, stop in pairwise(starts):
            # searchsorted on Python ints: times are int64 and inf does not fit
            first = 0 if start == -inf else int(np.searchsorted(times, int(start), "left"))
            last = times.size if stop == inf else int(np.searchsorted(times, int(stop), "left"))
            if last <= first:
                continue
            force = self.in_force(channel, start)
            part_value, part_u = force.curve.apply(series.shown[first:last], resolution_u(channel))
            value[first:last] = part_value
            u[first:last] = part_u * (force.coverage_factor / NORMAL_95)
        if channel.unit == "°F":
            return np.asarray(to_inside(value, "°F")), np.asarray(difference_to_inside(u, "°F"))
        return value, u


def resolution_u(channel: Channel) -> float:
    """Standard uncertainty from a display's steps (d/√12), in the channel's unit."""
    return channel.resolution / sqrt(12.0)


def _inside(channel: Channel, value: float, U: float) -> Corrected:
    return Corrected(float(to_inside(value, channel.unit)), float(difference_to_inside(U, channel.unit)))
