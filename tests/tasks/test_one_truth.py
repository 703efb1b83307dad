"""Every page gives the same band, day, lockdown and verdict for a batch, whatever it is and whenever one looks."""

from __future__ import annotations

import shutil
from itertools import pairwise
from pathlib import Path

import numpy as np
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from stathmis.core.conformity import decide
from stathmis.core.course.profile import Band, OwnProfile, Species, Stage, with_term
from stathmis.core.course.way import Way
from stathmis.exchange.report_page import Table
from stathmis.logbook.opening import create_logbook
from stathmis.logbook.records import Channel
from stathmis.logbook.snapshot import Series
from stathmis.services import knowledge, rounds, setting_up
from stathmis.services.advice import heat
from stathmis.services.batch import batches, own_species, profiles
from stathmis.services.batch.species import species_of
from stathmis.services.clock import DAY_MS, HOUR_MS, FixedClock
from stathmis.services.desk import Desk
from stathmis.services.files import logger_import
from stathmis.services.findings import judgement
from stathmis.services.plan import calendar, planning, turning
from stathmis.services.report.batch_report import batch_report
from stathmis.services.setting_up import NewChannel
from stathmis.services.watch import alarms
from stathmis.words.numbers import band_text


def own_species_like(desk: Desk, species: str, stretched: float) -> str:
    """A species of one's own that is like a shipped one, but for its term; its key."""
    like = with_term(species_of(desk.book, species), stretched * species_of(desk.book, species).days)
    draft = own_species.draft_of(like, "°C", copy=True)
    return f"own {own_species.keep(desk, own_species.typed(draft, 'name', 'mine'))}"


def own_profile(kept: Species, share: float) -> OwnProfile:
    """A profile of the keeper's own with its lockdown at a share of the term."""
    stages = (
        Stage("setting", 0.0, Band(37.2, 37.8), Band(42.0, 52.0)),
        Stage("lockdown", share * kept.days, Band(37.0, 37.6), Band(61.0, 71.0)),
    )
    return OwnProfile("Mine", kept.key, "", stages, kept.days + 1.0)


NOW_MS = 1_779_093_600_000
WAYS = st.builds(
    Way,
    term_days=st.none() | st.floats(15, 45),
    set_c=st.none() | st.floats(36.5, 38.5),
    tolerance_k=st.none() | st.floats(0.1, 1.0),
    setting_rh=st.none() | st.tuples(st.floats(20, 50), st.floats(51, 80)),
    lockdown_rh=st.none() | st.tuples(st.floats(40, 60), st.floats(61, 90)),
    still_offset_k=st.none() | st.floats(0, 2),
    turning=st.sampled_from(["machine", "by hand", "none"]),
    cooling=st.sampled_from(["", "none", "by hand", "by machine"]),
    coolings_a_day=st.integers(1, 4),
    hot_k=st.none() | st.floats(0.5, 3),
    cold_k=st.none() | st.floats(0.5, 3),
    vent_lockdown=st.none() | st.floats(10, 100),
)
BIRDS = sorted(k for k, s in knowledge.species().items() if s.kind == "bird")


