"""The demo's story: a hill station at 900 m, rock partridge in a fan cabinet, guinea fowl in a still box.

Everything is invented. It is anchored to the time it is made for, so that the batches are always mid-way.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from pathlib import Path

import numpy as np

from stathmis.core.fixed_points import salt_humidity
from stathmis.demo.simulation import Sensor, Upset, simulate_air
from stathmis.logbook import keeping, readings
from stathmis.logbook.opening import create_logbook
from stathmis.logbook.readings import Series
from stathmis.logbook.records import Channel, Incubator, NewReading, Quantity
from stathmis.services import rounds, setting_up
from stathmis.services.clock import DAY_MS, FixedClock, local, utc_ms
from stathmis.services.instruments import checking, draft, places
from stathmis.services.setting_up import NewChannel
from stathmis.services.wording import typed_text
from stathmis.services.workbench import Workbench

MINUTE_MS = 60_000
SEED = 20240518


@dataclass(frozen=True)
class _Face:
    """An instrument of the drawer: its channels as (quantity, sensor, stated accuracy)."""

    name: str
    kind: str
    channels: tuple[tuple[Quantity, Sensor, float], ...]
    place: str = "at the egg tops"
    at_egg_top: bool = True


ROUND = Sensor(13.0, 0.88, 0.3, 1.0, 12.0)
"""The round hygrometer as it is now; it read lower in the years before."""

CABINET = (
    _Face(
        "Lid display",
        "lid display",
        (
            ("temperature", Sensor(-0.85, 1.009, 0.03, 0.1), 1.0),
            ("humidity", Sensor(9.0, 0.93, 0.4, 1.0, 5.0), 9.0),
        ),
        "built in, under the lid",
    ),
    _Face("Blue probe", "probe", (("temperature", Sensor(0.12, 1.0, 0.02, 0.1, 2.0), 0.5),)),
    _Face("Long stick", "stick", (("temperature", Sensor(0.35, 1.0, 0.05, 0.5, 9.0), 0.8),)),
    _Face("Round hygrometer", "hygrometer", (("humidity", ROUND, 5.0),)),
    _Face(
        "Shelf logger",
        "logger",
        (
            ("temperature", Sensor(-0.21, 1.0, 0.01, 0.01, 2.0), 0.5),
            ("humidity", Sensor(2.4, 0.97, 0.1, 0.1, 3.0), 3.0),
        ),
    ),
)
STILL_BOX = (
    _Face(
        "Box dial",
        "lid display",
        (("temperature", Sensor(0.6, 1.0, 0.05, 0.5, 6.0), 1.0),),
        "in the lid, 6 cm above the eggs",
        at_egg_top=False,
    ),
    _Face("Red probe", "probe", (("temperature", Sensor(-0.18, 1.0, 0.02, 0.1, 2.0), 0.5),)),
    _Face("Card hygrometer", "hygrometer", (("humidity", Sensor(-4.0, 1.0, 0.4, 1.0, 10.0), 6.0),)),
)


def build(path: Path, now_ms: int, zone: str) -> None:
    """Write the demo logbook to a new file, as of a time (UTC ms), in a time zone.

    Raises LogbookError where the file exists or cannot be written.
    """
    settings = {"name": "Upper Terrace", "time_zone": zone, "altitude_m": "900"}
    logbook = create_logbook(path, settings)
    try:
        clock = FixedClock(now_ms)
        bench = Workbench(logbook, clock)
        rng = np.random.default_rng(SEED)
        _references(bench, clock, now_ms)
        _cabinet(bench, clock, rng, now_ms)
        _still_box(bench, clock, rng, now_ms)
        clock.at_ms = now_ms
        setting_up.add_incubator(bench, "Spare cabinet", "forced", 37.5)
    finally:
        logbook.close()


def _references(bench: Workbench, clock: FixedClock, now_ms: int) -> None:
    clock.at_ms = now_ms - 120 * DAY_MS
    setting_up.add_instrument(
        bench, "Certified probe", "lab thermometer", [NewChannel("temperature", "°C", 0.01, 0.1)], reference=True
    )
    setting_up.add_instrument(
        bench, "Bench hygrometer", "hygrometer", [NewChannel("humidity", "%", 0.1, 2.0)], reference=True
    )
    certificates = (
        [(0.0, 0.02, 0.04), (20.0, 0.03, 0.04), (37.5, 0.05, 0.04), (45.0, 0.05, 0.05)],
        [(33.0, 0.6, 1.2), (53.0, 0.4, 1.2), (75.0, -0.3, 1.4)],
    )
    drifts = (0.02, 0.5)
    for channel, points, drift in zip(bench.records(Channel), certificates, drifts, strict=True):
        setting_up.add_certificate(bench, channel.id, clock.at_ms, points, drift_per_year=drift)


def _hang(
    bench: Workbench, faces: tuple[_Face, ...], incubator_id: int, from_ms: int
) -> dict[tuple[str, str], Channel]:
    found: dict[tuple[str, str], Channel] = {}
    for face in faces:
        made = setting_up.add_instrument(
            bench,
            face.name,
            face.kind,
            [
                NewChannel(quantity, "°C" if quantity == "temperature" else "%", sensor.resolution, accuracy)
                for quantity, sensor, accuracy in face.channels
            ],
            incubator_id=incubator_id,
            place=face.place,
            at_egg_top=face.at_egg_top,
            from_ms=from_ms,
        )
        for channel in keeping.all_of(bench.logbook, Channel, instrument_id=made):
            found[face.name, channel.quantity] = channel
    return found


def _check(bench: Workbench, channel: Channel, sensor: Sensor, rng: np.random.Generator, at: tuple[float, ...]) -> None:
    """Compare with the reference at true values, two readings each, and put the correction to use from then on."""
    reference = checking.references(bench, channel)[0][1]
    points = bench.corrections.certificate_of(reference.id)
    taken = draft.new_draft(channel, bench.altitude_m, "side")
    taken.sets[0].reference_id = reference.id
    taken.sets[0].rows = []
    for true in at:
        correction = float(np.interp(true, [p.reading for p in points], [p.correction for p in points]))
        spread = 0.02 if channel.quantity == "temperature" else 0.4
        shown = sensor.shown(rng, np.full(2, true + rng.normal(0.0, spread)))
        step = reference.resolution
        ref = np.round((true - correction + rng.normal(0.0, spread / 2, 2)) / step) * step
        row = draft.Row(" ".join(typed_text(v, channel.resolution) for v in shown))
        row.cells["reference"] = " ".join(typed_text(v, step) for v in ref)
        taken.sets[0].rows.append(row)
    checking.put_to_use(bench, taken, checking.evaluate(bench, taken), bench.now_ms)


def _salt_jars(bench: Workbench, channel: Channel, sensor: Sensor, rng: np.random.Generator) -> None:
    """Three jars at room temperature, and the correction put to use from then on."""
    taken = draft.new_draft(channel, bench.altitude_m, "salt")
    taken.sets[0].rows = []
    for salt in ("MgCl2", "Mg(NO3)2", "NaCl"):
        true = salt_humidity(salt, 21.5)[0] + rng.normal(0.0, 0.3)
        shown = sensor.shown(rng, np.full(3, true))
        row = draft.Row(" ".join(typed_text(v, channel.resolution) for v in shown), {"salt": salt, "jar": "21.5C"})
        taken.sets[0].rows.append(row)
    checking.put_to_use(bench, taken, checking.evaluate(bench, taken), bench.now_ms)


def _map(bench: Workbench, incubator: Incubator, rng: np.random.Generator) -> None:
    """The certified probe moved through nine places of the empty cabinet."""
    probe = bench.records(Channel)[0]
    off = {"back left": 0.14, "back": 0.22, "back right": 0.17, "front left": -0.24, "front": -0.12}
    cells = []
    for name in (n for row in places.PLACES for n in row):
        true = 37.55 + off.get(name, -0.16 if name == "front right" else 0.0) + rng.normal(0.0, 0.03, 3)
        cells.append(places.Cell(name, probe.id, " ".join(f"{v:.2f}" for v in true)))
    places.keep_survey(bench, incubator, places.compare_places(bench, cells, "0.1"), None)


def _cabinet(bench: Workbench, clock: FixedClock, rng: np.random.Generator, now_ms: int) -> None:
    set_ms = _morning(now_ms, bench.zone, 13, 9, 40)
    start = set_ms - 2 * DAY_MS
    clock.at_ms = start - 21 * DAY_MS
    incubator_id = setting_up.add_incubator(bench, "North cabinet", "forced", 37.6)
    incubator = keeping.one(bench.logbook, Incubator, incubator_id)
    channels = _hang(bench, CABINET, incubator_id, clock.at_ms)
    for days, offset in ((560, 9.3), (385, 10.4), (205, 11.9)):
        clock.at_ms = now_ms - days * DAY_MS
        _salt_jars(bench, channels["Round hygrometer", "humidity"], replace(ROUND, offset=offset), rng)
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
        _check(bench, channels[name, quantity], sensor, rng, at)
    clock.at_ms += 3_600_000
    _salt_jars(bench, channels["Round hygrometer", "humidity"], ROUND, rng)
    clock.at_ms += 3_600_000
    _map(bench, incubator, rng)
    clock.at_ms = set_ms
    setting_up.set_batch(bench, incubator, "30 rock partridge, spring set A", "partridge", "steady", 30, set_ms)

    minutes = (now_ms - start) // MINUTE_MS
    at_minute = (set_ms - start) / MINUTE_MS
    refills = np.array([at_minute + 1440.0 * d + 20 for d in (0.0, 2.0, 4.0, 6.1, 8.0, 10.0)])
    upsets = (
        Upset(0.0, -15.0, -20.0, 35.0),
        Upset(at_minute, -6.0, -12.0, 40.0),
        Upset(at_minute + 5.6 * 1440, -0.75, 0.0, 60.0, 260.0),
        Upset(at_minute + 9.1 * 1440, -5.5, 6.0, 30.0, 70.0),
        *(Upset(r, -2.5, -8.0, 9.0) for r in refills),
    )
    air = simulate_air(rng, int(minutes), 37.55, 0.08, 0.07, refills, 53.5, 3.7, upsets)
    cut = (at_minute + 9.1 * 1440, at_minute + 9.1 * 1440 + 80)
    _logger_file(bench, clock, rng, incubator, start, air, channels, cut, now_ms)
    events = [("water", r, "long trough filled, warm water") for r in refills]
    events += [("lid", at_minute + 7 * 1440.0, "candled: 2 clears out"), ("note", cut[0], "power off for 80 min")]
    events += [("vent", at_minute + 3 * 1440.0 + 90, "from a third to half open")]
    _events(bench, clock, incubator, start, events)
    _rounds(bench, clock, rng, start, air, CABINET[:4], channels, now_ms)


def _still_box(bench: Workbench, clock: FixedClock, rng: np.random.Generator, now_ms: int) -> None:
    set_ms = _morning(now_ms, bench.zone, 23, 17, 0)
    start = set_ms - DAY_MS
    clock.at_ms = start - 4 * DAY_MS
    incubator_id = setting_up.add_incubator(bench, "Old still box", "still", 38.6)
    incubator = keeping.one(bench.logbook, Incubator, incubator_id)
    channels = _hang(bench, STILL_BOX, incubator_id, clock.at_ms)
    _check(bench, channels["Red probe", "temperature"], STILL_BOX[1].channels[0][1], rng, (37.4, 38.4, 39.4))
    clock.at_ms = set_ms
    setting_up.set_batch(bench, incubator, "18 guinea fowl", "guinea_fowl", "steady", 18, set_ms)
    minutes = (now_ms - start) // MINUTE_MS
    at_minute = (set_ms - start) / MINUTE_MS
    refills = np.array([at_minute + 1440.0 * d for d in range(0, 23, 3)])
    upsets = (Upset(0.0, -16.0, -25.0, 60.0), Upset(at_minute, -5.0, -8.0, 70.0))
    air = simulate_air(rng, int(minutes), 38.62, 0.12, 0.12, refills, 55.0, 2.6, upsets)
    _events(bench, clock, incubator, start, [("water", r, "both cups filled") for r in refills])
    _rounds(bench, clock, rng, start, air, STILL_BOX, channels, now_ms)


def _morning(now_ms: int, zone: str, days_ago: int, hour: int, minute: int) -> int:
    """A time of day so many days ago, and never less than that many whole days before now."""
    day = local(now_ms, zone).replace(tzinfo=None) - timedelta(days=days_ago)
    at = utc_ms(datetime(day.year, day.month, day.day, 12, 0), zone) + (hour - 12) * 3_600_000 + minute * MINUTE_MS
    return at if at <= now_ms - days_ago * DAY_MS else at - DAY_MS


def _logger_file(
    bench: Workbench,
    clock: FixedClock,
    rng: np.random.Generator,
    incubator: Incubator,
    start_ms: int,
    air: np.ndarray,
    channels: dict[tuple[str, str], Channel],
    cut: tuple[float, float],
    now_ms: int,
) -> None:
    """The shelf logger's readings, up to a quarter of an hour ago; it lost power with the cabinet."""
    keep = ((air[0] < cut[0]) | (air[0] > cut[1])) & (start_ms + air[0] * MINUTE_MS < now_ms - 14 * MINUTE_MS)
    times = (start_ms + air[0] * MINUTE_MS).astype(np.int64)
    columns = {}
    for quantity, row in (("temperature", 1), ("humidity", 2)):
        sensor = next(s for f in CABINET if f.name == "Shelf logger" for q, s, _ in f.channels if q == quantity)
        shown = sensor.shown(rng, air[row])
        columns[channels["Shelf logger", quantity].id] = Series(times[keep], shown[keep])
    readings.store_import(bench.logbook, "shelf-logger.csv", now_ms - 12 * MINUTE_MS, columns, 0, 0)


