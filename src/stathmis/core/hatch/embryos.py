"""Eggs that develop, and die or hatch of what is done to them: a model to practise on, hour by hour, egg by egg.

Every egg carries a fate of its own: how much of each hardship it bears in each stage of its life. What it meets adds up
as a hazard, and where that passes its fate it dies, of what weighed most. So the same eggs can be lived through again
in other air: what spares them hardship never kills one that lived. This is no table of causes and signs: a review has
to find out. Sizes are of common practice, approximate; docs/methods.md lists them.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from stathmis.core.egg_heat import BIOLOGICAL_ZERO_C
from stathmis.core.psychrometrics import saturation_vapor_pressure

Array = NDArray[np.float64]
Flags = NDArray[np.bool_]

HARDSHIPS = ("nature", "heat", "cold", "swings", "loss", "dry pip", "turning", "age", "journey", "turner")
"""What an egg may die of."""
STAGES = (0.35, 0.93, 1.2)
"""Shares of the term at which its early life, its growth and its hatch end; an egg that is not out by the last dies."""
PIPS, HATCHES = 0.965, 1.0
"""Shares of the term at which it breaks the shell, and is out."""
SPREAD = 0.011
"""How far eggs of a batch are apart in their term, standard deviation, share."""
NATURE = (0.05, 0.03, 0.035)
"""Shares that die in each stage where nothing is amiss."""
INFERTILE = 0.1
HOT_K, HOT_HOUR, HOT_TENFOLD_K = 0.8, 0.0008, 1.0
"""From so far over what is asked heat kills: so many an hour there, and tenfold with each K more. Source: common
practice: 40 °C in the egg is dangerous within hours, 41 °C kills."""
COLD_C, COLD_HOUR = 30.0, 0.006
"""Below this an hour costs so much for each 5 K, to the power of 1.5. Source: common practice: an hour or two is
survived."""
OFF_DAY, OFF_K = 0.011, 0.5
"""A day of the mean of a day so far from what is asked costs so much; it grows with the square. Too warm costs the
early more, too cool the late."""
SWING_DAY, SWING_K, SWING_MOST_K = 0.012, 0.5, 1.6
"""A day in which the core swings by this (standard deviation) costs so much; grows with the square, up to
SWING_MOST_K: one cold spell is paid for as such."""
LOSS_BEST, LOSS_LOW, LOSS_HIGH, LOSS_COST = 0.125, 0.045, 0.05, 0.2
"""Share of its mass an egg loses best until it pips, how far below and above that costs so much."""
DRY_RH, DRY_HOUR = 58.0, 0.026
"""A pipped egg's membrane dries below this: so much an hour at ten percent less, growing with the square."""
TURN_FREE_H, TURN_HOUR, TURN_FROM, TURN_TO = 14.0, 0.0035, 0.08, 0.75
"""Hours without a turn that cost nothing; each more costs so much between these shares of the term."""
AGE_FREE_D, AGE_DAY, AGE_DELAY_H = 7.0, 0.05, 1.0
"""Days an egg may be kept; each more costs so much of its early life, and so many hours of its day."""
JOURNEY, RESTED = 0.22, 0.1
"""What a journey by post costs an egg in its early life, and what is left of that where it rested for half a day."""
TURNER_HOUR = 0.05
"""A chick beside a turner that still moves: an hour after the pip."""
WARMED_H = 30
"""The means of days that eggs set cold are still warming in are nobody's fault."""
DRIEST = 0.7
"""Of an hour its driest minutes count so much for a pipped egg: what has dried does not come back."""
WEAK_AT = 0.45
"""A chick that met so much of what it could bear in its last stage comes out weak."""


@dataclass(frozen=True)
class Eggs:
    """Eggs as they are set, each (n,): infertile; bears: how much each stage bears, (3, n); term: its own, over the
    batch's; conductance, mg/(d hPa); mass_g; age_d: days kept; posted: 0 no, 1 by post, RESTED by post and rested."""

    infertile: Flags
    bears: Array
    term: Array
    conductance: Array
    mass_g: Array
    age_d: float
    posted: float

    @property
    def count(self) -> int:
        """How many."""
        return int(self.infertile.size)


