"""What comes: a swing goes nowhere, a fault is strange, water that runs dry is told, and forecasts hold what came."""

from __future__ import annotations

from contextlib import closing
from pathlib import Path

import forecasts
import numpy as np
import pytest

import worlds
from making import batch_with_log
from sharing import NOW_MS
from stathmis.logbook.opening import create_logbook
from stathmis.logbook.records import Event, StoredForecast
from stathmis.services import rounds
from stathmis.services.advice import now as adviser
from stathmis.services.batch import batches
from stathmis.services.clock import HOUR_MS, FixedClock
from stathmis.services.desk import Desk
from stathmis.services.findings import box, foreseen, twin
from stathmis.services.findings.ahead import ahead
from stathmis.services.findings.doings import Change
from stathmis.services.findings.verdict import judge_reading
from stathmis.services.plan import tasks
from stathmis.services.reading_field import interpret
from stathmis.services.watch import foresight
from stathmis.words import ahead as words
from stathmis.words.advice import steps

MINUTES = np.arange(1440.0)
SWING = 37.6 + 0.3 * np.sin(MINUTES * 2.0 * np.pi / 15.0)


def test_a_box_that_cools_is_carried_on_to_where_it_comes_to_rest(desk: Desk) -> None:
    """The heater failed half an hour ago; the box follows the room at 21 °C with a response of 90 min."""
    since = np.clip(MINUTES - 1410.0, 0.0, None)
    air = np.where(since > 0.0, 21.0 + 16.6 * np.exp(-since / 90.0), SWING)
    course, _logger = batch_with_log(desk, air)
    found = ahead(desk.book, course.incubator, course)
    assert found is not None and found.strange == ("temperature",)
    fan = found.fans["temperature"]
    assert fan.spans_h == pytest.approx(3.0, abs=0.3) and fan.moves("temperature")
    truth = 21.0 + 16.6 * np.exp(-(30.0 + 180.0) / 90.0)
    assert fan.next_hours[-1][1] == pytest.approx(truth, abs=3.0)
    assert any("never did here" in line for line in words.lines(desk.book, found))


def test_a_swing_goes_nowhere(desk: Desk) -> None:
    course, _logger = batch_with_log(desk, SWING)
    found = ahead(desk.book, course.incubator, course)
    assert found is not None and not found.strange
    fan = found.fans["temperature"]
    assert not fan.moves("temperature") and fan.spans_h > 47.0
    # readings swing: their fan is as wide as that, and no one way leaves its band for an hour
    low, middle, high = fan.at(desk.now_ms + 24 * HOUR_MS)
    assert middle == pytest.approx(37.6, abs=0.1) and 0.4 < high - low < 1.2
    assert not found.leaving


def test_the_demo_is_told_that_its_water_runs_dry_and_that_lockdown_lacks_moisture(demo: Desk) -> None:
    cabinet, still = demo.book.incubators()[:2]
    found = [ahead(demo.book, i, batches.running(demo.book, i)) for i in (cabinet, still)]
    dry, late = found
    assert dry is not None and dry.dry is not None and dry.leaving and dry.leaving[0].already
    assert late is not None and [one.phase for one in late.lacking] == ["lockdown"]
    told = words.lines(demo.book, late)
    assert any("Lockdown asks 65–75 % RH" in line for line in told)
    sheet = box.box_sheet(demo.book, cabinet, batches.running(demo.book, cabinet))
    task = tasks.refill(demo.book, sheet, dry)
    assert task is not None and task.due_ms <= dry.dry.soonest_ms


def test_water_that_would_run_dry_in_the_night_is_filled_up_in_the_evening(demo: Desk) -> None:
    from dataclasses import replace

    cabinet = demo.book.incubators()[0]
    found = ahead(demo.book, cabinet, batches.running(demo.book, cabinet))
    sheet = box.box_sheet(demo.book, cabinet, batches.running(demo.book, cabinet))
    assert found is not None and found.dry is not None
    evening = demo.now_ms + round((21.0 - 8.0 - 40.0 / 60.0) * HOUR_MS)
    for hours, due in ((17.5, evening), (5.0, demo.now_ms + 5 * HOUR_MS)):
        at = demo.now_ms + round(hours * HOUR_MS)
        later = replace(found, dry=replace(found.dry, soonest_ms=at, at_ms=at + HOUR_MS))
        task = tasks.refill(demo.book, sheet, later)
        assert task is not None and abs(task.due_ms - due) < 60_000


