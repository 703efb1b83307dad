"""Live probes: how each is doing, and entering one by listening to what it sends."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QGridLayout, QLineEdit, QWidget

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
from stathmis.ui.kit.fields import Chooser, field
from stathmis.ui.kit.lines import Pool
from stathmis.ui.kit.page import FieldGrid, Page, column, holder, put, row
from stathmis.ui.kit.pieces import button, clear, given, label, problem_label, rule, say, set_text
from stathmis.ui.theme import Theme
from stathmis.ui.work import Background
from stathmis.words.numbers import count, unit_word
from stathmis.words.pages import empty
from stathmis.words.probes import state

LISTEN_S = 5.0
TURN_MS = 1000
_GUESSES = {"t": ("temperature", "°C"), "temp": ("temperature", "°C"), "rh": ("humidity", "%"), "h": ("humidity", "%")}


class _ProbeLine(QWidget):
    """A probe: its name and device, how it is doing, and a way to take it away. It lives on as the probes change."""

    def __init__(self, take_away: Callable[[Probe], object]) -> None:
        super().__init__()
        self._probe: Probe | None = None
        self._name, self._device = label("", "name"), label("", "small", wrap=True)
        self._words = label("", wrap=True)
        self._away = button("Take away", given(lambda: self._probe, take_away), "link")
        names = column(self._name, self._device, spacing=0)
        put(self, column(rule(), row((names, 1), (self._words, 2), self._away)))

    def show_status(self, one: ProbeStatus) -> None:
        """Show a probe and how it is doing."""
        self._probe, s = one.probe, one.status
        set_text(self._name, one.probe.name)
        set_text(self._device, one.probe.device)
        self._away.setAccessibleName(f"Take away {one.probe.name}")
        said = f"{state(one)} · {count(s.good, 'line')}"
        said += f", {count(s.dropped, 'line')} made no sense" if s.dropped else ""
        set_text(self._words, said + (f" · “{s.last_line}”" if s.last_line else ""))


class LiveView(Page):
    """The place for live probes."""

    rests_on = frozenset[type | str]({Channel, Incubator, Instrument, Placement, Probe, SETTINGS})

    def __init__(self, desk: Desk, theme: Theme, probes: LiveProbes) -> None:
        super().__init__(theme)
        self._desk, self._live = desk, probes
        self._simulated: list[SimulatedProbe] = []
        self._job: Background | None = None
        self._layout_found: Layout | None = None
        self._targets: dict[str, tuple[Chooser, Chooser]] = {}
        words = "Probes on a USB or serial lead that send a line of text for each reading. What they send is logged "
        words += "and corrected like everything else."
        self._none, self._heard = label(empty("live"), "muted", wrap=True), label("", "muted", wrap=True)
        self._trouble, self._problem = problem_label(), problem_label()
        self._mapping = column()
        self.keep = button("&Keep this probe", self.keep_probe, "main")
        self.keep.setEnabled(False)
        probes_of = column()
        self._lines = Pool(probes_of, lambda: _ProbeLine(self._remove))
        for part in (
            column(label("Live probes", "title"), label(words, "muted", wrap=True), self._none, probes_of),
            column(self._trouble, rule(), label("Another probe", "heading"), self._form(), self._heard),
            column(self._mapping, self._problem, row(self.keep, 1), 1),
        ):
            self.page.addLayout(part)
        self._timer = QTimer(self)
        self._timer.timeout.connect(self._second_passed)
        self._timer.start(TURN_MS)

    def _form(self) -> QGridLayout:
        grid = FieldGrid()
        self.name = grid.add("You call it", field("You call it", "such as: Probe in the cabinet"))
        self.device = grid.add("Device", Chooser("Device", yielding=True))
        self.device.setEditable(True)
        typed = self.device.lineEdit()
        if typed is not None:
            typed.setAccessibleName(self.device.accessibleName())
        self.baud = grid.add("Baud", field("Baud", text="9600"))
        self.every = grid.add("Write every, s", field("Write every, s", text="10"))
        self.listen = button("&Listen to it", self.start_listening)
        self.simulate = button("Start a &simulated probe", self.start_simulated)
        grid.add("", holder(row(self.listen, self.simulate, 1, spacing=12)))
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
        say(self._trouble, f"Not written: {self._live.trouble}" if self._live.trouble else "")

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
        book = self._desk.book
        quantity, guessed = _GUESSES.get(name.casefold(), ("", "°C"))
        of = {c: book.instrument(c.instrument_id) for c in book.records(Channel)}
        likely = next((c.id for c, i in of.items() if c.quantity == quantity and i.kind == "probe"), None)
        options = [(f"{i.name}, {unit_word(c.unit)}", c.id) for c, i in of.items()]
        target = Chooser(f"{name} goes to", [("leave it out", None), *options], likely)
        unit = Chooser(f"{name} is in", [(u, u) for u in ("°C", "°F", "%")], guessed)
        words = label(f"column {name} = {value:g}" if name.isdigit() else f"{name} = {value:g}", "name")
        for x, widget in enumerate((words, target, unit)):
            grid.addWidget(widget, at, x)
        self._targets[name] = (target, unit)

    def _whole(self, edit: QLineEdit) -> int | None:
        try:
            return round(parse_typed(edit.text()).value)
        except NotANumberError:
            self._say(f"“{edit.text()}” is not a number.")
            edit.setFocus()
            return None

    def _say(self, problem: str) -> None:
        say(self._problem, problem)

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
