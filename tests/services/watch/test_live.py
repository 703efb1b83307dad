"""Live readings to the logbook: written, sealed, read back with the rest; trouble loses nothing."""

from __future__ import annotations

import sqlite3
import subprocess
import sys
import time
from pathlib import Path

import numpy as np
import pytest

import making
from making import instrument
from stathmis.core.errors import UserError
from stathmis.devices.probe_reader import Line, Status
from stathmis.logbook import live, readings
from stathmis.logbook.live import LiveReading
from stathmis.logbook.opening import LogbookError
from stathmis.logbook.records import Channel, Probe
from stathmis.services.clock import FixedClock
from stathmis.services.desk import Desk
from stathmis.services.watch import broker_keys
from stathmis.services.watch.alarms import alarms
from stathmis.services.watch.live import LiveProbes, NewProbe, add_probe, remove_probe
from stathmis.words.probes import state

ROOT = Path(__file__).parents[3]


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


def lead(
    name: str, device: str, fields: dict[str, tuple[int, str]], baud: int = 9600, every_s: float = 0.0
) -> NewProbe:
    """A probe on a serial lead that names its values."""
    return NewProbe(name, device, fields, baud=baud, layout="named", every_s=every_s)


def test_lines_become_readings_in_the_channels_unit(desk: Desk) -> None:
    heat = instrument(desk, "Probe", unit="°F", step=0.1, accuracy=1.0)
    moist = instrument(desk, "Card", "humidity")
    add_probe(desk, lead("Box", "/dev/x", {"t": (heat.id, "°C"), "rh": (moist.id, "%")}))
    port = _Port(b"t=37.5 rh=48\nt=999 rh=49\nrubbish\nt=37.6 rh=50\n")
    probes = LiveProbes(desk, lambda device, baud: port)
    probes.start()
    until = time.monotonic() + 10
    while probes.stored < 5 and time.monotonic() < until:
        time.sleep(0.02)
    status = probes.statuses()[0]
    probes.stop()
    assert (status.status.good, status.status.dropped) == (3, 1) and state(status.status, status.silent) == "reading"
    found = readings.series(desk.book.snapshot, heat, 0, 2**62)
    assert found.shown.tolist() == pytest.approx([99.5, 99.68]), "999 °C is no reading"
    assert readings.series(desk.book.snapshot, moist, 0, 2**62).shown.tolist() == [48.0, 49.0, 50.0]


def test_a_full_tail_is_sealed_and_reads_the_same(desk: Desk) -> None:
    probe = instrument(desk, "Probe", step=0.01)
    now = desk.now_ms
    rng = np.random.default_rng(0)
    times = now + rng.permutation(5000) * 1000
    values = rng.normal(37.5, 0.1, 5000)
    live.store_live(desk.logbook, [LiveReading(probe.id, int(t), float(v)) for t, v in zip(times, values, strict=True)])
    making.typed_in(desk, [(probe.id, now + 500, 37.0, "°C", "37.0")])
    before = readings.series(desk.book.snapshot, probe, 0, 2**62)
    assert before.times_ms.size == 5001 and (np.diff(before.times_ms) > 0).all()
    assert live.seal_full(desk.logbook, now) == 5000
    assert live.seal_full(desk.logbook, now) == 0
    after = readings.series(desk.book.snapshot, probe, 0, 2**62)
    np.testing.assert_array_equal(after.times_ms, before.times_ms)
    np.testing.assert_array_equal(after.shown, before.shown)
    part = readings.series(desk.book.snapshot, probe, now + 1000, now + 2000)
    assert part.times_ms.tolist() == [now + 1000, now + 2000]


def test_what_cannot_be_written_waits(desk: Desk, monkeypatch: pytest.MonkeyPatch) -> None:
    probe = instrument(desk, "Probe")
    probes = LiveProbes(desk)
    targets = {"t": (probe, "°C")}
    probes._take(1, targets, None, Line(desk.now_ms, {"t": 37.5}))

    def full(*_: object) -> None:
        raise LogbookError("The disk is full; nothing was logged.", "Free some space.")

    with monkeypatch.context() as patched:
        patched.setattr(live, "store_live", full)
        probes.flush()
    assert "disk is full" in probes.trouble and probes.stored == 0
    probes._take(1, targets, None, Line(desk.now_ms + 1000, {"t": 37.6}))
    probes.flush()
    assert probes.trouble == "" and probes.stored == 2
    assert readings.series(desk.book.snapshot, probe, 0, 2**62).shown.tolist() == [37.5, 37.6]


