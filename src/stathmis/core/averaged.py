"""What a check says of an instrument's error at every reading, averaged over what may be the matter with its points.

The error is an offset, a slope and a bend with stated priors; influences act on the points as declared, those that are
shared together; and each point may be odd for a reason nobody wrote down. No curve is chosen and nothing is counted
twice: what the points do not say stays as wide as the prior. docs/methods.md derives it and works one example by hand.
Source: Bayesian model averaging with normal distributions; JCGM 101 for propagating distributions.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from math import log

import numpy as np
from numpy.typing import NDArray

from stathmis.core.checks.influences import Influence
from stathmis.core.uncertainty import NORMAL_95

Array = NDArray[np.float64]

ODD_CHANCE, ODD_SIZE = 0.10, 5.0
"""Beforehand one point in ten is off for a reason nobody wrote down, by so many of its own standard uncertainties
(standard deviation). Source: our own, held against instruments of another make-up (bench/sharp.py)."""


UNKNOWN_BEND, UNKNOWN_ODD = 3.0, 0.55
"""The bend of an instrument of unknown make, in standard uncertainties of a point, and how likely each point is odd
where nothing else is known either."""


@dataclass(frozen=True)
class Prior:
    """What is known of such an instrument before it is checked, standard uncertainties in the channel's unit.

    offset: of the error in the middle of its range; slope: per unit; bend: in the middle against both ends of a stretch
    of twice half around middle; at: the reading it is mostly used at; odd: how likely each point is off for a reason
    nobody wrote down.
    """

    offset: float
    slope: float
    bend: float
    middle: float
    half: float
    at: float
    odd: float = ODD_CHANCE

    @property
    def u(self) -> Array:
        """Of offset, slope and bend as coefficients of 1, step and step², step from the middle."""
        return np.array([self.offset, self.slope, self.bend / self.half**2])


def unknown_make(reading: Array, u: Array) -> Prior:
    """A prior where nothing is known of an instrument but its points: any offset, a slope of some percent, and a bend
    that such points would just not show. reading, u: shape (n,), one unit. Source: our own."""
    usual = max(float(np.median(u)), 1e-12)
    half = max(0.5 * float(np.ptp(reading)), 10.0 * usual)
    middle = 0.5 * float(reading.min() + reading.max())
    return Prior(1e3 * usual, 0.05, UNKNOWN_BEND * usual, middle, half, middle, UNKNOWN_ODD)


@dataclass(frozen=True)
class Averaged:
    """Offset, slope and bend of what must be added: coefficients and covariance, shape (3,) and (3, 3), of powers of
    (reading - pivot); gain: shape (3, n), of each reference value on each; unseen: what the points leave open;
    odd: what odd points leave, so large that 1.96 standard uncertainties hold 95 % of the average at the reading the
    instrument is used at; odds: how likely each point is odd."""

    coefficients: Array
    covariance: Array
    pivot: float
    gain: Array
    unseen: Array
    odd: Array
    odds: Array


def average(reading: Array, difference: Array, influences: Sequence[Influence], prior: Prior) -> Averaged:
    """Average over "no point is odd" and "this one is", each weighed by how well it foretells the points.

    reading, difference: shape (n,), what the instrument showed and what was to be added; influences: what makes them
    uncertain, each on all points. Raises numpy.linalg.LinAlgError where no influence makes anything uncertain.
    Source: Gaussian regression with a normal prior; Bayes' theorem for the weights.

    >>> noise = Influence("scatter", "°C", 0.05, np.zeros(1), np.ones(1))
    >>> usual = Prior(1.0, 0.01, 0.06, 27.0, 18.0, 37.5)
    >>> made = average(np.array([37.5]), np.array([0.4]), [noise], usual)
    >>> step = np.array([1.0, 10.5, 10.5**2])
    >>> round(float(step @ made.coefficients), 2)
    0.4
    """
    step = reading - prior.middle
    # the bend is told from the middle, where it is nothing
    basis = np.stack([np.ones_like(step), step, step * step], axis=1)
    before = np.diag(prior.u**2)
    n = reading.size
    effects = [(i.on_reference - i.on_reading) * i.standard_uncertainty for i in influences]
    own = sum((e**2 for e, i in zip(effects, influences, strict=True) if not i.shared), np.zeros(n))
    together = sum((np.outer(e, e) for e, i in zip(effects, influences, strict=True) if i.shared), np.zeros((n, n)))
    expected = basis @ before @ basis.T
    one = np.eye(n)
    variances = own + np.concatenate([np.zeros((1, n)), (ODD_SIZE**2) * own * one])
    # nothing tells whether a point that stands alone is odd
    odd_chance = prior.odd if n > 1 else 1e-12
    chances = np.array([(1.0 - odd_chance) ** n, *[odd_chance * (1.0 - odd_chance) ** (n - 1)] * n])
    spread = expected + together + variances[:, :, None] * one
    lower = np.linalg.cholesky(spread)
    solved = np.linalg.solve(spread, np.broadcast_to(difference[:, None], (n + 1, n, 1)))[:, :, 0]
    fits = np.array([
        log(c) - 0.5 * float(difference @ s) - float(np.log(np.diagonal(low)).sum())
        for c, s, low in zip(chances, solved, lower, strict=True)
    ])  # fmt: skip
    weights = np.exp(fits - fits.max())
    weights /= weights.sum()
    gains = np.linalg.solve(spread, np.broadcast_to(basis @ before, (n + 1, n, 3))).transpose(0, 2, 1)
    means = gains @ difference
    left = np.eye(3) - gains @ basis
    open_ = left @ before @ left.transpose(0, 2, 1)
    noise = gains @ (together + variances[:, :, None] * one) @ gains.transpose(0, 2, 1)
    middle = weights @ means
    apart = means - middle
    unseen = np.einsum("s,sij->ij", weights, open_)
    covariance = unseen + np.einsum("s,sij->ij", weights, noise + apart[:, :, None] * apart[:, None, :])
    gain = np.einsum("s,sij->ij", weights, gains)
    told = gain @ (together + np.diag(own)) @ gain.T
    at = np.array([1.0, prior.at - prior.middle, (prior.at - prior.middle) ** 2])
    odd = covariance - unseen - told
    by_odd = float(at @ odd @ at)
    if by_odd > 1e-9 * float(at @ covariance @ at):
        wanted = _half_width(weights, apart @ at, np.sqrt(np.einsum("i,sij,j->s", at, open_ + noise, at))) / NORMAL_95
        odd = odd * max(0.0, 1.0 + (wanted**2 - float(at @ covariance @ at)) / by_odd)
    return Averaged(middle, unseen + told + odd, prior.middle, gain, unseen, odd, weights[1:])


def _half_width(weights: Array, means: Array, u: Array) -> float:
    """How far to either side of its mean a mixture holds 95 %."""
    # SciPy is read in only where something is checked
    from scipy.special import ndtr

    low, high = 0.0, 5.0 * float(np.sqrt(weights @ (u**2 + means**2)))
    for _ in range(40):
        half = 0.5 * (low + high)
        inside = float(weights @ (ndtr((half - means) / u) - ndtr((-half - means) / u)))
        low, high = (half, high) if inside < 0.95 else (low, half)
    return high
