"""One source, read on its own thread: opened, lost, opened again, whatever it says.

The reader hands on what it read with its time; it knows nothing of logbooks.
"""

from __future__ import annotations

import logging
import threading
import time
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass, replace
from math import inf
from typing import NamedTuple

from stathmis.devices.source import Said, Source, health

log = logging.getLogger(__name__)

RETRY_S = 1.0
"""How long to wait before a lost source is tried again."""
AHEAD_MS = 60_000
"""A time so far ahead of this computer's clock has not come yet: such a line is garbage."""
GAPS = 8
"""So many of the last pauses tell how often a source speaks."""


@dataclass(frozen=True)
class Status:
    """How a source is doing: connected or why not, when its last good line came (UTC ms), lines read and dropped; the
    longest of its last pauses, s; battery, signal: as source.health, where it tells them; since_ms: since when it is
    listened to."""

    connected: bool = False
    trouble: str = ""
    last_ms: int | None = None
    good: int = 0
    dropped: int = 0
    last_line: str = ""
    pause_s: float = 0.0
    battery: float | None = None
    signal: float | None = None
    since_ms: int | None = None

    @property
    def heard_ms(self) -> int | None:
        """Since when it has said nothing good (UTC ms): its last good line, or since it is listened to."""
        return self.since_ms if self.last_ms is None else self.last_ms


@dataclass(frozen=True)
class Line:
    """What one line said, by field, and of when it is (UTC ms)."""

    time_ms: int
    values: dict[str, float]


class ProbeReader:
    """Reads one source until stopped; on_line is called on the reader's thread for every good line."""

    def __init__(
        self,
        open_source: Callable[[], Source],
        on_line: Callable[[Line], None],
        now_ms: Callable[[], int],
        retry_s: float = RETRY_S,
    ) -> None:
        self._open, self._on_line, self._now_ms = open_source, on_line, now_ms
        self._retry_s = retry_s
        self._stop = threading.Event()
        self._status = Status()
        self._pauses: list[float] = []
        self._newest_ms: int | None = None
        self._thread = threading.Thread(target=self._run, daemon=True, name="probe")

    @property
    def status(self) -> Status:
        """How it is doing now."""
        return self._status

    def start(self) -> ProbeReader:
        """Begin reading."""
        self._status = replace(self._status, since_ms=self._now_ms())
        self._thread.start()
        return self

    def ask_to_stop(self) -> None:
        """Stop reading soon, without waiting for it."""
        self._stop.set()

    def stop(self) -> None:
        """Stop reading and let go of the source."""
        self._stop.set()
        if self._thread.is_alive():
            self._thread.join(timeout=5.0)

    def _run(self) -> None:
        while not self._stop.is_set():
            try:
                source = self._open()
            except Exception as error:  # noqa: BLE001  a thread that ends quietly would lose what comes after
                self._status = replace(self._status, connected=False, trouble=str(error))
                self._stop.wait(self._retry_s)
                continue
            self._status = replace(self._status, connected=True, trouble="")
            try:
                while not self._stop.is_set():
                    for said in source.read():
                        self._take(said)
            except Exception as error:  # noqa: BLE001  a thread that ends quietly would lose what comes after
                # a lost lead, or a driver's own fault: either way it is tried again
                self._status = replace(self._status, connected=False, trouble=str(error))
            finally:
                with suppress(Exception):
                    source.close()
            self._stop.wait(self._retry_s)

    def _take(self, said: Said) -> None:
        status, now = self._status, self._now_ms()
        if not said.values or (said.time_ms is not None and said.time_ms > now + AHEAD_MS):
            self._status = replace(status, dropped=status.dropped + 1, last_line=said.text or status.last_line)
            return
        at = now if said.time_ms is None else said.time_ms
        # several lines may come at once: each keeps its own moment
        if said.time_ms is None and self._newest_ms is not None and 0 <= self._newest_ms - at < 1000:
            at = self._newest_ms + 1
        self._newest_ms = at
        if status.last_ms is not None:
            self._pauses = [*self._pauses, max(0.0, (now - status.last_ms) / 1000.0)][-GAPS:]
        battery, signal = health(said.values)
        self._status = replace(
            status,
            last_ms=now,
            good=status.good + 1,
            last_line=said.text,
            pause_s=max(self._pauses, default=0.0),
            battery=status.battery if battery is None else battery,
            signal=status.signal if signal is None else signal,
        )
        self._on_line(Line(at, said.values))


class Heard(NamedTuple):
    """What a source said while one listened: the first texts, and its newest numbers by name."""

    texts: tuple[str, ...]
    values: dict[str, float]


MOST_TEXTS = 5


def listen(
    open_source: Callable[[], Source],
    seconds: float,
    cancelled: Callable[[], bool],
    enough: int = 5,
    after_s: float = inf,
) -> Heard:
    """Listen to a source for some seconds, or until it said enough things, to see what it sends.

    after_s: so long after the first it is enough too. Raises OSError where it cannot be opened or is lost.
    """
    source = open_source()
    texts: list[str] = []
    values: dict[str, float] = {}
    heard = 0
    until = time.monotonic() + seconds
    try:
        while time.monotonic() < until and heard < enough and not cancelled():
            for said in source.read():
                heard += 1
                until = min(until, time.monotonic() + after_s) if heard == 1 else until
                texts += [said.text] if said.text not in texts else []
                values |= said.values
    finally:
        source.close()
    return Heard(tuple(texts[:MOST_TEXTS]), values)
