"""Live probes: readers for all of them, their readings written every few seconds, and how each is doing."""

from __future__ import annotations

import json
import logging
import threading
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import partial

from stathmis.core.errors import UserError
from stathmis.core.units import from_inside, to_inside
from stathmis.devices import kinds, mqtt_client
from stathmis.devices.kinds import Wanted
from stathmis.devices.line_protocol import Layout
from stathmis.devices.probe_reader import Line, ProbeReader, Status
from stathmis.devices.serial_lead import Port, open_serial
from stathmis.devices.source import Kind, Source
from stathmis.logbook import live
from stathmis.logbook.live import LiveReading
from stathmis.logbook.records import Channel, Probe
from stathmis.services.desk import Desk
from stathmis.services.watch import broker_keys
from stathmis.words import probes as words
from stathmis.words.catalogue import _

log = logging.getLogger(__name__)

SILENT_S: dict[Kind, float] = {"serial": 60.0, "kernel": 60.0, "mqtt": 900.0, "file": 900.0}
"""A probe that sent nothing good for so long is silent: devices on a broker, and programs that write files, save power
and report every few minutes. Source: common practice."""
PAUSES = 3.0
"""One that pauses longer by habit is silent after so many of its longest pauses."""
TURN_S = 0.25
"""How often the writer looks whether something is to be written."""

Opener = Callable[[str, int], Port]
Targets = dict[str, tuple[Channel, str]]


@dataclass(frozen=True)
class ProbeStatus:
    """A probe with how its reader is doing; silent: nothing good came for longer than such a probe pauses."""

    probe: Probe
    status: Status
    silent: bool


class LiveProbes:
    """All live probes of an open logbook. Readings go to disk on the writer's own thread, which survives any error."""

    def __init__(self, desk: Desk, opener: Opener = open_serial) -> None:
        self._desk, self._opener = desk, opener
        self._readers: dict[int, tuple[Probe, Targets, ProbeReader]] = {}
        self._lives: dict[int, object] = {}
        self._waiting: dict[int, list[LiveReading]] = {}
        self._lock = threading.Lock()
        self._stop = threading.Event()
        self._writer: threading.Thread | None = None
        self._written_s: dict[int, float] = {}
        self.stored = 0
        self.trouble = ""
        self.on_stored: Callable[[list[LiveReading]], None] = lambda stored: None

    def start(self) -> None:
        """Read every probe of the logbook; safe to call again after probes changed."""
        if self._desk.read_only:
            return
        wanted = {p.id: (p, self._targets(p)) for p in self._desk.book.records(Probe)}
        for probe_id in [i for i, (*known, _reader) in self._readers.items() if wanted.get(i) != tuple(known)]:
            # it ends by itself: the window does not wait for a port; what it still hears does not count
            self._readers.pop(probe_id)[2].ask_to_stop()
            with self._lock:
                self._lives.pop(probe_id, None)
        for probe, targets in wanted.values():
            if probe.id not in self._readers:
                life = self._lives[probe.id] = object()
                on_line = partial(self._take, probe.id, targets, life)
                opener = self.opener_for(self._wanted(probe, targets))
                reader = ProbeReader(opener, on_line, lambda: self._desk.now_ms)
                self._readers[probe.id] = (probe, targets, reader.start())
        if self._readers and self._writer is None:
            self._writer = threading.Thread(target=self._write_on, daemon=True, name=_("live writer"))
            self._writer.start()

    def stop(self) -> None:
        """Stop reading, and write what is waiting."""
        self._stop.set()
        for *_known, reader in self._readers.values():
            reader.ask_to_stop()
        for *_known, reader in self._readers.values():
            reader.stop()
        if self._writer is not None:
            self._writer.join(timeout=10.0)
        self.flush()

    def opener_for(self, wanted: Wanted) -> Callable[[], Source]:
        """How a source is opened."""
        return kinds.opener(wanted, self._opener)

    def _wanted(self, probe: Probe, targets: Targets) -> Wanted:
        channels = {channel.id for channel, _unit in targets.values()}
        return Wanted(
            probe.kind,
            probe.device,
            probe.baud,
            probe.layout,
            tuple(json.loads(probe.fields)),
            broker_keys.password(probe.device) if probe.kind == "mqtt" else "",
            self._desk.book.zone,
            partial(self._newest_ms, probe.id, channels),
        )

    def _newest_ms(self, probe_id: int, channels: set[int]) -> int | None:
        """The newest reading of some channels that came by itself, written or waiting (UTC ms)."""
        snapshot = self._desk.logbook.snapshot
        found = [int(t[-1]) for c in channels if (t := snapshot.tail(c).times_ms).size]
        found += [head.last_ms for c in channels for head in snapshot.heads(c)]
        with self._lock:
            found += [r.time_ms for r in self._waiting.get(probe_id, ())]
        return max(found, default=None)

    def statuses(self) -> list[ProbeStatus]:
        """How every probe is doing."""
        now = self._desk.now_ms
        found = []
        for probe, _baud, reader in self._readers.values():
            status = reader.status
            # a line from the future was heard before the computer's clock was set back: it says nothing about now
            most_s = max(SILENT_S[probe.kind], PAUSES * status.pause_s)
            silent = status.heard_ms is not None and abs(now - status.heard_ms) > most_s * 1000
            found.append(ProbeStatus(probe, status, silent))
        return found

    def _targets(self, probe: Probe) -> Targets:
        """Field to channel, with the unit the probe sends."""
        channels = {c.id: c for c in self._desk.book.records(Channel)}
        return {
            name: (channels[int(to["channel"])], str(to["unit"]))
            for name, to in json.loads(probe.fields).items()
            if int(to["channel"]) in channels
        }

    def _take(self, probe_id: int, targets: Targets, life: object, line: Line) -> None:
        made = []
        for name, (channel, unit) in targets.items():
            value = line.values.get(name)
            if value is None:
                continue
            shown = value if unit == channel.unit else float(from_inside(to_inside(value, unit), channel.unit))  # type: ignore[arg-type]
            # what no such instrument can show is a fault of the line, not a reading
            if channel.low <= shown <= channel.high:
                made.append(LiveReading(channel.id, line.time_ms, shown))
        with self._lock:
            if self._lives.get(probe_id) is life:
                self._waiting.setdefault(probe_id, []).extend(made)

    def _write_on(self) -> None:
        while not self._stop.wait(TURN_S):
            now_s = time.monotonic()
            every = {p.id: p.every_s for p, *_ in list(self._readers.values())}
            due = [i for i in list(self._waiting) if now_s - self._written_s.get(i, 0.0) >= every.get(i, 0.0)]
            if due:
                self._written_s.update(dict.fromkeys(due, now_s))
                try:
                    self.flush(due)
                except Exception as error:
                    # whoever listens may fail; the writer goes on, and what it holds is written with the next turn
                    log.exception("after writing live readings")
                    self.trouble = f"{type(error).__name__}: {error}"

    def flush(self, probe_ids: Sequence[int] | None = None) -> None:
        """Write what is waiting, of some probes or all; on trouble it goes on waiting and trouble says why."""
        with self._lock:
            ids = list(self._waiting) if probe_ids is None else [i for i in probe_ids if i in self._waiting]
            held = {i: self._waiting.pop(i) for i in ids}
        taken = [reading for found in held.values() for reading in found]
        if not taken:
            return
        try:
            live.store_live(self._desk.logbook, taken)
        except Exception as error:  # noqa: BLE001  a thread that ends quietly would lose what comes after
            # whatever it was, nothing that came is lost: it waits, and trouble says why
            with self._lock:
                for probe_id, found in held.items():
                    self._waiting[probe_id] = found + self._waiting.get(probe_id, [])
            self.trouble = str(error)
            if not isinstance(error, UserError):
                log.warning("live readings could not be written yet: %s", error)
            return
        self.trouble = ""
        self.stored += len(taken)
        self.on_stored(taken)
        try:
            live.seal_full(self._desk.logbook, self._desk.now_ms)
        except Exception as error:  # noqa: BLE001  a thread that ends quietly would lose what comes after
            # what was to be sealed is safe as it stands; the writer goes on and tries again
            self.trouble = str(error)


