"""Judged against the truth: a simulated incubator whose true air is known, read by instruments that were checked."""

from __future__ import annotations

import numpy as np
import pytest

from making import instrument, put_to_use, reference, typed
from stathmis.core.adherence import judge
from stathmis.core.conformity import INSIDE, OUTSIDE, decide
from stathmis.core.uncertainty import NORMAL_95
from stathmis.devices.simulated_incubator import Machine, SimulatedIncubator, SimulatedSensor
from stathmis.logbook import readings
from stathmis.logbook.records import Channel
from stathmis.logbook.snapshot import Series
from stathmis.services.desk import Desk
from stathmis.services.files import logger_import

STEP_S = 30.0
HOURS = 30


def simulated(seed: int) -> tuple[np.ndarray, np.ndarray]:
    """True air (°C, %) every half minute: set a little high, with lid openings, a power cut and a wrong set point."""
    box = SimulatedIncubator(Machine(set_point_c=37.6, room_swing_k=3.0, eggs=12))
    box.step(4 * 3600.0)
    rng = np.random.default_rng(seed)
    rows = []
    for i in range(round(HOURS * 3600 / STEP_S)):
        if rng.random() < 1 / 900:
            box.open_lid(90.0)
        if i == 1500:
            box.cut_power(1800.0)
        if i == 2400:
            box.machine.set_point_c = 38.1
        box.step(STEP_S)
        rows.append((box.state.air_c, box.rh))
    heat, moist = np.array(rows).T
    return heat, moist


def shown(sensor: SimulatedSensor, true: np.ndarray, seed: int) -> np.ndarray:
    """What a sensor shows for a run of truth."""
    rng = np.random.default_rng(seed)
    return np.array([sensor.read(float(v), STEP_S, i * STEP_S, rng) for i, v in enumerate(true)], dtype=np.float64)


def checked_logger(desk: Desk, sensor: SimulatedSensor, seed: int) -> Channel:
    """A thermometer compared with the reference at three true temperatures, each read three times."""
    lab = reference(desk, points=[(0.0, 0.0, 0.04), (45.0, 0.0, 0.04)])
    probe = instrument(desk, "Logger", step=sensor.resolution)
    rng = np.random.default_rng(seed)
    points = []
    for true in (36.0, 37.5, 39.0):
        seen = [sensor.offset + sensor.slope * true + rng.normal(0, sensor.noise) for _ in range(3)]
        steps = [round(s / sensor.resolution) * sensor.resolution for s in seen]
        ref = " ".join(f"{true + rng.normal(0, 0.01):.2f}" for _ in range(3))
        points.append((" ".join(f"{s:.2f}" for s in steps), ref))
    put_to_use(desk, typed(desk, probe, points, against=lab), 0)
    return desk.book.channel(probe.id)


@pytest.mark.parametrize("seed", [1, 2, 3])
def test_decided_time_is_rarely_wrong(desk: Desk, seed: int) -> None:
    """Of the time called inside or outside, under 5 % is truly the other, for a checked instrument."""
    sensor = SimulatedSensor(offset=-0.45, slope=1.004, noise=0.02, resolution=0.1, lag_s=20.0)
    channel = checked_logger(desk, sensor, seed)
    heat, _ = simulated(seed)
    raw = shown(sensor, heat, seed)
    times = desk.now_ms + np.arange(heat.size, dtype=np.int64) * int(STEP_S * 1000)
    corrected, u = desk.book.corrections.correct_series(channel, Series(times, raw))
    called = decide(corrected, u, 37.2, 37.8)
    truly = (heat >= 37.2) & (heat <= 37.8)
    decided = (called == INSIDE) | (called == OUTSIDE)
    wrong = ((called == INSIDE) & ~truly) | ((called == OUTSIDE) & truly)
    assert decided.mean() > 0.3, "it does decide"
    assert wrong.sum() / decided.sum() < 0.05
    # the same instrument taken at its word would be wrong much more often
    naive = (raw >= 37.2) & (raw <= 37.8)
    assert (naive != truly).mean() > 0.25


def test_excursions_start_when_they_truly_do(desk: Desk) -> None:
    sensor = SimulatedSensor(offset=0.3, noise=0.005, resolution=0.01, lag_s=1.0)
    channel = checked_logger(desk, sensor, 7)
    heat, _ = simulated(7)
    # the thermostat's own ripple apart: half an hour's mean, as a drift is
    smooth = np.convolve(heat, np.ones(60) / 60, mode="valid")
    raw = shown(sensor, smooth, 7)
    times = desk.now_ms + np.arange(smooth.size, dtype=np.int64) * int(STEP_S * 1000)
    corrected, u = desk.book.corrections.correct_series(channel, Series(times, raw))
    seconds = times / 1000.0
    found = judge(seconds, corrected, 37.2, 37.8, 120.0, u)
    margin = NORMAL_95 * float(np.median(u)) * 1.6449 / 1.96
    truth = judge(seconds, smooth, 37.2 - margin, 37.8 + margin, 120.0)
    long = [e for e in truth.excursions if e.end_s - e.start_s > 1800.0]
    assert long, "the planted ones are there"
    for true in long:
        nearest = min(found.excursions, key=lambda e: abs(e.start_s - true.start_s))
        slope = abs(float(np.gradient(smooth, STEP_S)[int((true.start_s - seconds[0]) / STEP_S)]))
        # one sampling interval, and what the correction's own error makes of the slope
        assert abs(nearest.start_s - true.start_s) <= STEP_S + 0.05 / max(slope, 1e-6)


def test_the_log_keeps_what_the_sensor_sent(desk: Desk) -> None:
    sensor = SimulatedSensor(offset=0.3, dropout=0.05, stuck_from_s=3600.0)
    channel = checked_logger(desk, SimulatedSensor(offset=0.3), 1)
    rng = np.random.default_rng(0)
    sent = [sensor.read(37.5 + 0.1 * np.sin(i / 9), STEP_S, i * STEP_S, rng) for i in range(400)]
    times = np.arange(400, dtype=np.int64) * int(STEP_S * 1000)
    good = np.array([v is not None for v in sent])
    values = np.array([v for v in sent if v is not None])
    logger_import.keep_series(desk, "s.csv", {channel.id: Series(times[good], values)})
    kept = readings.series(desk.book.snapshot, channel, 0, 2**62)
    np.testing.assert_array_equal(kept.shown, values)
    assert np.unique(kept.shown[kept.times_ms > 3_700_000]).size == 1, "stuck is kept as it was shown"
