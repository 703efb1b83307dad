"""What a model does not explain goes on: how a series that wanders, with a day of its own, is carried into the hours
to come.

A Gaussian process: a level, a wandering that forgets itself, a daily pattern that changes slowly, and what each reading
is off by. How large each is, is not known: every mixture of them counts as much as it explains what was read.
Source: Rasmussen & Williams, Gaussian Processes for Machine Learning (2006), ch. 2 and 5.
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import product

import numpy as np
from numpy.typing import ArrayLike, NDArray

Array = NDArray[np.float64]

DAY_S = 86_400.0
SIZES = (0.08, 0.22, 0.6, 1.7)
"""Wandering and day as shares of the scale that is usual."""
LASTS_H = (1.0, 4.0, 12.0, 36.0)
"""The wandering forgets itself in so many hours."""
DAYS_ALIKE = 6.0
"""A daily pattern is the same for about so many days. Source: our own."""
SMOOTH = 0.9
"""How smooth the daily pattern is: of the order of a sine. Source: our own."""
WORTH = 1e-3
"""Mixtures less likely than this share of the likeliest are left out."""


@dataclass(frozen=True)
class _Mix:
    """One mixture: its weight, and what carries readings over to the times wanted."""

    weight: float
    carry: Array
    root: Array


@dataclass(frozen=True)
class Wander:
    """How a series goes on at some times; see carried."""

    mixes: tuple[_Mix, ...]

    def draws(self, read: ArrayLike, count: int, seed: int = 3) -> Array:
        """Ways it may go on, shape (times, count); read: what was read, less what is explained, shape (readings,) or
        one column for each way, (readings, count). The same for the same seed."""
        rng = np.random.default_rng(seed)
        given = np.asarray(read, dtype=np.float64)
        given = given[:, None] if given.ndim == 1 else given
        weights = np.array([m.weight for m in self.mixes])
        # as evenly over the mixtures as their weights ask, in any order
        which = np.searchsorted(np.cumsum(weights), (np.arange(count) + 0.5) / count * weights.sum() * (1.0 - 1e-9))
        which = which[rng.permutation(count)]
        size = self.mixes[0].carry.shape[0]
        made = np.empty((size, count))
        for number in np.unique(which):
            mix, own = self.mixes[number], which == number
            columns = given[:, own] if given.shape[1] > 1 else np.repeat(given, int(own.sum()), axis=1)
            made[:, own] = mix.carry @ columns + mix.root @ rng.standard_normal((mix.root.shape[1], int(own.sum())))
        return made


def carried(
    read_s: ArrayLike, read: ArrayLike, wanted_s: ArrayLike, scale: float, u: ArrayLike, level: float
) -> Wander:
    """How a series goes on.

    read_s, read: shape (n,), s and in its unit; may be empty; wanted_s: times wanted, s; scale: how far such a series
    usually wanders (standard deviation, its unit); u: what each reading is off by on its own; level: how far its mean
    may be from 0. Raises ValueError for shapes that differ and sizes not above 0. Source: see the module.

    >>> t = np.arange(0.0, 3 * 86400.0, 3600.0)
    >>> day = np.sin(2 * np.pi * t / 86400.0)
    >>> ahead = carried(t, day, [t[-1] + 6 * 3600.0, t[-1] + 18 * 3600.0], 0.5, 0.05, 1.0).draws(day, 400)
    >>> ahead.mean(axis=1).round(0).tolist()
    [1.0, -1.0]
    """
    t, v, at = (np.asarray(a, dtype=np.float64) for a in (read_s, read, wanted_s))
    own = np.broadcast_to(np.asarray(u, dtype=np.float64), t.shape)
    if t.shape != v.shape or t.ndim != 1 or at.ndim != 1:
        raise ValueError("one value is needed for each time")
    if not (scale > 0.0 and level > 0.0 and (own > 0.0).all()):
        raise ValueError("sizes are above 0")
    both = np.concatenate([t, at])
    apart = np.abs(both[:, None] - both[None, :])
    day = np.exp(-2.0 * (np.sin(np.pi * apart / DAY_S) / SMOOTH) ** 2 - 0.5 * (apart / (DAYS_ALIKE * DAY_S)) ** 2)
    forgets = [np.exp(-apart / (3600.0 * lasts)) for lasts in LASTS_H]
    n = t.size
    noise = np.diag(np.concatenate([own**2, np.zeros(at.size)])) + level**2

    def alike(mixture: tuple[int, float, float], upto: int | None) -> Array:
        lasts, wanders, daily = mixture
        part = np.s_[:upto, :upto]
        made: Array = (wanders * scale) ** 2 * forgets[lasts][part] + (daily * scale) ** 2 * day[part] + noise[part]
        return made

    mixtures = list(product(range(len(LASTS_H)), SIZES, SIZES))
    roots = [np.asarray(np.linalg.cholesky(alike(m, n)), dtype=np.float64) for m in mixtures]
    logs = np.array([_explains(root, v) for root in roots])
    weights = np.exp(logs - logs.max())
    return Wander(
        tuple(
            _mix(weight, root, alike(mixture, None))
            for mixture, root, weight in zip(mixtures, roots, weights.tolist(), strict=True)
            if weight > WORTH
        )
    )


def _explains(root: Array, v: Array) -> float:
    """Log of how well a covariance, by its root, explains what was read."""
    # SciPy is read in only where a machine is looked ahead of
    from scipy.linalg import solve_triangular

    whitened = solve_triangular(root, v, lower=True, check_finite=False)
    return -0.5 * float(whitened @ whitened) - float(np.log(np.diag(root)).sum())


def _mix(weight: float, root: Array, k: Array) -> _Mix:
    from scipy.linalg import solve_triangular

    n = root.shape[0]
    across = solve_triangular(root, k[:n, n:], lower=True, check_finite=False)
    back = solve_triangular(root, across, lower=True, trans="T", check_finite=False)
    return _Mix(weight, back.T, _root(k[n:, n:] - across.T @ across))


def _root(covariance: Array) -> Array:
    # not by eigenvectors: their signs differ from one computer to another, and with them what is drawn
    least = 1e-9 * max(1e-12, float(np.trace(covariance)) / covariance.shape[0])
    made: Array = np.linalg.cholesky(covariance + least * np.eye(covariance.shape[0]))
    return made