def laid(
    count: int, egg_g: float, conductance: float, rng: np.random.Generator, age_d: float = 3.0, posted: float = 0.0
) -> Eggs:
    """Eggs of a flock. egg_g: g; conductance: of a usual one, mg/(d hPa). Raises ValueError for no eggs.
    Source: spreads of common practice (mass 6 %, conductance 15 %)."""
    if count < 1:
        raise ValueError("a batch has eggs")
    return Eggs(
        rng.random(count) < INFERTILE,
        rng.exponential(1.0, (len(STAGES), count)),
        1.0 + SPREAD * np.clip(rng.standard_normal(count), -2.2, 2.2),
        conductance * np.exp(0.15 * rng.standard_normal(count)),
        egg_g * (1.0 + 0.06 * np.clip(rng.standard_normal(count), -2.5, 2.5)),
        age_d,
        posted,
    )


class Met(NamedTuple):
    """What eggs meet, hour by hour from setting, (hours,): core °C without their own heat, what is asked °C, air °C,
    humidity %, the driest of the hour %, turned: whether they were, mean over the hour; turner: whether it still moves
    them."""

    core_c: Array
    asked_c: Array
    air_c: Array
    rh: Array
    driest_rh: Array
    turned: Array
    turner: Array


class Came(NamedTuple):
    """What came of eggs, each (n,): the hour it pipped and was out (nan: not), the hour it died (nan: it lives, or
    was never alive), of what (a number of HARDSHIPS, -1: not dead), in which stage (0, 1, 2; -1), share of its mass
    lost by its pip, and whether the chick is weak."""

    pipped_h: Array
    out_h: Array
    died_h: Array
    of: NDArray[np.int64]
    stage: NDArray[np.int64]
    lost: Array
    weak: Flags


def live(eggs: Eggs, met: Met, term_d: float) -> Came:
    """Live eggs through what they meet.

    term_d: of the species in days, at the heat that is asked. Returns what came of each by the last hour. Raises
    ValueError for hours of different counts. Source: see the module; development in proportion to T - 25 °C.
    """
    living = Living(eggs, term_d)
    living.go_on(met)
    return living.came


