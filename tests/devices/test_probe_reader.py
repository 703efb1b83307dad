"""A probe through a pseudo-terminal: plugged, pulled, plugged again, with garbage; and the box it hangs in."""

from __future__ import annotations

import time
from collections.abc import Callable
from itertools import pairwise
from pathlib import Path

import numpy as np
import pytest

from stathmis.core.course.upsets import cycling
from stathmis.core.psychrometrics import relative_humidity_at
from stathmis.devices.line_protocol import Layout
from stathmis.devices.probe_reader import Line, ProbeReader, listen
from stathmis.devices.serial_lead import SerialLead, open_serial
from stathmis.devices.simulated_incubator import Machine, SimulatedIncubator, SimulatedSensor
from stathmis.devices.simulated_meter import Script
from stathmis.devices.simulated_probe import SimulatedProbe


def wait_for(what: Callable[[], bool], seconds: float = 15.0) -> None:
    until = time.monotonic() + seconds
    while not what():
        assert time.monotonic() < until, "it did not come"
        time.sleep(0.02)


def lead(device: str, layout: Layout | None = None) -> SerialLead:
    return SerialLead(open_serial(device, 9600), layout)


def now() -> int:
    return time.time_ns() // 1_000_000


def test_unplugged_and_plugged_again_with_garbage(tmp_path: Path) -> None:
    probe = SimulatedProbe(Machine(eggs=0), Script(50.0, 10.0, garbage=0.2), tmp_path / "probe").start()
    got: list[Line] = []
    reader = ProbeReader(lambda: lead(probe.device, "named"), got.append, now, retry_s=0.1).start()
    try:
        wait_for(lambda: len(got) >= 20 and reader.status.dropped > 0)
        assert reader.status.connected
        probe.unplug()
        wait_for(lambda: not reader.status.connected)
        assert reader.status.trouble
        before = len(got)
        probe.plug()
        wait_for(lambda: reader.status.connected and len(got) >= before + 20)
    finally:
        reader.stop()
        probe.stop()
    times = [line.time_ms for line in got]
    assert all(b > a for a, b in pairwise(times)), "each line has a moment of its own"
    assert all(20 < line.values["t"] < 60 for line in got if "t" in line.values)


def test_no_such_device_is_tried_again(tmp_path: Path) -> None:
    reader = ProbeReader(lambda: lead(str(tmp_path / "no")), lambda _: None, now, 0.05).start()
    wait_for(lambda: "could not open" in reader.status.trouble)
    reader.stop()
    with pytest.raises(OSError):
        listen(lambda: lead(str(tmp_path / "no")), 1.0, lambda: False)


def test_listening_shows_some_lines(tmp_path: Path) -> None:
    probe = SimulatedProbe(Machine(eggs=0), Script(50.0, layout="json"), tmp_path / "probe").start()
    lines, values = listen(lambda: lead(probe.device), 3.0, lambda: False)
    probe.stop()
    assert set(values) == {"t", "rh"}
    assert 3 <= len(lines) <= 5 and lines[-1].startswith('{"t": ')


def settled(machine: Machine) -> SimulatedIncubator:
    box = SimulatedIncubator(machine)
    box.step(5 * 3600.0)
    return box


def test_the_simulated_box_behaves_like_one() -> None:
    box = settled(Machine())
    air = []
    for _ in range(360):
        box.step(10.0)
        air.append(box.state.air_c)
    assert np.mean(air) == pytest.approx(37.5, abs=0.2)
    found = cycling(np.arange(360) * 10.0, air)
    assert found is not None and 60 < found.period_s < 1200 and 0.05 < found.swing < 0.6
    moist = box.rh
    box.open_lid(120.0)
    box.step(120.0)
    assert box.state.air_c < 36.5 and box.rh < moist - 5
    assert box.state.egg_c > 37.0, "the egg hardly feels it"
    box.step(3600.0)
    assert box.state.air_c == pytest.approx(37.5, abs=0.5)
    box.cut_power(3600.0)
    box.step(3600.0)
    assert box.state.air_c < 34.0
    assert box.state.egg_c > box.state.air_c, "eggs cool more slowly than the air"


def test_still_air_is_warmer_higher_up() -> None:
    box = settled(Machine(air="still", set_point_c=38.6, layers_k_per_cm=0.3, eggs=0))
    assert box.at_height(6.0) - box.at_height(0.0) == pytest.approx(1.8)


def test_water_and_vents_move_the_humidity() -> None:
    dry = settled(Machine(water_cm2=0.0, eggs=0))
    m = dry.machine
    inside = relative_humidity_at(m.room_rh, m.room_c, m.set_point_c)
    assert dry.rh == pytest.approx(float(inside), abs=1.5), "only the room's own vapor"
    wet = settled(Machine(water_cm2=240.0, eggs=0))
    open_vent = settled(Machine(water_cm2=240.0, vent=1.0, eggs=0))
    assert wet.rh > open_vent.rh > dry.rh


def test_sensors_lie_as_they_are_told_to() -> None:
    rng = np.random.default_rng(0)
    slow = SimulatedSensor(offset=0.5, lag_s=300.0, resolution=0.1)
    slow.read(20.0, 1.0, 0.0, rng)
    seen = [slow.read(37.5, 60.0, 60.0 * i, rng) for i in range(1, 60)]
    assert seen[4] is not None and seen[4] == pytest.approx(37.5 + 0.5 - 17.5 * np.exp(-1), abs=0.1)
    assert seen[-1] == pytest.approx(38.0, abs=0.06)
    stuck = SimulatedSensor(stuck_from_s=100.0)
    assert [stuck.read(30.0 + i, 60.0, 60.0 * i, rng) for i in range(4)][2:] == [stuck._last] * 2
    silent = SimulatedSensor(dropout=1.0)
    assert silent.read(37.5, 1.0, 0.0, rng) is None
