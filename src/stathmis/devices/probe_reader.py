"""One serial probe, read on its own thread: opened, lost, opened again, whatever it sends.

The reader hands on what it read with the time it came; it knows nothing of logbooks.
"""

from __future__ import annotations

import logging
import threading
import time
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass, replace
from typing import Protocol

from stathmis.devices.line_protocol import Layout, LineSplitter, values_in

log = logging.getLogger(__name__)

RETRY_S = 1.0
"""How long to wait before a lost port is tried again."""
READ_S = 0.2


class Port(Protocol):
    """An open serial port."""

    def read(self, size: int) -> bytes:
        """Bytes that came, at most size; empty when none came for a moment. Raises OSError when the port is gone."""

    def close(self) -> None:
        """Let go of it."""


@dataclass(frozen=True)
class Status:
    """How a probe is doing: connected or why not, when its last good line came (UTC ms), lines read and dropped."""

    connected: bool = False
    trouble: str = "not opened yet"
    last_ms: int | None = None
    good: int = 0
    dropped: int = 0
    last_line: str = ""


@dataclass(frozen=True)
class Line:
    """What one line said, by field, and when it came (UTC ms)."""

    time_ms: int
    values: dict[str, float]


def open_serial(device: str, baud: int) -> Port:
    """Open a serial port. Raises OSError where it cannot be opened."""
    import serial

    try:
        # exclusive: two readers of one port would each get half the lines
        return serial.Serial(device, baud, timeout=READ_S, exclusive=True)  # type: ignore[no-any-return]
    except (serial.SerialException, ValueError) as error:
        raise OSError(str(error)) from error


class ProbeReader:
    """Reads one probe until stopped; on_line is called on the reader's thread for every good line."""

    def __init__(
        self,
        open_port: Callable[[], Port],
        layout: Layout,
        on_line: Callable[[Line], None],
        now_ms: Callable[[], int],
        retry_s: float = RETRY_S,
    ) -> None:
        self._open, self._layout, self._on_line, self._now_ms = open_port, layout, on_line, now_ms
        self._retry_s = retry_s
        self._stop = threading.Event()
        self._status = Status()
        self._thread = threading.Thread(target=self._run, daemon=True, name="probe")

    @property
    def status(self) -> Status:
        """How it is doing now."""
        return self._status

    def start(self) -> ProbeReader:
        """Begin reading."""
        self._thread.start()
        return self

    def ask_to_stop(self) -> None:
        """Stop reading soon, without waiting for it."""
        self._stop.set()

    def stop(self) -> None:
        """Stop reading and let go of the port."""
        self._stop.set()
        if self._thread.is_alive():
            self._thread.join(timeout=5.0)

    def _run(self) -> None:
        splitter = LineSplitter()
        while not self._stop.is_set():
            try:
                port = self._open()
            except Exception as error:  # noqa: BLE001  a thread that ends quietly would lose what comes after
                self._status = replace(self._status, connected=False, trouble=str(error))
                self._stop.wait(self._retry_s)
                continue
            splitter.reset()
            self._status = replace(self._status, connected=True, trouble="")
            try:
                while not self._stop.is_set():
                    self._take(splitter.feed(port.read(4096)))
            except Exception as error:  # noqa: BLE001  a thread that ends quietly would lose what comes after
                # a lost lead, or a driver's own fault: either way it is tried again
                self._status = replace(self._status, connected=False, trouble=str(error))
            finally:
                with suppress(Exception):
                    port.close()
            self._stop.wait(self._retry_s)

    def _take(self, lines: list[str]) -> None:
        for text in lines:
            try:
                values = values_in(text, self._layout)
            except Exception:  # noqa: BLE001  a thread that ends quietly would lose what comes after
                # whatever a line can do to its reading, it costs that line only
                log.warning("a line of a probe could not be read: %r", text[:80])
                values = {}
            status = self._status
            if not values:
                dropped = status.dropped + bool(text.strip())
                self._status = replace(status, dropped=dropped, last_line=text[:80] or status.last_line)
                continue
            at = self._now_ms()
            # several lines may come at once: each keeps its own moment
            if status.last_ms is not None and 0 <= status.last_ms - at < 1000:
                at = status.last_ms + 1
            self._status = replace(status, last_ms=at, good=status.good + 1, last_line=text[:80])
            self._on_line(Line(at, values))


def listen(open_port: Callable[[], Port], seconds: float, cancelled: Callable[[], bool]) -> list[str]:
    """Lines a port sends within some seconds, at most five, to see how they are laid out.

    Raises OSError where it cannot be opened or is lost.
    """
    port, splitter = open_port(), LineSplitter()
    lines: list[str] = []
    until = time.monotonic() + seconds
    try:
        while time.monotonic() < until and len(lines) < 5 and not cancelled():
            lines += [line for line in splitter.feed(port.read(4096)) if line.strip()]
    finally:
        port.close()
    return lines[:5]


def ports() -> list[str]:
    """Serial devices of this computer, by path."""
    from serial.tools import list_ports

    return sorted(p.device for p in list_ports.comports())
