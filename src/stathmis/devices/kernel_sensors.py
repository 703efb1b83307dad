"""Sensors this computer's own kernel reads: industrial I/O, hardware monitoring and 1-wire, as folders of small files
under /sys (or another root: the stand-in is such a tree). Read anew every few seconds; nothing is written.

Source: the kernel's own description of these files (Documentation/ABI/testing/sysfs-bus-iio,
Documentation/hwmon/sysfs-interface, Documentation/w1/slaves/w1_therm); from memory. Values are thousandths of °C and %.
"""

from __future__ import annotations

import re
import time
from collections.abc import Callable, Iterator, Sequence
from pathlib import Path

from stathmis.devices.source import READ_S, TEXT_LENGTH, Said

EVERY_S = 5.0
"""How often sensors are read."""
STARTED_UP_C = 85.0
"""What a 1-wire thermometer says before it has measured once; at no egg. Source: common practice; from memory."""
MOST_BYTES = 4096
"""No such file is longer."""

Sensor = Callable[[], float]


class KernelSensors:
    """Some sensors (or all) under a root, read every so often."""

    def __init__(self, root: Path, names: Sequence[str] = (), every_s: float = EVERY_S) -> None:
        """names: as sensors() calls them, empty: all. Raises OSError where none of them is there."""
        self._root, self._names = root, frozenset(names)
        self._sensors: dict[str, Sensor] = {}
        self._look()
        if not self._sensors:
            raise FileNotFoundError(f"no sensor under {root}")
        self._every_s, self._next_s = every_s, 0.0

    def _look(self) -> None:
        """The kernel finds one after the other, some long after the start. What was there once is asked ever after."""
        if not self._names or not self._names <= self._sensors.keys():
            found = sensors(self._root)
            self._sensors |= {n: read for n, read in found.items() if not self._names or n in self._names}

    def read(self) -> list[Said]:
        """All of them, where their time has come. Raises OSError where none can be read any more."""
        now_s = time.monotonic()
        if now_s < self._next_s:
            time.sleep(min(READ_S, self._next_s - now_s))
            return []
        self._next_s = now_s + self._every_s
        self._look()
        values: dict[str, float] = {}
        wrong: list[OSError | ValueError] = []
        for name, read in self._sensors.items():
            try:
                values[name] = read()
            except (OSError, ValueError) as error:
                wrong.append(error)
        if not values and all(isinstance(e, OSError) for e in wrong):
            raise OSError(str(wrong[0]))
        text = "  ".join(f"{name} = {value:g}" for name, value in values.items())
        return [Said(text[:TEXT_LENGTH], values), *(Said(str(e)[:TEXT_LENGTH], {}) for e in wrong)]

    def close(self) -> None:
        """Nothing is held open."""


def sensors(root: Path) -> dict[str, Sensor]:
    """Every sensor of temperature or humidity under a root, by a name that stays when it is found in another order."""
    found: dict[str, Sensor] = {}
    for name, read in (*_iio(root), *_hwmon(root), *_one_wire(root)):
        alike = sum(known == name or known.startswith(f"{name} (") for known in found)
        found[f"{name} ({alike + 1})" if alike else name] = read
    return found


def _iio(root: Path) -> Iterator[tuple[str, Sensor]]:
    for folder in _folders(root / "bus/iio/devices", "iio:device*"):
        for file in sorted(folder.glob("in_*")):
            match = re.fullmatch(r"in_((?:temp|humidityrelative)\d*)_(input|raw)", file.name)
            if match and not (match[2] == "raw" and (folder / f"in_{match[1]}_input").exists()):
                yield f"iio {_name(folder)} {match[1]}", _thousandth(file) if match[2] == "input" else _scaled(file)


def _hwmon(root: Path) -> Iterator[tuple[str, Sensor]]:
    for folder in _folders(root / "class/hwmon", "hwmon*"):
        for file in sorted(folder.glob("*_input")):
            match = re.fullmatch(r"((?:temp|humidity)\d+)_input", file.name)
            if match:
                yield f"hwmon {_name(folder)} {match[1]}", _thousandth(file)


def _one_wire(root: Path) -> Iterator[tuple[str, Sensor]]:
    for folder in _folders(root / "bus/w1/devices", "*-*"):
        told, plain = folder / "w1_slave", folder / "temperature"
        if told.exists():
            yield f"1-wire {folder.name}", _checked(told)
        elif plain.exists():
            yield f"1-wire {folder.name}", _started(_thousandth(plain), plain)


def _folders(parent: Path, pattern: str) -> list[Path]:
    # in order of their numbers: of two alike the first stays the first
    return sorted(
        parent.glob(pattern), key=lambda p: [int(n) if n.isdecimal() else n for n in re.split(r"(\d+)", p.name)]
    )


def _name(folder: Path) -> str:
    try:
        return _text(folder / "name").strip() or folder.name
    except OSError:
        return folder.name


def _text(file: Path) -> str:
    with file.open("rb") as opened:
        return opened.read(MOST_BYTES).decode("ascii", "replace")


def _number(file: Path) -> float:
    text = _text(file).strip()
    if not re.fullmatch(r"[+-]?\d{1,9}(\.\d{1,12})?", text):
        raise ValueError(f"{file.name}: {text[:20]!r}")
    return float(text)


def _thousandth(file: Path) -> Sensor:
    return lambda: _number(file) / 1000.0


def _scaled(file: Path) -> Sensor:
    """A raw count with the scale and offset beside it: (raw + offset) · scale, in thousandths."""
    begin = file.name.removesuffix("raw")

    def read() -> float:
        beside = {}
        for part, usual in (("offset", 0.0), ("scale", 1.0)):
            at = file.with_name(begin + part)
            beside[part] = _number(at) if at.exists() else usual
        return (_number(file) + beside["offset"]) * beside["scale"] / 1000.0

    return read


def _checked(file: Path) -> Sensor:
    """A 1-wire thermometer's own words: its checksum on the first line, thousandths of a degree on the second."""

    def read() -> float:
        text = _text(file)
        match = re.search(r"crc=\w+ YES\s.*\bt=(-?\d{1,6})\s*$", text, re.DOTALL)
        if not match:
            raise ValueError(f"{file.parent.name}: {text[-20:].strip()!r}")
        return float(match[1]) / 1000.0

    return _started(read, file)


def _started(read: Sensor, file: Path) -> Sensor:
    def measured() -> float:
        value = read()
        if value == STARTED_UP_C:
            raise ValueError(f"{file.parent.name}: {value:g}")
        return value

    return measured
