"""Several instruments in one machine, days over midnight, the room, the last action and what it did."""

from __future__ import annotations

from datetime import datetime
from pathlib import Path
from zoneinfo import ZoneInfo

import numpy as np
import pytest

import making
from making import batch_with_log, instrument, put_to_use, reference, typed
from stathmis.core.psychrometrics import relative_humidity_at
from stathmis.devices.serial_lead import said
from stathmis.logbook import live, readings
from stathmis.logbook.live import LiveReading
from stathmis.logbook.opening import create_logbook
from stathmis.logbook.records import Incubator
from stathmis.logbook.snapshot import Series
from stathmis.services import rounds, setting_up
from stathmis.services.batch import batches
from stathmis.services.clock import DAY_MS, FixedClock
from stathmis.services.desk import Desk
from stathmis.services.files import logger_import
from stathmis.services.findings import judgement, last_action, trace
from stathmis.services.findings.runs import recorded
from stathmis.services.watch.live import LiveProbes, NewProbe, add_probe
from stathmis.words import last_action as last_words
from stathmis.words import run as run_words

HOUR = 3_600_000


def second_logger(desk: Desk, incubator: Incubator, air: np.ndarray, off: float) -> None:
    """Another checked logger beside the first, reading so much more than the truth after its check."""
    logger = instrument(desk, "Second", step=0.01, incubator_id=incubator.id)
    lab = next(c for c in desk.book.records(type(logger)) if desk.book.instrument(c.instrument_id).role == "reference")
    put_to_use(desk, typed(desk, logger, [("37.50 37.51 37.49", "37.50 37.50")], against=lab), 0)
    start = desk.now_ms - (air.size + 5) * 60_000
    times = start + np.arange(air.size, dtype=np.int64) * 60_000
    logger_import.keep_series(desk, "2.csv", {logger.id: Series(times, (air + off).round(2))})


def test_two_loggers_are_taken_together_and_one_gone_wrong_is_left_out(desk: Desk) -> None:
    air = np.full(3 * 1440, 37.5)
    course, _ = batch_with_log(desk, air)
    alone = trace.trace(desk.book, course).temperature
    off = np.zeros(air.size)
    off[2000:] = 0.9
    second_logger(desk, course.incubator, air, off)
    found = trace.trace(desk.book, course).temperature
    assert found.judged is not None and alone.judged is not None
    assert found.judged.names in ("Logger with Second", "Second with Logger")
    early = found.judged.corrected[100:1900]
    assert early == pytest.approx(np.full(early.size, 37.5), abs=0.02)
    # what the shared reference left does not average out: two are hardly surer than one
    assert 0.75 * float(alone.judged.u[500]) < float(found.judged.u[500]) < float(alone.judged.u[500])
    assert "Second" in {d.instrument.name for d in found.doubts}
    told = run_words.doubt_words(found.doubts[0], desk.book)
    assert "0.9 °C" in told and "about the instrument, not the eggs" in told


def test_hand_readings_beside_a_logger_are_held_against_it(desk: Desk) -> None:
    course, _ = batch_with_log(desk, np.full(3 * 1440, 37.5))
    stick = instrument(desk, "Stick", accuracy=0.3, incubator_id=course.incubator.id)
    good = instrument(desk, "Lid", accuracy=0.3, incubator_id=course.incubator.id)
    for hours in (60, 40, 20, 4):
        at = desk.now_ms - hours * HOUR
        new = [(stick.id, at, 38.3, "°C", "38.3"), (good.id, at, 37.6, "°C", "37.6")]
        making.typed_in(desk, new)
    found = trace.trace(desk.book, course).temperature
    assert [d.instrument.name for d in found.doubts] == ["Stick"]
    assert found.judged is not None and found.judged.names == "Logger"


def test_hand_readings_count_for_both_days_over_midnight(desk: Desk) -> None:
    made = setting_up.add_incubator(desk, "Box", "forced")
    incubator = desk.book.incubators()[0]
    stick = instrument(desk, "Stick", accuracy=0.1, incubator_id=made)
    set_ms = desk.now_ms - 4 * DAY_MS
    setting_up.set_batch(desk, incubator, "", "chicken", "steady", 6, set_ms)
    new = [(stick.id, set_ms + h * HOUR, 37.5, "°C", "37.5") for h in range(1, 95, 12)]
    making.typed_in(desk, new)
    course = batches.running(desk.book, incubator)
    assert course is not None
    days = trace.trace(desk.book, course).temperature.days
    assert [d.phase for d in days] == ["day 0", "day 1", "day 2", "day 3", "day 4"][: len(days)]
    for day in days[1:3]:
        assert day.adherence.known_s == pytest.approx(86_400.0), f"{day.phase} is known all through"
        assert day.adherence.inside_s == pytest.approx(86_400.0)
    whole = trace.trace(desk.book, course).temperature.shares[0].adherence
    assert sum(d.adherence.known_s for d in days) == pytest.approx(whole.known_s)


