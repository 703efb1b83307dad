"""Entering what is new, and the three questions of an empty logbook."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial
from itertools import pairwise

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QCheckBox, QLineEdit

from stathmis.core.errors import UserError
from stathmis.logbook.records import Batch, Channel, Incubator, Instrument, Placement
from stathmis.logbook.snapshot import SETTINGS
from stathmis.services import knowledge, rounds, setting_up
from stathmis.services.batch import batches
from stathmis.services.desk import Desk
from stathmis.services.plan import conflicts
from stathmis.services.reading_field import interpret
from stathmis.ui.forms import BatchForm, IncubatorForm, InstrumentForm, PlaceForm
from stathmis.ui.kit.attempt import attempt
from stathmis.ui.kit.fields import Chooser, field
from stathmis.ui.kit.page import Page, card, column, holder, row
from stathmis.ui.kit.pieces import button, label, problem_label
from stathmis.ui.theme import Theme
from stathmis.words import clutch as clutch_words
from stathmis.words.catalogue import _, as_number


class EnterView(Page):
    """Forms for a batch, an instrument, an incubator; and ending a batch."""

    rests_on = frozenset[type | str]({*batches.COURSES_REST_ON, Channel, Instrument, Placement, SETTINGS})

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__(theme, 800)
        self._desk = desk
        self.page.addWidget(label(_("Enter or change"), "title"))
        self._left, self._right = self.columns(1, 1, spacing=24)
        self.page.addStretch(1)
        self.batch_problem, self.end_problem, self.moving_problem = (problem_label() for _ in range(3))
        self.instrument_problem, self.incubator_problem, self.place_problem = (problem_label() for _ in range(3))
        self._making = self._made()

    def ready(self) -> Iterator[None]:
        """Make its cards, each in a step of its own."""
        yield from self._making

    def _made(self) -> Iterator[None]:
        left, right, desk = self._left, self._right, self._desk
        self.batch = BatchForm(desk)
        self.machine = self.batch.choice(_("In"))
        yield
        law = label(knowledge.cautions()["law"], "small", wrap=True)
        set_it = button(_("Set the batch"), self.set_batch, "main")
        left.addWidget(card(_("A batch"), self.batch, self.batch_problem, set_it, law))
        yield
        self.ending = Chooser(_("Batch to end"), yielding=True)
        self.end_button = button(_("End this batch"), self.end_batch)
        self._end_card = card(_("End a batch"), self.ending, self.end_problem, self.end_button)
        left.addWidget(self._end_card)
        self.moving = Chooser(_("Instrument to move"), yielding=True)
        self.moving_to = Chooser(_("Where it hangs from now on"), yielding=True)
        self.moving_at_eggs = QCheckBox(_("at the height of the egg tops"))
        self.moving_at_eggs.setChecked(True)
        move = button(_("Move it"), self.move_instrument)
        moving = (self.moving, self.moving_to, self.moving_at_eggs, self.moving_problem, move)
        left.addWidget(card(_("Move an instrument"), *moving))
        left.addStretch(1)
        yield
        self.instrument = InstrumentForm(desk, self.theme)
        yield
        enter = button(_("Enter the instrument"), self.add_instrument, "main")
        right.addWidget(card(_("An instrument"), self.instrument, self.instrument_problem, enter))
        yield
        self.incubator = IncubatorForm(desk)
        enter_incubator = button(_("Enter the incubator"), self.add_incubator, "main")
        right.addWidget(card(_("An incubator"), self.incubator, self.incubator_problem, enter_incubator))
        yield
        self.place = PlaceForm(desk)
        keep = button(_("Keep it"), self.set_place)
        right.addWidget(card(_("Your place"), self.place, self.place_problem, keep))
        right.addStretch(1)

    def begin(self) -> None:
        """Come in at the batch."""
        self.batch.species.setFocus()

    def refresh(self) -> None:
        """Offer the incubators as they stand."""
        for _card in self._making:
            # wanted before all its cards were made
            pass
        desk = self._desk
        incubators = desk.book.incubators()
        courses = {i.id: batches.all_running(desk.book, i) for i in incubators}
        places = desk.book.places()
        self.instrument.offer_incubators(places)
        machines = []
        for incubator in sorted(incubators, key=lambda i: bool(courses[i.id])):
            beside = ", ".join(c.batch.name for c in courses[incubator.id])
            machines.append((incubator.name + (_(", beside {beside}", beside=beside) if beside else ""), incubator))
        self.machine.offer(machines or [(_("no incubator yet"), None)])
        going = [(f"{c.batch.name}, {i.name}", c.batch) for i in incubators for c in courses[i.id]]
        self.ending.offer(going)
        self._end_card.setVisible(bool(going))
        self.batch.offer_regimes()
        self.moving.keep([(i.name, i.id) for i in desk.book.records(Instrument)])
        clutches = [c for own in courses.values() for c in own if c.species.kind == "reptile"]
        boxes = [(_("into {box}", box=clutch_words.box(c.batch.name)), f"box {c.batch.id}") for c in clutches]
        into = [(_("into {p}", p=p.name), p.id) for p in places]
        self.moving_to.keep([*into, *boxes, (_("into the drawer"), None)])
        self.place.refresh()

    def set_batch(self) -> None:
        """Set the batch as typed."""

        def action() -> str:
            incubator = self.machine.currentData()
            if incubator is None:
                raise UserError(_("There is no incubator yet."), _("Enter one first."))
            self.batch.save(incubator)
            shared = conflicts.sharing(self._desk.book, incubator)
            return _(
                "Set in {incubator}. {shared}",
                incubator=incubator.name,
                shared=" ".join(shared) or knowledge.cautions()["eggs"],
            )

        attempt(self.batch_problem, action)

    def end_batch(self) -> None:
        """End the chosen batch."""
        batch = self.ending.currentData()

        def action() -> str:
            setting_up.end_batch(self._desk, batch)
            return _("{batch} ended.", batch=batch.name)

        if batch is not None:
            attempt(self.end_problem, action)

    def add_instrument(self) -> None:
        """Enter the instrument as typed."""

        def action() -> str:
            name = self.instrument.name.text().strip()
            self.instrument.save()
            self.instrument.clear()
            return _("{name} entered.", name=name)

        attempt(self.instrument_problem, action)

    def move_instrument(self) -> None:
        """Hang the chosen instrument where it is wanted."""

        def action() -> str:
            if self.moving.currentData() is None:
                raise UserError(_("There is no instrument yet."), _("Enter one first."))
            name, place, batch = self.moving.currentText(), self.moving_to.currentData(), None
            if isinstance(place, str):
                batch = self._desk.book.one(Batch, int(place.removeprefix("box ")))
                place = batch.incubator_id
            at_eggs = self.moving_at_eggs.isChecked()
            box = clutch_words.box(batch.name) if batch is not None else ""
            setting_up.move_instrument(
                self._desk, self.moving.currentData(), place, at_egg_top=at_eggs, place=box, batch=batch
            )
            return _("{name} moved.", name=name)

        attempt(self.moving_problem, action)

    def set_place(self) -> None:
        """Keep the name and altitude as typed."""

        def action() -> str:
            self.place.save()
            return _("Kept.")

        attempt(self.place_problem, action)

    def add_incubator(self) -> None:
        """Enter the incubator as typed."""

        def action() -> str:
            name = self.incubator.name.text().strip()
            self.incubator.save()
            self.incubator.name.setText("")
            return _("{name} entered.", name=name)

        attempt(self.incubator_problem, action)


class StartView(Page):
    """An empty logbook: three questions, the last of them a first reading; its verdict is what comes next."""

    demo_wanted = Signal()
    practise_wanted = Signal()

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__(theme)
        self._desk = desk
        self.incubator = IncubatorForm(desk, with_room=False)
        self.batch = BatchForm(desk)
        batch = self.batch
        self._later = (batch.regime, batch.why, batch.day_count, batch.name)
        self.none_yet = QCheckBox(_("nothing yet: it is still warming up"))
        self.none_yet.toggled.connect(lambda on: batch.setEnabled(not on))
        self.instrument = InstrumentForm(desk, theme, with_place=False)
        self.more = button("", self._unfold, "link")
        self.temperature = field(_("It shows now, temperature"), as_number(37.4, "g"), width=(theme, 84))
        self.humidity = field(_("It shows now, humidity"), "48", width=(theme, 84))
        unit = self.instrument.unit
        either = label(_("either may stay empty"), "small")
        now = holder(row(self.temperature, unit, self.humidity, label(_("% RH")), either, 1))
        self.instrument.grid.add(_("It shows now"), now)
        self.problem = problem_label()
        self.go = button(_("Start"), self.start, "main")
        look = button(_("Look at the demo first"), self.demo_wanted.emit)
        self.practise = button(_("Practise a hatch first"), self.practise_wanted.emit)
        head = column(
            label(_("Three questions, then the first verdict"), "title", wrap=True),
            row(look, self.practise, 1),
            spacing=8,
        )
        inner = holder(
            column(
                head,
                card(_("1  Which incubator?"), self.incubator),
                card(_("2  What is in it?"), self.none_yet, self.batch),
                card(_("3  What do you read?"), self.instrument),
                row(self.go, self.more, 1),
                self.problem,
                label(knowledge.cautions()["alarm"], "small", wrap=True),
                spacing=12,
            )
        )
        theme.fit(inner, MaximumWidth=720)
        self.page.addLayout(row(1, (inner, 8), 1))
        self.page.addStretch(1)
        self._folded = False
        self._unfold()
        # Enter goes from answer to answer, and begins after the last
        order = (self.incubator.name, batch.eggs, batch.when, self.instrument.name, self.temperature, self.humidity)
        for one, following in pairwise(order):
            one.returnPressed.connect(partial(self._go_to, following))
        self.humidity.returnPressed.connect(self.start)

    @staticmethod
    def _go_to(edit: QLineEdit) -> None:
        edit.setFocus()
        edit.selectAll()

    def _unfold(self) -> None:
        """What has usual values is asked only on request."""
        self._folded = not self._folded
        self.batch.show_rows(not self._folded, *self._later)
        self.instrument.show_rows(not self._folded, *self.instrument.finer)
        self.instrument.shows.hide()
        self.instrument.show_rows(False, self.instrument.shows)
        self.more.setText(
            _("Usual values stand in for the rest: change them") if self._folded else _("Fewer questions")
        )

    def refresh(self) -> None:
        """Nothing here depends on the logbook."""

    def begin(self) -> None:
        """Come in at the first question."""
        self.incubator.name.setFocus()

    def leave(self) -> bool:
        """There is nowhere to go yet."""
        return True

    def _read(self) -> None:
        """What the instrument shows is what was read on it; the reading goes into the log. Raises UserError."""
        desk = self._desk
        edits = {"temperature": self.temperature, "humidity": self.humidity}
        fields = {}
        for channel in desk.book.records(Channel):
            edit = edits[channel.quantity]
            found = interpret(edit.text(), channel)
            if found.problem:
                edit.setFocus()
                offer = (
                    _("Write {offer} if it is.", offer=found.offer) if found.offer else _("Mend it, or leave it empty.")
                )
                raise UserError(found.problem, offer)
            fields[channel.id] = found
        rounds.log_round(desk, fields, desk.now_ms)

    def start(self) -> None:
        """Enter all three answers, or none and say what is wrong."""
        desk, instrument = self._desk, self.instrument
        unit = instrument.unit.currentText()
        instrument.humidity.setChecked(bool(self.humidity.text().strip()))
        instrument.temperature.setChecked(bool(self.temperature.text().strip()) or not instrument.humidity.isChecked())
        if not instrument.name.text().strip():
            instrument.name.setText(instrument.kind.currentText())

        def action() -> str:
            with desk.edit(_("the first three answers")):
                incubator_id = self.incubator.save()
                instrument.save(incubator_id)
                if not self.none_yet.isChecked():
                    self.batch.save(desk.book.one(Incubator, incubator_id))
                self._read()
            return _("Logged. Below stands what it means, and what would make it surer.")

        if attempt(self.problem, action):
            if unit != desk.book.temperature_unit:
                desk.set_temperature_unit("°F" if unit == "°F" else "°C")
        elif self.focusWidget() is None:
            self.problem.setFocus()
