"""What earlier hatches teach: a handbook's value drawn toward own results, as far as those can be trusted."""

from __future__ import annotations

from collections.abc import Sequence
from math import sqrt
from typing import NamedTuple


class Estimate(NamedTuple):
    """A value with its standard uncertainty for the next case, from how many own results, and the weight those have
    beside the handbook (0 to 1)."""

    value: float
    u: float
    own: int
    weight: float


def learn(
    handbook: float, between: float, results: Sequence[float], us: Sequence[float], within: float = 0.0
) -> Estimate:
    """Draw a handbook's value toward own results.

    handbook: the usual value; between: standard deviation of keepers' true values about it; results, us: own results
    and their standard uncertainties, one unit; within: standard deviation from one own case to the next, which also
    widens what is said of the next. Raises ValueError where they do not go together, or between is not above 0.
    Source: normal prior and normal results (Gelman et al., Bayesian Data Analysis, 2.5).

    >>> found = learn(21.0, 0.5, [21.8, 22.0, 21.9], [0.2, 0.2, 0.2])
    >>> round(found.value, 2), round(found.weight, 2)
    (21.85, 0.95)
    """
    if len(results) != len(us):
        raise ValueError("every result has its uncertainty")
    if not between > 0 or within < 0 or min(us, default=0.0) < 0:
        raise ValueError("spreads are above 0")
    precision = [1.0 / max(u * u + within * within, 1e-18) for u in us]
    own, prior = sum(precision), 1.0 / between**2
    value = (prior * handbook + sum(p * x for p, x in zip(precision, results, strict=True))) / (prior + own)
    return Estimate(value, sqrt(1.0 / (prior + own) + within**2), len(results), own / (prior + own))


class EstimatedShare(NamedTuple):
    """A share (0 to 1) to expect the next time, with its standard uncertainty and how many own trials it rests on."""

    share: float
    u: float
    trials: int


def learn_share(handbook: float, worth: float, results: Sequence[tuple[int, int]]) -> EstimatedShare:
    """Draw a handbook's share toward own counts.

    handbook: usual share, 0 to 1; worth: so many eggs the handbook counts for; results: (successes, trials) of each own
    case. Raises ValueError for shares and counts out of range. Source: beta-binomial model (Gelman et al., 2.1).

    >>> found = learn_share(0.8, 10.0, [(45, 50), (48, 50)])
    >>> round(found.share, 3), found.trials
    (0.918, 100)
    """
    if not 0.0 < handbook < 1.0 or not worth > 0:
        raise ValueError("a share lies between 0 and 1")
    if any(not 0 <= k <= n for k, n in results):
        raise ValueError("no more successes than trials")
    good = handbook * worth + sum(k for k, _ in results)
    trials = sum(n for _, n in results)
    whole = worth + trials
    share = good / whole
    return EstimatedShare(share, sqrt(share * (1.0 - share) / (whole + 1.0)), trials)


def eggs_for(chicks: int, share: float, u: float, sure: float = 1.28) -> int:
    """How many eggs to set for so many chicks, so that nine times out of ten there are enough.

    share: of set eggs that hatch, with its standard uncertainty u, 0 to 1; sure: normal quantile (1.28: 90 %). Raises
    ValueError for no chicks or a share out of range. Source: normal approximation to the binomial with an uncertain
    share, common statistics.

    >>> eggs_for(10, 0.7, 0.05)
    19
    """
    if chicks < 1 or not 0.0 < share <= 1.0:
        raise ValueError("some chicks, and a share above 0")
    eggs = chicks
    while eggs * share - sure * sqrt(eggs * share * (1.0 - share) + (eggs * u) ** 2) < chicks:
        eggs += 1
        if eggs > 100 * chicks:
            break
    return eggs