def test_trouble_with_sealing_does_not_stop_the_writer(desk: Desk, monkeypatch: pytest.MonkeyPatch) -> None:
    probe = instrument(desk, "Probe")
    probes = LiveProbes(desk)

    def full(*_: object) -> None:
        raise LogbookError("The disk is full; nothing was logged.", "Free some space.")

    monkeypatch.setattr(live, "seal_full", full)
    for i in range(2):
        probes._take(1, {"t": (probe, "°C")}, None, Line(desk.now_ms + i, {"t": 37.5}))
        probes.flush()
    assert probes.stored == 2 and "disk is full" in probes.trouble


def test_probes_are_entered_once_and_taken_away(desk: Desk) -> None:
    heat = instrument(desk, "Probe")
    fields = {"t": (heat.id, "°C")}
    add_probe(desk, lead("Box", "/dev/ttyUSB0", fields))
    for baud, every_s in ((49, 10.0), (4_000_001, 10.0), (9600, -0.5), (9600, 3601.0)):
        with pytest.raises(UserError, match="Baud runs from 50 up, and writing from 0 to 3600 s"):
            add_probe(desk, lead("Other", "/dev/ttyUSB2", fields, baud, every_s))
    for baud, every_s in ((50, 0.0), (4_000_000, 3600.0)):
        add_probe(desk, lead("Other", "/dev/ttyUSB2", fields, baud, every_s))
        desk.undo()
    for name, device, given, baud, says in (
        ("Box", "/dev/ttyUSB1", fields, 9600, "named Box already"),
        ("Other", "/dev/ttyUSB0", fields, 9600, "read at /dev/ttyUSB0 already"),
        ("", "/dev/ttyUSB2", fields, 9600, "It needs a name"),
        ("Other", "/dev/ttyUSB2", {}, 9600, "No value goes"),
        ("Other", "/dev/ttyUSB2", fields | {"u": (heat.id, "°C")}, 9600, "Two values go to the same"),
        ("Other", "/dev/ttyUSB2", fields, 3, "Baud runs"),
    ):
        with pytest.raises(UserError, match=says):
            add_probe(desk, lead(name, device, given, baud))
    probe = desk.book.records(Probe)[0]
    remove_probe(desk, probe)
    assert desk.book.records(Probe) == ()
    desk.undo()
    assert list(desk.book.records(Probe)) == [probe]


def test_a_short_soak() -> None:
    """Killed at random moments while logging: everything acknowledged is there once, nothing twice, the file whole."""
    command = [sys.executable, str(ROOT / "bench" / "soak.py"), "--probes", "2", "--seconds", "9", "--kills", "4"]
    done = subprocess.run(
        command, capture_output=True, text=True, check=False, timeout=200, env={"PYTHONPATH": str(ROOT / "src")}
    )
    assert done.returncode == 0, done.stdout + done.stderr[-500:]
    assert "missing 0  twice 0" in done.stdout and "whole 1" in done.stdout


def test_the_writer_survives_any_error_and_loses_nothing(
    desk: Desk, monkeypatch: pytest.MonkeyPatch, caplog: pytest.LogCaptureFixture
) -> None:
    probe = instrument(desk, "Probe")
    add_probe(desk, lead("Box", "/dev/x", {"t": (probe.id, "°C")}))
    real, failures = live.store_live, [sqlite3.OperationalError("unable to open database file"), RuntimeError("odd")]

    def failing(*args: object) -> None:
        if failures:
            raise failures.pop()
        real(*args)  # type: ignore[arg-type]

    monkeypatch.setattr(live, "store_live", failing)
    probes = LiveProbes(desk, lambda device, baud: _Port(b"t=37.1\nt=37.2\n"))
    told: list[int] = []

    def listener(stored: list[LiveReading]) -> None:
        told.append(len(stored))
        raise ValueError("whoever listens may fail")

    probes.on_stored = listener
    probes.start()
    until = time.monotonic() + 10
    while probes.stored < 2 and time.monotonic() < until:
        time.sleep(0.02)
    assert probes.stored == 2 and sum(told) == 2
    probes._take(1, {"t": (probe, "°C")}, probes._lives[1], Line(desk.now_ms + 5000, {"t": 37.3}))
    while probes.stored < 3 and time.monotonic() < until:
        time.sleep(0.02)
    probes.on_stored = lambda stored: None
    probes.stop()
    assert readings.series(desk.book.snapshot, probe, 0, 2**62).shown.tolist() == [37.1, 37.2, 37.3]
    assert "whoever listens may fail" in caplog.text
    caplog.clear()


