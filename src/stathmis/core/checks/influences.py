"""What acts on the points of a check, labelled and carried to the end: each influence and its effect on each point."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from math import inf, isfinite

import numpy as np
from numpy.typing import NDArray

from stathmis.core.checks.straight_line import FitError

Array = NDArray[np.float64]


@dataclass(frozen=True)
class Effect:
    """One influence on one point's reference value (or reading).

    standard_uncertainty is in unit; sensitivity in the channel's unit per unit. shared: one error of it moves every
    point it acts on together (a certificate), else each point has its own (flicker). cause: "scatter" (more readings
    make it less), "reference" or "table" (what the reference or a fixed point brings along), else empty.
    """

    label: str
    unit: str
    standard_uncertainty: float
    sensitivity: float = 1.0
    shared: bool = False
    distribution: str = "normal"
    degrees_of_freedom: float = inf
    cause: str = ""


@dataclass(frozen=True)
class Influence:
    """One influence on all points: standard uncertainty in its own unit, and what one unit of it does to each point.

    on_reading, on_reference: shape (n,), channel unit per unit; shared, distribution, degrees_of_freedom: see Effect.
    """

    label: str
    unit: str
    standard_uncertainty: float
    on_reading: Array
    on_reference: Array
    shared: bool = False
    distribution: str = "normal"
    degrees_of_freedom: float = inf

    def __post_init__(self) -> None:
        if not (self.standard_uncertainty >= 0 and isfinite(self.standard_uncertainty)):
            raise FitError("{label}: an uncertainty is a number from 0 up", label=self.label)
        if not self.degrees_of_freedom > 0:
            raise FitError("{label}: degrees of freedom are above 0", label=self.label)

    @property
    def u_reading(self) -> Array:
        """Standard uncertainty it gives each reading, in the channel's unit."""
        return np.abs(self.on_reading) * self.standard_uncertainty

    @property
    def u_reference(self) -> Array:
        """Standard uncertainty it gives each reference value, in the channel's unit."""
        return np.abs(self.on_reference) * self.standard_uncertainty


def merged(effects: Sequence[Effect]) -> tuple[Effect, ...]:
    """Effects on one point with one effect for each cause: those of one label are one error, so they add with sign.

    effects: as in gather. Returns one effect per label, at the largest of its standard uncertainties.
    Source: JCGM 100, 5.2.2 (fully correlated inputs).

    >>> made = merged([Effect("certificate", "°C", 0.02, -3.9, True), Effect("certificate", "°C", 0.02, 4.5, True)])
    >>> round(made[0].sensitivity, 3)
    0.6
    """
    found: dict[str, Effect] = {}
    for effect in effects:
        before = found.get(effect.label)
        if before is None:
            found[effect.label] = effect
            continue
        most = max(before.standard_uncertainty, effect.standard_uncertainty)
        total = sum(e.sensitivity * e.standard_uncertainty for e in (before, effect))
        found[effect.label] = replace(before, standard_uncertainty=most, sensitivity=total / most if most else 0.0)
    return tuple(found.values())


def gather(on_readings: Sequence[Sequence[Effect]], on_references: Sequence[Sequence[Effect]]) -> tuple[Influence, ...]:
    """Effects on single points, gathered by label into influences on all points.

    on_readings, on_references: for each of n points, the effects on its reading and on its reference value; one label
    means one cause, with the same unit, distribution and sharing at every point. Where a cause's uncertainty differs
    from point to point, the largest stands in the budget and the effects are scaled to it.
    Raises FitError where a label is used for two kinds of cause. Source: JCGM 100, 5.1.3.

    >>> both = gather([[], []], [[Effect("certificate", "°C", 0.02, shared=True)], [Effect("certificate", "°C", 0.01,
    ...     shared=True)]])
    >>> both[0].standard_uncertainty, both[0].on_reference.tolist()
    (0.02, [1.0, 0.5])
    """
    count = len(on_references)
    first: dict[str, Effect] = {}
    most: dict[str, float] = {}
    for effect in (e for side in (on_readings, on_references) for point in side for e in point):
        kind = first.setdefault(effect.label, effect)
        if (kind.unit, kind.shared, kind.distribution) != (effect.unit, effect.shared, effect.distribution):
            raise FitError("{label}: two different influences have one name", label=effect.label)
        most[effect.label] = max(most.get(effect.label, 0.0), effect.standard_uncertainty)
    made = []
    for label, kind in first.items():
        sides = []
        for side in (on_readings, on_references):
            row = np.zeros(count)
            for i, point in enumerate(side):
                for effect in point:
                    if effect.label == label and most[label] > 0:
                        row[i] += effect.sensitivity * effect.standard_uncertainty / most[label]
            sides.append(row)
        made.append(
            Influence(
                label,
                kind.unit,
                most[label],
                sides[0],
                sides[1],
                kind.shared,
                kind.distribution,
                kind.degrees_of_freedom,
            )
        )
    return tuple(made)
