"""What every source of readings is to its reader: it is opened, says what it heard, and is closed. A serial lead, a
sensor of this computer, a broker's topics and a growing file differ in nothing else.
"""

from __future__ import annotations

from typing import Literal, NamedTuple, Protocol, get_args

Kind = Literal["serial", "kernel", "mqtt", "file"]
KINDS: tuple[Kind, ...] = get_args(Kind)

READ_S = 0.2
"""So long a source waits for news before it says that there is none."""
TEXT_LENGTH = 80
"""Of what was heard so much is shown."""
_BATTERY = ("battery", "batt", "bat", "battery_level", "battery_percent")
_SIGNAL = ("rssi", "signal", "signal_strength", "linkquality", "lqi")


class Said(NamedTuple):
    """One thing a source said: its text as far as it is shown, its finite numbers by name (none: it made no sense), and
    when it says it was (UTC ms; None: just now)."""

    text: str
    values: dict[str, float]
    time_ms: int | None = None


class Source(Protocol):
    """An open source."""

    def read(self) -> list[Said]:
        """What it said since, waiting READ_S where that is nothing. Raises OSError when it is gone."""

    def close(self) -> None:
        """Let go of it."""


def is_health(name: str) -> bool:
    """Whether a value tells how the device itself is doing."""
    return _last(name) in (*_BATTERY, *_SIGNAL)


def _last(name: str) -> str:
    return name.rpartition("|")[2].rpartition(".")[2].casefold()


def health(values: dict[str, float]) -> tuple[float | None, float | None]:
    """The battery's charge (percent) and the signal (dBm, or the device's own 0-255) among what was said.

    Source: common practice of such devices' names; from memory.
    """
    last = {_last(name): value for name, value in values.items()}
    battery = next((last[name] for name in _BATTERY if name in last), None)
    return battery, next((last[name] for name in _SIGNAL if name in last), None)
