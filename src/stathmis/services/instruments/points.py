"""Points of a check that can be used, what acts on them, and what is wrong with the others."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from math import hypot

from stathmis.core.checks.influences import Effect, Influence, gather
from stathmis.core.checks.settling import Settling


@dataclass(frozen=True)
class Problem:
    """What is wrong: in which set of points (-1: the whole check), which row (-1: the set), which field.

    awaited: something is still to be typed there.
    """

    set_index: int
    row: int
    field: str
    text: str
    awaited: bool = False


@dataclass(frozen=True)
class Point:
    """A point that can be used, in the channel's unit, with what acts on it and how far it had settled."""

    set_index: int
    row: int
    shown: str
    reference_shown: str
    reading: float
    reference: float
    on_reading: tuple[Effect, ...]
    on_reference: tuple[Effect, ...]
    source: str
    direction: str
    settled: Settling | None = None

    @property
    def u_reading(self) -> float:
        """Standard uncertainty of the reading."""
        return hypot(*(e.sensitivity * e.standard_uncertainty for e in self.on_reading))

    @property
    def u_reference(self) -> float:
        """Standard uncertainty of the reference value."""
        return hypot(0.0, *(e.sensitivity * e.standard_uncertainty for e in self.on_reference))


def influences_of(points: Sequence[Point]) -> tuple[Influence, ...]:
    """Everything that acts on some points, gathered by cause."""
    return gather([p.on_reading for p in points], [p.on_reference for p in points])
