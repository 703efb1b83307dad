"""What came of a batch in numbers: fertility, hatch of set and of fertile, with intervals that say how little is known.

Small counts are the rule: an interval is part of every rate, and rates whose difference may be chance are not ranked.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from statistics import NormalDist

import numpy as np
from numpy.typing import ArrayLike, NDArray

Array = NDArray[np.float64]


def wilson(successes: ArrayLike, trials: ArrayLike, confidence: float = 0.95) -> tuple[Array, Array]:
    """Wilson's interval of a share, from 0 to 1; 0 to 1 where there were no trials.

    successes, trials: counts, broadcast. Raises ValueError for counts below 0, more successes than trials, or a
    confidence out of range. Source: E. B. Wilson, JASA 22 (1927) 209.

    >>> low, high = wilson(8, 10)
    >>> round(float(low), 3), round(float(high), 3)
    (0.49, 0.943)
    """
    k, n = np.broadcast_arrays(np.asarray(successes, dtype=np.float64), np.asarray(trials, dtype=np.float64))
    if (k < 0).any() or (k > n).any():
        raise ValueError("there are no fewer successes than none, and no more than trials")
    if not 0.0 < confidence < 1.0:
        raise ValueError("confidence lies between 0 and 1")
    z2 = NormalDist().inv_cdf(0.5 + confidence / 2.0) ** 2
    some = np.where(n > 0, n, 1.0)
    share = k / some
    middle = (share + z2 / (2.0 * some)) / (1.0 + z2 / some)
    half = np.sqrt(z2 * (share * (1.0 - share) / some + z2 / (4.0 * some**2))) / (1.0 + z2 / some)
    low = np.where(n > 0, np.clip(middle - half, 0.0, 1.0), 0.0)
    high = np.where(n > 0, np.clip(middle + half, 0.0, 1.0), 1.0)
    # at the ends the interval reaches the observed share exactly; rounding must not leave it outside
    return np.minimum(low, np.where(n > 0, share, 0.0)), np.maximum(high, np.where(n > 0, share, 1.0))


@dataclass(frozen=True)
class Rate:
    """A share of some eggs, with its interval (95 %), all from 0 to 1; nan where there were none."""

    count: int
    of: int
    low: float
    high: float

    @property
    def share(self) -> float:
        """The share itself."""
        return self.count / self.of if self.of else float("nan")


def rate(count: int, of: int) -> Rate:
    """A share with Wilson's interval. Raises ValueError as wilson. Source: wilson."""
    low, high = wilson(count, of)
    return Rate(count, of, float(low), float(high))


@dataclass(frozen=True)
class Tally:
    """Eggs of a batch by what came of them: how many were set, clear, dead early, dead late (before any pip), pipped
    and died, hatched, and lost otherwise (cracked, rotten, taken out without a reason); alive: of those still open, how
    many were seen alive."""

    eggs: int
    clear: int = 0
    early_dead: int = 0
    late_dead: int = 0
    pipped_dead: int = 0
    hatched: int = 0
    lost: int = 0
    alive: int = 0

    def __post_init__(self) -> None:
        known = self.clear + self.early_dead + self.late_dead + self.pipped_dead + self.hatched + self.lost
        if min(self.clear, self.early_dead, self.late_dead, self.pipped_dead, self.hatched, self.lost) < 0:
            raise ValueError("counts are not below 0")
        if known > self.eggs:
            raise ValueError("more came of the eggs than were set")
        if not 0 <= self.alive <= self.eggs - known:
            raise ValueError("no more are alive than are still open")

    @property
    def open(self) -> int:
        """Eggs nothing is known of yet."""
        return self.eggs - (self.clear + self.early_dead + self.late_dead + self.pipped_dead + self.hatched + self.lost)

    @property
    def fertile(self) -> int:
        """Eggs that were seen to be fertile."""
        return self.early_dead + self.late_dead + self.pipped_dead + self.hatched + self.alive

    @property
    def fertility(self) -> Rate:
        """Fertile of those that could be judged."""
        return rate(self.fertile, self.fertile + self.clear)

    @property
    def hatch_of_set(self) -> Rate:
        """Hatched of all set."""
        return rate(self.hatched, self.eggs)

    @property
    def hatch_of_fertile(self) -> Rate:
        """Hatched of the fertile whose end is known."""
        return rate(self.hatched, self.fertile - self.alive)


def differ(one: Rate, other: Rate, confidence: float = 0.95) -> bool:
    """Whether two shares differ by more than chance. False where either has no trials.

    Source: R. G. Newcombe, Statistics in Medicine 17 (1998) 873, method 10 (from Wilson's intervals).

    >>> differ(rate(9, 10), rate(7, 10)), differ(rate(90, 100), rate(70, 100))
    (False, True)
    """
    if not one.of or not other.of:
        return False
    (l1, h1), (l2, h2) = (wilson(r.count, r.of, confidence) for r in (one, other))
    gap = one.share - other.share
    below = np.sqrt((one.share - l1) ** 2 + (h2 - other.share) ** 2)
    above = np.sqrt((h1 - one.share) ** 2 + (other.share - l2) ** 2)
    return bool(gap - below > 0 or gap + above < 0)


def ranks(rates: Sequence[Rate]) -> tuple[int, ...]:
    """A place for each share, the best 1; shares that may be alike by chance share the better one's place.

    The more groups there are, the further the best and the worst of them lie apart by chance alone: each pair is held
    to 95 % shared out among all pairs. Source: definition, by differ from the best of each place; C. E. Bonferroni
    (1936).

    >>> ranks([rate(9, 10), rate(8, 10), rate(2, 40)])
    (1, 1, 3)
    """
    known = sum(r.of > 0 for r in rates)
    confidence = 1.0 - 0.05 / max(1, known * (known - 1) // 2)
    order = sorted(range(len(rates)), key=lambda i: (-rates[i].share if rates[i].of else 1.0, i))
    places = [0] * len(rates)
    leader, place = -1, 0
    for at, i in enumerate(order, start=1):
        if leader < 0 or differ(rates[leader], rates[i], confidence):
            leader, place = i, at
        places[i] = place
    return tuple(places)
