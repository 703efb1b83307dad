"""Labels for trays and for the boxes of clutches: what lies there, since when, and what comes when."""

from __future__ import annotations

from dataclasses import dataclass

from stathmis.services.book import Book
from stathmis.services.plan import planning
from stathmis.services.plan.planning import Plan

STEPS = ("lockdown", "hatch")


@dataclass(frozen=True)
class Label:
    """A label: the plan it is of, and when its steps are due (UTC ms) by their keys, as far as it has them."""

    plan: Plan
    steps: tuple[tuple[str, int], ...]

    @property
    def lies_still(self) -> bool:
        """Whether these eggs must never be turned."""
        return self.plan.species.stop_turning_day is None


def labels(book: Book) -> tuple[Label, ...]:
    """One for every batch that runs or is planned, the earliest set first."""
    found = []
    for plan in planning.plans(book):
        steps = ((key, step.at_ms) for key in STEPS if (step := plan.step(key)) is not None)
        found.append(Label(plan, tuple(steps)))
    return tuple(found)
