"""Where readings come from by themselves: how each source is doing, and entering one by listening to what it says."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable
from pathlib import Path
from tempfile import TemporaryDirectory

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QFileDialog, QGridLayout, QLineEdit, QWidget

from stathmis.core.errors import UserError
from stathmis.core.units import NotANumberError, parse_typed
from stathmis.devices import kinds
from stathmis.devices.kinds import Wanted
from stathmis.devices.line_protocol import Layout, guess_layout
from stathmis.devices.mqtt_client import SEPARATOR
from stathmis.devices.probe_reader import Heard, listen
from stathmis.devices.simulated_meter import SimulatedMeter
from stathmis.devices.source import Kind, is_health
from stathmis.logbook.records import Channel, Incubator, Instrument, Placement, Probe
from stathmis.logbook.snapshot import SETTINGS
from stathmis.services import notify
from stathmis.services.desk import Desk
from stathmis.services.watch import broker_keys, live
from stathmis.services.watch.live import LiveProbes, NewProbe, ProbeStatus
from stathmis.ui.kit.fields import Chooser, field
from stathmis.ui.kit.lines import Pool
from stathmis.ui.kit.page import FieldGrid, Page, column, holder, put, row
from stathmis.ui.kit.pieces import button, clear, given, label, problem_label, rule, say, set_text
from stathmis.ui.theme import Theme
from stathmis.ui.work import Background
from stathmis.words import probes as words
from stathmis.words.catalogue import _, as_number
from stathmis.words.numbers import count, unit_word
from stathmis.words.pages import empty

LISTEN_S: dict[Kind, float] = {"serial": 5.0, "kernel": 5.0, "mqtt": 60.0, "file": 5.0}
"""So long one listens; a broker's devices may be quiet for a while."""
AFTER_S = 5.0
ENOUGH: dict[Kind, int] = {"serial": 5, "kernel": 1, "mqtt": 500, "file": 5}
TURN_MS = 1000
MOST_ROWS = 16
"""More values at once would be a wall: the keeper says which are meant."""
_GUESSES = (
    (("t", "temp", "temperature"), "temperature", "°C"),
    (("rh", "h", "hum", "humidity", "humidityrelative"), "humidity", "%"),
)


class _ProbeLine(QWidget):
    """A probe: its name and device, how it is doing, and a way to take it away. It lives on as the probes change."""

    def __init__(self, take_away: Callable[[Probe], object]) -> None:
        super().__init__()
        self._probe: Probe | None = None
        self._name, self._device = label("", "name"), label("", "small", wrap=True)
        self._words = label("", wrap=True)
        self._away = button(_("Take away"), given(lambda: self._probe, take_away), "link")
        names = column(self._name, self._device, spacing=0)
        put(self, column(rule(), row((names, 1), (self._words, 2), self._away)))

    def show_status(self, one: ProbeStatus) -> None:
        """Show a probe and how it is doing."""
        self._probe, s = one.probe, one.status
        set_text(self._name, one.probe.name)
        set_text(self._device, one.probe.device)
        self._away.setAccessibleName(_("Take away {probe}", probe=one.probe.name))
        said = f"{words.state(s, one.silent)} · {count(s.good, '{n} line', '{n} lines')}"
        said += _(", {lines} made no sense", lines=count(s.dropped, "{n} line", "{n} lines")) if s.dropped else ""
        health = words.health(s)
        said += f" · {health}" if health else ""
        set_text(self._words, said + (f" · “{s.last_line}”" if s.last_line else ""))


