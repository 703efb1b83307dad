"""Has a reading settled? Mean, scatter and slope of readings as they come, and how far a slow sensor still has to go.

A sensor with response time tau that still changes by s a second has about tau x s to go (first-order lag). It counts
as settled when that is within a limit.
"""

from __future__ import annotations

from dataclasses import dataclass
from math import inf, log, sqrt

import numpy as np
from numpy.typing import ArrayLike


@dataclass(frozen=True)
class Settling:
    """Readings so far: mean and scatter (their unit), slope and its standard uncertainty (unit per second).

    to_go: how far it still has to go, tau x slope, in the readings' unit; settled: within the limit, and watched for
    at least a response time; wait_s: seconds until it should be, 0 when it is.
    """

    count: int
    mean: float
    deviation: float
    slope_per_s: float
    u_slope_per_s: float
    to_go: float
    settled: bool
    wait_s: float


def settling(times_s: ArrayLike, values: ArrayLike, response_s: float, limit: float, step: float = 0.0) -> Settling:
    """Judge readings as they come in.

    times_s: seconds, shape (n,), n of 1 or more; values: same shape, one unit; response_s: response time (63 %) of the
    slowest sensor involved, s; limit: how much may be left to go, same unit; step: display step, whose rounding hides
    a slope. Only the newest three response times count. Raises ValueError for no readings, or response_s or limit not
    above 0.
    Source: first-order lag, common practice; slope by least squares (JCGM 100, H.3).

    >>> still = settling([0, 60, 120, 180], [37.5, 37.5, 37.5, 37.5], 60.0, 0.05)
    >>> still.settled, still.wait_s
    (True, 0.0)
    """
    t = np.atleast_1d(np.asarray(times_s, dtype=np.float64))
    v = np.atleast_1d(np.asarray(values, dtype=np.float64))
    if t.size == 0 or t.shape != v.shape:
        raise ValueError("settling needs readings, each with its time")
    if not (response_s > 0 and limit > 0):
        raise ValueError("response time and limit are above 0")
    newest = t >= t.max() - 3.0 * response_s
    t, v = t[newest], v[newest]
    n, span = int(t.size), float(np.ptp(t))
    mean, deviation = float(v.mean()), float(v.std(ddof=1)) if n > 1 else 0.0
    if n < 3 or span == 0.0:
        return Settling(n, mean, deviation, 0.0, inf, inf, False, max(response_s - span, 0.0))
    centered = t - t.mean()
    spread = float((centered**2).sum())
    slope = float((centered * (v - mean)).sum() / spread)
    noise = sqrt(max(float(((v - mean - slope * centered) ** 2).sum()) / (n - 2), step**2 / 12.0))
    # at the newest reading the remainder has shrunk from what the mean slope of the stretch says
    to_go = abs(slope) * response_s * float(np.exp(-0.5 * span / response_s))
    watched = span >= response_s
    settled = watched and to_go <= limit
    wait = 0.0 if settled else max(response_s - span, response_s * log(max(to_go / limit, 1.0)))
    return Settling(n, mean, deviation, slope, noise / sqrt(spread), to_go, settled, wait)
