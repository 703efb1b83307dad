"""Uncertainty budgets after JCGM 100:2008 (the "GUM"): labelled components, effective degrees of freedom, k and U."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from math import hypot, inf, isfinite, sqrt
from statistics import NormalDist

import numpy as np
from numpy.typing import ArrayLike

CONFIDENCE = 0.95
NORMAL_95 = NormalDist().inv_cdf(0.5 + CONFIDENCE / 2.0)
"""Coverage factor of 95 % for a normal distribution, 1.96: the only one in use where degrees of freedom are many."""


@dataclass(frozen=True)
class Component:
    """One influence on a result.

    standard_uncertainty is in the influence's own unit, sensitivity in result unit per that unit; distribution and
    degrees_of_freedom say how it is known (inf: as good as certain).
    """

    label: str
    standard_uncertainty: float
    distribution: str = "normal"
    degrees_of_freedom: float = inf
    sensitivity: float = 1.0
    unit: str = ""

    def __post_init__(self) -> None:
        if not (self.standard_uncertainty >= 0 and isfinite(self.standard_uncertainty)):
            raise ValueError(f"{self.label}: an uncertainty is a number from 0 up")
        if not self.degrees_of_freedom > 0:
            raise ValueError(f"{self.label}: degrees of freedom are above 0")

    @property
    def contribution(self) -> float:
        """Contribution to the result's standard uncertainty, in the result's unit."""
        return abs(self.sensitivity) * self.standard_uncertainty


def type_a(label: str, values: ArrayLike, sensitivity: float = 1.0) -> Component:
    """Standard uncertainty of a mean from its own scatter.

    values: two or more replicates, in one unit. Returns a component s/√n with n - 1 degrees of freedom, same unit.
    Raises ValueError for fewer than two values. Source: JCGM 100, 4.2.

    >>> round(type_a("repeatability", [1.0, 1.2, 1.1]).standard_uncertainty, 4)
    0.0577
    """
    array = np.asarray(values, dtype=np.float64)
    if array.size < 2:
        raise ValueError(f"{label}: scatter needs two readings or more")
    return Component(label, float(array.std(ddof=1)) / sqrt(array.size), "normal", array.size - 1, sensitivity)


def type_b_half_width(label: str, half_width: float, sensitivity: float = 1.0) -> Component:
    """Standard uncertainty of a value known only to lie within ± half_width (a/√3), in its unit.

    Raises ValueError for a negative width. Source: JCGM 100, 4.3.7.

    >>> round(type_b_half_width("bath", 0.03).standard_uncertainty, 4)
    0.0173
    """
    return Component(label, half_width / sqrt(3.0), "rectangular", inf, sensitivity)


def type_b_resolution(label: str, resolution: float, sensitivity: float = 1.0) -> Component:
    """Standard uncertainty of a display that shows steps of resolution (d/√12), in its unit.

    Raises ValueError for a negative resolution. Source: JCGM 100, F.2.2.1.

    >>> round(type_b_resolution("display", 0.1).standard_uncertainty, 4)
    0.0289
    """
    return Component(label, resolution / sqrt(12.0), "rectangular", inf, sensitivity)


def coverage_factor(degrees_of_freedom: float, confidence: float = CONFIDENCE) -> float:
    """k for a two-sided interval from Student's t, a pure number.

    degrees_of_freedom: above 0, inf for the normal distribution; cut to a whole number as JCGM 100, G.4.1 advises,
    at least 1. confidence: 0 to 1. Raises ValueError for degrees of freedom not above 0.
    Source: JCGM 100, table G.2.

    >>> round(coverage_factor(9), 2)
    2.26
    """
    if not degrees_of_freedom > 0:
        raise ValueError("degrees of freedom are above 0")
    upper = 0.5 * (1.0 + confidence)
    if not isfinite(degrees_of_freedom):
        return NormalDist().inv_cdf(upper)
    from scipy.special import stdtrit

    return float(stdtrit(max(1.0, np.floor(degrees_of_freedom + 1e-9)), upper))


@dataclass(frozen=True)
class Budget:
    """Independent components combined in quadrature, in the result's unit. Source: JCGM 100, 5.1.2 and G.4."""

    components: Sequence[Component]

    @property
    def standard_uncertainty(self) -> float:
        """Combined standard uncertainty, in the result's unit."""
        return hypot(*(c.contribution for c in self.components))

    @property
    def effective_dof(self) -> float:
        """Welch–Satterthwaite degrees of freedom, inf where nothing has few. Source: JCGM 100, eq. G.2b."""
        total = self.standard_uncertainty
        if total == 0.0:
            return inf
        spread = sum((c.contribution / total) ** 4 / c.degrees_of_freedom for c in self.components)
        return 1.0 / spread if spread > 0 else inf

    @property
    def coverage_factor(self) -> float:
        """k for 95 %, a pure number."""
        return coverage_factor(self.effective_dof)

    @property
    def expanded_uncertainty(self) -> float:
        """U = k u at 95 %, in the result's unit."""
        return self.coverage_factor * self.standard_uncertainty