class LiveView(Page):
    """The place for sources of readings."""

    rests_on = frozenset[type | str]({Channel, Incubator, Instrument, Placement, Probe, SETTINGS})

    def __init__(self, desk: Desk, theme: Theme, probes: LiveProbes) -> None:
        super().__init__(theme)
        self._desk, self._live = desk, probes
        self._simulated: list[tuple[SimulatedMeter, TemporaryDirectory[str]]] = []
        self._job: Background | None = None
        self._listening: Background | None = None
        self._layout_found: Layout | None = None
        self._targets: dict[str, tuple[Chooser, Chooser]] = {}
        about = _("Whatever measures by itself: what it says is logged, and corrected like everything else.")
        self._heard_values: dict[str, float] = {}
        self._none, self._heard = label(empty("live"), "muted", wrap=True), label("", "muted", wrap=True)
        self._trouble, self._problem = problem_label(), problem_label()
        self._mapping = column()
        self.only = field(_("Only values whose name has"), _("only values whose name has …"), typed=self._narrowed)
        self.only.hide()
        self.keep = button(_("&Keep this probe"), self.keep_probe, "main")
        self.keep.setEnabled(False)
        probes_of = column()
        self._lines = Pool(probes_of, lambda: _ProbeLine(self._remove))
        for part in (
            column(label(_("Live probes"), "title"), label(about, "muted", wrap=True), self._none, probes_of),
            column(self._trouble, rule(), label(_("Another probe"), "heading"), self._form(), self._heard),
            column(self.only, self._mapping, self._problem, row(self.keep, 1), 1),
        ):
            self.page.addLayout(part)
        self._kind_changed("serial")
        self._timer = QTimer(self)
        self._timer.timeout.connect(self._second_passed)
        self._timer.start(TURN_MS)

    def _form(self) -> QGridLayout:
        self._grid = grid = FieldGrid()
        self.kind = grid.add(_("It is"), Chooser(options=words.kinds(), changed=self._kind_changed))
        self.name = grid.add(_("You call it"), field(_("You call it"), _("such as: Probe in the cabinet")))
        self._device_word = label(words.device_word("serial"), "muted")
        self.device = Chooser(words.device_word("serial"), yielding=True)
        self.device.setEditable(True)
        self._choose_file = button(_("Choose …"), self._choose)
        self._devices = grid.add(self._device_word, holder(row((self.device, 1), self._choose_file)))
        self.password = grid.add(_("Password"), field(_("Password"), _("where the broker asks for one")))
        self.password.setEchoMode(QLineEdit.EchoMode.Password)
        self.baud = grid.add(_("Baud"), field(_("Baud"), text="9600"))
        self.every = grid.add(_("Write every, s"), field(_("Write every, s"), text="10"))
        self.listen = button(_("&Listen to it"), self.start_listening)
        self.simulate = button(_("Start a &simulated probe"), self.start_simulated)
        grid.add("", holder(row(self.listen, self.simulate, 1, spacing=12)))
        self._about = grid.add("", label("", "small", wrap=True))
        return grid

    def _kind_changed(self, kind: Kind) -> None:
        """Another kind of source is meant: its own fields, and the devices of it that are here."""
        word = words.device_word(kind)
        set_text(self._device_word, word)
        typed = self.device.lineEdit()
        for named in (self.device, *([typed] if typed is not None else [])):
            named.setAccessibleName(word)
        self._grid.show(self.baud, kind == "serial")
        self._grid.show(self.password, kind == "mqtt")
        self._choose_file.setVisible(kind == "file")
        set_text(self._about, words.about(kind))
        self.device.clear()
        self._offer_devices()
        self._forget_heard()

    def _offer_devices(self) -> None:
        kind, typed = self.kind.currentData(), self.device.currentText()
        own = [meter.device for meter, _folder in self._simulated if _kind_of(meter) == kind]
        self.device.clear()
        self.device.addItems([*kinds.offered(kind), *own])
        if typed:
            self.device.setEditText(typed)

    def _choose(self) -> None:
        chosen, _kind = QFileDialog.getOpenFileName(self, _("A file that grows"), str(Path.home()))
        if chosen:
            self.device.setEditText(chosen)

    def begin(self) -> None:
        """Come in at the form, with the devices there are."""
        self._offer_devices()
        self.name.setFocus()

    def _second_passed(self) -> None:
        if self.isVisible():
            self.refresh()

    def refresh(self) -> None:
        """Show the probes as they stand."""
        found = self._live.statuses()
        self._none.setVisible(not found)
        for line, one in zip(self._lines.show(len(found)), found, strict=True):
            line.show_status(one)
        say(self._trouble, _("Not written: {trouble}", trouble=self._live.trouble) if self._live.trouble else "")

    def _remove(self, probe: Probe) -> None:
        live.remove_probe(self._desk, probe)
        notify.tell("info", _("{probe} is read no longer; what it sent stays. Ctrl+Z takes it back.", probe=probe.name))

    def start_simulated(self) -> None:
        """A simulated incubator with a probe in it, on a stand-in of the kind that is chosen."""
        self.simulate.setEnabled(False)
        kind, number = self.kind.currentData(), len(self._simulated)

        def started() -> tuple[SimulatedMeter, TemporaryDirectory[str]]:
            # read in only where somebody tries it
            from stathmis.devices.stand_ins import stand_in

            folder = TemporaryDirectory(prefix="stathmis-")
            return stand_in(kind, Path(folder.name), number).start(), folder

        def ready(made: tuple[SimulatedMeter, TemporaryDirectory[str]]) -> None:
            self._simulated.append(made)
            self.simulate.setEnabled(True)
            self.device.setEditText(made[0].device)
            if not self.name.text().strip():
                self.name.setText(_("Simulated probe {simulated}", simulated=len(self._simulated)))
            self.start_listening()

        job = Background(lambda progress, cancelled: started())
        job.done.connect(ready)
        job.failed.connect(notify.tell_error)
        self._job = job.start()

    def _asked(self) -> Wanted | None:
        """The source as the form says it; None where a field is wrong."""
        kind: Kind = self.kind.currentData()
        baud = self._whole(self.baud) if kind == "serial" else 9600
        if baud is None:
            return None
        device, zone = self.device.currentText().strip(), self._desk.book.zone
        # a broker that is known already is not asked about twice
        password = self.password.text() or (broker_keys.password(device) if kind == "mqtt" else "")
        return Wanted(kind, device, baud, password=password, zone=zone, from_start=True)

    def start_listening(self) -> None:
        """Listen for some seconds and show what came; pressed again, stop."""
        if self._listening is not None:
            self._listening.cancel()
            return
        wanted = self._asked()
        if wanted is None:
            return
        self._say("")
        self._heard.setText(_("Listening to {device} …", device=wanted.device))
        set_text(self.listen, _("Stop &listening"))
        opener, kind = self._live.opener_for(wanted), wanted.kind
        job = Background(lambda progress, cancelled: listen(opener, LISTEN_S[kind], cancelled, ENOUGH[kind], AFTER_S))
        job.done.connect(self._heard_it)
        job.failed.connect(self._not_heard)
        self._job = self._listening = job.start()

    def _listened(self) -> None:
        self._listening = None
        set_text(self.listen, _("&Listen to it"))

    def _not_heard(self, error: object) -> None:
        self._listened()
        self._heard.setText("")
        self._say(
            _("It cannot be read: {error}. Check the lead, and that you may use serial ports.", error=error)
            if self.kind.currentData() == "serial"
            else _("It cannot be read: {error}.", error=error)
        )

    def _forget_heard(self) -> None:
        clear(self._mapping)
        self._targets, self._heard_values, self._layout_found = {}, {}, None
        self._heard.setText("")
        self.only.clear()
        self.only.hide()
        self.keep.setEnabled(False)

    def _heard_it(self, heard: Heard) -> None:
        self._listened()
        self._forget_heard()
        layouts: Counter[Layout] = Counter(found for found in map(guess_layout, heard.texts) if found is not None)
        self._layout_found = layouts.most_common(1)[0][0] if layouts else "json"
        if not heard.values:
            self._heard.setText(_("It sent: {texts}", texts="  ·  ".join(heard.texts)) if heard.texts else "")
            serial = _("No numbers came. Check the baud, and that it sends a line of text for each reading.")
            self._say(serial if self.kind.currentData() == "serial" else _("No numbers came."))
            return
        self._heard.setText(_("It sends: ") + "  ·  ".join(heard.texts[:3]))
        # how a device itself is doing is told beside it, and goes to no instrument
        self._heard_values = {name: value for name, value in heard.values.items() if not is_health(name)}
        self.only.setVisible(len(self._heard_values) > MOST_ROWS)
        self._map_all()
        self.keep.setEnabled(True)

    def _narrowed(self, _typed: str) -> None:
        self._map_all()

    def _map_all(self) -> None:
        """A row for each value that was heard and is meant."""
        clear(self._mapping)
        chosen = {name: (t.currentData(), u.currentText()) for name, (t, u) in self._targets.items()}
        self._targets = {}
        wanted = self.only.text().strip().casefold()
        meant = [n for n in self._heard_values if wanted in n.casefold() or chosen.get(n, (None,))[0] is not None]
        grid = QGridLayout()
        grid.setHorizontalSpacing(12)
        grid.setColumnStretch(3, 1)
        for at, name in enumerate(meant[:MOST_ROWS]):
            self._map_row(grid, at, name, self._heard_values[name], chosen.get(name))
        self._mapping.addLayout(grid)
        if len(meant) > MOST_ROWS:
            self._mapping.addWidget(label(_("and {n} more", n=len(meant) - MOST_ROWS), "small"))

    def _map_row(
        self, grid: QGridLayout, at: int, name: str, value: float, chosen: tuple[int | None, str] | None
    ) -> None:
        book = self._desk.book
        quantity, guessed = _guess(name)
        of = {c: book.instrument(c.instrument_id) for c in book.records(Channel)}
        likely = next((c.id for c, i in of.items() if c.quantity == quantity and i.kind == "probe"), None)
        proposed = [target.currentData() for target, _unit in self._targets.values()]
        if likely in proposed or len(self._heard_values) > MOST_ROWS:
            # of many devices' values only the keeper knows whose is whose
            likely = None
        options = [(f"{i.name}, {unit_word(c.unit)}", c.id) for c, i in of.items()]
        target = Chooser(_("{name} goes to", name=name), [(_("leave it out"), None), *options], likely)
        unit = Chooser(_("{name} is in", name=name), [(u, u) for u in ("°C", "°F", "%")], guessed)
        if chosen is not None:
            target.choose(chosen[0])
            unit.choose(chosen[1])
        shown = name.replace(SEPARATOR, ": ")
        shown_name = label(
            _("column {name} = {value:g}", name=name, value=value)
            if name.isdigit()
            else f"{shown} = {as_number(value, 'g')}",
            "name",
            wrap=True,
        )
        for x, widget in enumerate((shown_name, target, unit)):
            grid.addWidget(widget, at, x)
        self._targets[name] = (target, unit)

    def _whole(self, edit: QLineEdit) -> int | None:
        try:
            return round(parse_typed(edit.text()).value)
        except NotANumberError:
            self._say(_("“{text}” is not a number.", text=edit.text()))
            edit.setFocus()
            return None

    def _say(self, problem: str) -> None:
        say(self._problem, problem)

    def keep_probe(self) -> None:
        """Enter the probe and begin reading it."""
        asked, every = self._asked(), self._whole(self.every)
        if asked is None or every is None or self._layout_found is None:
            return
        fields = {
            name: (int(target.currentData()), unit.currentText())
            for name, (target, unit) in self._targets.items()
            if target.currentData() is not None
        }
        wrong = [
            name
            for name, (channel_id, unit) in fields.items()
            if (unit == "%") != (self._desk.book.channel(channel_id).unit == "%")
        ]
        if wrong:
            self._say(_("{wrong}: that unit does not fit that instrument.", wrong=wrong[0]))
            return
        new = NewProbe(
            self.name.text(),
            asked.device,
            fields,
            asked.kind,
            asked.baud,
            self._layout_found,
            float(every),
            asked.password,
        )
        try:
            live.add_probe(self._desk, new)
        except UserError as error:
            self._say(str(error))
            return
        self._say("")
        self._forget_heard()
        self.password.clear()
        notify.tell("info", _("{text} is read from now on. Ctrl+Z takes it back.", text=self.name.text()))
        self.name.setText("")

    def stop(self) -> None:
        """Stop simulated probes, and looking."""
        self._timer.stop()
        if self._listening is not None:
            self._listening.cancel()
        for meter, folder in self._simulated:
            meter.stop()
            folder.cleanup()
        self._simulated = []


def _guess(name: str) -> tuple[str, str]:
    """What a value is likely to be, by the last of its name: quantity and unit."""
    last = name.replace(SEPARATOR, ".").replace("/", ".").replace(" ", ".").rpartition(".")[2]
    last = last.casefold().rstrip("0123456789_")
    return next(((quantity, unit) for known, quantity, unit in _GUESSES if last in known), ("", "°C"))


def _kind_of(meter: SimulatedMeter) -> Kind:
    from stathmis.devices.stand_ins import kind_of

    return kind_of(meter)
