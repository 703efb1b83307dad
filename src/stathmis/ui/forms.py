"""Forms for what a keeper has: an incubator, a batch, an instrument. Each says at its field what is wrong."""

from __future__ import annotations

from PySide6.QtWidgets import (
    QButtonGroup,
    QCheckBox,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QRadioButton,
    QWidget,
)

from stathmis.core.errors import UserError
from stathmis.core.units import NotANumberError, difference_from_inside, parse_typed
from stathmis.logbook.records import Channel, Incubator
from stathmis.services import clock, knowledge, setting_up
from stathmis.services.batch import profiles
from stathmis.services.batch.profiles import DAY_COUNTS
from stathmis.services.desk import Desk
from stathmis.services.setting_up import KINDS, TYPICAL, NewChannel
from stathmis.ui.pieces import Chooser, label


def _number(edit: QLineEdit, what: str) -> float:
    try:
        return parse_typed(edit.text()).value
    except NotANumberError:
        edit.setFocus()
        raise UserError(f"{what} is a number.", f"{edit.text() or 'Nothing'} is not; write one such as 0.5.") from None


class _Form(QWidget):
    """A grid of labelled fields."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setHorizontalSpacing(12)
        self._grid.setColumnStretch(1, 1)
        self._row = 0

    def field(self, text: str, widget: QWidget) -> None:
        """Add one field."""
        widget.setAccessibleName(text)
        self._grid.addWidget(label(text, "muted"), self._row, 0)
        self._grid.addWidget(widget, self._row, 1)
        self._row += 1

    def line(self, text: str, *widgets: QWidget) -> None:
        """Add several widgets in one line."""
        holder = QWidget()
        row = QHBoxLayout(holder)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(12)
        for widget in widgets:
            row.addWidget(widget)
        row.addStretch(1)
        self._grid.addWidget(label(text, "muted"), self._row, 0)
        self._grid.addWidget(holder, self._row, 1)
        self._row += 1


class IncubatorForm(_Form):
    """Name, and fan or still air; or the room the incubators stand in."""

    def __init__(self, desk: Desk, *, with_room: bool = True) -> None:
        super().__init__(desk)
        self.name = QLineEdit()
        self.name.setPlaceholderText("such as: North cabinet")
        self.field("You call it", self.name)
        self.fan, self.still = QRadioButton("it has a fan"), QRadioButton("still air, no fan")
        self.room = QRadioButton("it is the room around them")
        group = QButtonGroup(self)
        for choice in (self.fan, self.still, self.room):
            group.addButton(choice)
        self.fan.setChecked(True)
        self.line("Air", self.fan, self.still)
        self.line("", self.room)
        self.room.setVisible(with_room)

    def save(self) -> int:
        """Enter it; returns its id. Raises UserError."""
        try:
            air = "room" if self.room.isChecked() else "forced" if self.fan.isChecked() else "still"
            return setting_up.add_incubator(self.desk, self.name.text(), air)
        except UserError:
            self.name.setFocus()
            raise


class BatchForm(_Form):
    """Species, eggs, when set, humidity school."""

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.species = Chooser()
        for key, species in knowledge.species().items():
            self.species.addItem(species.name, key)
        self.field("Species", self.species)
        self.eggs = QLineEdit("12")
        self.field("Eggs", self.eggs)
        self.when = QLineEdit()
        self.when.setPlaceholderText("now, 08:10, yesterday 21:30 or 2026-05-18 08:10")
        self.field("Set at", self.when)
        self.regime = Chooser()
        self.field("It follows", self.regime)
        self.why = label("", "small", wrap=True)
        self._grid.addWidget(self.why, self._row, 1)
        self._row += 1
        self.day_count = Chooser()
        for key, text in DAY_COUNTS.items():
            self.day_count.addItem(text, key)
        self.field("Days are counted", self.day_count)
        self.name = QLineEdit()
        self.name.setPlaceholderText("optional")
        self.field("Name of the batch", self.name)
        self._why: dict[str, str] = {}
        self.offer_regimes()
        self.species.currentIndexChanged.connect(self.offer_regimes)
        self.regime.currentIndexChanged.connect(self._explain)

    def offer_regimes(self) -> None:
        """The schools and own profiles the chosen species can follow; the one chosen stays if it can."""
        chosen = self.regime.currentData()
        found = profiles.choices(self.desk.book, str(self.species.currentData()))
        self._why = {c.key: c.why for c in found}
        self.regime.clear()
        for choice in found:
            self.regime.addItem(choice.name, choice.key)
        if chosen in self._why:
            self.regime.setCurrentIndex(self.regime.findData(chosen))
        self._explain()

    def _explain(self) -> None:
        self.why.setText(self._why.get(str(self.regime.currentData()), ""))

    def _count(self) -> int:
        text = self.eggs.text().strip()
        if not text.isdigit():
            self.eggs.setFocus()
            raise UserError("How many eggs?", "Write a whole number, such as 12.")
        return int(text)

    def save(self, incubator: Incubator) -> int:
        """Set it in an incubator; returns its id. Raises UserError."""
        try:
            at = clock.parse_moment(self.when.text(), self.desk.now_ms, self.desk.book.zone)
        except UserError:
            self.when.setFocus()
            raise
        return setting_up.set_batch(
            self.desk,
            incubator,
            self.name.text(),
            str(self.species.currentData()),
            str(self.regime.currentData()),
            self._count(),
            at,
            self.day_count.currentData(),
        )


class PlaceForm(_Form):
    """Name and altitude of the keeper's place."""

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.name, self.altitude = QLineEdit(), QLineEdit()
        self.name.setPlaceholderText("optional")
        self.altitude.setPlaceholderText("such as 900")
        self.field("You call it", self.name)
        self.field("Altitude, m", self.altitude)

    def refresh(self) -> None:
        """Show what is known, but not over what is being typed."""
        if not self.name.hasFocus():
            self.name.setText(self.desk.book.name)
        if not self.altitude.hasFocus():
            self.altitude.setText("" if self.desk.book.altitude_m is None else f"{self.desk.book.altitude_m:g}")

    def save(self) -> None:
        """Keep it. Raises UserError."""
        setting_up.set_place(self.desk, self.name.text(), _number(self.altitude, "The altitude in meters"))