def test_days_and_stages_add_up_to_the_same_time(demo: Desk) -> None:
    course = batches.running(demo.book, demo.book.incubators()[0])
    assert course is not None
    for found in (trace.trace(demo.book, course).temperature, trace.trace(demo.book, course).humidity):
        for name in ("inside_s", "outside_s", "undecided_s"):
            by_day = sum(getattr(d.adherence, name) for d in found.days)
            by_stage = sum(getattr(s.adherence, name) for s in found.shares)
            assert by_day == pytest.approx(by_stage, abs=2.0)


def test_the_rooms_air_is_brought_to_the_temperature_inside(demo: Desk) -> None:
    course = batches.running(demo.book, demo.book.incubators()[0])
    assert course is not None
    found = judgement.judged_run(demo.book, course)
    room = found.room
    assert room.temperature is not None and room.humidity_inside is not None and room.dew_point is not None
    # the demo's room is held at 21 °C and 48 %: what that air gives at 37.5 °C
    truth = float(relative_humidity_at(48.0, 21.0, 37.5))
    assert float(np.median(room.humidity_inside.values)) == pytest.approx(truth, abs=3.0)
    assert 20.0 < float(np.median(room.dew_point.values)) < 27.0
    assert found.set_points[0][1] == 37.6


def test_what_was_done_last_is_remembered(desk: Desk) -> None:
    air = np.full(2 * 1440, 37.2)
    air[-600:] = 37.4
    course, _ = batch_with_log(desk, air)
    incubator = course.incubator
    assert last_action.last_action(desk.book, incubator, "temperature", desk.now_ms) is None
    acted = desk.now_ms - 605 * 60_000
    rounds.log_event(desk, incubator, "set_point", "37.9 °C", acted, 37.9)
    found = last_action.last_action(desk.book, incubator, "temperature", desk.now_ms)
    assert found is not None and found.change == pytest.approx(0.2, abs=0.02)
    # set from 37.5 to 37.9: half of it came through
    assert found.step_k == pytest.approx(0.4) and found.gain == pytest.approx(0.5, abs=0.06)
    said = last_words.words(desk.book, found, desk.now_ms)
    assert "the set point was changed 10 h 5 min ago" in said and "0.20 °C warmer" in said
    rounds.log_event(desk, incubator, "set_point", "37.8 °C", desk.now_ms - 60_000, 37.8)
    again = last_action.last_action(desk.book, incubator, "temperature", desk.now_ms)
    assert again is not None and again.change is None and again.gain is None
    assert "too little was read" in last_words.words(desk.book, again, desk.now_ms)


def test_a_cooling_that_was_logged_is_no_fault(desk: Desk) -> None:
    air = np.full(3 * 1440, 37.5)
    air[3000:3030] = 24.0
    course, _ = batch_with_log(desk, air, species="duck")
    before = judgement.judged_run(desk.book, course).eggs
    assert before is not None and "lid open or heat lost" in before.excursions[0].cause
    at = desk.now_ms - (air.size + 5 - 3000) * 60_000
    rounds.log_event(desk, course.incubator, "cool", "", at)
    after = judgement.judged_run(desk.book, course).eggs
    assert after is not None
    assert (after.excursions[0].cause, after.excursions[0].weight) == (judgement.CAUSES["cool"], "slight")


@pytest.mark.parametrize("change", ["2026-03-29T00:00", "2025-10-26T00:00"])
def test_live_readings_and_days_over_a_change_of_the_clock(tmp_path: Path, change: str) -> None:
    """Summer time begins, or ends: an hour is skipped or comes twice on the wall, and none in the log."""
    berlin = ZoneInfo("Europe/Berlin")
    midnight = round(datetime.fromisoformat(change).replace(tzinfo=berlin).timestamp() * 1000)
    now = midnight + 12 * HOUR
    logbook = create_logbook(tmp_path / "x.stathmis", {"time_zone": "Europe/Berlin"})
    desk = Desk(logbook, FixedClock(now))
    made = setting_up.add_incubator(desk, "Box", "forced")
    probe = instrument(desk, "Probe", step=0.01, incubator_id=made)
    set_ms = midnight - 4 * DAY_MS
    setting_up.set_batch(desk, desk.book.incubators()[0], "", "chicken", "steady", 6, set_ms)
    times = np.arange(midnight - 12 * HOUR, now, 60_000, dtype=np.int64)
    live.store_live(logbook, [LiveReading(probe.id, int(t), 37.5) for t in times])
    assert live.seal_full(logbook, now, 100) == times.size
    found = readings.series(logbook.snapshot, probe, 0, 2**62)
    assert (np.diff(found.times_ms) == 60_000).all()
    course = batches.running(desk.book, desk.book.incubators()[0])
    assert course is not None
    judged = trace.trace(desk.book, course).temperature
    assert judged.shares[0].adherence.known_s == pytest.approx(24 * 3600 - 60)
    # the day number turns at the hour of setting in elapsed time, which the wall clock then shows an hour off
    wall = [desk.book.local(course.at_ms(d)).hour for d in (3.0, 5.0)]
    assert course.day_words(course.day(now)) == "day 4" and (wall[0] - wall[1]) % 24 in (1, 23)
    logbook.close()


