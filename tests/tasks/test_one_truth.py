"""Every page gives the same band, day, lockdown and verdict for a batch, whatever it is and whenever one looks."""

from __future__ import annotations

import shutil
from itertools import pairwise
from pathlib import Path

import numpy as np
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from stathmis.core.conformity import decide
from stathmis.core.course.profile import Band, OwnProfile, Stage
from stathmis.exchange.report_page import Table
from stathmis.logbook.opening import create_logbook
from stathmis.logbook.records import Channel
from stathmis.logbook.snapshot import Series
from stathmis.services import knowledge, rounds, setting_up
from stathmis.services.advice import heat
from stathmis.services.batch import batches, profiles
from stathmis.services.clock import DAY_MS, FixedClock
from stathmis.services.desk import Desk
from stathmis.services.files import logger_import
from stathmis.services.findings import judgement
from stathmis.services.plan import calendar, planning, turning
from stathmis.services.report.batch_report import batch_report
from stathmis.services.setting_up import NewChannel
from stathmis.services.watch import alarms
from stathmis.words.numbers import band_text


def own_profile(species: str, share: float) -> OwnProfile:
    """A profile of the keeper's own with its lockdown at a share of the term."""
    kept = knowledge.species()[species]
    stages = (
        Stage("setting", 0.0, Band(37.2, 37.8), Band(42.0, 52.0)),
        Stage("lockdown", share * kept.days, Band(37.0, 37.6), Band(61.0, 71.0)),
    )
    return OwnProfile("Mine", species, "", stages, kept.days + 1.0)


NOW_MS = 1_779_093_600_000
BIRDS = sorted(k for k, s in knowledge.species().items() if s.kind == "bird")


@settings(max_examples=20, suppress_health_check=[HealthCheck.function_scoped_fixture, HealthCheck.too_slow])
@given(
    species=st.sampled_from(BIRDS),
    which=st.integers(0, 20),
    machine=st.sampled_from(["forced", "still"]),
    day=st.floats(0.2, 40),
    off=st.floats(-1.5, 1.5),
    moves=st.lists(st.tuples(st.integers(0, 20), st.sampled_from(["from 0", "from 1", "down"])), max_size=2),
    own=st.none() | st.floats(0.3, 0.95),
    lockdown=st.none() | st.floats(-3, 45),
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
) -> None:
    """own: where in the term the lockdown of a profile of one's own begins; lockdown: where the planner put it."""
    shutil.rmtree(tmp_path / "l", ignore_errors=True)
    (tmp_path / "l").mkdir()
    logbook = create_logbook(tmp_path / "l" / "l.stathmis", {"time_zone": "Europe/Vienna"})
    try:
        desk = Desk(logbook, FixedClock(NOW_MS))
        made = setting_up.add_incubator(desk, "Box", machine, 37.5)
        new = [NewChannel("temperature", "°C", 0.1, 0.2)]
        setting_up.add_instrument(desk, "Logger", "logger", new, incubator_id=made)
        if own is not None:
            profiles.keep_profile(desk, own_profile(species, own))
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
        held = batches.running(desk.book, desk.book.incubators()[0])
        assert held is not None
        middle = (held.band("temperature", NOW_MS) or held.phases[1].temperature_c).middle  # type: ignore[union-attr]
        times = NOW_MS - np.arange(360, 0, -1, dtype=np.int64) * 60_000
        shown = Series(times, np.full(times.size, round(middle + off, 1)))
        logger_import.keep_series(desk, "l.csv", {desk.book.records(Channel)[0].id: shown})
        book = desk.book
        incubator = book.incubators()[0]
        course = batches.running(book, incubator)
        assert course is not None
        sheet, advice = rounds.sheet(book, incubator), heat.advise(book, incubator)
        band, verdict = sheet.band("temperature"), sheet.verdict("temperature")
        assert sheet.course == course == batches.course_by_id(book, course.batch.id)
        assert verdict is not None and verdict.band == band == course.band("temperature", NOW_MS)
        if band is not None:
            assert advice.band == band and advice.verdict == verdict
            corrected = verdict.corrected
            assert verdict.decision == str(decide(corrected.value, corrected.u, band.low, band.high))
        assert rounds.sheet(book, incubator) is sheet, "column, Round and controller are shown one and the same"
        whole = judgement.judged_run(book, course)
        assert whole.trace.course == course
        # the alarm calls for nothing that Round holds to be well, and for what Round calls dangerous
        called = {a.kind for a in alarms.alarms(book)}
        assert not (verdict.decision == "inside" and called & {"air", "hot"})
        assert ("hot" in called) <= (advice.kind == "danger")
        if whole.trace.temperature.judged is not None and band is not None and 0 < course.day(NOW_MS) < 40:
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
            late = [p for p in course.phases if p.name == "lockdown"]
            assert all(p.start_day >= course.lockdown_day for p in late) and (
                not late or late[0].start_day == course.lockdown_day
            )
            assert all(a.end_day == b.start_day for a, b in pairwise(course.phases))
            own = f"x-{plan.subject}-lockdown@stathmis".replace(" ", "-")
            told = [e for e in calendar.entries(book, [plan], "x") if e.uid == own]
            assert all(e.begin_ms == step.at_ms for e in told)
        (stages,) = [
            b for b in batch_report(book, course).blocks if isinstance(b, Table) and b.titles[:1] == ("stage",)
        ]
        for phase, row in zip(course.phases, stages.rows, strict=True):
            if phase.temperature_c is not None:
                low, high = phase.temperature_c.low, phase.temperature_c.high
                assert band_text(low, high, "temperature", "°C") in row[2]
    finally:
        logbook.close()