@settings(max_examples=30, suppress_health_check=[HealthCheck.function_scoped_fixture, HealthCheck.too_slow])
@given(
    species=st.sampled_from(BIRDS),
    which=st.integers(0, 20),
    machine=st.sampled_from(["forced", "still"]),
    day=st.floats(0.2, 40),
    off=st.floats(-1.5, 1.5),
    moves=st.lists(st.tuples(st.integers(0, 20), st.sampled_from(["from 0", "from 1", "down"])), max_size=2),
    own=st.none() | st.floats(0.3, 0.95),
    lockdown=st.none() | st.floats(-3, 45),
    ways=st.lists(st.tuples(WAYS, st.booleans()), max_size=2),
    stretched=st.none() | st.floats(0.8, 1.2),
)
def test_every_page_says_the_same(
    tmp_path: Path,
    species: str,
    which: int,
    machine: str,
    day: float,
    off: float,
    moves: list[tuple[int, str]],
    own: float | None,
    lockdown: float | None,
    ways: list[tuple[Way, bool]],
    stretched: float | None,
) -> None:
    """own: where in the term the lockdown of a profile of one's own begins; lockdown: where the planner put it; ways:
    how it is to be kept, from its first day on or from now; stretched: a species of one's own, with another term."""
    shutil.rmtree(tmp_path / "l", ignore_errors=True)
    (tmp_path / "l").mkdir()
    logbook = create_logbook(tmp_path / "l" / "l.stathmis", {"time_zone": "Europe/Vienna"})
    try:
        desk = Desk(logbook, FixedClock(NOW_MS))
        made = setting_up.add_incubator(desk, "Box", machine, 37.5)
        new = [NewChannel("temperature", "°C", 0.1, 0.2)]
        setting_up.add_instrument(desk, "Logger", "logger", new, incubator_id=made)
        if stretched is not None:
            species = own_species_like(desk, species, stretched)
        if own is not None:
            profiles.keep_profile(desk, own_profile(species_of(desk.book, species), own))
        schools = [c.key for c in profiles.choices(desk.book, species)]
        set_ms = NOW_MS - round(day * DAY_MS)
        first = schools[which % len(schools)]
        setting_up.set_batch(desk, desk.book.incubators()[0], "", species, first, 12, set_ms)
        for n, day_count in moves:
            (batch,) = (c.batch for c in batches.all_running(desk.book, desk.book.incubators()[0]))
            profiles.follow(desk, batch, schools[n % len(schools)], day_count)  # type: ignore[arg-type]
        (going,) = batches.all_running(desk.book, desk.book.incubators()[0])
        if lockdown is not None:
            planning.move_step(desk, planning.plan_of(desk.book, going.batch), "lockdown", going.at_ms(lockdown))
        for way, from_start in ways:
            desk.clock.at_ms += HOUR_MS  # type: ignore[attr-defined]
            planning.change_way(desk, planning.plan_of(desk.book, going.batch), way, whole=from_start)
        held = batches.running(desk.book, desk.book.incubators()[0])
        assert held is not None
        now_ms = desk.now_ms
        middle = (held.band("temperature", now_ms) or held.phases[1].temperature_c).middle  # type: ignore[union-attr]
        times = now_ms - np.arange(360, 0, -1, dtype=np.int64) * 60_000
        shown = Series(times, np.full(times.size, round(middle + off, 1)))
        logger_import.keep_series(desk, "l.csv", {desk.book.records(Channel)[0].id: shown})
        book = desk.book
        incubator = book.incubators()[0]
        course = batches.running(book, incubator)
        assert course is not None
        sheet, advice = rounds.sheet(book, incubator), heat.advise(book, incubator)
        band, verdict = sheet.band("temperature"), sheet.verdict("temperature")
        assert sheet.course == course == batches.course_by_id(book, course.batch.id)
        assert verdict is not None and verdict.band == band == course.band("temperature", now_ms)
        if band is not None:
            assert advice.band == band and advice.verdict == verdict
            corrected = verdict.corrected
            assert verdict.decision == str(decide(corrected.value, corrected.u, band.low, band.high))
        assert rounds.sheet(book, incubator) is sheet, "column, Round and controller are shown one and the same"
        whole = judgement.judged_run(book, course)
        assert whole.trace.course == course
        # the alarm calls for nothing that Round holds to be well, and for what Round calls dangerous
        called = {a.kind for a in alarms.alarms(book)}
        own_limits = {held.way.hot_k, held.way.cold_k} != {None}
        assert not (verdict.decision == "inside" and called & {"air", "hot"}) or own_limits
        assert ("hot" in called) <= (advice.kind == "danger")
        if whole.trace.temperature.judged is not None and band is not None and 0 < course.day(now_ms) < 40:
            # the run's last reading lies to the band of its time as Trace counts it
            share = whole.trace.temperature.days[-1].adherence if whole.trace.temperature.days else None
            at = course.band("temperature", int(times[-1]))
            if share is not None and at == band and share.known_s > 0:
                where = decide(share.mean, corrected.u, band.low, band.high)
                assert {str(where), verdict.decision} != {"inside", "outside"}
        # the plan, the phone and the report know the lockdown that Round and Trace hold
        plan = planning.plan_of(book, course.batch)
        step = plan.step("lockdown")
        assert (step is None) == (course.lockdown_day is None)
        if step is not None and course.lockdown_day is not None:
            stop = course.at_ms(course.lockdown_day)
            assert stop - 1 <= step.at_ms <= stop + 1
            assert turning.turning(book, course).stop_ms == stop
            late = [p.start_day for p in course.phases if p.name == "lockdown"]
            # what was asked before the keeper changed it stands: only a course of one piece begins it there
            assert course.earlier or not late or late[0] == course.lockdown_day
            assert all(a.end_day == b.start_day for a, b in pairwise(course.phases))
            own = f"x-{plan.subject}-lockdown@stathmis".replace(" ", "-")
            told = [e for e in calendar.entries(book, [plan], "x") if e.uid == own]
            assert all(e.begin_ms == step.at_ms for e in told)
        assert planning.course(book, plan) == course and plan.species == course.species and plan.way == course.way
        for begin, end in pairwise([p.start_day for p in course.phases]):
            assert begin < end
        (stages,) = [
            b for b in batch_report(book, course).blocks if isinstance(b, Table) and b.titles[:1] == ("stage",)
        ]
        for phase, row in zip(course.phases, stages.rows, strict=True):
            if phase.temperature_c is not None:
                low, high = phase.temperature_c.low, phase.temperature_c.high
                assert band_text(low, high, "temperature", "°C") in row[2]
    finally:
        logbook.close()
