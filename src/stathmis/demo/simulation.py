"""A small simulation of an incubator's air and of instruments that do not tell the truth.

One value a minute. It makes the demo's readings; it is no model of any machine.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]


@dataclass(frozen=True)
class Upset:
    """Something that pulls the air away: when (minute), by how much at worst, and how fast it recovers (minutes)."""

    minute: float
    kelvin: float
    rh: float
    recovery_min: float
    lasts_min: float = 0.0


def simulate_air(
    rng: np.random.Generator,
    minutes: int,
    set_c: float,
    ripple_k: float,
    room_k: float,
    refill_minutes: Array,
    rh_full: float,
    rh_fall_per_day: float,
    upsets: tuple[Upset, ...],
) -> Array:
    """Air of a run, shape (3, minutes): minute, °C, %. The humidity falls from each refill on, as the trough dries."""
    m = np.arange(minutes, dtype=np.float64)
    knots = np.arange(minutes // 240 + 2) * 240.0
    slow = np.interp(m, knots, rng.normal(0.0, 0.04, knots.size))
    temperature = set_c + ripple_k * np.sin(2 * np.pi * m / 13.0) + room_k * np.sin(2 * np.pi * m / 1440.0) + slow
    temperature += rng.normal(0.0, 0.015, minutes)
    refills = np.concatenate([[0.0], np.sort(refill_minutes)])
    since = m - refills[np.searchsorted(refills, m, "right") - 1]
    rh = rh_full - rh_fall_per_day * since / 1440.0 - 5.0 * np.exp(-since / 45.0)
    rh += 0.8 * np.sin(2 * np.pi * (m + 400) / 1440.0) + rng.normal(0.0, 0.25, minutes)
    for upset in upsets:
        after = m - upset.minute
        shape = np.where(after < 0, 0.0, np.exp(-np.maximum(after - upset.lasts_min, 0.0) / upset.recovery_min))
        onset = 1.0 - np.exp(-np.maximum(after, 0.0) / max(1.0, upset.lasts_min / 3.0))
        temperature += upset.kelvin * shape * onset
        rh += upset.rh * shape * onset
    return np.stack([m, temperature, np.clip(rh, 5.0, 99.0)])


@dataclass(frozen=True)
class Sensor:
    """How an instrument sees the truth: lag (minutes), shown = offset + slope × truth, noise, and display steps."""

    offset: float
    slope: float
    noise: float
    resolution: float
    lag_min: float = 0.0

    def shown(self, rng: np.random.Generator, truth: Array) -> Array:
        """What it shows for a run of one-minute truth."""
        seen = _lagged(truth, self.lag_min)
        raw = self.offset + self.slope * seen + rng.normal(0.0, self.noise, truth.size)
        return np.round(raw / self.resolution) * self.resolution


def _lagged(truth: Array, lag_min: float) -> Array:
    if lag_min <= 0:
        return truth
    from scipy.signal import lfilter

    share = 1.0 - float(np.exp(-1.0 / lag_min))
    seen, _ = lfilter([share], [1.0, share - 1.0], truth, zi=[truth[0] * (1.0 - share)])
    return np.asarray(seen)
