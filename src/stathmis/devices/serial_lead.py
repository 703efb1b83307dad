"""A probe on a serial or USB lead: lines of text as they come."""

from __future__ import annotations

import logging
from typing import Protocol

from stathmis.devices.line_protocol import Layout, LineSplitter, guess_layout, values_in
from stathmis.devices.source import READ_S, TEXT_LENGTH, Said

log = logging.getLogger(__name__)


class Port(Protocol):
    """An open serial port."""

    def read(self, size: int) -> bytes:
        """Bytes that came, at most size; empty when none came for a moment. Raises OSError when the port is gone."""

    def close(self) -> None:
        """Let go of it."""


def open_serial(device: str, baud: int) -> Port:
    """Open a serial port. Raises OSError where it cannot be opened."""
    import serial

    try:
        # exclusive: two readers of one port would each get half the lines
        return serial.Serial(device, baud, timeout=READ_S, exclusive=True)  # type: ignore[no-any-return]
    except (serial.SerialException, ValueError) as error:
        raise OSError(str(error)) from error


def ports() -> list[str]:
    """Serial devices of this computer, by path."""
    from serial.tools import list_ports

    return sorted(p.device for p in list_ports.comports())


class SerialLead:
    """A port whose lines are laid out in one way; None: each line tells by itself."""

    def __init__(self, port: Port, layout: Layout | None) -> None:
        self._port, self._layout, self._splitter = port, layout, LineSplitter()

    def read(self) -> list[Said]:
        """Whole lines that came. Raises OSError when the lead is out."""
        return [said(line, self._layout) for line in self._splitter.feed(self._port.read(4096)) if line.strip()]

    def close(self) -> None:
        """Let go of the port."""
        self._port.close()


def said(line: str, layout: Layout | None) -> Said:
    """A line with its numbers; whatever a line can do to its reading, it costs that line only."""
    try:
        how = layout or guess_layout(line)
        return Said(line[:TEXT_LENGTH], values_in(line, how) if how is not None else {})
    except Exception:  # noqa: BLE001  a thread that ends quietly would lose what comes after
        log.warning("unreadable line: %r", line[:TEXT_LENGTH])
        return Said(line[:TEXT_LENGTH], {})
