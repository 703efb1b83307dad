"""All batches and what came of them; compared by species, machine or school, without ranking what may be chance."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from stathmis.core.hatch_stats import Rate, Tally, ranks, rate
from stathmis.logbook.records import Batch
from stathmis.services import batches
from stathmis.services.batches import Course
from stathmis.services.eggs.tray import tray
from stathmis.services.workbench import Workbench

GROUPS = {"species": "species", "incubator": "machine", "school": "school"}


@dataclass(frozen=True)
class BatchRow:
    """A batch in the records."""

    course: Course
    tally: Tally

    @property
    def decided(self) -> bool:
        """Whether anything hatched, or all is over."""
        return self.tally.hatched > 0 or self.course.batch.ended_ms is not None

    @property
    def known(self) -> bool:
        """Whether it was logged what came of its eggs."""
        return self.decided and (self.tally.hatched + self.tally.fertile + self.tally.clear) > 0


@dataclass(frozen=True)
class Group:
    """Batches taken together: name, how many, hatched of set, hatched of fertile, and the place by hatched of set
    (shared where the difference may be chance; 0 with a single group)."""

    name: str
    batches: int
    of_set: Rate
    of_fertile: Rate
    place: int


def all_batches(bench: Workbench) -> list[BatchRow]:
    """All batches, the newest first."""
    machines = {i.id: i for i in bench.incubators()}
    found = []
    for batch in sorted(bench.records(Batch), key=lambda b: (-b.set_ms, -b.id)):
        if batch.incubator_id in machines:
            course = batches.course_of(bench, batch, machines[batch.incubator_id])
            found.append(BatchRow(course, tray(bench, batch).tally))
    return found


def compared(rows: Sequence[BatchRow], by: str) -> list[Group]:
    """Batches whose end is known taken together by species, incubator or school, the best share first."""
    sums: dict[str, list[int]] = {}
    for row in rows:
        if not row.known:
            continue
        name = {
            "species": row.course.species.name,
            "incubator": row.course.incubator.name,
            "school": row.course.regime_name,
        }[by]
        own = sums.setdefault(name, [0, 0, 0, 0])
        fertile = row.tally.fertile - row.tally.alive
        for i, n in enumerate((1, row.tally.hatched, row.tally.eggs, fertile)):
            own[i] += n
    rates = [rate(hatched, eggs) for _, hatched, eggs, _ in sums.values()]
    places = ranks(rates) if len(rates) > 1 else (0,) * len(rates)
    made = [
        Group(name, n, of_set, rate(hatched, fertile), place)
        for (name, (n, hatched, _, fertile)), of_set, place in zip(sums.items(), rates, places, strict=True)
    ]
    return sorted(made, key=lambda g: (g.place, -g.of_set.share, g.name))
