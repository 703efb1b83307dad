"""Alarms: quiet for lid openings and swings, in time for drift and heat, and never twice for one thing."""

from __future__ import annotations

import numpy as np
import pytest

import making
from making import batch_with_log
from stathmis.core.course.profile import STILL_AIR_OFFSET_K, Band, OwnProfile, Stage
from stathmis.core.course.way import Way
from stathmis.devices.probe_reader import Status
from stathmis.logbook.records import Batch, Event, Probe
from stathmis.logbook.snapshot import Series
from stathmis.services import rounds
from stathmis.services.batch import batches, profiles
from stathmis.services.book import Book
from stathmis.services.clock import HOUR_MS, midnight
from stathmis.services.desk import Desk
from stathmis.services.files import logger_import
from stathmis.services.findings import judgement
from stathmis.services.plan import planning
from stathmis.services.watch import alarms
from stathmis.services.watch.live import ProbeStatus
from stathmis.words.alarms import said

MINUTE_MS = 60_000


@pytest.fixture
def air() -> np.ndarray:
    """A day of a quiet fan incubator."""
    m = np.arange(1440.0)
    return 37.5 + 0.15 * np.sin(2 * np.pi * m / 15.0) + np.random.default_rng(1).normal(0, 0.01, m.size)


def test_a_quiet_incubator_is_quiet(desk: Desk, air: np.ndarray) -> None:
    batch_with_log(desk, air)
    assert alarms.alarms(desk.book) == []


def words(desk: Desk) -> str:
    """What the first alarm says."""
    return said(desk.book, alarms.alarms(desk.book)[0]).words


@pytest.mark.parametrize("ago", [1, 3, 6, 10, 20, 40])
def test_a_lid_opening_never_alarms(desk: Desk, air: np.ndarray, ago: int) -> None:
    """Two minutes open, logged or not, looked at any time after."""
    opened = air.size - ago
    since = np.arange(air.size - opened)
    air[opened:] -= np.where(since < 2, 5.0, 5.0 * np.exp(-(since - 2) / 5.0))
    batch_with_log(desk, air)
    assert alarms.alarms(desk.book) == []


def test_a_slow_drift_is_called_before_the_eggs_are_out(desk: Desk, air: np.ndarray) -> None:
    air[-60:] += np.linspace(0.0, 0.9, 60)
    batch_with_log(desk, air)
    found = alarms.alarms(desk.book)
    assert [a.key.split()[0] for a in found] == ["trend"]
    assert 15 * MINUTE_MS < found[0].at_ms - desk.now_ms <= 60 * MINUTE_MS
    assert "rising" in words(desk) and "past 38.5 °C about" in words(desk) and found[0].danger


@pytest.mark.parametrize("ago", [40, 60, 80])
def test_air_that_comes_to_rest_inside_the_limit_calls_nobody(desk: Desk, air: np.ndarray, ago: int) -> None:
    """A set point raised by 0.9 K, or a warmer room: the eggs follow for an hour, and a straight line would call."""
    since = np.arange(float(ago))
    air[-ago:] += 0.9 * (1.0 - np.exp(-since / 20.0))
    batch_with_log(desk, air)
    assert alarms.alarms(desk.book) == []


def test_eggs_out_of_their_limits(desk: Desk, air: np.ndarray) -> None:
    air[-180:] -= 1.8
    batch_with_log(desk, air)
    found = alarms.alarms(desk.book)
    assert "too cold" in words(desk) and not found[0].danger
    desk.set_temperature_unit("°F")
    assert "°F" in words(desk)


def test_heat_is_danger_at_once(desk: Desk, air: np.ndarray) -> None:
    air[-3:] = 41.0
    batch_with_log(desk, air)
    found = alarms.alarms(desk.book)
    assert found[0].danger and "Cool it now" in words(desk)
    desk.set_temperature_unit("°F")
    told = " ".join(said(desk.book, alarms.alarms(desk.book)[0]))
    assert "°F" in told and "°C" not in told
    sheet = rounds.sheet(desk.book, desk.book.incubators()[0])
    advised = making.told(desk, sheet, sheet.verdict("temperature"), None)[0]
    assert advised.urgent and "104" in advised.why[-1] and "°C" not in advised.text + advised.why[-1]