def test_a_probe_follows_what_is_changed_about_its_instrument(desk: Desk) -> None:
    probe = instrument(desk, "Probe")
    add_probe(desk, lead("Box", "/dev/x", {"t": (probe.id, "°C")}))
    probes = LiveProbes(desk, lambda device, baud: _Port(b""))
    probes.start()
    before = probes._readers[1]
    probes.start()
    assert probes._readers[1] is before, "nothing changed, nothing is read anew"
    making.mend(desk, Channel, probe.id, high=45.0)
    probes.start()
    assert probes._readers[1] is not before
    probes._take(1, probes._readers[1][1], probes._lives[1], Line(5, {"t": 50.0}))
    probes.stop()
    assert not readings.series(desk.book.snapshot, probe, 0, 2**62).times_ms.size


def test_a_file_is_taken_up_again_after_a_restart(desk: Desk, tmp_path: Path) -> None:
    """What was written while nobody read is there afterwards, once."""
    probe = instrument(desk, "Probe")
    file = tmp_path / "r.csv"
    begin = desk.now_ms - 600_000
    file.write_text("time,t\n" + "".join(f"{begin + 1000 * i},37.{i}\n" for i in range(4)))
    add_probe(desk, NewProbe("Table", str(file), {"t": (probe.id, "°C")}, "file", every_s=0.0))
    for more in range(2):
        probes = LiveProbes(desk)
        probes.start()
        until = time.monotonic() + 10
        while probes.stored < (4 if not more else 2) and time.monotonic() < until:
            time.sleep(0.02)
        probes.stop()
        with file.open("a") as grown:
            grown.write("".join(f"{begin + 1000 * i},37.{i}\n" for i in range(4 + 2 * more, 6 + 2 * more)))
    found = readings.series(desk.book.snapshot, probe, 0, 2**62)
    assert found.shown.tolist() == [37.0, 37.1, 37.2, 37.3, 37.4, 37.5]
    assert (np.diff(found.times_ms) == 1000).all()


def test_a_quiet_kind_is_silent_later(desk: Desk) -> None:
    heat = instrument(desk, "Probe")
    add_probe(desk, NewProbe("Cellar", "unix:/nowhere", {"c|t": (heat.id, "°C")}, "mqtt", every_s=0.0))
    probes = LiveProbes(desk)
    probes.start()
    reader = probes._readers[1][2]
    for pause_min, silent_after_min in ((0, 15), (10, 30)):
        reader._pauses = [60.0 * pause_min]
        reader._status = Status(connected=True, good=1, last_ms=desk.now_ms, pause_s=60.0 * pause_min)
        clock = desk.clock
        assert isinstance(clock, FixedClock)
        clock.at_ms += silent_after_min * 60_000 - 1
        assert not probes.statuses()[0].silent
        assert alarms(desk.book, probes.statuses()) == [], "no alarm cries before"
        clock.at_ms += 2000
        assert probes.statuses()[0].silent
        (told,) = alarms(desk.book, probes.statuses())
        assert (told.kind, told.minutes) == ("silent", silent_after_min)
    probes.stop()


def test_a_probe_that_never_said_anything_is_told(desk: Desk) -> None:
    """Its lead was out, or its file had ended, before the window was opened."""
    heat = instrument(desk, "Probe")
    add_probe(desk, lead("Box", "/dev/none-of-that", {"t": (heat.id, "°C")}))
    probes = LiveProbes(desk)
    probes.start()
    assert not probes.statuses()[0].silent
    clock = desk.clock
    assert isinstance(clock, FixedClock)
    clock.at_ms += 6 * 60_000
    assert probes.statuses()[0].silent
    assert [a.minutes for a in alarms(desk.book, probes.statuses())] == [6]
    probes.stop()


def test_a_brokers_password_is_nowhere_in_the_logbook(
    desk: Desk, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("XDG_CONFIG_HOME", str(tmp_path / "config"))
    heat = instrument(desk, "Probe")
    new = NewProbe("Cellar", "keeper@box", {"c|t": (heat.id, "°C")}, "mqtt", password="hush-hush-1")
    add_probe(desk, new)
    assert broker_keys.password("keeper@box") == "hush-hush-1"
    file = tmp_path / "config" / "stathmis" / "brokers.json"
    assert oct(file.stat().st_mode)[-3:] == "600"
    for written in desk.logbook.path.parent.glob("log.stathmis*"):
        assert b"hush-hush-1" not in written.read_bytes()
    add_probe(desk, NewProbe("Attic", "keeper@box", {"a|t": (heat.id, "°C")}, "mqtt"))
    assert broker_keys.password("keeper@box") == "hush-hush-1", "another device there does not forget it"
    broker_keys.keep("keeper@box", "")
    assert broker_keys.password("keeper@box") == ""
    with pytest.raises(UserError, match="no broker's address"):
        add_probe(desk, NewProbe("X", "two words", {"c": (heat.id, "°C")}, "mqtt"))