def _events(
    bench: Workbench, clock: FixedClock, incubator: Incubator, start_ms: int, events: list[tuple[str, float, str]]
) -> None:
    for kind, minute, note in events:
        at = start_ms + round(minute * MINUTE_MS)
        clock.at_ms = at
        rounds.log_event(bench, incubator, kind, note, at)


def _rounds(
    bench: Workbench,
    clock: FixedClock,
    rng: np.random.Generator,
    start_ms: int,
    air: np.ndarray,
    faces: tuple[_Face, ...],
    channels: dict[tuple[str, str], Channel],
    now_ms: int,
) -> None:
    """Hand readings morning and evening, never at quite the same minute; one evening is missed."""
    shown = {
        (face.name, quantity): sensor.shown(rng, air[1 if quantity == "temperature" else 2])
        for face in faces
        for quantity, sensor, _ in face.channels
    }
    days = int((now_ms - start_ms) // DAY_MS) + 1
    moments = []
    for back in range(days, -1, -1):
        for hour, minute in ((7, 40), (19, 10)):
            at = _morning(now_ms, bench.zone, back, hour, minute) + int(rng.integers(-25, 25)) * MINUTE_MS
            if start_ms + 3 * 3_600_000 <= at < now_ms - 20 * MINUTE_MS and back != 8:
                moments.append(at)
    new = []
    for at in sorted(set(moments)):
        i = int((at - start_ms) // MINUTE_MS)
        for (name, quantity), series in shown.items():
            channel = channels[name, quantity]
            text = typed_text(float(series[i]), channel.resolution)
            new.append(NewReading(channel.id, at, float(text), channel.unit, text))
    clock.at_ms = now_ms
    readings.log_readings(bench.logbook, new, now_ms)
