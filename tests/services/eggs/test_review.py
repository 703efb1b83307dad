"""The review of the demo's autumn set, which ran cool; records and comparisons."""

from __future__ import annotations

import pytest

from stathmis.logbook import keeping
from stathmis.logbook.records import Batch, Incubator
from stathmis.services import batches, setting_up
from stathmis.services.batches import Course
from stathmis.services.clock import DAY_MS
from stathmis.services.eggs import findings, records, review
from stathmis.services.workbench import Workbench


def autumn(demo: Workbench) -> Course:
    batch = next(b for b in demo.records(Batch) if "autumn" in b.name)
    return batches.course_of(demo, batch, next(i for i in demo.incubators() if i.id == batch.incubator_id))


def test_a_run_that_was_cool_says_so_and_by_how_many_tenths(demo: Workbench) -> None:
    found = review.batch_review(demo, autumn(demo))
    assert found.weighed is not None and found.weighed.clear is not None
    assert found.weighed.clear.cause.key == "temperature low"
    # the simulated set point was 37.3 °C where 37.6 is wanted
    assert found.evidence["mean_k"].value == pytest.approx(-0.3, abs=0.12)
    said = " ".join(review.lines(demo, found))
    assert "Most likely: the temperature was low" in said and "Not measured: the loss of weight" in said
    change = review.change(demo, found)
    assert change.startswith("Raise the set point by 0.") and "earlier (approximate)" in change
    demo.temperature_unit = "°F"
    assert "°F" in review.change(demo, found)


def test_a_hatch_under_way_has_no_review_yet(demo: Workbench) -> None:
    course = batches.running(demo, demo.incubators()[0])
    assert course is not None
    found = review.batch_review(demo, course)
    assert found.weighed is None and "when the hatch is over" in review.lines(demo, found)[0]
    assert review.change(demo, found) == ""


def test_records_rank_nothing_chance_may_explain(bench: Workbench) -> None:
    machines = [keeping.one(bench.logbook, Incubator, setting_up.add_incubator(bench, n, "forced")) for n in "ABC"]
    hatched = {"A": 17, "B": 15, "C": 4}
    for machine in machines:
        made = setting_up.set_batch(bench, machine, "", "chicken", "steady", 20, bench.now_ms - 24 * DAY_MS)
        course = batches.course_of(bench, keeping.one(bench.logbook, Batch, made), machine)
        findings.log_count(bench, course, "out", hatched[machine.name], bench.now_ms - 2 * DAY_MS)
        findings.log_count(bench, course, "clear", 2, bench.now_ms - 15 * DAY_MS)
        setting_up.end_batch(bench, keeping.one(bench.logbook, Batch, made))
    rows = records.all_batches(bench)
    assert len(rows) == 3 and all(r.known for r in rows)
    groups = records.compared(rows, "incubator")
    assert [(g.name, g.place) for g in groups] == [("A", 1), ("B", 1), ("C", 3)], "17 and 15 of 20 may be chance"
    (together,) = records.compared(rows, "species")
    assert (together.of_set.count, together.of_set.of, together.place) == (36, 60, 0)
    assert together.of_fertile.of == 36