def test_a_clock_set_back_loses_and_doubles_nothing(desk: Desk) -> None:
    clock = desk.clock
    assert isinstance(clock, FixedClock)
    made = setting_up.add_incubator(desk, "Box", "forced")
    probe = instrument(desk, "Probe", step=0.01, incubator_id=made)
    start = desk.now_ms
    for i in range(90):
        # after an hour the computer's clock is put back by half an hour
        at = start + i * 60_000 - (30 * 60_000 if i >= 60 else 0)
        live.store_live(desk.logbook, [LiveReading(probe.id, at, 37.0 + i / 100)])
        if i in (50, 80):
            live.seal_full(desk.logbook, at, 10)
    found = readings.series(desk.book.snapshot, probe, 0, 2**62)
    assert found.times_ms.size == 90 and (np.diff(found.times_ms) >= 0).all()
    assert sorted(found.shown.round(2).tolist()) == [round(37.0 + i / 100, 2) for i in range(90)]
    # what now lies in the future is in the file, and says nothing about now
    clock.at_ms = start + 45 * 60_000
    sheet = rounds.sheet(desk.book, desk.book.one(Incubator, made))
    assert all(j.time_ms <= clock.at_ms for j in sheet.latest) and sheet.latest


def test_a_probe_last_heard_in_the_future_is_silent(desk: Desk) -> None:
    class Quiet:
        def read(self, size: int) -> bytes:
            return b""

        def close(self) -> None:
            """Nothing to let go of."""

    heat = instrument(desk, "Probe")
    add_probe(desk, NewProbe("Box", "/dev/x", {"t": (heat.id, "°C")}, layout="named", every_s=0.0))
    probes = LiveProbes(desk, lambda device, baud: Quiet())
    probes.start()
    reader = next(iter(probes._readers.values()))[2]
    reader._take(said("t=37.5", "named"))
    assert probes.statuses()[0].silent is False
    clock = desk.clock
    assert isinstance(clock, FixedClock)
    clock.at_ms -= HOUR
    assert probes.statuses()[0].silent is True
    reader._take(said("t=37.5", "named"))
    assert probes.statuses()[0].silent is False
    probes.stop()


def test_the_reference_is_in_the_drawer(desk: Desk) -> None:
    """A reference that hangs nowhere takes no part in what the machine's instruments say together."""
    course, _ = batch_with_log(desk, np.full(1440, 37.5))
    reference(desk, "Other lab")
    found = trace.trace(desk.book, course).temperature
    assert [r.instrument.name for r in found.runs] == ["Logger"]


def test_a_logger_that_takes_anothers_place_goes_on_where_it_ended(desk: Desk) -> None:
    course, _ = making.batch_with_log(desk, np.full(1440, 37.5))
    second = making.instrument(desk, "Next logger", step=0.01, accuracy=0.2, incubator_id=course.incubator.id)
    start = desk.now_ms - 3 * 3_600_000
    times = start + np.arange(150, dtype=np.int64) * 60_000
    later = times + 3 * 3_600_000
    logger_import.keep_series(desk, "next.csv", {second.id: Series(later, np.full(150, 38.0))})
    desk.clock.at_ms += 3 * 3_600_000  # type: ignore[attr-defined]
    whole = course.stretches(course.start_ms, desk.now_ms)
    run = recorded(desk.book, whole, "temperature", course.batch.set_ms).judged
    assert run is not None and run.times_ms.size == 1440 + 150
    assert run.corrected[0] == run.shown[0] == 37.5 and run.corrected[-1] == run.shown[-1] == 38.0
    assert (np.diff(run.times_ms) > 0).all() and run.u[-1] > 2 * run.u[0]


def test_an_instrument_that_follows_slowly_is_less_sure_while_the_air_moves(desk: Desk) -> None:
    """A true first-order lag of five minutes: what is stated holds the truth, also on the flanks."""
    minutes = np.arange(1440.0)
    true = 37.5 + 0.5 * np.sin(2 * np.pi * minutes / 90.0)
    shown = np.empty(minutes.size)
    shown[0] = true[0]
    for i in range(1, minutes.size):
        shown[i] = shown[i - 1] + (true[i] - shown[i - 1]) * (1.0 - np.exp(-60.0 / 300.0))
    course, logger = making.batch_with_log(desk, shown.round(2))
    whole = course.stretches(course.start_ms, desk.now_ms)

    def inside() -> float:
        run = recorded(desk.book, whole, "temperature", course.batch.set_ms).judged
        assert run is not None
        return float((np.abs(run.corrected - true) <= 1.96 * run.u)[60:].mean())

    assert inside() < 0.75, "as if it followed at once"
    setting_up.change_channel(desk, logger, logger.resolution, logger.accuracy, 300.0)
    assert inside() > 0.95
