"""The demo's story: a hill station at 900 m, rock partridge in a fan cabinet, guinea fowl in a still box.

Everything is invented. It is anchored to the time it is made for, so that the batches are always mid-way.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from datetime import datetime, timedelta
from pathlib import Path

import numpy as np

from stathmis.core.course.way import Way
from stathmis.core.psychrometrics import vapor_pressure_deficit
from stathmis.demo.drawer import (
    CABINET,
    ROOM,
    ROUND,
    STILL_BOX,
    Channels,
    Face,
    check,
    hang,
    references,
    salt_jars,
    survey_places,
)
from stathmis.demo.eggs_told import autumn_hatch, last_summer, tray_half_way
from stathmis.devices.simulated_incubator import Machine, Recorded, SimulatedIncubator, record
from stathmis.logbook.opening import create_logbook
from stathmis.logbook.records import Batch, Incubator
from stathmis.logbook.snapshot import Series
from stathmis.services import rounds, setting_up
from stathmis.services.batch import batches
from stathmis.services.clock import DAY_MS, FixedClock, local, utc_ms
from stathmis.services.desk import Desk
from stathmis.services.files import logger_import
from stathmis.services.moisture import water, weights
from stathmis.services.plan import conflicts, planning
from stathmis.services.reading_field import interpret
from stathmis.words.catalogue import _
from stathmis.words.numbers import typed_text

MINUTE_MS = 60_000
SEED = 20240518
STEP_S = 30.0
"""The simulated boxes are stepped so far at once."""
LAYERS_K_PER_CM = 0.2


def build(path: Path, now_ms: int, zone: str) -> None:
    """Write the demo logbook to a new file, as of a time (UTC ms), in a time zone.

    Raises LogbookError where the file exists or cannot be written.
    """
    settings = {"name": _("Upper Terrace"), "time_zone": zone, "altitude_m": "900"}
    logbook = create_logbook(path, settings)
    try:
        clock = FixedClock(now_ms)
        desk = Desk(logbook, clock)
        rng = np.random.default_rng(SEED)
        references(desk, clock, now_ms)
        made = _cabinet(desk, clock, rng, now_ms)
        _room(desk, clock, rng, *made, now_ms)
        _still_box(desk, clock, rng, now_ms)
        clock.at_ms = now_ms
        setting_up.add_incubator(desk, _("Spare cabinet"), "forced", 37.5)
        _to_come(desk, now_ms)
    finally:
        logbook.close()


def _to_come(desk: Desk, now_ms: int) -> None:
    """A batch planned for the spare cabinet, and a market the keeper goes to."""
    spare = desk.book.incubators()[-1]
    conflicts.set_capacity(desk, spare, 40)
    set_ms = _morning(now_ms, desk.book.zone, 0, 10, 0) + 9 * DAY_MS
    planning.add_plan(
        desk, spare, "bobwhite", "lean", 32, set_ms, _("32 bobwhite quail, first set"), set_ms - 8 * DAY_MS, "", Way()
    )
    market = _morning(now_ms, desk.book.zone, 0, 0, 0) + 28 * DAY_MS
    conflicts.add_away(desk, market, market + 3 * DAY_MS, _("market"))


def _cabinet(desk: Desk, clock: FixedClock, rng: np.random.Generator, now_ms: int) -> tuple[int, Recorded]:
    """Three checks of a hygrometer, the earlier set, then the one under way; returns its start and what it was like."""
    set_ms = _morning(now_ms, desk.book.zone, 13, 9, 40)
    start = set_ms - 2 * DAY_MS
    clock.at_ms = now_ms - 240 * DAY_MS
    incubator_id = setting_up.add_incubator(desk, _("North cabinet"), "forced", 37.6)
    incubator = desk.book.one(Incubator, incubator_id)
    channels = hang(desk, CABINET, incubator_id, clock.at_ms)
    for days, offset in ((560, 9.3), (385, 10.4), (205, 11.9)):
        clock.at_ms = now_ms - days * DAY_MS
        salt_jars(desk, channels["Round hygrometer", "humidity"], replace(ROUND, offset=offset), rng)
    points: dict[str, tuple[float, ...]] = {"temperature": (36.6, 37.6, 38.7), "humidity": (33.0, 53.0, 75.0)}
    for quantity, at in points.items():
        sensor = next(s for f in CABINET if f.name == "Shelf logger" for q, s, _ in f.channels if q == quantity)
        clock.at_ms = now_ms - 238 * DAY_MS
        check(desk, channels["Shelf logger", quantity], sensor, rng, at)
    clock.at_ms = now_ms - 230 * DAY_MS
    _earlier_set(desk, clock, rng, incubator, channels)
    clock.at_ms = start - 21 * DAY_MS
    warm, moist = (36.6, 37.6, 38.7), (33.0, 53.0, 75.0)
    for name, quantity, at in (
        ("Lid display", "temperature", warm),
        ("Blue probe", "temperature", warm),
        ("Shelf logger", "temperature", (21.0, *warm)),
        ("Shelf logger", "humidity", moist),
    ):
        sensor = next(s for f in CABINET if f.name == name for q, s, _ in f.channels if q == quantity)
        clock.at_ms += 3_600_000
        check(desk, channels[name, quantity], sensor, rng, at)
    clock.at_ms += 3_600_000
    salt_jars(desk, channels["Round hygrometer", "humidity"], ROUND, rng)
    clock.at_ms += 3_600_000
    survey_places(desk, incubator, rng)
    clock.at_ms = set_ms
    setting_up.set_batch(desk, incubator, _("30 rock partridge, set A"), "partridge", "steady", 30, set_ms)

    at_minute = (set_ms - start) / MINUTE_MS
    refills = [at_minute + 1440.0 * d + 20 for d in (2.0, 4.0, 6.1, 8.0, 10.0)]
    long_only, both = at_minute - 1440.0, at_minute - 600.0
    cut = at_minute + 9.1 * 1440
    happenings = [
        (at_minute, _eggs_in(30, 240.0)),
        (long_only, _wet(260.0)),
        (both, _wet(430.0)),
        (at_minute + 3 * 1440.0 + 90, _changed(vent=0.5)),
        (at_minute + 5.6 * 1440, _changed(heater_w=19.0)),
        (at_minute + 5.6 * 1440 + 260, _changed(heater_w=45.0)),
        (at_minute + 7 * 1440.0, _lid(200.0)),
        (cut, _power_cut(80 * 60.0)),
        *((r, _filled) for r in refills),
    ]
    hour = local(start, desk.book.zone).hour + local(start, desk.book.zone).minute / 60.0
    box = SimulatedIncubator(replace(_partridge_machine(37.53), water_cm2=0.0), hour, STEP_S)
    truth = record(box, int((now_ms - start) // MINUTE_MS), sorted(happenings, key=lambda h: h[0]))
    _logger_file(desk, clock, rng, incubator, start, truth, channels, now_ms)
    _troughs(desk, clock, incubator, start, long_only, both)
    events = [("water", r, _("both troughs filled, warm water, 330 ml")) for r in refills]
    events += [("lid", at_minute + 7 * 1440.0, _("candled: 2 clears out")), ("power", cut, _("power off for 80 min"))]
    events += [("vent", at_minute + 3 * 1440.0 + 90, _("from a third to half open"))]
    _events(desk, clock, incubator, start, events)
    _rounds(desk, clock, rng, start, truth, CABINET[:4], channels, now_ms)
    _weights(desk, clock, rng, incubator, set_ms, start, truth)
    tray_half_way(desk, clock, incubator, set_ms)
    return start, truth


def _troughs(desk: Desk, clock: FixedClock, incubator: Incubator, start: int, long_only: float, both: float) -> None:
    """The cabinet's water: dry at first, then one trough, then two; the vent a third open."""
    clock.at_ms = start
    ids = [
        water.add_surface(desk, incubator, name, area, volume)
        for name, area, volume in (
            (_("long trough"), "26 x 10", "240"),
            (_("short trough"), "17 x 10", "155"),
            (_("hatch tray"), "24 x 15", "330"),
        )
    ]
    for minute, wet, opening in ((0.0, 0, 1 / 3), (long_only, 1, None), (both, 2, None)):
        clock.at_ms = at = start + round(minute * MINUTE_MS)
        water.log_change(desk, incubator, dict.fromkeys(ids[:wet], 1.0), opening, at)


