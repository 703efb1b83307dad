"""A soak: simulated sources of every kind at many lines a second, garbage among them; the program that logs them killed
at random; leads pulled, brokers gone, files begun anew at random.

Every reading the program said was on the disk must be there once, nothing twice, and the file whole. Prints one line of
figures; exits with 1 where any of that fails.
"""

from __future__ import annotations

import argparse
import os
import random
import signal
import sqlite3
import subprocess
import sys
import tempfile
import time
from collections import Counter
from contextlib import closing
from pathlib import Path

import numpy as np

from stathmis.devices.line_protocol import Layout
from stathmis.devices.simulated_incubator import Machine
from stathmis.devices.simulated_meter import Script
from stathmis.devices.simulated_probe import SimulatedProbe
from stathmis.devices.source import KINDS
from stathmis.devices.stand_ins import stand_in
from stathmis.logbook import readings
from stathmis.logbook.opening import create_logbook, open_logbook
from stathmis.logbook.records import Channel
from stathmis.services import setting_up
from stathmis.services.clock import SystemClock
from stathmis.services.desk import Desk
from stathmis.services.setting_up import NewChannel
from stathmis.services.watch import live
from stathmis.services.watch.live import LiveProbes, NewProbe, add_probe


def child(path: Path) -> None:
    """Log until killed; each reading is acknowledged on standard output after it was stored."""
    desk = Desk(open_logbook(path), SystemClock())
    live_bench = LiveProbes(desk)

    def acknowledge(stored: list[live.LiveReading]) -> None:
        sys.stdout.write("".join(f"{r.channel_id} {r.time_ms} {r.shown!r}\n" for r in stored))
        sys.stdout.flush()

    live_bench.on_stored = acknowledge
    live_bench.start()
    while True:
        time.sleep(1.0)


def soak(folder: Path, probes: int, lines: float, seconds: float, kills: int, seed: int) -> dict[str, int]:
    """Run the soak and count: acknowledged, missing, twice, stored, kills, unplugged, whole (1 or 0)."""
    chance = random.Random(seed)
    path = folder / "soak.stathmis"
    desk = Desk(create_logbook(path, {"time_zone": "UTC"}), SystemClock())
    running = []
    for i in range(probes):
        kind = KINDS[i % len(KINDS)]
        layout: Layout = ("named", "columns", "json")[i // len(KINDS) % 3]  # type: ignore[assignment]
        script = Script(lines, 10.0, garbage=0.02, seed=seed + i, layout=layout)
        own = folder / f"probe{i}"
        own.mkdir()
        made = stand_in(kind, own, script=script) if kind != "serial" else None
        running.append(made or SimulatedProbe(Machine(), script, own / "lead"))
        both = [NewChannel("temperature", "°C", 0.01, 0.5), NewChannel("humidity", "%", 0.1, 3.0)]
        entered = setting_up.add_instrument(desk, f"Probe {i}", "probe", both)
        heat, moist = desk.book.records(Channel, instrument_id=entered)
        names = {
            "kernel": ("hwmon airchip temp1", "iio airmeter humidityrelative"),
            "mqtt": ("cellar/box|t", "cellar/box|rh"),
        }.get(kind, ("1", "2") if (kind, layout) == ("serial", "columns") else ("t", "rh"))
        fields = {names[0]: (heat.id, "°C"), names[1]: (moist.id, "%")}
        device = running[-1].device
        add_probe(desk, NewProbe(f"Probe {i}", device, fields, kind, layout=layout, every_s=0.3))
    desk.logbook.close()
    for probe in running:
        probe.start()
    acknowledged: list[str] = []
    unplugged = 0
    until = time.monotonic() + seconds
    for _ in range(kills):
        logger = subprocess.Popen(
            [sys.executable, __file__, "--child", str(path)], stdout=subprocess.PIPE, text=True, env=dict(os.environ)
        )
        assert logger.stdout is not None
        # the clock of a life starts with its first word: starting up takes what the machine lets it
        first = logger.stdout.readline()
        live_for = max(1.0, (until - time.monotonic()) / max(1, kills) * chance.uniform(0.6, 1.4))
        live_for = min(live_for, seconds / kills * 1.4)
        if chance.random() < 0.6:
            time.sleep(live_for * 0.4)
            pulled = chance.choice(running)
            pulled.unplug()
            unplugged += 1
            time.sleep(live_for * 0.3)
            pulled.plug()
            time.sleep(live_for * 0.3)
        else:
            time.sleep(live_for)
        logger.send_signal(signal.SIGKILL)
        told = first + logger.communicate()[0]
        # a line cut off by the kill was not said whole
        acknowledged += told.splitlines() if told.endswith("\n") else told.splitlines()[:-1]
    for probe in running:
        probe.stop()
    return {**_count(path, acknowledged), "kills": kills, "unplugged": unplugged}


def _count(path: Path, acknowledged: list[str]) -> dict[str, int]:
    logbook = open_logbook(path)
    stored: Counter[str] = Counter()
    for channel in logbook.snapshot.records(Channel):
        found = readings.series(logbook.snapshot, channel, 0, 2**62)
        for at, shown in zip(found.times_ms.tolist(), found.shown.tolist(), strict=True):
            stored[f"{channel.id} {at} {shown!r}"] += 1
    logbook.close()
    with closing(sqlite3.connect(path)) as connection:
        whole = connection.execute("PRAGMA integrity_check").fetchone()[0] == "ok"
    told = Counter(acknowledged)
    return {
        "acknowledged": len(acknowledged),
        "missing": sum(max(0, n - stored[k]) for k, n in told.items()),
        "twice": int(np.sum([n - 1 for n in stored.values()])) if stored else 0,
        "stored": sum(stored.values()),
        "whole": int(whole),
    }


def main() -> int:
    """Run it as asked for on the command line."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--child", type=Path)
    parser.add_argument("--probes", type=int, default=8)
    parser.add_argument("--lines", type=float, default=10.0)
    parser.add_argument("--seconds", type=float, default=150.0)
    parser.add_argument("--kills", type=int, default=24)
    parser.add_argument("--seed", type=int, default=1)
    chosen = parser.parse_args()
    if chosen.child is not None:
        child(chosen.child)
    with tempfile.TemporaryDirectory() as folder:
        found = soak(Path(folder), chosen.probes, chosen.lines, chosen.seconds, chosen.kills, chosen.seed)
    print("  ".join(f"{k} {v}" for k, v in found.items()))
    good = found["acknowledged"] > 0 and found["missing"] == 0 and found["twice"] == 0 and found["whole"] == 1
    return 0 if good else 1


if __name__ == "__main__":
    sys.exit(main())