class Living:
    """Eggs that are lived on through more and more hours; see live."""

    def __init__(self, eggs: Eggs, term_d: float) -> None:
        n = eggs.count
        self._eggs, self.hours = eggs, 0
        self._own = eggs.term * term_d * 24.0 + AGE_DELAY_H * max(0.0, eggs.age_d - AGE_FREE_D)
        self._grown, self._taken = np.zeros(n), np.zeros((len(HARDSHIPS), n))
        self._alive, self._stage = ~eggs.infertile, np.zeros(n, dtype=np.int64)
        self._pipped, self._out, self._died, self._lost_at = (np.full(n, np.nan) for _ in range(4))
        self._of, self._in_stage = np.full(n, -1, dtype=np.int64), np.full(n, -1, dtype=np.int64)
        self._lost, self._weak = np.zeros(n), np.zeros(n, dtype=bool)
        self._since_turn = 0.0
        self._sums, self._squares = [0.0], [0.0]
        self._drying = eggs.conductance / 24.0 / 1000.0 / eggs.mass_g
        self._natural = -np.log1p(-np.array(NATURE)) / np.diff([0.0, *STAGES])

    @property
    def came(self) -> Came:
        """What came of each egg so far."""
        lost = np.where(np.isnan(self._lost_at), self._lost, self._lost_at)
        parts = (self._pipped, self._out, self._died, self._of, self._in_stage, lost, self._weak)
        return Came(*(part.copy() for part in parts))  # type: ignore[arg-type]

    def go_on(self, met: Met) -> None:
        """Live them through more hours. Raises ValueError for hours of different counts."""
        if len({a.size for a in met}) != 1:
            raise ValueError("one of each is needed for every hour")
        inside = np.asarray(saturation_vapor_pressure(met.core_c))
        air = np.asarray(saturation_vapor_pressure(met.air_c)) * met.rh / 100.0
        deficit = np.maximum(0.0, inside - air)
        rows = (*(row.tolist() for row in met), deficit.tolist())
        for core, asked, _air, rh, driest, turned, turner, dry in zip(*rows, strict=True):
            self._hour(core, asked, rh, driest, turned, turner, dry)

    def _hour(
        self, core: float, asked: float, rh: float, driest: float, turned: float, turner: float, deficit: float
    ) -> None:
        step = max(0.0, core - BIOLOGICAL_ZERO_C) / (asked - BIOLOGICAL_ZERO_C)
        self._grown = np.where(self._alive, self._grown + min(step, 1.25) / self._own, self._grown)
        self._lost = np.where(np.isnan(self._pipped), self._lost + self._drying * deficit, self._lost)
        self._since_turn = 0.0 if turned > 0.0 else self._since_turn + 1.0
        hard = self._hardships(core, asked, rh, driest, turner)
        entering = self._alive & (self._stage == 1) & (self._grown >= STAGES[1])
        if entering.any():
            # the air cell decides at the pip: too small drowns, too large dries
            apart = self._lost - LOSS_BEST
            wide = np.where(apart < 0, LOSS_LOW, LOSS_HIGH)
            hard[_KIND["loss"]] += np.where(entering, LOSS_COST * (np.abs(apart) / wide) ** 2.2, 0.0)
        self._taken += np.where(self._alive, hard, 0.0)
        self._end(entering)
        self._grow(entering, hard)
        self.hours += 1

    def _hardships(self, core: float, asked: float, rh: float, driest: float, turner: float) -> Array:
        """What this hour costs each egg, by kind."""
        hard = np.zeros(self._taken.shape)
        hard[_KIND["nature"]] = self._natural[self._stage] / self._own
        over = core - asked
        if over > HOT_K:
            hard[_KIND["heat"]] += HOT_HOUR * 10.0 ** ((over - HOT_K) / HOT_TENFOLD_K)
        if core < COLD_C:
            hard[_KIND["cold"]] += COLD_HOUR * ((COLD_C - core) / 5.0) ** 1.5
        mean, swing = self._day(core)
        if self.hours >= WARMED_H and mean > COLD_C:
            off = mean - asked
            early, late = (1.4, 0.8) if off > 0 else (0.5, 1.3)
            side = np.where(self._stage == 0, early, late)
            hard[_KIND["heat" if off > 0 else "cold"]] += side * OFF_DAY * (off / OFF_K) ** 2 / 24.0
            hard[_KIND["swings"]] += SWING_DAY * (min(swing, SWING_MOST_K) / SWING_K) ** 2 / 24.0
        if self._since_turn > TURN_FREE_H:
            hard[_KIND["turning"]] += np.where((self._grown > TURN_FROM) & (self._grown < TURN_TO), TURN_HOUR, 0.0)
        if self._grown.max() >= PIPS:
            hatching = (self._grown >= PIPS) & np.isnan(self._out)
            dry = max(0.0, DRY_RH - (1.0 - DRIEST) * rh - DRIEST * driest)
            hard[_KIND["dry pip"]] += np.where(hatching, DRY_HOUR * (dry / 10.0) ** 2, 0.0)
            if turner > 0.0:
                hard[_KIND["turner"]] += np.where(hatching, TURNER_HOUR, 0.0)
        if self.hours == 0:
            hard[_KIND["age"]] += max(0.0, self._eggs.age_d - AGE_FREE_D) * AGE_DAY
            hard[_KIND["journey"]] += JOURNEY * self._eggs.posted
        return hard

    def _day(self, core: float) -> tuple[float, float]:
        """Mean and standard deviation of the core over the day that ends with this hour."""
        self._sums.append(self._sums[-1] + core)
        self._squares.append(self._squares[-1] + core**2)
        count = min(24, len(self._sums) - 1)
        mean = (self._sums[-1] - self._sums[-1 - count]) / count
        return mean, max(0.0, (self._squares[-1] - self._squares[-1 - count]) / count - mean**2) ** 0.5

    def _end(self, entering: Flags) -> None:
        """Those for whom it was too much."""
        dead = self._alive & (self._taken.sum(axis=0) > self._eggs.bears[self._stage, np.arange(self._alive.size)])
        if dead.any():
            self._died[dead], self._in_stage[dead] = self.hours, np.where(entering, 2, self._stage)[dead]
            self._of[dead] = self._taken[:, dead].argmax(axis=0)
            self._alive &= ~dead

    def _grow(self, entering: Flags, hard: Array) -> None:
        """Those that pip, come out, or enter another stage."""
        if self._grown.max() >= PIPS:
            fresh = self._alive & np.isnan(self._pipped) & (self._grown >= PIPS)
            self._pipped[fresh], self._lost_at[fresh] = self.hours, self._lost[fresh]
            born = self._alive & (self._grown >= HATCHES)
            self._weak |= born & (self._taken.sum(axis=0) > WEAK_AT * self._eggs.bears[2])
            self._out[born] = self.hours
            self._alive &= ~born
        next_stage = np.searchsorted(STAGES, self._grown, "right").clip(0, 2)
        moved = self._alive & (next_stage > self._stage)
        if moved.any():
            # each stage has what it bears by itself: what was survived is over; the step to the hatch is paid there
            keep = np.zeros(self._taken.shape)
            keep[_KIND["loss"]] = np.where(entering, hard[_KIND["loss"]], 0.0)
            self._taken = np.where(moved, keep, self._taken)
            self._stage = np.where(moved, next_stage, self._stage)


_KIND = {name: i for i, name in enumerate(HARDSHIPS)}
