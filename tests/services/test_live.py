"""Live readings to the logbook: written, sealed, read back with the rest; trouble loses nothing."""

from __future__ import annotations

import subprocess
import sys
import time
from pathlib import Path

import numpy as np
import pytest

from making import instrument
from stathmis.core.errors import UserError
from stathmis.devices.probe_reader import Line
from stathmis.logbook import keeping, live, readings
from stathmis.logbook.live import LiveReading
from stathmis.logbook.opening import LogbookError
from stathmis.logbook.records import NewReading, Probe
from stathmis.services.live import LiveBench, add_probe, remove_probe
from stathmis.services.workbench import Workbench

ROOT = Path(__file__).parents[2]


class _Port:
    """A port that sends what it is given, then nothing."""

    def __init__(self, data: bytes) -> None:
        self._data = data

    def read(self, size: int) -> bytes:
        taken, self._data = self._data[:size], self._data[size:]
        if not taken:
            time.sleep(0.01)
        return taken

    def close(self) -> None:
        """Nothing to let go of."""


def test_lines_become_readings_in_the_channels_unit(bench: Workbench) -> None:
    heat = instrument(bench, "Probe", unit="°F", step=0.1, accuracy=1.0)
    moist = instrument(bench, "Card", "humidity")
    add_probe(bench, "Box", "/dev/x", 9600, "named", {"t": (heat.id, "°C"), "rh": (moist.id, "%")}, 0.0)
    port = _Port(b"t=37.5 rh=48\nt=999 rh=49\nrubbish\nt=37.6 rh=50\n")
    live_bench = LiveBench(bench, lambda device, baud: port)
    live_bench.start()
    until = time.monotonic() + 10
    while live_bench.stored < 5 and time.monotonic() < until:
        time.sleep(0.02)
    status = live_bench.statuses()[0]
    live_bench.stop()
    assert (status.status.good, status.status.dropped) == (3, 1) and status.words == "reading"
    found = readings.series(bench.logbook, heat, 0, 2**62)
    assert found.shown.tolist() == pytest.approx([99.5, 99.68]), "999 °C is no reading"
    assert readings.series(bench.logbook, moist, 0, 2**62).shown.tolist() == [48.0, 49.0, 50.0]


def test_a_full_tail_is_sealed_and_reads_the_same(bench: Workbench) -> None:
    probe = instrument(bench, "Probe", step=0.01)
    now = bench.now_ms
    rng = np.random.default_rng(0)
    times = now + rng.permutation(5000) * 1000
    values = rng.normal(37.5, 0.1, 5000)
    live.store_live(
        bench.logbook, [LiveReading(probe.id, int(t), float(v)) for t, v in zip(times, values, strict=True)]
    )
    readings.log_readings(bench.logbook, [NewReading(probe.id, now + 500, 37.0, "°C", "37.0")], now)
    before = readings.series(bench.logbook, probe, 0, 2**62)
    assert before.times_ms.size == 5001 and (np.diff(before.times_ms) > 0).all()
    assert live.seal_full(bench.logbook, now) == 5000
    assert live.seal_full(bench.logbook, now) == 0
    after = readings.series(bench.logbook, probe, 0, 2**62)
    np.testing.assert_array_equal(after.times_ms, before.times_ms)
    np.testing.assert_array_equal(after.shown, before.shown)
    part = readings.series(bench.logbook, probe, now + 1000, now + 2000)
    assert part.times_ms.tolist() == [now + 1000, now + 2000]


def test_what_cannot_be_written_waits(bench: Workbench, monkeypatch: pytest.MonkeyPatch) -> None:
    probe = instrument(bench, "Probe")
    live_bench = LiveBench(bench)
    targets = {"t": (probe, "°C")}
    live_bench._take(1, targets, Line(bench.now_ms, {"t": 37.5}))

    def full(*_: object) -> None:
        raise LogbookError("The disk is full; nothing was logged.", "Free some space.")

    with monkeypatch.context() as patched:
        patched.setattr(live, "store_live", full)
        live_bench.flush()
    assert "disk is full" in live_bench.trouble and live_bench.stored == 0
    live_bench._take(1, targets, Line(bench.now_ms + 1000, {"t": 37.6}))
    live_bench.flush()
    assert live_bench.trouble == "" and live_bench.stored == 2
    assert readings.series(bench.logbook, probe, 0, 2**62).shown.tolist() == [37.5, 37.6]


def test_trouble_with_sealing_does_not_stop_the_writer(bench: Workbench, monkeypatch: pytest.MonkeyPatch) -> None:
    probe = instrument(bench, "Probe")
    live_bench = LiveBench(bench)

    def full(*_: object) -> None:
        raise LogbookError("The disk is full; nothing was logged.", "Free some space.")

    monkeypatch.setattr(live, "seal_full", full)
    for i in range(2):
        live_bench._take(1, {"t": (probe, "°C")}, Line(bench.now_ms + i, {"t": 37.5}))
        live_bench.flush()
    assert live_bench.stored == 2 and "disk is full" in live_bench.trouble


def test_probes_are_entered_once_and_taken_away(bench: Workbench) -> None:
    heat = instrument(bench, "Probe")
    fields = {"t": (heat.id, "°C")}
    add_probe(bench, "Box", "/dev/ttyUSB0", 9600, "named", fields)
    for name, device, given, baud, says in (
        ("Box", "/dev/ttyUSB1", fields, 9600, "named Box already"),
        ("Other", "/dev/ttyUSB0", fields, 9600, "read at /dev/ttyUSB0 already"),
        ("", "/dev/ttyUSB2", fields, 9600, "needs a name"),
        ("Other", "/dev/ttyUSB2", {}, 9600, "No value goes"),
        ("Other", "/dev/ttyUSB2", fields, 3, "Baud runs"),
    ):
        with pytest.raises(UserError, match=says):
            add_probe(bench, name, device, baud, "named", given)
    probe = keeping.all_of(bench.logbook, Probe)[0]
    remove_probe(bench, probe)
    assert keeping.all_of(bench.logbook, Probe) == []
    bench.undo()
    assert keeping.all_of(bench.logbook, Probe) == [probe]


def test_a_short_soak() -> None:
    """Killed at random moments while logging: everything acknowledged is there once, nothing twice, the file whole."""
    command = [sys.executable, str(ROOT / "bench" / "soak.py"), "--probes", "2", "--seconds", "9", "--kills", "4"]
    done = subprocess.run(
        command, capture_output=True, text=True, check=False, timeout=200, env={"PYTHONPATH": str(ROOT / "src")}
    )
    assert done.returncode == 0, done.stdout + done.stderr[-500:]
    assert "missing 0  twice 0" in done.stdout and "whole 1" in done.stdout
