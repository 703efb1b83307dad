"""What every simulated source has in common: a probe in a simulated incubator, read so many times a second on a thread
of its own, in real time or faster."""

from __future__ import annotations

import threading
import time
from dataclasses import dataclass, field
from typing import Self

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


class SimulatedMeter:
    """Sends what it measures until stopped; whoever derives from it says where to (send), and what a reader opens
    (device)."""

    def __init__(self, machine: Machine, script: Script, device: str = "") -> None:
        self.device = device
        self.incubator = SimulatedIncubator(machine)
        self._script = script
        self._rng = np.random.default_rng(script.seed)
        self._stop = threading.Event()
        self.sent = 0
        self.incubator.step(PRESETTLE_S)
        self._thread = threading.Thread(target=self._run, daemon=True, name="simulated probe")

    def start(self) -> Self:
        """Begin sending."""
        self._thread.start()
        return self

    def stop(self) -> None:
        """Send no longer."""
        self._stop.set()
        if self._thread.is_alive():
            self._thread.join(timeout=5.0)

    def unplug(self) -> None:
        """It is gone: who reads gets an error, and nothing more comes until it is plugged again."""
        raise NotImplementedError

    def plug(self) -> None:
        """It is there again."""
        raise NotImplementedError

    def measured(self) -> list[tuple[str, float]] | None:
        """The next values by name, the incubator gone on by one interval; None: garbage is due."""
        dt = self._script.speed / self._script.lines_per_s
        self.incubator.step(dt)
        state, rng = self.incubator.state, self._rng
        if rng.random() < self._script.garbage:
            return None
        heat = self._script.temperature.read(self.incubator.at_height(self._script.height_cm), dt, state.seconds, rng)
        moist = self._script.humidity.read(self.incubator.rh, dt, state.seconds, rng)
        return [(k, v) for k, v in (("t", heat), ("rh", moist)) if v is not None]

    def garbage(self) -> bytes:
        """Twelve bytes of anything."""
        return bytes(self._rng.integers(0, 256, 12, dtype=np.uint8))

    def send(self, values: list[tuple[str, float]] | None) -> bool:
        """Send values, or garbage; whether anyone can have got them."""
        raise NotImplementedError

    def _run(self) -> None:
        interval = 1.0 / self._script.lines_per_s
        due = time.monotonic()
        while not self._stop.is_set():
            due += interval
            self.sent += self.send(self.measured())
            self._stop.wait(max(0.0, due - time.monotonic()))