def test_air_far_off_without_a_reason_and_with_one(desk: Desk, air: np.ndarray) -> None:
    air[-14:] -= 3.0
    course, _ = batch_with_log(desk, air)
    found = [a for a in alarms.alarms(desk.book) if a.key.startswith(("air", "trend", "eggs"))]
    assert len(found) == 1
    rounds.log_event(desk, course.incubator, "lid", "cooling", desk.now_ms - 20 * MINUTE_MS)
    assert [a for a in alarms.alarms(desk.book) if a.key.startswith("air")] == []


def test_cold_eggs_just_set_are_no_alarm(desk: Desk, air: np.ndarray) -> None:
    early = air[:120]
    early[:] = 37.5 - 12.0 * np.exp(-np.arange(120) / 40.0)
    batch_with_log(desk, early)
    assert alarms.alarms(desk.book) == []


@pytest.mark.parametrize(("hours", "alarms_then"), [(5.0, 0), (7.0, 1)])
def test_cold_air_is_awaited_for_six_hours_after_setting(desk: Desk, hours: float, alarms_then: int) -> None:
    air = np.full(round(60 * hours), 37.5)
    air[-14:] = 35.0
    batch_with_log(desk, air)
    assert len([a for a in alarms.alarms(desk.book) if a.key.startswith("air")]) == alarms_then


def test_still_air_is_judged_at_the_egg(desk: Desk, air: np.ndarray) -> None:
    batch_with_log(desk, air + 1.1, machine="still")
    assert alarms.alarms(desk.book) == []


def test_a_silent_probe(desk: Desk) -> None:
    probe = Probe(1, "Box probe", "/dev/x", 9600, "named", "{}", 10.0)
    quiet = ProbeStatus(probe, Status(True, "", desk.now_ms - 7 * MINUTE_MS, 10), True)
    found = alarms.alarms(desk.book, [quiet])
    assert said(desk.book, found[0]).words == "Box probe has been silent for 7 min."
    fresh = ProbeStatus(probe, Status(True, "", desk.now_ms - 2 * MINUTE_MS, 10), False)
    assert alarms.alarms(desk.book, [fresh]) == []


def test_old_readings_alarm_nobody(desk: Desk, air: np.ndarray) -> None:
    air[-40:] = np.nan
    air[-100:-40] = 42.0
    batch_with_log(desk, air)
    assert alarms.alarms(desk.book) == []


@pytest.mark.parametrize(("machine", "species", "held_c"), [("forced", "leopard_gecko", 32.2), ("still", "duck", 38.4)])
def test_what_the_keepers_own_profile_holds_is_no_fault(
    desk: Desk, air: np.ndarray, machine: str, species: str, held_c: float
) -> None:
    """Alarms and egg trace go by the way of the batch: its own profile, in moving air or at the egg tops."""
    egg_c = held_c - (STILL_AIR_OFFSET_K if machine == "still" else 0.0)
    course, _ = batch_with_log(desk, air - 37.5 + held_c, species, machine)
    stages = (Stage("setting", 0.0, Band(egg_c - 0.4, egg_c + 0.4), None),)
    own = profiles.keep_profile(desk, OwnProfile("Own", species, "", stages, 60.0))
    profiles.follow(desk, course.batch, f"own {own}", "from 0")
    assert alarms.alarms(desk.book) == []
    (course,) = batches.all_running(desk.book, course.incubator)
    judged = judgement.judged_run(desk.book, course)
    assert judged.eggs is not None and judged.eggs.excursions == ()
    assert judged.eggs.band == pytest.approx((egg_c - judgement.EGG_HALF_BAND_K, egg_c + judgement.EGG_HALF_BAND_K))
    assert course.held_c(desk.now_ms) == pytest.approx(egg_c)


