"""A simulated stand-in for every kind of source."""

from __future__ import annotations

from pathlib import Path

from stathmis.devices.simulated_broker import SimulatedTopics
from stathmis.devices.simulated_incubator import Machine
from stathmis.devices.simulated_meter import Script, SimulatedMeter
from stathmis.devices.simulated_probe import SimulatedProbe
from stathmis.devices.simulated_sensors import SimulatedFile, SimulatedSensors
from stathmis.devices.source import Kind


def stand_in(kind: Kind, folder: Path, seed: int = 0, script: Script | None = None) -> SimulatedMeter:
    """A source of a kind, not started yet; folder: of its own, where it may keep files or a socket."""
    how = script or Script(seed=seed)
    if kind == "kernel":
        return SimulatedSensors(Machine(), how, folder / "sys")
    if kind == "mqtt":
        return SimulatedTopics(Machine(), how, folder / "broker")
    if kind == "file":
        return SimulatedFile(Machine(), how, folder / "readings.csv")
    return SimulatedProbe(Machine(), how)


def kind_of(meter: SimulatedMeter) -> Kind:
    """Which kind of source it stands for."""
    known: dict[type[SimulatedMeter], Kind] = {
        SimulatedSensors: "kernel",
        SimulatedTopics: "mqtt",
        SimulatedFile: "file",
    }
    return known.get(type(meter), "serial")
