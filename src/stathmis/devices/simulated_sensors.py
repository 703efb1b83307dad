"""Stand-ins for sensors of this computer and for a growing file: a folder tree like the kernel's, and a table."""

from __future__ import annotations

import json
import threading
from datetime import UTC, datetime
from pathlib import Path

from stathmis.devices.simulated_incubator import Machine
from stathmis.devices.simulated_meter import Script, SimulatedMeter


class SimulatedSensors(SimulatedMeter):
    """A tree with one sensor of each kind the kernel has; device is its root."""

    def __init__(self, machine: Machine, script: Script, root: Path) -> None:
        super().__init__(machine, script, str(root))
        self._root, self.plugged, self._lock = root, True, threading.Lock()
        self.send(self.measured())

    def unplug(self) -> None:
        """The sensors are gone from the tree."""
        with self._lock:
            self.plugged = False
            for file in self._root.rglob("*"):
                if file.is_file():
                    file.unlink(missing_ok=True)

    def plug(self) -> None:
        """They are there again."""
        self.plugged = True

    def send(self, values: list[tuple[str, float]] | None) -> bool:
        """Write the files; garbage stands in them as it would on a bad lead."""
        with self._lock:
            return self.plugged and self._lay(values)

    def _lay(self, values: list[tuple[str, float]] | None) -> bool:
        known = dict(values or [])
        if values is None:
            self._write("bus/w1/devices/28-0000000a11ce/w1_slave", "00 00 : crc=a1 NO\n00 00 t=0\n")
            return True
        if "t" in known:
            milli = round(1000.0 * known["t"])
            self._write("bus/iio/devices/iio:device0/in_temp_raw", str(milli // 10 + 4000))
            self._write("class/hwmon/hwmon0/temp1_input", str(milli))
            self._write("bus/w1/devices/28-0000000a11ce/w1_slave", f"50 05 : crc=1c YES\n50 05 t={milli}\n")
        if "rh" in known:
            milli = round(1000.0 * known["rh"])
            self._write("bus/iio/devices/iio:device0/in_humidityrelative_input", str(milli))
            self._write("class/hwmon/hwmon0/humidity1_input", str(milli))
        for part, text in (("name", "airmeter"), ("in_temp_scale", "10"), ("in_temp_offset", "-4000")):
            self._write(f"bus/iio/devices/iio:device0/{part}", text)
        self._write("class/hwmon/hwmon0/name", "airchip")
        return True

    def _write(self, name: str, text: str) -> None:
        file = self._root / name
        file.parent.mkdir(parents=True, exist_ok=True)
        # a reader never finds it half written
        part = file.with_name(f".{file.name}")
        part.write_text(text + "\n", encoding="ascii")
        part.replace(file)


class SimulatedFile(SimulatedMeter):
    """A file that grows: a table with its titles, or JSON lines where the script's layout is "json"."""

    def __init__(self, machine: Machine, script: Script, path: Path) -> None:
        super().__init__(machine, script, str(path))
        self._path, self.plugged, self._lock = path, True, threading.Lock()
        self._begin()

    def _begin(self) -> None:
        if self._script.layout != "json" and not self._path.exists():
            self._path.write_text("time,t,rh\n", encoding="utf-8")

    def unplug(self) -> None:
        """The file is put away, as programs do that begin a new one from time to time."""
        with self._lock:
            self.plugged = False
            if self._path.exists():
                self._path.replace(self._path.with_suffix(".old"))

    def plug(self) -> None:
        """A new one is begun."""
        self._begin()
        self.plugged = True

    def send(self, values: list[tuple[str, float]] | None) -> bool:
        """Append a line."""
        with self._lock:
            return self.plugged and self._append(values)

    def _append(self, values: list[tuple[str, float]] | None) -> bool:
        now = datetime.now(UTC).isoformat(timespec="milliseconds")
        if values is None:
            body = self.garbage().replace(b"\n", b" ")
        elif self._script.layout == "json":
            body = json.dumps({"time": now, **{k: round(v, 2) for k, v in values}, "battery": 87}).encode()
        else:
            known = dict(values)
            cells = (f"{known[name]:.2f}" if name in known else "" for name in ("t", "rh"))
            body = ",".join((now, *cells)).encode()
        with self._path.open("ab") as file:
            file.write(body + b"\n")
        return True