@pytest.mark.parametrize(("meant", "since"), [(m, s) for m in (15, 60) for s in (3, 12, m, m + 10, m + 40)])
def test_a_cooling_that_belongs_to_the_way_never_alarms(desk: Desk, meant: int, since: int) -> None:
    """Cooled by the machine, so that nobody logs it: the air at 28 °C, then back within minutes."""
    cooled_for(desk, since, lasts=meant)
    unexpected = [a.kind for a in alarms.alarms(desk.book)]
    planning.change_way(desk, planning.plans(desk.book)[0], Way(cooling="by machine", cool_minutes=float(meant)))
    assert alarms.alarms(desk.book) == [] and (unexpected or since != meant), "which it would without such a way"


def test_a_cooling_that_does_not_end_is_told(desk: Desk) -> None:
    cooled_for(desk, 22, lasts=500)
    planning.change_way(desk, planning.plans(desk.book)[0], Way(cooling="by machine", cool_minutes=15.0))
    assert "too cold" in words(desk)


def cooled_for(desk: Desk, since: int, lasts: int) -> None:
    """Ducks on their ninth day whose air dropped so many minutes ago and came back after it lasted; never cooled."""
    air, at = np.full(9 * 1440, 37.5), np.arange(since)
    down, up = 28.0 + 9.5 * np.exp(-at / 4.0), 37.5 - 9.5 * np.exp(-np.maximum(at - lasts, 0) / 8.0)
    air[-since:] = np.where(at < lasts, down, up)
    batch_with_log(desk, air, "duck")
    planning.change_way(desk, planning.plans(desk.book)[0], Way(cooling="none"))


def test_two_weeks_of_ducks_cooled_twice_a_day_call_nobody(desk: Desk) -> None:
    """15 min at eight and at six, not one of them logged; looked at every five minutes of each and of what follows."""
    minutes = np.arange(23 * 1440)
    batch_with_log(desk, cooled_air(minutes, desk.now_ms), "duck")
    way = Way(cooling="by hand", coolings_a_day=2, cool_minutes=15.0, cool_from_day=8.0)
    planning.change_way(desk, planning.plans(desk.book)[0], way)
    called, looked = [], 0
    for day in range(9, 23):
        for hour in (8, 18):
            begins = midnight(desk.now_ms, "UTC", day - 23) + hour * HOUR_MS
            for after in range(-10, 130, 5):
                at = begins + after * MINUTE_MS
                looked += 1
                called += [(day, hour, after, a.kind) for a in alarms.alarms(Book(desk.book.snapshot, at))]
    assert looked == 14 * 2 * 28 and called == []


