"""The review of the demo's autumn set, which ran cool; records and comparisons."""

from __future__ import annotations

import pytest

import making
from stathmis.logbook.records import Batch
from stathmis.services import setting_up
from stathmis.services.batch import batches
from stathmis.services.batch.course import Course
from stathmis.services.clock import DAY_MS
from stathmis.services.desk import Desk
from stathmis.services.eggs import findings, records, review


def autumn(demo: Desk) -> Course:
    batch = next(b for b in demo.book.records(Batch) if "autumn" in b.name)
    return batches.course_of(demo.book, batch, next(i for i in demo.book.incubators() if i.id == batch.incubator_id))


def test_a_run_that_was_cool_says_so_and_by_how_many_tenths(demo: Desk) -> None:
    found = review.batch_review(demo.book, autumn(demo))
    assert found.weighed is not None and found.weighed.clear is not None
    assert found.weighed.clear.cause.key == "temperature low"
    # the simulated set point was 37.3 °C where 37.6 is wanted
    assert found.evidence["mean_k"].value == pytest.approx(-0.3, abs=0.12)
    said = " ".join(review.lines(demo.book, found))
    assert "Most likely: the temperature was low" in said and "Not measured: the loss of weight" in said
    change = review.change(demo.book, found)
    assert change.startswith("Raise the set point by 0.") and "earlier (approximate)" in change
    demo.set_temperature_unit("°F")
    assert "°F" in review.change(demo.book, found)


def test_a_hatch_under_way_has_no_review_yet(demo: Desk) -> None:
    course = batches.running(demo.book, demo.book.incubators()[0])
    assert course is not None
    found = review.batch_review(demo.book, course)
    assert found.weighed is None and "when the hatch is over" in review.lines(demo.book, found)[0]
    assert review.change(demo.book, found) == ""


def test_records_rank_nothing_chance_may_explain(desk: Desk) -> None:
    machines = [making.machine(desk, n) for n in "ABC"]
    hatched = {"A": 17, "B": 15, "C": 4}
    for machine in machines:
        made = setting_up.set_batch(desk, machine, "", "chicken", "steady", 20, desk.now_ms - 24 * DAY_MS)
        course = batches.course_of(desk.book, desk.book.one(Batch, made), machine)
        findings.log_count(desk, course, "out", hatched[machine.name], desk.now_ms - 2 * DAY_MS)
        findings.log_count(desk, course, "clear", 2, desk.now_ms - 15 * DAY_MS)
        setting_up.end_batch(desk, desk.book.one(Batch, made))
    rows = records.all_batches(desk.book)
    assert len(rows) == 3 and all(r.known for r in rows)
    groups = records.compared(rows, "incubator")
    assert [(g.name, g.place) for g in groups] == [("A", 1), ("B", 1), ("C", 3)], "17 and 15 of 20 may be chance"
    (together,) = records.compared(rows, "species")
    assert (together.of_set.count, together.of_set.of, together.place) == (36, 60, 0)
    assert together.of_fertile.of == 36