class InstrumentForm(_Form):
    """Name, kind, what it shows in which steps and how well, where it hangs; a certificate for a reference."""

    def __init__(self, desk: Desk, *, with_place: bool = True) -> None:
        super().__init__(desk)
        self.name = QLineEdit()
        self.name.setPlaceholderText("such as: Blue probe")
        self.field("You call it", self.name)
        self.kind = Chooser()
        for key, text in KINDS.items():
            self.kind.addItem(text, key)
        self.field("It is a", self.kind)
        self.temperature, self.humidity = QCheckBox("temperature"), QCheckBox("humidity")
        self.temperature.setChecked(True)
        self.unit = Chooser()
        self.unit.addItems(["°C", "°F"])
        self.unit.setCurrentText(desk.book.temperature_unit)
        self.unit.setAccessibleName("Unit of its temperature")
        self.line("It shows", self.temperature, self.unit, self.humidity)
        self.steps: dict[str, QLineEdit] = {}
        self.accuracy: dict[str, QLineEdit] = {}
        for quantity, word in (("temperature", "Temperature"), ("humidity", "Humidity")):
            self.steps[quantity], self.accuracy[quantity] = QLineEdit(), QLineEdit()
            for edit, text in ((self.steps[quantity], "steps"), (self.accuracy[quantity], "accuracy")):
                edit.setFixedWidth(90)
                edit.setAccessibleName(f"{word} {text}")
            holder = [label("in steps of", "small"), self.steps[quantity]]
            self.line(word, *holder, label("good to ±", "small"), self.accuracy[quantity])
        for quantity, box in (("temperature", self.temperature), ("humidity", self.humidity)):
            for edit in (self.steps[quantity], self.accuracy[quantity]):
                edit.setEnabled(box.isChecked())
                box.toggled.connect(edit.setEnabled)
        self.unit.currentIndexChanged.connect(self._typical)
        self._typical()
        self.incubator = Chooser()
        self.at_egg_top = QCheckBox("at the height of the egg tops")
        self.at_egg_top.setChecked(True)
        self.reference = QCheckBox("it is a reference; I have its certificate")
        self.certificate = QLineEdit()
        self.certificate.setPlaceholderText("reading, correction, U:  37.5 0.05 0.04;  40 0.05 0.04")
        self.certificate.setEnabled(False)
        self.reference.toggled.connect(self.certificate.setEnabled)
        if with_place:
            self.field("It hangs in", self.incubator)
            self.line("", self.at_egg_top)
            self.line("", self.reference)
            self.field("Certificate (k = 2)", self.certificate)

    def _typical(self) -> None:
        for quantity, (step, good_to) in TYPICAL.items():
            unit = self.unit.currentText() if quantity == "temperature" else "%"
            self.steps[quantity].setText(f"{step:g}")
            self.accuracy[quantity].setText(f"{float(difference_from_inside(good_to, unit)):g}")  # type: ignore[arg-type]

    def offer_incubators(self, incubators: list[Incubator]) -> None:
        """Fill the list of places."""
        chosen = self.incubator.currentText()
        self.incubator.clear()
        for incubator in incubators:
            self.incubator.addItem(incubator.name, incubator.id)
        self.incubator.addItem("nowhere yet, in the drawer", None)
        if chosen:
            self.incubator.setCurrentText(chosen)

    def _channels(self) -> list[NewChannel]:
        made = []
        for quantity, box in (("temperature", self.temperature), ("humidity", self.humidity)):
            if box.isChecked():
                unit = self.unit.currentText() if quantity == "temperature" else "%"
                step = _number(self.steps[quantity], f"The step of the {quantity}")
                good_to = _number(self.accuracy[quantity], f"The accuracy of the {quantity}")
                made.append(NewChannel(quantity, unit, step, good_to))  # type: ignore[arg-type]
        return made

    def _certificate(self) -> list[tuple[float, float, float]]:
        try:
            points = setting_up.read_certificate(self.certificate.text())
        except UserError:
            self.certificate.setFocus()
            raise
        if not points:
            self.certificate.setFocus()
            raise UserError("A reference needs its certificate.", "Reading, correction and U, such as: 37.5 0.05 0.04")
        return points

    def save(self, incubator_id: int | None = None) -> int:
        """Enter it; returns its id. Raises UserError."""
        points = self._certificate() if self.reference.isChecked() else []
        if points and self.temperature.isChecked() == self.humidity.isChecked():
            raise UserError("A certificate is for one quantity.", "Enter the reference once for each.")
        place = incubator_id if incubator_id is not None else self.incubator.currentData()
        channels = self._channels()
        with self.desk.edit(f"{self.name.text().strip()} entered"):
            made = setting_up.add_instrument(
                self.desk,
                self.name.text(),
                str(self.kind.currentData()),
                channels,
                reference=bool(points),
                incubator_id=place,
                at_egg_top=self.at_egg_top.isChecked(),
            )
            if points:
                channel = self.desk.book.records(Channel, instrument_id=made)[0]
                setting_up.add_certificate(self.desk, channel.id, self.desk.now_ms, points)
        return made

    def clear(self) -> None:
        """Ready for the next one."""
        self.name.setText("")
        self.certificate.setText("")
        self.reference.setChecked(False)
