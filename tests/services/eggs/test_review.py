"""The review of the demo's autumn set, which ran cool; records and comparisons."""

from __future__ import annotations

from dataclasses import replace

import pytest

import making
from stathmis.core.hatch.hatch_stats import rate
from stathmis.core.hatch.review import CAUSES, Measured, Weighed
from stathmis.logbook.records import Batch
from stathmis.services import setting_up
from stathmis.services.batch import batches
from stathmis.services.batch.course import Course
from stathmis.services.clock import DAY_MS
from stathmis.services.desk import Desk
from stathmis.services.eggs import findings, records, review


def autumn(demo: Desk) -> Course:
    batch = next(b for b in demo.book.records(Batch) if "partridge, first set" in b.name)
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


def change_for(demo: Desk, clear: str, mean_k: Measured | None = None, **others: object) -> str:
    """What is to be changed where this cause is clear ("": none), and the eggs' mean was so much off."""
    found = review.batch_review(demo.book, autumn(demo))
    assert found.weighed is not None
    cause = next((Weighed(c, 0.6, 1.0, 1.0, measured=True) for c in CAUSES if c.key == clear), None)
    evidence = {key: value for key, value in found.evidence.items() if key != "mean_k"}
    evidence |= {"mean_k": mean_k} if mean_k is not None else {}
    seen = {"shift": None, "predicted": None, "weighed": found.weighed._replace(clear=cause), "evidence": evidence}
    return review.change(demo.book, replace(found, **{**seen, **others}))  # type: ignore[arg-type]


def test_the_one_thing_to_change_follows_the_clear_cause(demo: Desk) -> None:
    # half a kelvin for the whole term is about a day
    assert change_for(demo, "temperature high", Measured(0.56, 0.05)).startswith(
        "Lower the set point by 0.6 °C: the next hatch should come about 1.0 days later"
    )
    assert change_for(demo, "temperature low", Measured(-0.56, 0.05)).startswith("Raise the set point by 0.6 °C")
    assert change_for(demo, "temperature low").startswith("Raise the set point by two tenths")
    assert change_for(demo, "temperature high").startswith("Lower the set point by two tenths")
    # the eggs speak for what the thermometer did not show, or could not
    for key, off, u in (
        ("temperature high", -0.56, 0.05),
        ("temperature low", 0.56, 0.05),
        ("temperature low", -0.5, 0.3),
        ("temperature high", 0.05, 0.01),
    ):
        assert change_for(demo, key, Measured(off, u)).startswith("Check the thermometer: the eggs look")
    late = {"shift": Measured(2.0, 0.2), "predicted": Measured(0.5, 0.3)}
    said = change_for(demo, "temperature low", Measured(0.5, 0.1), **late)
    assert "came 1.5 days later than its readings say" in said and "0.7 °C too high" in said
    early = {"shift": Measured(-1.0, 0.2), "predicted": Measured(0.5, 0.3)}
    assert "1.5 days earlier" in change_for(demo, "", **early) and "too low" in change_for(demo, "", **early)
    assert change_for(demo, "", shift=Measured(1.0, 0.2), predicted=Measured(0.5, 0.3)).startswith("Change nothing")
    assert change_for(demo, "").startswith("Change nothing for this run's sake")
    edge = (rate(3, 12), rate(11, 12))
    for places, worse in ((edge, "edge"), (edge[::-1], "middle")):
        moved = change_for(demo, "", places_differ=True, places=places)
        assert moved.startswith(f"Move the eggs round: those at the {worse} hatched worse")
    for key, words in review.CHANGES.items():
        if "in setting" not in key:
            assert change_for(demo, key) == words


@pytest.mark.parametrize(
    ("key", "value", "says"),
    [
        ("mean_k", Measured(-0.34, 0.06), "−0.3 ± 0.1 °C off the profile on average"),
        ("swing_k", Measured(0.456), "spread by 0.46 °C about its mean"),
        ("loss_off", Measured(2.04, 0.4), "+2.0 ± 0.8 percentage points off the loss aimed at"),
        ("lockdown_rh_off", Measured(0.0), "humidity in lockdown not below its band"),
        ("lockdown_rh_off", Measured(-9.6), "10 % RH below its band"),
        ("turning_gap_h", Measured(0.0), "no gap over 12 h"),
        ("turning_gap_h", Measured(5.0), "a gap of 17 h"),
        ("stored_over_days", Measured(0.0), "set within a week"),
        ("stored_over_days", Measured(4.0), "kept 11 days"),
        ("openings_at_pip", Measured(1.0), "opened 1 time while eggs were pipped"),
    ],
)
def test_what_was_measured_in_words(desk: Desk, key: str, value: Measured, says: str) -> None:
    assert says in review.measured_words(desk.book, key, value)


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