def cooled_air(minutes: np.ndarray, now_ms: int) -> np.ndarray:
    """Air of a fan incubator that ends at a time; from its eighth day on open at eight and at six for a quarter."""
    at = (now_ms // MINUTE_MS - 5 - minutes.size + minutes) % 1440
    air = 37.5 + 0.12 * np.sin(2 * np.pi * minutes / 14.0)
    for start in (8 * 60, 18 * 60):
        since = (at - start) % 1440
        open_ = (since < 15) & (minutes > 8 * 1440)
        back = (since >= 15) & (since < 90) & (minutes > 8 * 1440)
        air[open_] -= 9.0 * (1.0 - np.exp(-since[open_] / 6.0))
        air[back] -= 8.2 * np.exp(-(since[back] - 15) / 12.0)
    return air


def test_guinea_fowl_held_at_37_7_in_still_air(desk: Desk) -> None:
    """Some hold 37.7 °C at the egg tops and hatch well (common practice): no alarm, on profile, and the days stand."""
    course, _ = batch_with_log(desk, np.full(10 * 1440, 37.7), "guinea_fowl", "still")
    usual = batches.running(desk.book, course.incubator)
    assert usual is not None and usual.band("temperature", desk.now_ms).low > 37.7  # type: ignore[union-attr]
    planning.change_way(desk, planning.plans(desk.book)[0], Way(still_offset_k=0.1))
    kept = batches.running(desk.book, course.incubator)
    assert kept is not None
    band = kept.band("temperature", desk.now_ms)
    assert band is not None and band.low < 37.7 < band.high
    assert alarms.alarms(desk.book) == []
    eggs = judgement.judged_run(desk.book, kept).eggs
    assert eggs is not None and eggs.shift_days is not None and abs(eggs.shift_days) < 0.1


@pytest.mark.parametrize(
    ("off", "way", "says"),
    [
        (0.8, Way(), ""), (0.8, Way(hot_k=0.5), "too warm"), (0.8, Way(cold_k=0.3), ""),
        (-0.8, Way(), ""), (-0.8, Way(cold_k=0.5), "too cold"), (-0.8, Way(hot_k=0.3), ""),
        (1.3, Way(), "too warm"), (1.3, Way(hot_k=2.5), ""),
    ],
)  # fmt: skip
def test_limits_of_ones_own(desk: Desk, off: float, way: Way, says: str) -> None:
    batch_with_log(desk, np.full(3 * 1440, 37.5 + off))
    planning.change_way(desk, planning.plans(desk.book)[0], way)
    found = alarms.alarms(desk.book)
    assert bool(found) == bool(says) and (not says or says in words(desk))
    assert all(a.danger == a.warm == (off > 0) for a in found), "hot kills faster than cold"


@pytest.mark.parametrize(
    ("day", "rh", "way", "says"),
    [
        (19.0, 45.0, Way(), "45 % RH"), (19.0, 53.0, Way(), ""), (19.0, 57.0, Way(dry_rh=3.0), "57 % RH"),
        (10.0, 25.0, Way(), ""), (10.0, 25.0, Way(dry_rh=15.0), "25 % RH"), (10.0, 75.0, Way(), ""),
        (10.0, 75.0, Way(moist_rh=10.0), "75 % RH"), (19.0, 45.0, Way(dry_rh=30.0), ""),
        # lockdown was due five hours ago: the water is still to be filled
        (18.2, 45.0, Way(), ""), (18.3, 45.0, Way(), "45 % RH"),
    ],
)  # fmt: skip
def test_humidity_beyond_what_the_way_asks(desk: Desk, day: float, rh: float, way: Way, says: str) -> None:
    course = making.logged(desk, np.full(60, rh))
    making.mend(desk, Batch, course.batch.id, set_ms=desk.now_ms - round(day * 86_400_000))
    planning.change_way(desk, planning.plans(desk.book)[0], way)
    found = [a for a in alarms.alarms(desk.book) if a.kind == "moisture"]
    assert bool(found) == bool(says)
    if says:
        told = said(desk.book, found[0])
        assert (
            says in told.words and "for 10 min and more" in told.words and ("Fill all water" in told.why) == (rh < 65.0)
        )
        # water was just added: it is on its way
        rounds.log_event(desk, course.incubator, "water", "", desk.now_ms - 10 * MINUTE_MS)
        assert not [a for a in alarms.alarms(desk.book) if a.kind == "moisture"]


def test_a_file_that_came_every_half_hour_is_missed_when_it_does_not_come(desk: Desk) -> None:
    course, logger = batch_with_log(desk, np.full(1440, 37.5))
    rng = np.random.default_rng(1)

    def comes() -> None:
        """Half an hour later the next file, to the minute."""
        times = desk.now_ms + np.arange(30, dtype=np.int64) * 60_000
        desk.clock.at_ms += 30 * 60_000  # type: ignore[attr-defined]
        shown = Series(times, 37.5 + rng.normal(0, 0.05, 30).round(2))
        logger_import.keep_series(desk, f"{desk.now_ms}.csv", {logger.id: shown})

    for _ in range(5):
        comes()
    desk.clock.at_ms += 38 * 60_000  # type: ignore[attr-defined]
    assert [a.kind for a in alarms.alarms(desk.book)] == []
    desk.clock.at_ms += 5 * 60_000  # type: ignore[attr-defined]
    (alarm,) = alarms.alarms(desk.book)
    assert alarm.kind == "ended" and not alarm.danger and alarm.incubator == course.incubator
    assert "nothing from Logger for 44 min" in words(desk)
    # a file that is brought in once a day is not missed
    other = making.instrument(desk, "Daily", step=0.01, incubator_id=course.incubator.id)
    times = desk.now_ms - np.arange(600, 0, -1, dtype=np.int64) * 60_000 - 60 * 60_000
    logger_import.keep_series(desk, "d.csv", {other.id: Series(times, np.full(600, 37.5))})
    assert [a.instrument.name for a in alarms.alarms(desk.book) if a.instrument is not None] == ["Logger"]


def test_a_logger_that_always_shows_whole_degrees_is_not_stuck(desk: Desk) -> None:
    batch_with_log(desk, np.full(1440, 37.5))
    assert [a.kind for a in alarms.alarms(desk.book)] == [], "it never moved: nothing shows that it is stuck"
    assert all(a.key for a in alarms.alarms(desk.book))


@pytest.mark.parametrize("period", [6, 15, 40, 60])
def test_a_swing_of_a_degree_is_no_way_out(desk: Desk, period: int) -> None:
    """Two days, looked at every seven minutes of an hour and again four hours later."""
    m = np.arange(2 * 1440.0)
    batch_with_log(desk, 37.5 + 1.0 * np.sin(2 * np.pi * m / period))
    end = desk.now_ms
    called = []
    for back in [*range(0, 64, 7), *range(240, 304, 7)]:
        called += [a.kind for a in alarms.alarms(Book(desk.book.snapshot, end - back * MINUTE_MS))]
    assert called == []


@pytest.mark.parametrize("length", [20.0, 90.0])
@pytest.mark.parametrize("since", [10, 60, 100, 150])
def test_a_cooling_that_was_logged_is_quiet_on_any_day(desk: Desk, length: float, since: int) -> None:
    """The way of these eggs has no cooling at all."""
    cooled_for(desk, since, lasts=round(length))
    row = {"incubator_id": 1, "time_ms": desk.now_ms - (since + 5) * MINUTE_MS, "kind": "cool", "note": ""}
    desk.add("cooled", [(Event, {**row, "minutes": length})])
    assert alarms.alarms(desk.book) == []


@pytest.mark.parametrize(("before", "event"), [(50.0, ""), (50.0, "water"), (50.0, "lid"), (40.0, "")])
def test_a_trough_that_runs_dry_is_told_within_half_an_hour(desk: Desk, before: float, event: str) -> None:
    """Whatever was logged when it ran dry, and though it was below its range before."""
    rh = np.full(600, before) + np.random.default_rng(2).normal(0, 0.2, 600)
    rh[-30:] -= (before - 11.0) * (1.0 - np.exp(-np.arange(30) / 35.0))
    course = making.logged(desk, rh.round(1))
    making.mend(desk, Batch, course.batch.id, set_ms=desk.now_ms - 10 * 86_400_000)
    if event:
        rounds.log_event(desk, course.incubator, event, "", desk.now_ms - 30 * MINUTE_MS)
    found = [a for a in alarms.alarms(desk.book) if a.kind in ("drying", "moisture")]
    assert found and "look at the water" in said(desk.book, found[0]).why


def test_a_frozen_probe_is_told_before_half_an_hour_is_long_over(desk: Desk, air: np.ndarray) -> None:
    air[-36:] = air[-36]
    batch_with_log(desk, air)
    (found,) = alarms.alarms(desk.book)
    assert found.kind == "stuck" and 30 <= found.minutes <= 36 and "very same for 35 min" in words(desk)
