"""Forms for what a keeper has: an incubator, a batch, an instrument. Each says at its field what is wrong."""

from __future__ import annotations

from collections.abc import Iterable
from zoneinfo import available_timezones

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QButtonGroup, QCheckBox, QCompleter, QLineEdit, QRadioButton, QWidget

from stathmis.core.errors import UserError
from stathmis.core.units import NotANumberError, count_typed, difference_from_inside, parse_typed
from stathmis.logbook.records import Channel, Incubator
from stathmis.services import clock, setting_up
from stathmis.services.batch import profiles
from stathmis.services.batch.profiles import DAY_COUNTS
from stathmis.services.batch.species import species_of, species_offered
from stathmis.services.desk import Desk
from stathmis.services.setting_up import KINDS, TYPICAL, NewChannel, typical
from stathmis.ui.kit.fields import Chooser, field
from stathmis.ui.kit.page import FieldGrid, column, holder, put, row
from stathmis.ui.kit.pieces import button, label, problem_label, say
from stathmis.ui.theme import Theme
from stathmis.words import dates
from stathmis.words.catalogue import _, as_number, begun


class _Form(QWidget):
    """A grid of fields behind their words."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.grid = FieldGrid()
        put(self, self.grid)

    def text(self, words: str, hint: str = "", typed: str = "") -> QLineEdit:
        """Add a line to type in."""
        return self.grid.add(words, field(words, hint, text=typed))

    def choice(self, words: str, options: Iterable[tuple[str, object]] = ()) -> Chooser:
        """Add a list to choose from."""
        return self.grid.add(words, Chooser(words, options, yielding=True))

    def line(self, words: str, *widgets: QWidget) -> QWidget:
        """Add several widgets in one line."""
        return self.grid.add(words, holder(row(*widgets, 1, spacing=12)))

    def show_rows(self, shown: bool, *rows: QWidget) -> None:
        """Show or hide rows, each with its words."""
        for one in rows:
            at = self.grid.getItemPosition(self.grid.indexOf(one))[0]  # type: ignore[index]
            beside = self.grid.itemAtPosition(at, 0)
            for widget in (one, beside.widget() if beside is not None else None):
                if widget is not None:
                    widget.setVisible(shown)


class _Focused:
    """Whose value cannot be taken gets the focus; for a with statement."""

    def __init__(self, edit: QLineEdit) -> None:
        self._edit = edit

    def __enter__(self) -> str:
        return self._edit.text()

    def __exit__(self, kind: object, error: object, _trace: object) -> None:
        if isinstance(error, UserError):
            self._edit.setFocus()


def _number(edit: QLineEdit, what: str) -> float:
    with _Focused(edit) as text:
        try:
            return parse_typed(text).value
        except NotANumberError:
            raise UserError(
                _("{what} is a number.", what=what),
                _("{text} is not; write one such as 0.5.", text=text or _("Nothing")),
            ) from None


class IncubatorForm(_Form):
    """Name, and fan or still air; or the room the incubators stand in."""

    def __init__(self, desk: Desk, *, with_room: bool = True) -> None:
        super().__init__(desk)
        self.name = self.text(_("You call it"), _("such as: North cabinet"))
        self.fan, self.still = QRadioButton(_("it has a fan")), QRadioButton(_("still air, no fan"))
        self.room = QRadioButton(_("it is the room around them"))
        group = QButtonGroup(self)
        for choice in (self.fan, self.still, self.room):
            group.addButton(choice)
        self.fan.setChecked(True)
        self.line(_("Air"), self.fan, self.still)
        if with_room:
            self.line("", self.room)
        else:
            self.room.setParent(self)
            self.room.hide()

    def save(self) -> int:
        """Enter it; returns its id. Raises UserError."""
        air = "room" if self.room.isChecked() else "forced" if self.fan.isChecked() else "still"
        with _Focused(self.name) as name:
            return setting_up.add_incubator(self.desk, name, air)


class BatchForm(_Form):
    """Species, eggs, when set, humidity school."""

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.species = self.choice(_("Species"), species_offered(desk.book))
        self.eggs = self.text(_("Eggs"), typed="12")
        self.when = self.text(_("Set at"), _("now, 08:10, yesterday 21:30"))
        self.regime = self.choice(_("It follows"))
        self.why = self.grid.add("", label("", "small", wrap=True))
        self.day_count = self.choice(_("Days are counted"), [(text, key) for key, text in DAY_COUNTS.items()])
        self.name = self.text(_("Name of the batch"), _("optional"))
        self._why: dict[str, str] = {}
        self.offer_regimes()
        self.species.currentIndexChanged.connect(self.offer_regimes)
        self.regime.currentIndexChanged.connect(self._explain)

    def offer_regimes(self) -> None:
        """The species, and the schools and own profiles the chosen one can follow; what is chosen stays if it can."""
        self.species.keep(species_offered(self.desk.book))
        found = profiles.choices(self.desk.book, str(self.species.currentData()))
        self._why = {c.key: f"{c.why} {c.warning}".strip() for c in found}
        self.regime.offer([(c.name, c.key) for c in found], self.regime.currentData())
        self._explain()

    def _explain(self) -> None:
        note = species_of(self.desk.book, str(self.species.currentData())).note
        self.why.setText(f"{note} {self._why.get(str(self.regime.currentData()), '')}".strip())

    def _count(self) -> int:
        with _Focused(self.eggs) as text:
            found = count_typed(text)
            if found is None:
                raise UserError(_("How many eggs?"), _("Write a whole number, such as 12."))
            return found

    def save(self, incubator: Incubator) -> int:
        """Set it in an incubator; returns its id. Raises UserError."""
        with _Focused(self.when) as when:
            at = clock.parse_moment(when, self.desk.now_ms, self.desk.book.zone)
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
    """Name, altitude and time zone of the keeper's place."""

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.name = self.text(_("You call it"), _("optional"))
        self.altitude = self.text(_("Altitude, m"), _("such as 900"))
        self.zone = self.text(_("Time zone"))
        self.zone.textEdited.connect(self._complete)
        self.zone.textChanged.connect(self._say_what_changes)
        self.changes = self.grid.add("", label("", "small", wrap=True))

    def _complete(self, _text: str) -> None:
        """The zones there are, looked up when the first letter is typed: that opens many files."""
        if self.zone.completer() is None:
            known = QCompleter(sorted(available_timezones()), self)
            known.setCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)
            known.setFilterMode(Qt.MatchFlag.MatchContains)
            self.zone.setCompleter(known)

    def _say_what_changes(self, zone: str) -> None:
        """Before it is kept: what another time zone changes."""
        book = self.desk.book
        other = zone.strip() != book.zone and clock.is_zone(zone.strip())
        now_ms = self.desk.now_ms
        say(self.changes, dates.other_zone(book.local(now_ms), clock.local(now_ms, zone.strip())) if other else "")

    def refresh(self) -> None:
        """Show what is known, but not over what is being typed."""
        if not self.name.hasFocus():
            self.name.setText(self.desk.book.name)
        if not self.altitude.hasFocus():
            self.altitude.setText(
                "" if self.desk.book.altitude_m is None else as_number(self.desk.book.altitude_m, "g")
            )

        if not self.zone.hasFocus():
            self.zone.setText(self.desk.book.zone)

    def save(self) -> None:
        """Keep it. Raises UserError."""
        altitude_m = _number(self.altitude, _("The altitude in meters"))
        with _Focused(self.zone) as zone:
            setting_up.set_place(self.desk, self.name.text(), altitude_m, zone.strip())


