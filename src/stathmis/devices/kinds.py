"""Every kind of source there is: what can be found of it here, and how one is opened."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path

from stathmis.devices import kernel_sensors, mqtt_client, serial_lead
from stathmis.devices.growing_file import GrowingFile, Place
from stathmis.devices.line_protocol import Layout
from stathmis.devices.serial_lead import Port, SerialLead, open_serial
from stathmis.devices.source import Kind, Source

SYSTEM = "/sys"
BROKER = "localhost"


@dataclass(frozen=True)
class Wanted:
    """A source to open. device: a serial device, the root of the kernel's sensors, a broker, or a file; names: the
    values wanted of it, empty: all; zone: of a file's times that tell none; since: up to when a file was read before
    (UTC ms)."""

    kind: Kind
    device: str
    baud: int = 9600
    layout: Layout | None = None
    names: tuple[str, ...] = ()
    password: str = ""
    zone: str = "UTC"
    since: Callable[[], int | None] = lambda: None
    from_start: bool = False


def opener(wanted: Wanted, port: Callable[[str, int], Port] = open_serial) -> Callable[[], Source]:
    """What opens a source, again and again; each raises OSError where it cannot be opened."""
    device = wanted.device
    if wanted.kind == "serial":
        return lambda: SerialLead(port(device, wanted.baud), wanted.layout)
    if wanted.kind == "kernel":
        return lambda: kernel_sensors.KernelSensors(Path(device), wanted.names)
    if wanted.kind == "mqtt":
        return lambda: _broker(device, wanted.names, wanted.password)
    place = Place()
    return lambda: GrowingFile(Path(device), place, wanted.zone, wanted.since, from_start=wanted.from_start)


def _broker(device: str, names: Sequence[str], password: str) -> Source:
    at = mqtt_client.address(device)
    if at is None:
        raise OSError(device)
    return mqtt_client.MqttTopics(at, mqtt_client.topics_of(names), password)


def offered(kind: Kind) -> list[str]:
    """Devices of a kind that are here, or usual; a file cannot be guessed."""
    if kind == "serial":
        return serial_lead.ports()
    return {"kernel": [SYSTEM], "mqtt": [BROKER]}.get(kind, [])
