"""What is found is found once, and is the same as what would be found anew."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import closing, contextmanager

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import making
from stathmis.logbook import live
from stathmis.logbook.live import LiveReading
from stathmis.logbook.opening import create_logbook
from stathmis.logbook.records import Batch
from stathmis.services import rounds
from stathmis.services.batch import batches
from stathmis.services.book import Book
from stathmis.services.clock import DAY_MS, HOUR_MS, FixedClock
from stathmis.services.desk import Desk
from stathmis.services.eggs import findings, review, tray
from stathmis.services.findings import box, judgement
from stathmis.services.findings.runs import Recorded, recorded
from stathmis.services.plan import learning
from stathmis.services.reading_field import interpret


@contextmanager
def chunks_opened(desk: Desk) -> Iterator[list[str]]:
    """The statements that open chunks of readings."""
    seen: list[str] = []
    with desk.logbook.reading() as connection:
        connection.set_trace_callback(lambda s: seen.append(s) if "FROM chunk WHERE" in s else None)
    try:
        yield seen
    finally:
        with desk.logbook.reading() as connection:
            connection.set_trace_callback(None)


def brought(desk: Desk, channel_id: int, *values: float) -> None:
    """A probe's readings, ten seconds apart."""
    assert isinstance(desk.clock, FixedClock)
    for value in values:
        desk.clock.at_ms += 10_000
        live.store_live(desk.logbook, [LiveReading(channel_id, desk.now_ms, value)])


@pytest.mark.usefixtures("found_anew")
def test_a_run_is_read_and_judged_once_and_what_a_probe_brings_is_appended(demo: Desk) -> None:
    incubator = demo.book.incubators()[0]
    course = batches.running(demo.book, incubator)
    assert course is not None
    with chunks_opened(demo) as opened:
        first = judgement.judged_run(demo.book, course)
        assert opened and first.trace.temperature.judged is not None
        opened.clear()
        assert judgement.judged_run(demo.book, course) is first and not opened
        brought(demo, first.trace.temperature.judged.channel.id, 37.4, 37.6)
        after = judgement.judged_run(demo.book, course).trace.temperature.judged
        assert not opened and after is not None
        assert after.times_ms.size == first.trace.temperature.judged.times_ms.size + 2
        other = next(x for x in rounds.sheet(demo.book, demo.book.incubators()[1]).lines)
        rounds.log_round(demo, {other.channel.id: interpret("37.5", other.channel)}, demo.now_ms)
        assert judgement.judged_run(demo.book, course).trace.temperature.judged is after and not opened
        box.box_sheet(demo.book, incubator, course)
        opened.clear()
        assert box.box_sheet(demo.book, incubator, course) is box.box_sheet(demo.book, incubator, course)
        assert not opened


def same(one: Recorded, other: Recorded) -> bool:
    """Whether all that was recorded agrees, to the last digit."""
    pairs = [*zip(one.runs, other.runs, strict=True)]
    if one.judged is not None and other.judged is not None:
        pairs.append((one.judged, other.judged))
    assert (one.judged is None) == (other.judged is None) and one.doubts == other.doubts
    for a, b in pairs:
        for x, y in ((a.times_ms, b.times_ms), (a.shown, b.shown), (a.corrected, b.corrected), (a.u, b.u)):
            np.testing.assert_array_equal(x, y)
        assert (a.dense, a.max_gap_s, a.typical, a.beside) == (b.dense, b.max_gap_s, b.typical, b.beside)
    return True


ACTS = st.lists(
    st.sampled_from(["live", "hand", "check", "undo", "seal", "hang", "wait", "look", "late"]), min_size=3, max_size=14
)


@settings(max_examples=15, deadline=None)
@given(acts=ACTS)
def test_whatever_happens_a_kept_run_is_as_one_read_anew(
    tmp_path_factory: pytest.TempPathFactory, acts: list[str]
) -> None:
    with closing(create_logbook(tmp_path_factory.mktemp("l") / "l.stathmis", {"time_zone": "UTC"})) as logbook:
        desk = Desk(logbook, FixedClock(1_779_093_600_000))
        incubator = making.machine(desk, "Box")
        reference = making.reference(desk)
        probe, mercury = (making.instrument(desk, n, incubator_id=incubator.id) for n in ("Probe", "Mercury"))
        since = desk.now_ms - DAY_MS
        done = 0
        for act in acts:
            assert isinstance(desk.clock, FixedClock)
            desk.clock.at_ms += 20 * 60_000
            if act == "live":
                brought(desk, probe.id, 37.4, 37.6, 37.5)
            elif act == "late":
                live.store_live(desk.logbook, [LiveReading(probe.id, desk.now_ms - HOUR_MS, 37.0)])
            elif act == "hand":
                done += 1
                rounds.log_round(desk, {mercury.id: interpret("37.8", mercury)}, desk.now_ms)
            elif act == "check":
                points = [("37.2", "37.4"), ("37.3", "37.5")]
                making.put_to_use(
                    desk, making.checked(desk, probe, points, against=reference)[0], desk.now_ms - HOUR_MS
                )
            elif act == "undo" and done:
                done -= 1
                desk.undo()
            elif act == "seal":
                live.seal_full(desk.logbook, desk.now_ms, 1)
            elif act == "hang":
                desk.clock.at_ms += 3 * HOUR_MS
            stretches = [(incubator, since, desk.now_ms)]
            kept = recorded(desk.book, stretches, "temperature", since)
            anew = recorded(Book(desk.book.snapshot, desk.now_ms), stretches, "temperature", since)
            assert same(kept, anew)


@pytest.mark.usefixtures("found_anew")
def test_what_the_eggs_say_is_found_once_too(demo: Desk) -> None:
    """Tray, review and what own hatches teach: the same object until something they rest on changes."""
    book = demo.book
    ended = next(c for b in book.records(Batch) if b.ended_ms and (c := batches.course_by_id(book, b.id)) is not None)
    asked = [
        lambda b: tray.tray(b, ended.batch),
        lambda b: review.batch_review(b, ended),
        lambda b: learning.learnt(b, ended.species.key),
    ]
    before = [ask(demo.book) for ask in asked]
    rounds.log_event(demo, demo.book.incubators()[0], "note", "elsewhere", demo.now_ms)
    assert asked[0](demo.book) is before[0], "an event changes no egg"
    before = [ask(demo.book) for ask in asked]
    with chunks_opened(demo) as opened:
        assert all(ask(demo.book) is was for ask, was in zip(asked, before, strict=True)) and not opened
    findings.strike(demo, before[0].counted[-1])
    assert all(ask(demo.book) is not was for ask, was in zip(asked, before, strict=True))
