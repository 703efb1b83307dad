"""A reference's certificate: corrections at some points, straight between them, with the certificate's uncertainty."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import ArrayLike

from stathmis.core.checks.straight_line import FitError


@dataclass(frozen=True)
class CertificateCurve:
    """Certificate points in order of reading; u: standard uncertainties U/k; all in the instrument's unit.

    slope_allowance: standard uncertainty per unit beyond the last point, where the certificate says nothing.
    """

    reading: tuple[float, ...]
    correction: tuple[float, ...]
    u: tuple[float, ...]
    slope_allowance: float = 0.0

    def __post_init__(self) -> None:
        if not self.reading or not len(self.reading) == len(self.correction) == len(self.u):
            raise FitError("A certificate needs one point or more, each with its correction and uncertainty")
        if any(b <= a for a, b in zip(self.reading, self.reading[1:], strict=False)):
            raise FitError("Certificate points must be in order of reading, no two at the same one")
        if any(not u > 0 for u in self.u):
            raise FitError("A certificate's uncertainty is above 0")

    @property
    def domain(self) -> tuple[float, float]:
        """Lowest and highest reading on the certificate."""
        return self.reading[0], self.reading[-1]

    def apply(self, reading: ArrayLike, u_reading: ArrayLike = 0.0) -> tuple[Any, Any]:
        """Corrected value and its standard uncertainty, in the instrument's unit.

        reading: number or array; u_reading: standard uncertainty of the reading itself. nan passes through.
        Source: straight interpolation between certificate points, common practice.

        >>> value, u = CertificateCurve((0.0, 40.0), (0.1, 0.2), (0.02, 0.02)).apply(20.0)
        >>> round(value, 3), round(u, 3)
        (20.15, 0.02)
        """
        x = np.asarray(reading, dtype=np.float64)
        value = x + np.interp(x, self.reading, self.correction)
        beyond = np.maximum(np.maximum(self.domain[0] - x, x - self.domain[1]), 0.0)
        known = np.interp(x, self.reading, self.u) ** 2 + np.square(u_reading)
        u = np.sqrt(known + (self.slope_allowance * beyond) ** 2)
        return (float(value), float(u)) if x.shape == () else (value, u)

    def reading_for(self, value: float) -> float:
        """The reading whose corrected value is this, in the instrument's unit: straight between the points, too.

        >>> round(CertificateCurve((0.0, 40.0), (0.1, 0.2), (0.02, 0.02)).reading_for(20.15), 3)
        20.0
        """
        return value - float(np.interp(value, np.add(self.reading, self.correction), self.correction))
