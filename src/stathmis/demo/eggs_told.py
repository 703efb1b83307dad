"""What is told of the demo's eggs: a tray half-way, and two earlier hatches with what was found when they were over."""

from __future__ import annotations

from stathmis.logbook.records import Batch, Incubator
from stathmis.services import setting_up
from stathmis.services.batch import batches
from stathmis.services.batch.course import Course
from stathmis.services.clock import DAY_MS, FixedClock
from stathmis.services.desk import Desk
from stathmis.services.eggs import break_out, findings, laying, pull
from stathmis.services.eggs.break_out import Draft
from stathmis.services.eggs.laying import Described
from stathmis.words.catalogue import _

Counts = tuple[tuple[float, str, int], ...]


def tray_half_way(desk: Desk, clock: FixedClock, incubator: Incubator, set_ms: int) -> None:
    """Thirty eggs in five rows from two places; candled on day 7: two clear ones out, one shell too dark to judge."""
    course = batches.running(desk.book, incubator)
    assert course is not None
    clock.at_ms = set_ms
    for eggs, source, days in ((18, _("own flock"), 4), (12, _("by post"), 9)):
        laid = desk.book.local(set_ms - days * DAY_MS)
        laying.lay_out(desk, course, eggs, 6, Described(source=source, laid=f"{laid:%Y-%m-%d}"))
    clear = {9, 23}
    for number in range(1, 31):
        clock.at_ms = set_ms + 7 * DAY_MS + number * 15_000
        kind = "clear" if number in clear else "doubtful" if number == 17 else "alive"
        findings.log_finding(desk, course, str(number), kind, clock.at_ms, take_out=number in clear)
    # one died in the second week
    clock.at_ms = set_ms + 11 * DAY_MS
    findings.log_finding(desk, course, "12", "early dead", clock.at_ms)


def autumn_hatch(desk: Desk, clock: FixedClock, course: Course, over_ms: int) -> None:
    """Run a little cool: late, some dead late, some pipped and died; four of them opened."""
    counts: Counts = ((7.0, "clear", 3), (14.0, "early dead", 2), (24.6, "external pip", 17), (25.0, "out", 9))
    _counted(desk, clock, course, (*counts, (25.4, "out", 6)))
    clock.at_ms = over_ms
    pull.take(desk, course, 15, over_ms, _("green left"), _("brooder 1"), {"weak": 2, "splayed legs": 1})
    findings.log_count(desk, course, "late dead", 4, over_ms)
    findings.log_count(desk, course, "pipped dead", 2, over_ms)
    for draft, n in (
        (Draft("late", "normal", ["yolk"]), 2),
        (Draft("late", "small end", ["yolk", "belly"]), 1),
        (Draft("external", "normal", ["belly"]), 2),
    ):
        break_out.open_egg(desk, course, "", draft, over_ms, n=n)
    setting_up.end_batch(desk, desk.book.one(Batch, course.batch.id))


def last_summer(desk: Desk, clock: FixedClock, incubator: Incubator, set_ms: int) -> None:
    """A hatch of last year of which only the counts are known."""
    clock.at_ms = set_ms
    name = _("20 guinea fowl, first set")
    batch_id = setting_up.set_batch(desk, incubator, name, "guinea_fowl", "steady", 20, set_ms)
    course = batches.course_by_id(desk.book, batch_id)
    assert course is not None
    _counted(desk, clock, course, ((9.0, "clear", 3), (9.0, "early dead", 1), (26.8, "out", 8), (27.5, "out", 4)))
    clock.at_ms = set_ms + 30 * DAY_MS
    findings.log_count(desk, course, "late dead", 3, clock.at_ms)
    findings.log_count(desk, course, "pipped dead", 1, clock.at_ms)
    setting_up.end_batch(desk, desk.book.one(Batch, batch_id))


def _counted(desk: Desk, clock: FixedClock, course: Course, counts: Counts) -> None:
    for day, kind, number in counts:
        clock.at_ms = course.batch.set_ms + round(day * DAY_MS)
        findings.log_count(desk, course, kind, number, clock.at_ms)
