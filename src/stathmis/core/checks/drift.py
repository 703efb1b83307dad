"""Drift: how an instrument's error moves from check to check, and when it will leave its tolerance."""

from __future__ import annotations

from dataclasses import dataclass
from math import inf

import numpy as np
from numpy.typing import ArrayLike

from stathmis.core.checks.straight_line import FitError, widening, york_line
from stathmis.core.uncertainty import NORMAL_95, coverage_factor


@dataclass(frozen=True)
class Drift:
    """A fitted drift: error = value + rate (day - pivot), with uncertainties, k for 95 %, and what it rests on.

    rate: per day, in the error's unit; u_shared: standard uncertainty common to all checks (one reference), which
    hides in the error but not in the rate. fitted: False where too few checks exist and a usual rate stands in.
    """

    pivot_day: float
    value: float
    rate: float
    u_value: float
    u_rate: float
    u_shared: float
    k: float
    fitted: bool

    def at(self, day: ArrayLike) -> tuple[np.ndarray, np.ndarray]:
        """Error expected on a day and its expanded uncertainty U (95 %), shape of day."""
        step = np.asarray(day, dtype=np.float64) - self.pivot_day
        u = np.sqrt(self.u_value**2 + (self.u_rate * step) ** 2 + self.u_shared**2)
        return self.value + self.rate * step, self.k * u

    @property
    def seen(self) -> bool:
        """Whether the rate is more than its expanded uncertainty: it drifts for certain."""
        return self.fitted and abs(self.rate) > self.k * self.u_rate


def fit_drift(
    days: ArrayLike, errors: ArrayLike, u_errors: ArrayLike, usual_rate_per_day: float, u_shared: float = 0.0
) -> Drift:
    """Fit the drift of an instrument from its checks.

    days: of the checks, shape (n,), n of 1 or more; errors: reading - true at one working point; u_errors: standard
    uncertainties without the shared part u_shared; usual_rate_per_day: standard uncertainty of the drift of such an
    instrument, used while checks on fewer than three different days exist, and never undercut by fewer than four.
    Units of errors throughout. Raises FitError for no checks or an uncertainty not above 0.
    Source: York et al. (2004) with exact days; JCGM 100.

    >>> drift = fit_drift([0.0, 180.0, 365.0], [0.10, 0.20, 0.30], 0.02, 0.001)
    >>> round(drift.rate * 365, 2)
    0.2
    """
    t, e, u = np.broadcast_arrays(*(np.atleast_1d(np.asarray(v, dtype=np.float64)) for v in (days, errors, u_errors)))
    if t.size == 0:
        raise FitError("Drift needs a check")
    if not ((u > 0).all() and usual_rate_per_day >= 0):
        raise FitError("A check's uncertainty is above 0")
    if np.unique(t).size < 3:
        last = int(np.argmax(t))
        return Drift(
            float(t[last]), float(e[last]), 0.0, float(u[last]), usual_rate_per_day, u_shared, NORMAL_95, False
        )
    line = york_line(t, e, 0.0, u)
    dof = int(t.size) - 2
    wide = widening(float(line.chi_square), dof)
    # where the scatter widens u, it is known no better than these few checks tell it
    k = coverage_factor(dof) if wide > 1.0 else coverage_factor(inf)
    return Drift(
        float(line.pivot),
        float(line.value),
        float(line.slope),
        float(line.u_value) * wide,
        float(line.u_slope) * wide,
        u_shared,
        k,
        True,
    )


def leaves_tolerance(drift: Drift, tolerance: float, from_day: float, horizon_days: float = 3650.0) -> float | None:
    """First day on which |error| + U passes the tolerance, None within the horizon.

    tolerance: in the error's unit; from_day: today; horizon_days: how far to look. Returns from_day when it has left
    already. Raises FitError for a tolerance not above 0. Source: guarded acceptance, JCGM 106, 8.3.3.

    >>> drift = fit_drift([0.0, 180.0, 365.0], [0.10, 0.20, 0.30], 0.02, 0.001)
    >>> 365 < leaves_tolerance(drift, 0.5, 365.0) < 730
    True
    """
    if not tolerance > 0:
        raise FitError("A tolerance is above 0")

    def over(day: float) -> bool:
        error, U = drift.at(day)
        return bool(abs(float(error)) + float(U) > tolerance)

    if over(from_day):
        return from_day
    grid = from_day + np.arange(1.0, horizon_days + 1.0)
    errors, U = drift.at(grid)
    beyond = np.flatnonzero(np.abs(errors) + U > tolerance)
    return float(grid[beyond[0]]) if beyond.size else None


def between(
    earlier: ArrayLike, u_earlier: ArrayLike, later: ArrayLike, u_later: ArrayLike, share: ArrayLike
) -> tuple[np.ndarray, np.ndarray]:
    """A corrected value between two checks, straight in time.

    earlier, later: corrected by the one and by the other; u_earlier, u_later: their standard uncertainties, one unit;
    share: 0 at the earlier check, 1 at the later. All broadcast. Returns values and standard uncertainties, the
    checks' errors taken as independent, but never less than the better of the two.
    Raises FitError for a share outside 0 to 1. Source: JCGM 100, 5.1.

    >>> value, u = between(0.1, 0.02, 0.3, 0.02, 0.5)
    >>> round(float(value), 3), round(float(u), 3)
    (0.2, 0.02)
    """
    w = np.asarray(share, dtype=np.float64)
    if ((w < 0) | (w > 1)).any():
        raise FitError("A time between two checks lies between them")
    value = (1.0 - w) * np.asarray(earlier) + w * np.asarray(later)
    u = np.hypot((1.0 - w) * np.asarray(u_earlier), w * np.asarray(u_later))
    return value, np.maximum(u, np.minimum(u_earlier, u_later))
