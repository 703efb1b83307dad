"""A simulated probe on a pseudo-terminal: a simulated incubator speaking the line protocol."""

from __future__ import annotations

import os
import threading
import tty
from pathlib import Path

from stathmis.devices.simulated_incubator import Machine
from stathmis.devices.simulated_meter import Script, SimulatedMeter


class SimulatedProbe(SimulatedMeter):
    """Writes lines to a pseudo-terminal until stopped; device is the path a reader opens."""

    def __init__(self, machine: Machine, script: Script, link: Path | None = None) -> None:
        """link: a path that always leads to the terminal, as a real probe keeps its name when it is plugged again."""
        self._link = link
        self._lock = threading.Lock()
        self._master = self._slave = -1
        super().__init__(machine, script)
        self._plug()

    def _plug(self) -> None:
        self._master, self._slave = os.openpty()
        tty.setraw(self._slave)
        os.set_blocking(self._master, False)
        self.device = os.ttyname(self._slave)
        if self._link is not None:
            self._link.unlink(missing_ok=True)
            self._link.symlink_to(self.device)
            self.device = str(self._link)

    def stop(self) -> None:
        """Stop and close the terminal."""
        super().stop()
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
        return self._line(self.measured())

    def _line(self, values: list[tuple[str, float]] | None) -> bytes:
        if values is None:
            return self.garbage() + b"\n"
        if self._script.layout == "json":
            body = "{" + ", ".join(f'"{k}": {v:.2f}' for k, v in values) + "}"
        elif self._script.layout == "columns":
            body = ";".join(f"{v:.2f}" for _, v in values)
        else:
            body = " ".join(f"{k}={v:.2f}" for k, v in values)
        return body.encode() + b"\n"

    def send(self, values: list[tuple[str, float]] | None) -> bool:
        """A line; whether the lead was in, and somebody read."""
        line = self._line(values)
        with self._lock:
            if self._master < 0:
                return False
            try:
                os.write(self._master, line)
            except BlockingIOError:
                # nobody reads: a real probe's lines are lost then too
                return False
        return True
