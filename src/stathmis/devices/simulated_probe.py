"""A simulated probe on a pseudo-terminal: a simulated incubator speaking the line protocol, in real time or faster."""

from __future__ import annotations

import os
import threading
import time
import tty
from contextlib import suppress
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np

from stathmis.devices.simulated_incubator import Machine, SimulatedIncubator, SimulatedSensor

PRESETTLE_S = 6 * 3600.0


@dataclass(frozen=True)
class Script:
    """How a simulated probe behaves: lines a second, simulated seconds a second, share of garbage, random seed.

    height_cm: of its tip over the egg tops.
    """

    lines_per_s: float = 1.0
    speed: float = 1.0
    garbage: float = 0.0
    seed: int = 0
    layout: str = "named"
    height_cm: float = 0.0
    temperature: SimulatedSensor = field(default_factory=lambda: SimulatedSensor(-0.2, 1.0, 0.0, 0.01, 0.01, 60.0))
    humidity: SimulatedSensor = field(default_factory=lambda: SimulatedSensor(2.0, 0.97, 0.0, 0.1, 0.1, 180.0))


class SimulatedProbe:
    """Writes lines to a pseudo-terminal until stopped; device is the path a reader opens."""

    def __init__(self, machine: Machine, script: Script, link: Path | None = None) -> None:
        """link: a path that always leads to the terminal, as a real probe keeps its name when it is plugged again."""
        self._link = link
        self.incubator = SimulatedIncubator(machine)
        self._script = script
        self._rng = np.random.default_rng(script.seed)
        self._stop = threading.Event()
        self._lock = threading.Lock()
        self.sent = 0
        self.device = ""
        self._master = self._slave = -1
        self._plug()
        self.incubator.step(PRESETTLE_S)
        self._thread = threading.Thread(target=self._run, daemon=True, name="simulated probe")

    def _plug(self) -> None:
        self._master, self._slave = os.openpty()
        tty.setraw(self._slave)
        os.set_blocking(self._master, False)
        self.device = os.ttyname(self._slave)
        if self._link is not None:
            self._link.unlink(missing_ok=True)
            self._link.symlink_to(self.device)
            self.device = str(self._link)

    def start(self) -> SimulatedProbe:
        """Begin sending."""
        self._thread.start()
        return self

    def stop(self) -> None:
        """Stop and close the terminal."""
        self._stop.set()
        if self._thread.is_alive():
            self._thread.join(timeout=5.0)
        self.unplug()

    def unplug(self) -> None:
        """Pull the lead: who reads gets an error, and nothing more comes until it is plugged again."""
        with self._lock:
            for end in (self._master, self._slave):
                if end >= 0:
                    os.close(end)
            self._master = self._slave = -1
            if self._link is not None:
                self._link.unlink(missing_ok=True)

    def plug(self) -> None:
        """Put the lead back; with a link the device keeps its name."""
        with self._lock:
            self._plug()

    def next_line(self) -> bytes:
        """The next line, its incubator gone on by one interval."""
        dt = self._script.speed / self._script.lines_per_s
        self.incubator.step(dt)
        state, rng = self.incubator.state, self._rng
        if rng.random() < self._script.garbage:
            return bytes(rng.integers(0, 256, 12, dtype=np.uint8)) + b"\n"
        heat = self._script.temperature.read(self.incubator.at_height(self._script.height_cm), dt, state.seconds, rng)
        moist = self._script.humidity.read(self.incubator.rh, dt, state.seconds, rng)
        pairs = [(k, v) for k, v in (("t", heat), ("rh", moist)) if v is not None]
        if self._script.layout == "json":
            body = "{" + ", ".join(f'"{k}": {v:.2f}' for k, v in pairs) + "}"
        elif self._script.layout == "columns":
            body = ";".join(f"{v:.2f}" for _, v in pairs)
        else:
            body = " ".join(f"{k}={v:.2f}" for k, v in pairs)
        return body.encode() + b"\n"

    def _run(self) -> None:
        interval = 1.0 / self._script.lines_per_s
        due = time.monotonic()
        while not self._stop.is_set():
            due += interval
            line = self.next_line()
            # nobody reads, or the lead is out: a real probe's lines are lost then too
            with self._lock, suppress(BlockingIOError):
                if self._master >= 0:
                    os.write(self._master, line)
                    self.sent += 1
            self._stop.wait(max(0.0, due - time.monotonic()))
