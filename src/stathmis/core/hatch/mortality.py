"""When eggs died, as far as it is known: each between two times, spread evenly over the stretches between."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import ArrayLike, NDArray

Array = NDArray[np.float64]


def spread_over(spans: Sequence[tuple[float, float]], edges: ArrayLike) -> Array:
    """How many deaths fall between edges, shape (n - 1,): each counts in every stretch by the share of its own span.

    spans: from when to when each may have happened, one scale with edges; what lies outside the edges goes to the first
    and the last stretch, so that none is lost. edges: rising, shape (n,), n of 2 or more. Raises ValueError for edges
    that do not rise and spans that end before they begin. Source: definition (uniform over an interval-censored time).

    >>> spread_over([(0.0, 7.0), (5.0, 9.0)], [0.0, 7.0, 14.0]).tolist()
    [1.5, 0.5]
    """
    at = np.asarray(edges, dtype=np.float64)
    if at.size < 2 or (np.diff(at) <= 0).any():
        raise ValueError("edges rise, and are two or more")
    if not spans:
        return np.zeros(at.size - 1)
    low, high = (np.asarray(part, dtype=np.float64)[:, np.newaxis] for part in zip(*spans, strict=True))
    if (high < low).any():
        raise ValueError("a span ends after it begins")
    # the outer stretches reach as far as they must
    left, right = at[:-1].copy(), at[1:].copy()
    left[0], right[-1] = min(left[0], float(low.min())), max(right[-1], float(high.max()))
    overlap = np.clip(np.minimum(high, right) - np.maximum(low, left), 0.0, None)
    # a death at one instant lies in one stretch
    point = np.searchsorted(right[:-1], low[:, 0], side="right")
    instant = np.eye(at.size - 1)[point]
    width = (high - low)[:, 0]
    share = np.where(width[:, np.newaxis] > 0, overlap / np.where(width > 0, width, 1.0)[:, np.newaxis], instant)
    return np.asarray(share.sum(axis=0))
