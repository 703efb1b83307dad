"""Live probes in words."""

from __future__ import annotations

from stathmis.devices.probe_reader import Status
from stathmis.devices.source import Kind
from stathmis.words import dates
from stathmis.words.catalogue import N_, Spoken, _
from stathmis.words.numbers import signed

KINDS: Spoken[Kind] = Spoken(
    {
        "serial": N_("A lead (USB or serial)"),
        "kernel": N_("A sensor of this computer"),
        "mqtt": N_("A broker (MQTT)"),
        "file": N_("A file that grows"),
    }
)
DEVICES: Spoken[Kind] = Spoken(
    {"serial": N_("Device"), "kernel": N_("Sensors under"), "mqtt": N_("Broker"), "file": N_("File")}
)
ABOUT: Spoken[Kind] = Spoken(
    {
        "serial": N_("A probe that sends a line of text for each reading, such as t=37.52 rh=48.1."),
        "kernel": N_("Sensors wired to this computer that its kernel reads (IIO, hwmon, 1-wire)."),
        "mqtt": N_("Devices that publish at a broker of your own: box, user@box:1883, or mqtts://box."),
        "file": N_(
            "A table or JSON lines another program appends to; with times in it, nothing is lost while this is shut."
        ),
    }
)


def kinds() -> list[tuple[str, Kind]]:
    """Every kind of source by its name."""
    return [(_(text), kind) for kind, text in KINDS.items()]


def device_word(kind: Kind) -> str:
    """What a source of a kind is read at."""
    return _(DEVICES[kind])


def about(kind: Kind) -> str:
    """What a kind of source is."""
    return _(ABOUT[kind])


def unnamed(kind: Kind) -> tuple[str, str]:
    """No name, or no device."""
    example = {"serial": "/dev/ttyUSB0", "kernel": "/sys", "mqtt": "box:1883", "file": "/home/me/readings.csv"}[kind]
    return (
        _("It needs a name, and where it is read."),
        _("{device} is such as {example}.", device=device_word(kind), example=example),
    )


def no_address(device: str) -> tuple[str, str]:
    """What is no broker's address."""
    return (
        _("“{device}” is no broker's address.", device=device),
        _("Write it as box, box:1883, user@box or mqtts://box."),
    )


def read_already(name: str, device: str) -> tuple[str, str]:
    """Another probe takes the same."""
    return _("{name} is read at {device} already.", name=name, device=device), _("Take that one away first.")


def name_taken(name: str) -> tuple[str, str]:
    """Another probe is called so."""
    return _("There is a probe named {name} already.", name=name), _("Give this one another name.")


def no_field() -> tuple[str, str]:
    """Nothing of it is used."""
    return _("No value goes to an instrument."), _("Choose one for at least one of them.")


def twice() -> tuple[str, str]:
    """Two values for one instrument."""
    return _("Two values go to the same instrument."), _("Give each its own, or leave one out.")


def limits() -> tuple[str, str]:
    """Numbers that make no sense."""
    return _("Baud runs from 50 up, and writing from 0 to 3600 s."), _("9600 and 10 are usual.")


def health(s: Status) -> str:
    """ "battery 91 %, signal −67", as far as it tells; may be empty."""
    said = []
    if s.battery is not None:
        said.append(_("battery {percent:.0f} %", percent=s.battery))
    if s.signal is not None:
        said.append(_("signal {signal}", signal=signed(s.signal, 0).lstrip("+")))
    return ", ".join(said)


def last_word(s: Status, now_ms: int) -> str:
    """How long ago it said something good: "2 min ago"; empty before the first time."""
    if s.last_ms is None:
        return ""
    since = now_ms - s.last_ms
    return _("just now") if since < 60_000 else _("{duration} ago", duration=dates.duration(since))


def state(s: Status, silent: bool) -> str:
    """ "reading", "silent", or what keeps it from being read."""
    if not s.connected:
        return _("not connected: {trouble}", trouble=s.trouble or _("not opened yet"))
    if silent:
        return _("connected, but silent")
    return _("reading") if s.good else _("waiting for the first line")
