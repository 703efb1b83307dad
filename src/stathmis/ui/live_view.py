"""Live probes: how each is doing, and entering one by listening to what it sends."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from stathmis.core.errors import UserError
from stathmis.core.units import NotANumberError, parse_typed
from stathmis.devices.line_protocol import Layout, guess_layout, values_in
from stathmis.devices.probe_reader import listen, ports
from stathmis.devices.simulated_incubator import Machine
from stathmis.devices.simulated_probe import Script, SimulatedProbe
from stathmis.logbook.records import Channel, Incubator, Instrument, Placement, Probe
from stathmis.logbook.snapshot import SETTINGS
from stathmis.services import notify
from stathmis.services.desk import Desk
from stathmis.services.watch import live
from stathmis.services.watch.live import LiveProbes, ProbeStatus
from stathmis.ui.pieces import Chooser, Pool, button, clear, label, rule, scrolling_page, set_text
from stathmis.ui.theme import Theme
from stathmis.ui.work import Background
from stathmis.words.numbers import count, unit_word
from stathmis.words.probes import state

LISTEN_S = 5.0
TURN_MS = 1000
_GUESSES = {"t": ("temperature", "°C"), "temp": ("temperature", "°C"), "rh": ("humidity", "%"), "h": ("humidity", "%")}


class _ProbeLine(QWidget):
    """A probe: its name and device, how it is doing, and a way to take it away. It lives on as the probes change."""

    def __init__(self, take_away: Callable[[Probe], object]) -> None:
        super().__init__()
        self._probe: Probe | None = None
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(rule())
        row = QHBoxLayout()
        names = QVBoxLayout()
        names.setSpacing(0)
        self._name, self._device = label("", "name"), label("", "small", wrap=True)
        names.addWidget(self._name)
        names.addWidget(self._device)
        row.addLayout(names, 1)
        self._words = label("", wrap=True)
        row.addWidget(self._words, 2)
        self._away = button("Take away", lambda: self._probe and take_away(self._probe), "link")
        row.addWidget(self._away)
        box.addLayout(row)

    def show_status(self, one: ProbeStatus) -> None:
        """Show a probe and how it is doing."""
        self._probe, s = one.probe, one.status
        set_text(self._name, one.probe.name)
        set_text(self._device, one.probe.device)
        self._away.setAccessibleName(f"Take away {one.probe.name}")
        said = f"{state(one)} · {count(s.good, 'line')}"
        said += f", {count(s.dropped, 'line')} made no sense" if s.dropped else ""
        set_text(self._words, said + (f" · “{s.last_line}”" if s.last_line else ""))


class LiveView(QWidget):
    """The place for live probes."""

    rests_on = frozenset[type | str]({Channel, Incubator, Instrument, Placement, Probe, SETTINGS})

    def __init__(self, desk: Desk, theme: Theme, probes: LiveProbes) -> None:
        super().__init__()
        self._desk, self._theme, self._live = desk, theme, probes
        self._simulated: list[SimulatedProbe] = []
        self._job: Background | None = None
        self._layout_found: Layout | None = None
        self._targets: dict[str, tuple[Chooser, Chooser]] = {}
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        area, page = scrolling_page()
        outer.addWidget(area)
        page.addWidget(label("Live probes", "title"))
        page.addWidget(
            label(
                "Probes on a USB or serial lead that send a line of text for each reading. What they send is logged "
                "and corrected like everything else.",
                "muted",
                wrap=True,
            )
        )
        self._none = label("None yet.", "muted")
        page.addWidget(self._none)
        self._lines = Pool(page, lambda: _ProbeLine(self._remove))
        self._trouble = label("", "problem", wrap=True)
        self._trouble.hide()
        page.addWidget(self._trouble)
        page.addWidget(rule())
        page.addWidget(label("Another probe", "heading"))
        page.addLayout(self._form())
        self._heard = label("", "muted", wrap=True)
        page.addWidget(self._heard)
        self._mapping = QVBoxLayout()
        page.addLayout(self._mapping)
        self._problem = label("", "problem", wrap=True)
        self._problem.hide()
        page.addWidget(self._problem)
        self.keep = button("&Keep this probe", self.keep_probe, "main")
        self.keep.setEnabled(False)
        line = QHBoxLayout()
        line.addWidget(self.keep)
        line.addStretch(1)
        page.addLayout(line)
        page.addStretch(1)
        self._timer = QTimer(self)
        self._timer.timeout.connect(self._second_passed)
        self._timer.start(TURN_MS)

    def _form(self) -> QGridLayout:
        grid = QGridLayout()
        grid.setHorizontalSpacing(12)
        grid.setColumnStretch(1, 1)
        self.name, self.baud, self.every = QLineEdit(), QLineEdit("9600"), QLineEdit("10")
        self.name.setPlaceholderText("such as: Probe in the cabinet")
        self.device = Chooser()
        self.device.setEditable(True)
        self.device.setMinimumContentsLength(12)
        self.device.setSizeAdjustPolicy(Chooser.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        for at, (text, widget) in enumerate(
            (
                ("You call it", self.name),
                ("Device", self.device),
                ("Baud", self.baud),
                ("Write every, s", self.every),
            )
        ):
            widget.setAccessibleName(text)
            grid.addWidget(label(text, "muted"), at, 0)
            grid.addWidget(widget, at, 1)
        row = QHBoxLayout()
        self.listen = button("&Listen to it", self.start_listening)
        self.simulate = button("Start a &simulated probe", self.start_simulated)
        row.setSpacing(12)
        row.addWidget(self.listen)
        row.addWidget(self.simulate)
        row.addStretch(1)
        grid.addLayout(row, 4, 1)
        return grid

    def begin(self) -> None:
        """Come in at the form, with the ports there are."""
        typed = self.device.currentText()
        self.device.clear()
        self.device.addItems([*ports(), *(p.device for p in self._simulated)])
        if typed:
            self.device.setEditText(typed)
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
        self._trouble.setText(f"Not written: {self._live.trouble}" if self._live.trouble else "")
        self._trouble.setVisible(bool(self._live.trouble))

    def _remove(self, probe: Probe) -> None:
        live.remove_probe(self._desk, probe)
        notify.tell("info", f"{probe.name} is read no longer; what it sent stays. Ctrl+Z takes it back.")

    def start_simulated(self) -> None:
        """A simulated incubator with a probe in it, on a terminal of its own."""
        self.simulate.setEnabled(False)
        job = Background(
            lambda progress, cancelled: SimulatedProbe(Machine(), Script(seed=len(self._simulated))).start()
        )

        def ready(probe: object) -> None:
            assert isinstance(probe, SimulatedProbe)
            self._simulated.append(probe)
            self.simulate.setEnabled(True)
            self.device.setEditText(probe.device)
            if not self.name.text().strip():
                self.name.setText(f"Simulated probe {len(self._simulated)}")
            self.start_listening()

        job.done.connect(ready)
        job.failed.connect(notify.tell_error)
        self._job = job.start()

    def start_listening(self) -> None:
        """Listen for some seconds and show what came."""
        device, baud = self.device.currentText().strip(), self._whole(self.baud)
        if baud is None:
            return
        self._say("")
        self._heard.setText(f"Listening to {device} …")
        self.listen.setEnabled(False)
        opener = self._live.opener_for(device, baud)
        job = Background(lambda progress, cancelled: listen(opener, LISTEN_S, cancelled))
        job.done.connect(self._heard_lines)
        job.failed.connect(self._not_heard)
        self._job = job.start()

    def _not_heard(self, error: object) -> None:
        self.listen.setEnabled(True)
        self._heard.setText("")
        self._say(f"It cannot be read: {error}. Check the lead, and that you may use serial ports.")

    def _heard_lines(self, lines: object) -> None:
        assert isinstance(lines, list)
        self.listen.setEnabled(True)
        clear(self._mapping)
        self._targets = {}
        layouts: Counter[Layout] = Counter(found for found in map(guess_layout, lines) if found is not None)
        self._layout_found = layouts.most_common(1)[0][0] if layouts else None
        if self._layout_found is None:
            self._heard.setText(f"It sent: {'  ·  '.join(lines)}" if lines else "")
            self._say("No numbers came. Check the baud, and that it sends a line of text for each reading.")
            self.keep.setEnabled(False)
            return
        self._heard.setText("It sends: " + "  ·  ".join(lines[:3]))
        grid = QGridLayout()
        grid.setHorizontalSpacing(12)
        grid.setColumnStretch(3, 1)
        values: dict[str, float] = {}
        for line in lines:
            values |= values_in(line, self._layout_found)
        for at, (name, value) in enumerate(values.items()):
            self._map_row(grid, at, name, value)
        self._mapping.addLayout(grid)
        self.keep.setEnabled(True)

    def _map_row(self, grid: QGridLayout, at: int, name: str, value: float) -> None:
        target, unit = Chooser(), Chooser()
        target.addItem("leave it out", None)
        quantity, guessed = _GUESSES.get(name.casefold(), ("", "°C"))
        for channel in self._desk.book.records(Channel):
            who = self._desk.book.instrument(channel.instrument_id).name
            target.addItem(f"{who}, {unit_word(channel.unit)}", channel.id)
        unit.addItems(["°C", "°F", "%"])
        unit.setCurrentText(guessed)
        target.setAccessibleName(f"{name} goes to")
        unit.setAccessibleName(f"{name} is in")
        words = f"column {name}" if name.isdigit() else name
        grid.addWidget(label(f"{words} = {value:g}", "name"), at, 0)
        grid.addWidget(target, at, 1)
        grid.addWidget(unit, at, 2)
        if quantity:
            for i in range(1, target.count()):
                channel = self._desk.book.channel(target.itemData(i))
                if channel.quantity == quantity and self._desk.book.instrument(channel.instrument_id).kind == "probe":
                    target.setCurrentIndex(i)
                    break
        self._targets[name] = (target, unit)

    def _whole(self, edit: QLineEdit) -> int | None:
        try:
            return round(parse_typed(edit.text()).value)
        except NotANumberError:
            self._say(f"“{edit.text()}” is not a number.")
            edit.setFocus()
            return None

    def _say(self, problem: str) -> None:
        self._problem.setText(problem)
        self._problem.setVisible(bool(problem))

    def keep_probe(self) -> None:
        """Enter the probe and begin reading it."""
        baud, every = self._whole(self.baud), self._whole(self.every)
        if baud is None or every is None or self._layout_found is None:
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
            self._say(f"{wrong[0]}: that unit does not fit that instrument.")
            return
        device = self.device.currentText()
        try:
            live.add_probe(self._desk, self.name.text(), device, baud, self._layout_found, fields, float(every))
        except UserError as error:
            self._say(str(error))
            return
        self._say("")
        self._heard.setText("")
        clear(self._mapping)
        self._targets = {}
        self.keep.setEnabled(False)
        notify.tell("info", f"{self.name.text()} is read from now on. Ctrl+Z takes it back.")
        self.name.setText("")

    def stop(self) -> None:
        """Stop simulated probes, and looking."""
        self._timer.stop()
        for probe in self._simulated:
            probe.stop()
        self._simulated = []
