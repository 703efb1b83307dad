"""A small broker on a local socket, with a simulated sensor that publishes there: the stand-in for a keeper's own. It
knows what a client of readings needs: connect, subscribe, publish (at most, and at least once), ping, take leave.

Source: MQTT Version 3.1.1, OASIS standard (2014), chapters 2 and 3; from memory.
"""

from __future__ import annotations

import json
import socket
import threading
from collections.abc import Sequence
from contextlib import suppress
from pathlib import Path

from stathmis.devices.simulated_incubator import Machine
from stathmis.devices.simulated_meter import Script, SimulatedMeter

CONNECT, CONNACK, PUBLISH, PUBACK, SUBSCRIBE, SUBACK, PINGREQ, PINGRESP, DISCONNECT = 1, 2, 3, 4, 8, 9, 12, 13, 14
TURN_S = 0.2


def matches(pattern: str, topic: str) -> bool:
    """Whether a subscription takes a topic: "+" stands for one level, "#" for all that follow."""
    wanted, given = pattern.split("/"), topic.split("/")
    for at, part in enumerate(wanted):
        if part == "#":
            return True
        if at >= len(given) or part not in ("+", given[at]):
            return False
    return len(wanted) == len(given)


class Broker:
    """Hands on what is published; what is marked to be kept is said to whoever subscribes later."""

    def __init__(self, path: Path) -> None:
        self.device = f"unix:{path}"
        self._path = path
        self._lock = threading.Lock()
        self._links: dict[socket.socket, list[str]] = {}
        self._kept: dict[str, bytes] = {}
        self._stop = threading.Event()
        self._open: socket.socket | None = None

    def start(self) -> Broker:
        """Begin to listen."""
        self._stop.clear()
        self._path.unlink(missing_ok=True)
        self._open = socket.socket(socket.AF_UNIX, socket.SOCK_STREAM)
        self._open.bind(str(self._path))
        self._open.listen()
        self._open.settimeout(TURN_S)
        threading.Thread(target=self._accept, args=(self._open,), daemon=True, name="simulated broker").start()
        return self

    def stop(self) -> None:
        """Leave everyone alone."""
        self._stop.set()
        if self._open is not None:
            self._open.close()
            self._open = None
        with self._lock:
            for link in self._links:
                with suppress(OSError):
                    link.shutdown(socket.SHUT_RDWR)
        self._path.unlink(missing_ok=True)

    @property
    def listeners(self) -> int:
        """How many are subscribed to anything."""
        with self._lock:
            return sum(bool(patterns) for patterns in self._links.values())

    def publish(self, topic: str, payload: bytes, *, keep: bool = False) -> None:
        """Hand a message on to all who subscribed to its topic."""
        if keep:
            self._kept[topic] = payload
        with self._lock:
            for link, patterns in self._links.items():
                if any(matches(p, topic) for p in patterns):
                    # who went away meanwhile hears nothing
                    with suppress(OSError):
                        link.sendall(_publish(topic, payload, kept=False))

    def _accept(self, listening: socket.socket) -> None:
        while not self._stop.is_set():
            try:
                link, _address = listening.accept()
            except TimeoutError:
                continue
            except OSError:
                return
            threading.Thread(target=self._serve, args=(link,), daemon=True, name="simulated broker").start()

    def _serve(self, link: socket.socket) -> None:
        with self._lock:
            self._links[link] = []
        try:
            while not self._stop.is_set():
                kind, flags, body = _packet(link)
                if kind == DISCONNECT or not self._answer(link, kind, flags, body):
                    return
        except (OSError, ValueError):
            return
        finally:
            with self._lock:
                del self._links[link]
            link.close()

    def _answer(self, link: socket.socket, kind: int, flags: int, body: bytes) -> bool:
        if kind == CONNECT:
            link.sendall(bytes([CONNACK << 4, 2, 0, 0]))
        elif kind == SUBSCRIBE:
            patterns = _patterns(body[2:])
            with self._lock:
                self._links[link] += patterns
                link.sendall(bytes([SUBACK << 4, 2 + len(patterns)]) + body[:2] + bytes(len(patterns)))
                for topic, payload in self._kept.items():
                    if any(matches(p, topic) for p in patterns):
                        link.sendall(_publish(topic, payload, kept=True))
        elif kind == PINGREQ:
            link.sendall(bytes([PINGRESP << 4, 0]))
        elif kind == PUBLISH:
            long = int.from_bytes(body[:2], "big")
            topic, rest = body[2 : 2 + long].decode(), body[2 + long :]
            if flags & 0b0110:
                link.sendall(bytes([PUBACK << 4, 2]) + rest[:2])
                rest = rest[2:]
            self.publish(topic, rest, keep=bool(flags & 1))
        return kind != CONNACK


def _packet(link: socket.socket) -> tuple[int, int, bytes]:
    """One packet: its kind, flags and body. Raises OSError where the other end is gone, ValueError for none."""
    first, length, shift = _exactly(link, 1)[0], 0, 0
    while True:
        part = _exactly(link, 1)[0]
        length |= (part & 127) << shift
        shift += 7
        if part < 128:
            return first >> 4, first & 15, _exactly(link, length)
        if shift > 21:
            raise ValueError("length")


def _exactly(link: socket.socket, count: int) -> bytes:
    held = b""
    while len(held) < count:
        part = link.recv(count - len(held))
        if not part:
            raise ConnectionResetError
        held += part
    return held


def _patterns(body: bytes) -> list[str]:
    found = []
    while body:
        long = int.from_bytes(body[:2], "big")
        found.append(body[2 : 2 + long].decode())
        body = body[3 + long :]
    return found


def _publish(topic: str, payload: bytes, *, kept: bool) -> bytes:
    name = topic.encode()
    body = len(name).to_bytes(2, "big") + name + payload
    length, left = b"", len(body)
    while True:
        left, part = left >> 7, left & 127
        length += bytes([part | (128 if left else 0)])
        if not left:
            return bytes([PUBLISH << 4 | kept]) + length + body


class SimulatedTopics(SimulatedMeter):
    """A sensor that publishes at a broker of its own; device is where that listens."""

    def __init__(self, machine: Machine, script: Script, path: Path, topic: str = "cellar/box") -> None:
        super().__init__(machine, script, f"unix:{path}")
        self.broker, self._topic = Broker(path).start(), topic

    def stop(self) -> None:
        """Publish no longer, and close the broker."""
        super().stop()
        self.broker.stop()

    def unplug(self) -> None:
        """The broker is gone."""
        self.broker.stop()

    def plug(self) -> None:
        """It is there again."""
        self.broker.start()

    def send(self, values: list[tuple[str, float]] | None) -> bool:
        """Publish the values as JSON, with battery and signal."""
        named: Sequence[tuple[str, float]] = [*(values or []), ("battery", 91.0), ("rssi", -67.0)]
        whole = json.dumps({k: round(v, 2) for k, v in named}).encode()
        self.broker.publish(self._topic, self.garbage() if values is None else whole)
        return self.broker.listeners > 0