def test_small_eggs_and_those_under_a_fan_cool_sooner(tmp_path: Path) -> None:
    """Without mains for half an hour, and for another: quail are cold before geese, and these before the same eggs in
    still air, now and later."""
    now, lowest = {}, {}
    air_c = SWING - np.clip(MINUTES - 1410.0, 0.0, None) / 5.0
    cut = {"time_ms": NOW_MS - 35 * 60_000, "kind": "power", "minutes": 35.0, "note": "", "set_point_c": None}
    for species, air in (("coturnix", "forced"), ("goose", "forced"), ("goose", "still")):
        with closing(create_logbook(tmp_path / f"{species} {air}.stathmis", {"time_zone": "UTC"})) as logbook:
            desk = Desk(logbook, FixedClock(NOW_MS))
            course, _logger = batch_with_log(desk, air_c, species, air)
            desk.add("cut", [(Event, {"incubator_id": course.incubator.id, **cut})])
            found = twin.twin(desk.book, course.incubator, course, desk.now_ms)
        assert found is not None
        ways = twin.go_on(found, (Change("power", 0.0, 30.0),))
        now[species, air] = float(ways.core_c[0].mean())
        lowest[species, air] = float(ways.core_c.min(axis=0).mean())
    for of in (now, lowest):
        assert of["coturnix", "forced"] < of["goose", "forced"] - 0.3 < of["goose", "still"] - 0.5, of


def test_a_swing_is_what_readings_are_off_while_nothing_disturbs_the_air() -> None:
    """About wherever its middle lies; a lid nobody logged is left out, with the hour it pulled along."""
    seconds = np.arange(0.0, 8 * 3600.0, 60.0)
    off = 0.5 + 0.1 * np.sin(seconds / 200.0)
    off[240:243] = -3.0
    read = twin._Read(seconds, off, True, off, seconds)
    found = twin._swing(read, np.zeros(seconds.size, dtype=bool))
    assert found.min() > 0.39 and 0.6 * off.size < found.size < off.size - 100


def test_the_worlds_that_are_kept_are_those_that_would_be_made_now() -> None:
    assert not worlds.stale(), "look at what changed, and live them anew (tests/worlds.py)"


@pytest.mark.heavy("six whole looks ahead")
@pytest.mark.parametrize("kind", ["ours", "theirs"])
def test_forecasts_hold_what_came_and_are_nearer_than_what_was(kind: str) -> None:
    """Six worlds of each kind, of the simulator's equations and of others: nine in ten readings of the two days to come
    lie in the fan, and its middle is nearer to them than the last reading, or the day's mean of the humidity."""
    with worlds.kept_worlds():
        found = [forecasts.one_fan(own, seed) for own, seed in worlds.FANS if own == kind]
    for quantity in ("temperature", "humidity"):
        rows = np.nanmean(np.array([f[quantity] for f in found]), axis=0)
        assert rows[0].mean() > 0.9
        assert rows[1].mean() < rows[2].mean()
    assert rows[1].mean() < rows[3].mean()


def test_a_forecast_is_kept_once_in_a_while_and_held_against_what_came(demo: Desk) -> None:
    clock = demo.clock
    until = clock.now_ms()
    clock.at_ms = until - 20 * HOUR_MS  # type: ignore[attr-defined]
    (cabinet, *_rest) = demo.book.incubators()
    made = ahead(demo.book, cabinet, batches.running(demo.book, cabinet))
    assert made is not None
    assert foresight.keep(demo, made) and not foresight.keep(demo, made)
    clock.at_ms = until  # type: ignore[attr-defined]
    kept = demo.book.records(StoredForecast)
    assert {f.quantity for f in kept} == {"temperature", "humidity"}
    record = foreseen.scored(demo.book, cabinet, until // HOUR_MS)
    # twenty hours of two quantities, less what came after something was done
    assert 10 <= record.readings <= 40 and record.inside >= 0.8 * record.readings
    assert "of what came lay in its fan" in words.scored(record)
    assert words.scored(foreseen.Record(0, 0, 0)) == ""
    # nobody's edit: undo passes it by
    assert demo.undo() != "what comes was foreseen"
    assert foresight.foresee(demo.book)


def test_what_is_typed_means_what_it_means_once_logged(demo: Desk) -> None:
    """Page and column: the loggers count beside what is typed, as they will beside what was logged."""
    incubator = demo.book.incubators()[0]
    sheet = rounds.sheet(demo.book, incubator)

    typed, fields = {}, {}
    for line in sheet.lines:
        if line.instrument.kind == "logger":
            continue
        shown = interpret("37.2" if line.channel.quantity == "temperature" else "44", line.channel)
        assert shown.shown is not None
        band = sheet.band(line.channel.quantity)
        fields[line.channel.id] = shown
        typed[line.channel.id] = judge_reading(demo.book, incubator, line.hanging, shown.shown, sheet.at_ms, band)
    before = {q: sheet.verdict(q, typed) for q in ("temperature", "humidity")}
    rounds.log_round(demo, fields, demo.now_ms)
    after = rounds.sheet(demo.book, incubator)
    for quantity, verdict in before.items():
        logged = after.verdict(quantity)
        assert verdict is not None and logged is not None
        assert logged.corrected == pytest.approx(verdict.corrected)
    advice = adviser.advise(demo.book, after, after.verdict("temperature"), after.verdict("humidity"))
    assert all(step.text for one in advice for step in steps(demo.book, one))