class AltitudeQuestion(QWidget):
    """How high the place is, asked where it first matters; gone once it is known."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self._desk = desk
        words = label(_("How high is it here? Thin air holds and dries otherwise."), "small", wrap=True)
        self.altitude = field(_("Altitude, m"), _("such as 900"), width=(theme, 96), entered=self.keep)
        self.problem = problem_label()
        line = row((words, 1), self.altitude, label("m"), button(_("Keep it"), self.keep))
        put(self, column(line, self.problem, spacing=4))
        self.refresh()

    def refresh(self) -> None:
        """Ask only while it is not known."""
        self.setVisible(self._desk.book.altitude_m is None and not self._desk.read_only)

    def keep(self) -> None:
        """Keep it; what is wrong is said below."""
        try:
            book = self._desk.book
            setting_up.set_place(self._desk, book.name, _number(self.altitude, _("The altitude in meters")), book.zone)
        except UserError as error:
            say(self.problem, str(error))
            return
        self.problem.hide()
        self.refresh()


class InstrumentForm(_Form):
    """Name, kind, what it shows in which steps and how well, where it hangs; a certificate for a reference."""

    def __init__(self, desk: Desk, theme: Theme, *, with_place: bool = True) -> None:
        super().__init__(desk)
        self.name = self.text(_("You call it"), _("such as: Blue probe"))
        self.kind = self.choice(_("It is a"), [(text, key) for key, text in KINDS.items()])
        self.temperature, self.humidity = QCheckBox(_("temperature")), QCheckBox(_("humidity"))
        self.temperature.setChecked(True)
        self.unit = Chooser(_("Unit of its temperature"), [(u, u) for u in ("°C", "°F")], desk.book.temperature_unit)
        self.shows = self.line(_("It shows"), self.temperature, self.unit, self.humidity)
        self.finer: list[QWidget] = []
        self.steps: dict[str, QLineEdit] = {}
        self.accuracy: dict[str, QLineEdit] = {}
        for quantity, box in (("temperature", self.temperature), ("humidity", self.humidity)):
            word = begun(_(quantity))
            self.steps[quantity] = steps = field(_("{word} steps", word=word), width=(theme, 60))
            self.accuracy[quantity] = accuracy = field(_("{word} accuracy", word=word), width=(theme, 60))
            fine = self.line(word, label(_("in steps of"), "small"), steps, label(_("good to ±"), "small"), accuracy)
            self.finer.append(fine)
            for edit in (steps, accuracy):
                edit.setEnabled(box.isChecked())
                box.toggled.connect(edit.setEnabled)
        self.unit.currentIndexChanged.connect(self._typical)
        self.kind.currentIndexChanged.connect(self._typical)
        self._typical()
        self.incubator = Chooser(_("It hangs in"), yielding=True)
        self.at_egg_top = QCheckBox(_("at the height of the egg tops"))
        self.at_egg_top.setChecked(True)
        self.reference = QCheckBox(_("it is a reference; I have its certificate"))
        self.certificate = field(_("Certificate (k = 2)"), _("reading correction U; next …"))
        self.certificate.setEnabled(False)
        self.reference.toggled.connect(self.certificate.setEnabled)
        if with_place:
            self.grid.add(_("It hangs in"), self.incubator)
            self.line("", self.at_egg_top)
            self.line("", self.reference)
            self.grid.add(_("Certificate (k = 2)"), self.certificate)

    def _typical(self) -> None:
        for quantity in TYPICAL:
            step, good_to = typical(str(self.kind.currentData()), quantity)  # type: ignore[arg-type]
            unit = self.unit.currentText() if quantity == "temperature" else "%"
            self.steps[quantity].setText(as_number(step, "g"))
            self.accuracy[quantity].setText(as_number(float(difference_from_inside(good_to, unit)), "g"))  # type: ignore[arg-type]

    def offer_incubators(self, incubators: list[Incubator]) -> None:
        """Fill the list of places."""
        chosen = self.incubator.currentText()
        self.incubator.offer([*((i.name, i.id) for i in incubators), (_("nowhere yet, in the drawer"), None)])
        if chosen:
            self.incubator.setCurrentText(chosen)

    def _channels(self) -> list[NewChannel]:
        made = []
        for quantity, box in (("temperature", self.temperature), ("humidity", self.humidity)):
            if box.isChecked():
                unit = self.unit.currentText() if quantity == "temperature" else "%"
                step = _number(self.steps[quantity], _("The step of the {quantity}", quantity=_(quantity)))
                good_to = _number(self.accuracy[quantity], _("The accuracy of the {quantity}", quantity=_(quantity)))
                made.append(NewChannel(quantity, unit, step, good_to))  # type: ignore[arg-type]
        return made

    def _certificate(self) -> list[tuple[float, float, float]]:
        with _Focused(self.certificate) as text:
            points = setting_up.read_certificate(text)
            if not points:
                example = _("Reading, correction and U, such as: 37.5 0.05 0.04")
                raise UserError(_("A reference needs its certificate."), example)
            return points

    def save(self, incubator_id: int | None = None) -> int:
        """Enter it; returns its id. Raises UserError."""
        points = self._certificate() if self.reference.isChecked() else []
        if points and self.temperature.isChecked() == self.humidity.isChecked():
            raise UserError(_("A certificate is for one quantity."), _("Enter the reference once for each."))
        place = incubator_id if incubator_id is not None else self.incubator.currentData()
        channels = self._channels()
        with self.desk.edit(_("{text} entered", text=self.name.text().strip())):
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
