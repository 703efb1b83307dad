"""The hatch over its hours: what came, when it is expected, what must be ready; and what an opened lid would do."""

from __future__ import annotations

from math import inf

import pytest
from hypothesis import given
from hypothesis import strategies as st

from making import batch_late, found
from stathmis.core.hatch import review as core
from stathmis.core.hatch.hatch_stats import Tally
from stathmis.core.hatch.review import Measured
from stathmis.services.clock import DAY_MS, HOUR_MS
from stathmis.services.desk import Desk
from stathmis.services.eggs import laying, records, tray
from stathmis.services.eggs.hatch_course import hatch_course
from stathmis.services.eggs.hatching import LidRecord, after_opening
from stathmis.services.plan import tasks


def test_what_came_is_counted_by_its_first_finding(desk: Desk) -> None:
    course = batch_late(desk)
    laying.lay_out(desk, course, 12, 6)
    for mark, hours in (("1", 16.0), ("2", 9.0), ("3", 4.0)):
        found(desk, course, mark, "external pip", hours)
    found(desk, course, "1", "out", 3.0)
    found(desk, course, "1", "dry", 0.5)
    # an egg whose pip nobody saw has pipped by the time it is out
    found(desk, course, "4", "out", 1.0)
    along = hatch_course(desk.book, course, tray.tray(desk.book, course.batch))
    hours = {k: [round((desk.now_ms - t) / HOUR_MS, 1) for t in times] for k, times in along.stages.items()}
    assert hours == {"pipped": [16.0, 9.0, 4.0, 1.0], "out": [3.0, 1.0], "dry": [0.5]}
    assert along.out_by is not None
    assert [(t - along.stages["pipped"][0]) / HOUR_MS for t in along.out_by] == [12.0, 24.0]
    low, middle, high = along.expected
    assert [(t - course.batch.set_ms) / DAY_MS for t in along.expected] == pytest.approx([20.0, 21.0, 23.0], abs=0.05)
    assert along.start_ms < low < middle < high <= along.end_ms and along.last_ms <= along.end_ms


def test_before_anything_came_it_says_what_must_be_ready(desk: Desk) -> None:
    course = batch_late(desk, 15.0)
    along = hatch_course(desk.book, course, tray.tray(desk.book, course.batch))
    assert not any(along.stages.values()) and along.out_by is None
    assert {r.title for r in along.ready} >= {"Lockdown", "Warm the brooder"} and not any(r.done for r in along.ready)
    assert any(t.step == "lockdown" for t in tasks.coming(desk.book, 14.0))
    assert not tasks.coming(desk.book, 0.01)


@given(st.floats(20.0, 95.0), st.floats(3.0, 40.0), st.floats(3.0, 120.0))
def test_the_curve_of_a_lid_falls_and_comes_back_as_the_log_says(rh: float, drop: float, back: float) -> None:
    lid = LidRecord(drop, back, 3)
    minutes, values = after_opening(rh, lid)
    assert values[0] == rh and 0.0 <= min(values) <= max(rh - drop, 0.0) + 0.25 * drop
    late = [v for m, v in zip(minutes, values, strict=True) if m >= back]
    assert all(v >= max(0.0, rh - 0.16 * drop) for v in late)


@given(st.integers(0, 12), st.integers(0, 8), st.floats(-1.5, 1.5), st.floats(0.02, 0.5))
def test_the_doubt_of_a_weight_holds_it(late: int, pipped: int, off: float, u: float) -> None:
    tally = Tally(30, clear=2, early_dead=1, late_dead=late, pipped_dead=pipped, hatched=27 - late - pipped)
    measured = {"mean_k": Measured(off, u)}
    weights = {w.cause.key: w.weight for w in core.review(tally, measured).weighed}
    doubts = core.doubt(tally, measured)
    for key, weight in weights.items():
        low, high = doubts[key]
        assert 0.0 <= low <= weight + 1e-12 and weight - 1e-12 <= high <= 1.0 < inf
    sure = core.doubt(tally, {"mean_k": Measured(off, 1e-9)})
    wide = max(high - low for low, high in core.doubt(tally, {"mean_k": Measured(off, 3.0)}).values())
    assert all(high - low <= 1.0 for low, high in sure.values()) and wide >= 0.0


def test_seasons_are_compared_by_the_year_of_setting(demo: Desk) -> None:
    rows = records.all_batches(demo.book)
    groups = {g.name: (g.batches, g.of_set.count, g.of_set.of) for g in records.compared(rows, "season")}
    assert groups == {"2025": (2, 27, 46)}
