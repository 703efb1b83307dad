"""The air eggs dry in: the deficit between shell and air over a run, and what each cause may be off by all the time."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import ArrayLike, NDArray

from stathmis.core import moisture
from stathmis.core.checks.side_by_side import at_times
from stathmis.core.course.profile import Band
from stathmis.core.egg_heat import OWN_U
from stathmis.core.moisture import Accumulated
from stathmis.core.psychrometrics import saturation_vapor_pressure
from stathmis.services.batch.course import Course
from stathmis.services.book import Book
from stathmis.services.findings.runs import Run, recorded

Array = NDArray[np.float64]

U_GAP_RH = 8.0
"""Standard uncertainty of the humidity assumed where none was read, percent. Source: common practice, cautious."""
U_NEVER_READ_RH = 12.0
USUAL_U_K = 0.5
"""Standard uncertainty of air that is held but not read. Source: common practice."""
OTHER_AIR = 0.5
"""A hygrometer's error in the air to come is the one it has shown, but for this share of its uncertainty. Source: our
own, cautious."""
STILL_OWN_U = 0.4
"""Standard uncertainty of how much embryos warm their shells in still air, relative: how well it carries their heat
away differs from box to box more than under a fan. Source: our own, so that boxes of another make-up are held."""
MANY = 2000
"""So many of the last readings tell what U they have."""


@dataclass(frozen=True)
class Doubt:
    """What one standard uncertainty of a cause, which stays what it is all the time, does to the deficit: at each
    reading, and a day ahead, hPa."""

    deficit: Array
    ahead: float


@dataclass(frozen=True)
class DryingAir:
    """Deficit between shell and air over time, and what to take where it was not read; saturated: of a day ahead, hPa;
    own: what the embryos' heat adds to it a day ahead on average, hPa; doubts: see Doubt."""

    seconds: Array
    deficit: Array
    max_gap_s: float
    assumed: float
    u_assumed: float
    temperature_c: float
    saturated: float
    own: float = 0.0
    doubts: tuple[Doubt, ...] = ()

    def shifted(self, doubt: Doubt) -> DryingAir:
        """The air as it would be were a cause off by one standard uncertainty."""
        mean = float(doubt.deficit.mean()) if doubt.deficit.size else 0.0
        return replace(self, deficit=self.deficit + doubt.deficit, assumed=self.assumed + mean, doubts=())

    def until(self, times_ms: Sequence[int], set_ms: int) -> Accumulated:
        """Accumulated deficit from setting to some times."""
        at = np.maximum(np.asarray(times_ms, dtype=np.float64), set_ms) / 1000.0
        return moisture.accumulate(
            self.seconds, self.deficit, at, set_ms / 1000.0, self.max_gap_s, self.assumed, self.u_assumed
        )


def air_runs(book: Book, course: Course, until_ms: int) -> tuple[Run | None, Run | None]:
    set_ms = course.batch.set_ms
    stretches = course.stretches(course.start_ms, until_ms)
    warm, moist = (recorded(book, stretches, q, set_ms).judged for q in ("temperature", "humidity"))
    return warm and warm.between(set_ms, until_ms), moist and moist.between(set_ms, until_ms)


def drying_air(course: Course, warm: Run | None, moist: Run | None, now_ms: int) -> DryingAir:
    celsius = course.held_c(course.batch.set_ms) + course.still_offset_k
    saturated = float(saturation_vapor_pressure(celsius))
    shell_ahead = _shell_over(course, np.linspace(now_ms, max(now_ms, course.at_ms(course.lockdown_day or 0.0)), 25))
    band = next((p.humidity for p in course.phases if p.name == "setting"), None) or Band(45.0, 55.0)
    if moist is None:
        assumed = saturated * (1.0 - band.middle / 100.0)
        u_never = U_NEVER_READ_RH * saturated / 100.0
        return DryingAir(np.empty(0), np.empty(0), 1.0, assumed, u_never, celsius, saturated)
    seconds = moist.times_ms / 1000.0
    air_c, u_c = np.full(seconds.shape, celsius), USUAL_U_K
    if warm is not None:
        beside = at_times(seconds, warm.times_ms / 1000.0, warm.corrected, warm.max_gap_s)
        air_c = np.where(np.isfinite(beside), beside, celsius)
        celsius, u_c = float(np.median(air_c)), float(np.median(warm.u))
    saturated = float(saturation_vapor_pressure(celsius))
    over = _shell_over(course, moist.times_ms)
    at_shell, in_air = saturation_vapor_pressure(air_c + over), saturation_vapor_pressure(air_c)
    deficit = np.asarray(at_shell - 0.01 * moist.corrected * in_air)
    # one degree is so much of the vapor pressure about there
    per_k = float(np.log(saturation_vapor_pressure(celsius + 0.5) / saturation_vapor_pressure(celsius - 0.5)))
    lately_rh = float(moist.corrected[-1])
    own = course.warmed_by(moist.times_ms).shell_k
    own_ahead = float(np.mean(shell_ahead))
    own_u = STILL_OWN_U if course.incubator.air == "still" else OWN_U
    u_rh, layers = float(np.median(moist.u[-MANY:])), course.still_offset_k / 4.0
    doubts = (
        # what a hygrometer is off by it is off by all the time, but not quite the same in other air
        Doubt(-0.01 * moist.u * in_air, -0.01 * u_rh * saturated),
        Doubt(np.zeros(seconds.shape), -0.01 * OTHER_AIR * u_rh * saturated),
        Doubt(per_k * u_c * deficit, per_k * u_c * saturated * (1.0 - 0.01 * lately_rh)),
        Doubt(per_k * (own_u * own + layers) * at_shell, per_k * (own_u * own_ahead + layers) * saturated),
    )
    u_gap = U_GAP_RH * saturated / 100.0
    ahead = saturated * per_k * own_ahead
    mean = float(deficit.mean())
    return DryingAir(seconds, deficit, moist.max_gap_s, mean, u_gap, celsius, saturated, ahead, doubts)


def _shell_over(course: Course, at_ms: ArrayLike) -> Array:
    """How much warmer than the air as it is read the shells are at times (UTC ms), K: by the embryos; in still air the
    egg tops are read, and the shell is between top and middle."""
    return np.asarray(course.warmed_by(at_ms).shell_k - 0.5 * course.still_offset_k)