def _weights(
    desk: Desk,
    clock: FixedClock,
    rng: np.random.Generator,
    incubator: Incubator,
    set_ms: int,
    start_ms: int,
    truth: Recorded,
) -> None:
    """The whole tray and eight marked eggs on a kitchen scale of 0.1 g, days 0, 4, 7 and 11; one shell is thin."""
    course = batches.running(desk.book, incubator)
    assert course is not None
    masses = rng.normal(22.4, 1.1, 30)
    shells = 4.3 * masses / 22.4 * (1.0 + rng.normal(0.0, 0.1, 30))
    shells[3] *= 2.4
    deficit = np.asarray(vapor_pressure_deficit(truth.egg_c, truth.rh))
    first = int((set_ms - start_ms) // MINUTE_MS)
    for day in (0.02, 4.0, 7.0, 11.0):
        at = set_ms + round(day * DAY_MS)
        lost_per_g = float(deficit[first : int((at - start_ms) // MINUTE_MS)].sum()) / 1440.0 / 1000.0
        now_g = masses - shells * lost_per_g
        # two clears were taken out on day 7
        eggs = 30 if day < 6.9 else 28
        rows = [weights.OnScale("", eggs, f"{now_g[:eggs].sum():.1f}", sure=True)]
        rows += [weights.OnScale(str(i + 1), 1, f"{now_g[i]:.1f}", sure=True) for i in range(8)]
        clock.at_ms = at
        found = [w for row in rows if (w := weights.interpret(desk.book, course, row, at)) is not None]
        weights.log_weighings(desk, course, found, at, 0.1)


def _partridge_machine(set_point_c: float) -> Machine:
    return Machine(
        set_point_c=set_point_c,
        differential_k=0.12,
        heater_w=45.0,
        heater_lag_s=240.0,
        air_j_per_k=8000.0,
        water_cm2=430.0,
        trough_ml=395.0,
        vent=0.33,
        eggs=0,
        egg_g=22.0,
        room_c=21.0,
        room_rh=48.0,
    )


def _eggs_in(count: int, lid_s: float) -> Callable[[SimulatedIncubator], None]:
    def happen(box: SimulatedIncubator) -> None:
        box.machine.eggs = count
        box.set_eggs(box.room_c)
        box.open_lid(lid_s)

    return happen


def _changed(**parts: float) -> Callable[[SimulatedIncubator], None]:
    def happen(box: SimulatedIncubator) -> None:
        for name, value in parts.items():
            setattr(box.machine, name, value)

    return happen


def _wet(cm2: float) -> Callable[[SimulatedIncubator], None]:
    def happen(box: SimulatedIncubator) -> None:
        box.machine.water_cm2, box.machine.trough_ml = cm2, 0.92 * cm2
        _filled(box)

    return happen


def _lid(seconds: float) -> Callable[[SimulatedIncubator], None]:
    return lambda box: box.open_lid(seconds)


def _power_cut(seconds: float) -> Callable[[SimulatedIncubator], None]:
    return lambda box: box.cut_power(seconds)


def _filled(box: SimulatedIncubator) -> None:
    box.fill()
    box.open_lid(60.0)


def _earlier_set(
    desk: Desk, clock: FixedClock, rng: np.random.Generator, incubator: Incubator, channels: Channels
) -> None:
    """A set of last autumn in the same machine, a little cooler, read by the logger every five minutes."""
    set_ms = _morning(clock.at_ms, desk.book.zone, 0, 10, 5)
    start, days = set_ms - DAY_MS // 2, 25.5
    hour = local(start, desk.book.zone).hour
    box = SimulatedIncubator(_partridge_machine(37.3), hour, STEP_S)
    happenings = [(720.0, _eggs_in(26, 240.0)), *((720.0 + 1440.0 * d, _filled) for d in np.arange(0, 25, 2.0))]
    happenings.append((720.0 + 1440.0 * 21, _changed(water_cm2=620.0)))
    truth = record(box, int(days * 1440), sorted(happenings, key=lambda h: h[0]))
    clock.at_ms = set_ms
    batch_id = setting_up.set_batch(
        desk, incubator, _("26 rock partridge, first set"), "partridge", "steady", 26, set_ms
    )
    columns = {}
    for quantity, row in (("temperature", truth.air_c), ("humidity", truth.rh)):
        sensor = next(s for f in CABINET if f.name == "Shelf logger" for q, s, _ in f.channels if q == quantity)
        shown = sensor.series(row, 60.0, rng)[::5]
        times = start + (truth.seconds[::5] * 1000.0).astype(np.int64)
        columns[channels["Shelf logger", quantity].id] = Series(times, shown)
    clock.at_ms = start + round(days * DAY_MS)
    logger_import.keep_series(desk, "shelf-logger-autumn.csv", columns)
    _events(desk, clock, incubator, start, [("water", 720.0 + 1440.0 * d, _("long trough")) for d in range(0, 25, 2)])
    clock.at_ms = start + round(days * DAY_MS)
    course = batches.course_of(desk.book, desk.book.one(Batch, batch_id), incubator)
    autumn_hatch(desk, clock, course, start + round(days * DAY_MS) + DAY_MS)


def _room(desk: Desk, clock: FixedClock, rng: np.random.Generator, start_ms: int, truth: Recorded, now_ms: int) -> None:
    """The room both machines stand in, read on the rounds."""
    clock.at_ms = start_ms - DAY_MS
    room_id = setting_up.add_incubator(desk, _("Egg room"), "room")
    channels = hang(desk, ROOM, room_id, start_ms - DAY_MS)
    there = truth._replace(air_c=truth.room_c, rh=truth.room_rh)
    _rounds(desk, clock, rng, start_ms, there, ROOM, channels, now_ms)


def _still_box(desk: Desk, clock: FixedClock, rng: np.random.Generator, now_ms: int) -> None:
    set_ms = _morning(now_ms, desk.book.zone, 23, 17, 0)
    start = set_ms - DAY_MS
    clock.at_ms = start - 4 * DAY_MS
    incubator_id = setting_up.add_incubator(desk, _("Old still box"), "still", 38.6)
    incubator = desk.book.one(Incubator, incubator_id)
    last_summer(desk, clock, incubator, set_ms - 290 * DAY_MS)
    clock.at_ms = start - 4 * DAY_MS
    channels = hang(desk, STILL_BOX, incubator_id, clock.at_ms)
    check(desk, channels["Red probe", "temperature"], STILL_BOX[1].channels[0][1], rng, (37.4, 38.4, 39.4))
    clock.at_ms = set_ms
    setting_up.set_batch(desk, incubator, _("18 guinea fowl eggs"), "guinea_fowl", "steady", 18, set_ms)
    at_minute = (set_ms - start) / MINUTE_MS
    refills = [at_minute + 1440.0 * d for d in range(0, 23, 3)]
    machine = Machine(
        air="still",
        set_point_c=38.53,
        differential_k=0.2,
        heater_w=60.0,
        heater_lag_s=40.0,
        water_cm2=215.0,
        trough_ml=300.0,
        vent=0.2,
        eggs=0,
        egg_g=40.0,
        room_c=21.0,
        room_rh=48.0,
        layers_k_per_cm=LAYERS_K_PER_CM,
    )
    box = SimulatedIncubator(machine, local(start, desk.book.zone).hour, STEP_S)
    happenings = [(at_minute, _eggs_in(18, 300.0)), *((r, _filled) for r in refills)]
    truth = record(box, int((now_ms - start) // MINUTE_MS), sorted(happenings, key=lambda h: h[0]))
    clock.at_ms = start
    cups = [
        water.add_surface(desk, incubator, name, area, "150")
        for name, area in ((_("left cup"), "105"), (_("right cup"), "110"))
    ]
    water.log_change(desk, incubator, dict.fromkeys(cups, 1.0), 0.2, start)
    _events(desk, clock, incubator, start, [("water", r, _("both cups filled")) for r in refills])
    _rounds(desk, clock, rng, start, truth, STILL_BOX, channels, now_ms)


def _morning(now_ms: int, zone: str, days_ago: int, hour: int, minute: int) -> int:
    """A time of day so many days ago, and never less than that many whole days before now."""
    day = local(now_ms, zone).replace(tzinfo=None) - timedelta(days=days_ago)
    at = utc_ms(datetime(day.year, day.month, day.day, 12, 0), zone) + (hour - 12) * 3_600_000 + minute * MINUTE_MS
    return at if at <= now_ms - days_ago * DAY_MS else at - DAY_MS


def _logger_file(
    desk: Desk,
    clock: FixedClock,
    rng: np.random.Generator,
    incubator: Incubator,
    start_ms: int,
    truth: Recorded,
    channels: Channels,
    now_ms: int,
) -> None:
    """The shelf logger's readings, up to a quarter of an hour ago; it runs on its own battery."""
    minute = np.arange(truth.seconds.size)
    keep = start_ms + minute * MINUTE_MS < now_ms - 14 * MINUTE_MS
    times = (start_ms + minute * MINUTE_MS).astype(np.int64)
    columns = {}
    for quantity, row in (("temperature", truth.air_c), ("humidity", truth.rh)):
        sensor = next(s for f in CABINET if f.name == "Shelf logger" for q, s, _ in f.channels if q == quantity)
        shown = sensor.series(row, 60.0, rng)
        columns[channels["Shelf logger", quantity].id] = Series(times[keep], shown[keep])
    clock.at_ms = now_ms - 12 * MINUTE_MS
    logger_import.keep_series(desk, "shelf-logger.csv", columns)


def _events(
    desk: Desk, clock: FixedClock, incubator: Incubator, start_ms: int, events: list[tuple[str, float, str]]
) -> None:
    for kind, minute, note in events:
        at = start_ms + round(minute * MINUTE_MS)
        clock.at_ms = at
        rounds.log_event(desk, incubator, kind, note, at)


def _rounds(
    desk: Desk,
    clock: FixedClock,
    rng: np.random.Generator,
    start_ms: int,
    truth: Recorded,
    faces: tuple[Face, ...],
    channels: Channels,
    now_ms: int,
) -> None:
    """Hand readings morning and evening, never at quite the same minute; one evening is missed."""
    shown = {
        (face.name, quantity): sensor.series(
            truth.rh if quantity == "humidity" else truth.air_c + LAYERS_K_PER_CM * face.over_eggs_cm, 60.0, rng
        )
        for face in faces
        for quantity, sensor, _ in face.channels
    }
    days = int((now_ms - start_ms) // DAY_MS) + 1
    moments = []
    for back in range(days, -1, -1):
        for hour, minute in ((7, 40), (19, 10)):
            at = _morning(now_ms, desk.book.zone, back, hour, minute) + int(rng.integers(-25, 25)) * MINUTE_MS
            if start_ms + 3 * 3_600_000 <= at < now_ms - 20 * MINUTE_MS and back != 8:
                moments.append(at)
    for at in sorted(set(moments)):
        i = int((at - start_ms) // MINUTE_MS)
        clock.at_ms = at
        fields = {}
        for (name, quantity), series in shown.items():
            channel = channels[name, quantity]
            fields[channel.id] = interpret(typed_text(float(series[i]), channel.resolution), channel)
        rounds.log_round(desk, fields, at)
    clock.at_ms = now_ms
