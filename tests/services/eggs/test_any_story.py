"""Whatever is logged at the eggs of any batch, at any time and in any order: nothing breaks, and the eggs add up."""

from __future__ import annotations

import shutil
from pathlib import Path

from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from stathmis.core.errors import UserError
from stathmis.exchange.report_page import plain
from stathmis.logbook.opening import create_logbook
from stathmis.logbook.records import Batch, Incubator
from stathmis.services import knowledge, setting_up
from stathmis.services.batch import batches
from stathmis.services.batch.course import Course
from stathmis.services.clock import DAY_MS, FixedClock
from stathmis.services.desk import Desk
from stathmis.services.eggs import break_out, candling, findings, hatching, laying, moving, pull, records, review, tray
from stathmis.services.eggs.break_out import Draft
from stathmis.services.plan import learning
from stathmis.services.report.batch_report import batch_report
from stathmis.services.report.season_report import season_report, seasons

NOW_MS = 1_779_093_600_000
KINDS = sorted(knowledge.findings())
STAGES = sorted(knowledge.opened()["stage"])
step = st.tuples(
    st.sampled_from(["find", "count", "open", "take", "swap", "part", "move", "strike", "undo", "redo", "end"]),
    st.integers(0, 200),
    st.floats(-2.0, 75.0),
)


def one(desk: Desk, course: Course, what: str, n: int, at_ms: int) -> None:
    """One thing a keeper may do, sensible or not."""
    mark = "" if n % 7 == 0 else str(1 + n % 14)
    if what == "find":
        findings.log_finding(desk, course, mark, KINDS[n % len(KINDS)], at_ms, take_out=n % 3 == 0)
    elif what == "count":
        findings.log_count(desk, course, KINDS[n % len(KINDS)], n % 9, at_ms)
    elif what == "open":
        break_out.open_egg(desk, course, mark, Draft(STAGES[n % len(STAGES)], "", ["wet"]), at_ms, n=n % 5)
    elif what == "take":
        pull.take(desk, course, n % 6, at_ms, "red", "box", {"weak": n % 2})
    elif what == "swap":
        moving.swap(desk, course, [(mark, str(1 + n % 5))])
    elif what == "part":
        moving.move_some(desk, course, [mark, str(1 + n % 3)], desk.book.incubators()[n % 2], at_ms)
    elif what == "move":
        moving.move_batch(desk, course, desk.book.incubators()[n % 2], at_ms)
    elif what == "strike":
        found = tray.tray(desk.book, course.batch).all_findings
        if found:
            findings.strike(desk, found[n % len(found)])
    elif what == "end":
        setting_up.end_batch(desk, course.batch)
    elif what == "undo":
        desk.undo()
    else:
        desk.redo()


@settings(max_examples=40, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.sampled_from(sorted(knowledge.species())), st.integers(0, 14), st.lists(step, max_size=22))
def test_nothing_breaks_and_the_eggs_add_up(
    tmp_path: Path, species: str, laid: int, story: list[tuple[str, int, float]]
) -> None:
    folder = tmp_path / "log"
    shutil.rmtree(folder, ignore_errors=True)
    folder.mkdir()
    logbook = create_logbook(folder / "l.stathmis", {"name": "Any", "time_zone": "Europe/Vienna"})
    try:
        desk = Desk(logbook, FixedClock(NOW_MS))
        for name in ("One", "Two"):
            setting_up.add_incubator(desk, name, "forced", 37.5)
        box = logbook.snapshot.one(Incubator, 1)
        made = setting_up.set_batch(desk, box, "", species, "steady", 12, NOW_MS - 70 * DAY_MS)
        if laid:
            course = batches.course_by_id(desk.book, made)
            assert course is not None
            laying.lay_out(desk, course, laid, 5)
        for what, n, day in story:
            own = desk.book.records(Batch)
            course = batches.course_by_id(desk.book, own[n % len(own)].id) if own else None
            if course is None:
                break
            try:
                one(desk, course, what, n, course.at_ms(day))
            except UserError as error:
                assert error.what and str(error), "what cannot be is refused in words"
        looked_at(desk, laid)
    finally:
        logbook.close()


def looked_at(desk: Desk, laid: int) -> None:
    """Every page of every batch can be shown, and no egg was lost or counted twice."""
    set_in_all = 0
    for batch in desk.book.records(Batch):
        course = batches.course_by_id(desk.book, batch.id)
        assert course is not None
        sheet = tray.tray(desk.book, batch)
        tally = sheet.tally
        set_in_all += tally.eggs
        assert tally.open >= 0 and tally.alive <= tally.open
        assert tally.hatched <= tally.eggs
        found = hatching.hatching(desk.book, course, sheet)
        assert found.pipped >= 0 and hatching.may_open(found, "never")[1] and hatching.lines(desk.book, found)
        hatching.help_out(desk.book, found)
        off = pull.take_off(desk.book, course, sheet)
        assert min(off.dry_count, off.wet, off.taken, off.pipped) >= 0
        pull.lines(desk.book, course, off)
        pull.afterwards(desk.book, course)
        candling.take_out(sheet)
        candling.clutch_lines(course, sheet)
        assert break_out.left_to_open(course, sheet) >= 0
        spans = break_out.deaths(course, sheet)
        assert all(high >= low for low, high in spans)
        seen = review.batch_review(desk.book, course)
        assert review.lines(desk.book, seen)
        review.change(desk.book, seen)
        words = plain(batch_report(desk.book, course).blocks)
        assert "nan" not in words and "None" not in words
    assert set_in_all in (12, max(12, laid)) or not desk.book.records(Batch)
    rows = records.all_batches(desk.book)
    for by in records.GROUPS:
        records.compared(rows, by)
    for year in seasons(desk.book):
        season_report(desk.book, year)
    for key in {b.species for b in desk.book.records(Batch)}:
        learning.lines(desk.book, learning.learnt(desk.book, key), 12)
