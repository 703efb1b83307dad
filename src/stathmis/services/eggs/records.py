"""All batches and what came of them; compared by species, machine or school, without ranking what may be chance."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from stathmis.core.course.schedule import BEST_STORED_DAYS, MOST_STORED_DAYS
from stathmis.core.hatch.hatch_stats import Rate, Tally, ranks, rate
from stathmis.logbook.records import Batch, StoredPlan
from stathmis.services.batch import batches
from stathmis.services.batch.course import Course
from stathmis.services.book import Book
from stathmis.services.clock import DAY_MS
from stathmis.services.eggs.tray import EggStory, TraySheet, tally, tray
from stathmis.services.eggs.tray_shape import at_edge
from stathmis.words.catalogue import Spoken, _, in_order
from stathmis.words.eggs import outcome as say

GROUPS = Spoken(say.GROUPS)


@dataclass(frozen=True)
class BatchRow:
    """A batch in the records; laid_ms: when its first egg was laid, by its plan; year: in which it was set."""

    course: Course
    sheet: TraySheet
    laid_ms: int | None = None
    year: int = 0

    @property
    def tally(self) -> Tally:
        """What came of its eggs."""
        return self.sheet.tally

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
    """Eggs taken together: name, of how many batches, hatched of set, hatched of fertile, and the place by hatched of
    set (shared where the difference may be chance; 0 with a single group)."""

    name: str
    batches: int
    of_set: Rate
    of_fertile: Rate
    place: int


def row_of(book: Book, course: Course) -> BatchRow:
    """One batch as it stands in the records."""
    plan = next((p for p in book.records(StoredPlan) if p.batch_id == course.batch.id), None)
    laid_ms = plan.laid_ms if plan is not None else None
    return BatchRow(course, tray(book, course.batch), laid_ms, book.local(course.batch.set_ms).year)


def all_batches(book: Book) -> list[BatchRow]:
    """All batches, the newest first."""
    machines = {i.id: i for i in book.incubators()}
    laid = {p.batch_id: p.laid_ms for p in book.records(StoredPlan) if p.batch_id is not None}
    found = []
    for batch in sorted(book.records(Batch), key=lambda b: (-b.set_ms, -b.id)):
        if batch.incubator_id in machines:
            course = batches.course_of(book, batch, machines[batch.incubator_id])
            year = book.local(batch.set_ms).year
            found.append(BatchRow(course, tray(book, batch), laid.get(batch.id), year))
    return found


def compared(rows: Sequence[BatchRow], by: str) -> list[Group]:
    """Eggs of batches whose end is known taken together by a key of GROUPS, the best share first.

    By source, age and place each egg counts where it belongs; one of which nothing is known is left out.
    """
    sums: dict[str, list[int]] = {}
    for row in rows:
        if not row.known:
            continue
        for name, part in _parts(row, by):
            own = sums.setdefault(name, [0, 0, 0, 0])
            for i, n in enumerate((1, part.hatched, part.eggs, part.fertile - part.alive)):
                own[i] += n
    rates = [rate(hatched, eggs) for _, hatched, eggs, _ in sums.values()]
    places = ranks(rates) if len(rates) > 1 else (0,) * len(rates)
    made = [
        Group(name, n, of_set, rate(hatched, fertile), place)
        for (name, (n, hatched, _, fertile)), of_set, place in zip(sums.items(), rates, places, strict=True)
    ]
    return sorted(made, key=lambda g: (g.place, -g.of_set.share, in_order(g.name)))


def _parts(row: BatchRow, by: str) -> list[tuple[str, Tally]]:
    """The groups a batch's eggs belong to, each with what came of those eggs."""
    course, sheet = row.course, row.sheet
    if by == "season":
        return [(str(row.year), row.tally)]
    if by == "species":
        return [(course.species.name, row.tally)]
    if by == "incubator":
        return [(course.incubator.name, row.tally)]
    if by == "school":
        return [(course.regime_name, row.tally)]
    places = [e.place for e in sheet.eggs]
    members: dict[str, list[EggStory]] = {}
    for egg in sheet.eggs:
        if by == "source":
            name = egg.source or egg.breed
        elif by == "place":
            name = say.EDGE_OF_THE_TRAY() if at_edge(sheet.batch.tray, places, egg.place) else say.MIDDLE_OF_THE_TRAY()
        else:
            laid = egg.laid_ms if egg.laid_ms is not None else row.laid_ms
            name = age_words((course.batch.set_ms - laid) / DAY_MS) if laid is not None else ""
        if name:
            members.setdefault(name, []).append(egg)
    if by == "age" and not sheet.eggs and row.laid_ms is not None:
        return [(age_words((course.batch.set_ms - row.laid_ms) / DAY_MS), row.tally)]
    if by == "place" and len(members) < 2:
        return []
    return [(name, tally(sheet.batch, eggs, whole=False)) for name, eggs in members.items()]


def age_words(days: float) -> str:
    """The class of an egg's age at setting. Source of the limits: common practice, core.schedule."""
    if days <= BEST_STORED_DAYS:
        return say.KEPT_UP_TO_BEST_STORED(best_stored_days=BEST_STORED_DAYS)
    if days <= MOST_STORED_DAYS:
        return _(
            "kept {best_stored_days:.0f} to {most_stored_days:.0f} days",
            best_stored_days=BEST_STORED_DAYS,
            most_stored_days=MOST_STORED_DAYS,
        )
    return _("kept over {most_stored_days:.0f} days", most_stored_days=MOST_STORED_DAYS)
