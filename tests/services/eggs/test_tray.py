"""The tray and the hatch: stories of eggs, what cannot be, counts, and whether the lid may be opened."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from making import batch_late, found, logged
from stathmis.core.course.way import Way
from stathmis.core.errors import UserError
from stathmis.logbook.records import Batch, EggFinding
from stathmis.services import knowledge, rounds, setting_up
from stathmis.services.batch import batches
from stathmis.services.clock import DAY_MS
from stathmis.services.desk import Desk
from stathmis.services.eggs import candling, findings, hatching, laying, moving, outcome, tray, tray_shape
from stathmis.services.eggs.laying import Described

HOUR_MS = 3_600_000


def test_every_finding_has_its_own_letter_and_words() -> None:
    for kind in ("bird", "reptile"):
        own = [f for f in knowledge.findings().values() if f.kind in (kind, "all")]
        assert len({f.letter for f in own}) == len(own) and all(f.look and f.word for f in own)


def test_eggs_are_laid_out_and_their_stories_told(desk: Desk) -> None:
    course = batch_late(desk)
    assert laying.lay_out(desk, course, 12, 5, Described(source="own flock")) == 12
    sheet = tray.tray(desk.book, course.batch)
    assert sheet.size == (3, 5) and [e.mark for e in sheet.eggs][-1] == "12" and sheet.eggs[5].place == (2, 1)
    found(desk, course, "3", "alive", 300)
    found(desk, course, "4", "clear", 300, take_out=True)
    found(desk, course, "5", "rotten", 1)
    found(desk, course, "3", "external pip", 10)
    found(desk, course, "3", "out", 1)
    sheet = tray.tray(desk.book, course.batch)
    assert [sheet.eggs[i].state for i in (2, 3, 4, 5)] == ["out", "clear", "rotten", "in"]
    assert sheet.eggs[3].out and not sheet.eggs[4].out
    assert sheet.words().startswith("11 eggs in") and "1 out of the machine" in sheet.words()
    assert (sheet.tally.hatched, sheet.tally.clear, sheet.tally.open) == (1, 1, 10)
    assert candling.take_out(sheet) == [
        "Take out egg 5 (rotten): it can burst and infect the rest: out now, wrapped, into the bin outside."
    ]
    for _ in range(2):
        desk.undo()
    assert tray.tray(desk.book, course.batch).eggs[2].state == "alive"
    moving.swap(desk, course, [("1", "12")])
    assert tray.tray(desk.book, course.batch).eggs[0].mark == "12"
    desk.undo()
    assert laying.lay_out(desk, course, 2) == 2 and tray.tray(desk.book, course.batch).egg("14") is not None


def test_what_cannot_be_is_refused_in_words(desk: Desk) -> None:
    course = batch_late(desk)
    with pytest.raises(UserError, match="no egg 3 in this tray"):
        found(desk, course, "3", "alive")
    laying.lay_out(desk, course, 6)
    with pytest.raises(UserError, match="has not come"):
        found(desk, course, "1", "alive", -1)
    with pytest.raises(UserError, match="were not set then"):
        found(desk, course, "1", "alive", 24 * 40)
    found(desk, course, "1", "out", 5)
    with pytest.raises(UserError, match="this comes before it"):
        found(desk, course, "1", "external pip", 1)
    found(desk, course, "1", "external pip", 20)
    with pytest.raises(UserError, match="this comes after it"):
        found(desk, course, "1", "dry", 6)
    found(desk, course, "2", "clear", 200, take_out=True)
    with pytest.raises(UserError, match="was taken out on"):
        found(desk, course, "2", "out")
    with pytest.raises(UserError, match="Write a count from 1"):
        laying.lay_out(desk, course, 0)
    with pytest.raises(UserError, match="no egg 99"):
        moving.swap(desk, course, [("1", "99")])
    with pytest.raises(UserError, match="have marks"):
        findings.log_count(desk, course, "out", 1, desk.now_ms)


def test_counts_for_a_keeper_who_marks_no_eggs(desk: Desk) -> None:
    course = batch_late(desk)
    findings.log_count(desk, course, "clear", 2, desk.now_ms - 13 * DAY_MS)
    findings.log_count(desk, course, "out", 8, desk.now_ms)
    with pytest.raises(UserError, match="3 chicks, and 2 eggs left of 12"):
        findings.log_count(desk, course, "out", 3, desk.now_ms)
    with pytest.raises(UserError, match="How many"):
        findings.log_count(desk, course, "out", 0, desk.now_ms)
    sheet = tray.tray(desk.book, course.batch)
    assert (sheet.tally.hatched, sheet.tally.clear, sheet.tally.open) == (8, 2, 2)
    said = " ".join(outcome.outcome_lines(sheet))
    assert "Of 12 eggs: 2 clear, 8 hatched" in said and "2 eggs are still open" in said
    desk.undo()
    assert tray.tray(desk.book, course.batch).tally.hatched == 0


def test_an_ended_batch_may_be_edited_and_says_so(desk: Desk) -> None:
    course = batch_late(desk)
    laying.lay_out(desk, course, 3)
    found(desk, course, "1", "external pip", 20)
    setting_up.end_batch(desk, course.batch)
    desk.clock.at_ms += DAY_MS  # type: ignore[attr-defined]
    ended = batches.course_of(desk.book, desk.book.records(Batch)[0], course.incubator)
    found(desk, ended, "2", "dead in shell")
    assert "after the end" in (desk.undo() or "")
    desk.redo()
    finding = desk.book.records(EggFinding)[-1]
    assert ended.batch.ended_ms is not None and finding.logged_ms > ended.batch.ended_ms
    tally = tray.tray(desk.book, ended.batch).tally
    assert (tally.pipped_dead, tally.late_dead) == (1, 1), "pipped and never out counts as died once all is over"


@given(st.lists(st.tuples(st.sampled_from(sorted(knowledge.findings())), st.integers(0, 480)), max_size=8))
def test_any_story_adds_up(story: list[tuple[str, int]]) -> None:
    """Whatever is found, in whatever order: an egg counts once, and no more come of the eggs than there are."""
    findings = tuple(
        EggFinding(i, 1, at, "1", kind, 1, "", at) for i, (kind, at) in enumerate(sorted(story, key=lambda s: s[1]))
    )
    for ended in (None, 10**6):
        own = Batch(1, 1, "b", "chicken", "steady", 3, 0, ended)
        state = tray.state_of(findings)
        egg = tray.EggStory("1", (1, 1), "", None, findings, state, any(f.kind == "removed" for f in findings))
        tally = tray.tally(own, [egg])
        assert tally.eggs == 3 and 2 <= tally.open <= 3
        assert egg.word


def test_candling_says_what_this_day_shows(desk: Desk) -> None:
    course = batch_late(desk)
    seen = [candling.shows(course, day) for day in (0.5, 3.5, 5.0, 7.2, 10.0, 14.0, 18.1, 20.0, 20.8)]
    assert len(set(seen)) == len(seen) and "spider of veins" in seen[3] and "slanted edge" in seen[6]
    duck = batches.course_of(desk.book, desk.book.one(Batch, course.batch.id), course.incubator)
    assert "spider" in candling.shows(duck, 7.0)


def test_may_i_open_weighs_this_machines_own_lid(desk: Desk) -> None:
    """Two openings in the log: 20 % RH down, back within some 15 min. Pipped eggs, and two schools."""
    rh = np.full(12 * 60, 72.0)
    for start in (200, 400):
        after = np.arange(90)
        rh[start : start + 90] = 72.0 - 20.0 * np.exp(-after / 6.0)
    course = logged(desk, rh)
    for start in (200, 400):
        rounds.log_event(desk, course.incubator, "lid", "", desk.now_ms - (rh.size - start) * 60_000)
    laying.lay_out(desk, course, 6)
    state = hatching.hatching(desk.book, course, tray.tray(desk.book, course.batch))
    assert state.lid is not None and state.lid.openings == 2
    assert state.lid.drop == pytest.approx(20.0, abs=1.0) and 8 < state.lid.recovery_min < 20
    answer, why = hatching.may_open(state, "never")
    assert answer == "no" and "though none is logged" in why, "not logged is not none"
    assert hatching.may_open(replace(state, unseen=False), "never")[0] == "yes"
    found(desk, course, "1", "external pip", 5)
    state = hatching.hatching(desk.book, course, tray.tray(desk.book, course.batch))
    answer, why = hatching.may_open(state, "never")
    assert answer == "no" and "1 egg pipped" in why and "dries onto the chick" in why and "falls by 20 % RH" in why
    answer, why = hatching.may_open(state, "quickly")
    assert answer == "better not" and "about 52 % RH" in why
    for unknown in ({"rh": None}, {"lid": None}):
        # without a reading, and where no lid was ever timed, it stays shut for a pipped egg
        assert hatching.may_open(replace(state, **unknown), "quickly")[0] == "better not"  # type: ignore[arg-type]
    found(desk, course, "1", "out", 2)
    state = hatching.hatching(desk.book, course, tray.tray(desk.book, course.batch))
    said = " ".join(hatching.lines(desk.book, state))
    assert (
        state.pipped == 0
        and "1 out" in said
        and "food and water as soon as they are in the brooder" in said
        and "Stragglers: wait until" in said
    )
    with desk.edit("as older logbooks have it") as edit:
        edit.set("opening_at_hatch", "quickly")
    assert hatching.open_school(desk.book, course) == "quickly"
    own = replace(course, way=Way(opening="never"))
    assert hatching.open_school(desk.book, own) == "never", "the way of the batch comes first"


def test_each_ring_inward_holds_fewer_eggs_and_a_row_as_many() -> None:
    ring = tray_shape.places_for("ring", 40, 18)
    held = [sum(row == r for row, _ in ring) for r in range(1, ring[-1][0] + 1)]
    assert held == [18, 12, 6, 1, 1, 1, 1]
    assert [sum(row == r for row, _ in tray_shape.places_for("rows", 40, 18, 3)) for r in (3, 4, 5)] == [18, 18, 4]


def test_candling_shows_what_is_likely_on_the_day(desk: Desk) -> None:
    early, late = (batch_late(desk, day) for day in (7.0, 14.0))
    assert candling.looks(early, 7.0).startswith("Clear") and "rotten" not in candling.looks(early, 7.0).lower()
    assert candling.looks(late, 14.0).startswith("Late dead") and "blood ring" not in candling.looks(late, 14.0)
    gecko = batch_late(desk, 20.0, "leopard_gecko")
    assert candling.looks(gecko, 20.0).startswith("Slug") and "chalky" in candling.shows(gecko, 20.0)