@dataclass(frozen=True)
class NewProbe:
    """A source of readings as it is entered. fields: name of a value to (channel id, unit it is sent in); every_s: it
    is written every so many seconds; baud, layout: of a serial lead; password: of a broker that asks for one."""

    name: str
    device: str
    fields: dict[str, tuple[int, str]]
    kind: Kind = "serial"
    baud: int = 9600
    layout: Layout = "json"
    every_s: float = 10.0
    password: str = ""


def add_probe(desk: Desk, new: NewProbe) -> int:
    """Enter a source of readings; undoable.

    Raises UserError without a name or device, with a name that is taken or a value that goes somewhere already, and
    with no field used.
    """
    name, device = new.name.strip(), new.device.strip()
    if not name or not device:
        raise UserError(*words.unnamed(new.kind))
    if new.kind == "mqtt" and mqtt_client.address(device) is None:
        raise UserError(*words.no_address(device))
    for probe in desk.book.records(Probe):
        # of a serial lead one reads all; of others two may take different values
        shared = probe.kind == "serial" or set(json.loads(probe.fields)) & set(new.fields)
        if (probe.kind, probe.device) == (new.kind, device) and shared:
            raise UserError(*words.read_already(probe.name, device))
        if probe.name.casefold() == name.casefold():
            raise UserError(*words.name_taken(probe.name))
    if not new.fields:
        raise UserError(*words.no_field())
    if len({channel_id for channel_id, _unit in new.fields.values()}) < len(new.fields):
        raise UserError(*words.twice())
    if not 50 <= new.baud <= 4_000_000 or not 0 <= new.every_s <= 3600:
        raise UserError(*words.limits())
    if new.kind == "mqtt" and new.password:
        broker_keys.keep(device, new.password)
    with desk.edit(_("{name} entered", name=name)) as edit:
        return edit.add(
            Probe,
            name=name,
            device=device,
            baud=new.baud,
            layout=new.layout,
            fields=json.dumps({k: {"channel": c, "unit": u} for k, (c, u) in new.fields.items()}),
            every_s=new.every_s,
            kind=new.kind,
        )


def remove_probe(desk: Desk, probe: Probe) -> None:
    """Read a probe no longer; its readings stay; undoable."""
    desk.strike(_("{probe} taken away", probe=probe.name), Probe, [probe.id])
