"""Entering what is new, and the three questions of an empty logbook."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QCheckBox, QFrame, QHBoxLayout, QVBoxLayout, QWidget

from stathmis.core.errors import UserError
from stathmis.logbook.records import Batch, Channel, Incubator, Instrument, Placement, Stay, StoredPlan, StoredProfile
from stathmis.logbook.snapshot import SETTINGS
from stathmis.services import knowledge, setting_up
from stathmis.services.batch import batches
from stathmis.services.desk import Desk
from stathmis.services.plan import conflicts
from stathmis.ui.attempt import attempt
from stathmis.ui.forms import BatchForm, IncubatorForm, InstrumentForm, PlaceForm
from stathmis.ui.pieces import Chooser, FoldingView, button, label, problem_label, scrolling_page, yielding
from stathmis.ui.theme import Theme


class EnterView(FoldingView):
    """Forms for a batch, an instrument, an incubator; and ending a batch."""

    rests_on = frozenset[type | str](
        {Batch, Channel, Incubator, Instrument, Placement, Stay, StoredPlan, StoredProfile, SETTINGS}
    )

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__(theme, 800)
        self._desk = desk
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        area, page = scrolling_page()
        outer.addWidget(area)
        page.addWidget(label("Enter or change", "title"))
        columns = self.folding_row(24)
        left, right = QVBoxLayout(), QVBoxLayout()
        columns.addLayout(left, 1)
        columns.addLayout(right, 1)
        page.addLayout(columns)
        page.addStretch(1)

        self.batch = BatchForm(desk)
        self.machine = Chooser()
        self.batch.field("In", self.machine)
        self.batch_problem = problem_label()
        law = label(knowledge.cautions()["law"], "small", wrap=True)
        left.addWidget(
            _card("A batch", self.batch, self.batch_problem, button("Set the batch", self.set_batch, "main"), law)
        )
        self.ending = Chooser()
        self.ending.setAccessibleName("Batch to end")
        self.end_button = button("End this batch", self.end_batch)
        self.end_problem = problem_label()
        self._end_card = _card("End a batch", self.ending, self.end_problem, self.end_button)
        left.addWidget(self._end_card)
        left.addStretch(1)
        self.instrument = InstrumentForm(desk)
        self.instrument_problem = problem_label()
        right.addWidget(
            _card(
                "An instrument",
                self.instrument,
                self.instrument_problem,
                button("Enter the instrument", self.add_instrument, "main"),
            )
        )
        self.incubator = IncubatorForm(desk)
        self.incubator_problem = problem_label()
        right.addWidget(
            _card(
                "An incubator",
                self.incubator,
                self.incubator_problem,
                button("Enter the incubator", self.add_incubator, "main"),
            )
        )
        right.addStretch(1)
        self.moving, self.moving_to = Chooser(), Chooser()
        self.moving.setAccessibleName("Instrument to move")
        self.moving_to.setAccessibleName("Where it hangs from now on")
        self.moving_at_eggs = QCheckBox("at the height of the egg tops")
        self.moving_at_eggs.setChecked(True)
        self.moving_problem = problem_label()
        move = button("Move it", self.move_instrument)
        left.insertWidget(
            2,
            _card("Move an instrument", self.moving, self.moving_to, self.moving_at_eggs, self.moving_problem, move),
        )
        self.place = PlaceForm(desk)
        self.place_problem = problem_label()
        keep = button("Keep it", self.set_place)
        right.insertWidget(2, _card("Your place", self.place, self.place_problem, keep))
        for box in (self.machine, self.ending, self.moving, self.moving_to, *self.batch.findChildren(Chooser)):
            yielding(box)
        self.refresh()

    def begin(self) -> None:
        """Come in at the batch."""
        self.batch.species.setFocus()

    def refresh(self) -> None:
        """Offer the incubators as they stand."""
        desk = self._desk
        incubators = desk.book.incubators()
        courses = {i.id: batches.all_running(desk.book, i) for i in incubators}
        places = desk.book.places()
        self.instrument.offer_incubators(places)
        self.machine.clear()
        self.ending.clear()
        for incubator in sorted(incubators, key=lambda i: bool(courses[i.id])):
            going = courses[incubator.id]
            beside = f", beside {', '.join(c.batch.name for c in going)}" if going else ""
            self.machine.addItem(incubator.name + beside, incubator)
            for course in going:
                self.ending.addItem(f"{course.batch.name}, {incubator.name}", course.batch)
        if not self.machine.count():
            self.machine.addItem("no incubator yet", None)
        self.batch.offer_regimes()
        self._end_card.setVisible(self.ending.count() > 0)
        self.moving.clear()
        self.moving_to.clear()
        for instrument in desk.book.records(Instrument):
            self.moving.addItem(instrument.name, instrument.id)
        for place in places:
            self.moving_to.addItem(f"into {place.name}", place.id)
        self.moving_to.addItem("into the drawer", None)
        self.place.refresh()

    def set_batch(self) -> None:
        """Set the batch as typed."""

        def action() -> str:
            incubator = self.machine.currentData()
            if incubator is None:
                raise UserError("There is no incubator yet.", "Enter one first.")
            self.batch.save(incubator)
            shared = conflicts.sharing(self._desk.book, incubator)
            return f"Set in {incubator.name}. {' '.join(shared) or knowledge.cautions()['eggs']}"

        attempt(self.batch_problem, action)

    def end_batch(self) -> None:
        """End the chosen batch."""
        batch = self.ending.currentData()

        def action() -> str:
            setting_up.end_batch(self._desk, batch)
            return f"{batch.name} ended."

        if batch is not None:
            attempt(self.end_problem, action)

    def add_instrument(self) -> None:
        """Enter the instrument as typed."""

        def action() -> str:
            name = self.instrument.name.text().strip()
            self.instrument.save()
            self.instrument.clear()
            return f"{name} entered."

        attempt(self.instrument_problem, action)

    def move_instrument(self) -> None:
        """Hang the chosen instrument where it is wanted."""

        def action() -> str:
            if self.moving.currentData() is None:
                raise UserError("There is no instrument yet.", "Enter one first.")
            name = self.moving.currentText()
            setting_up.move_instrument(
                self._desk,
                self.moving.currentData(),
                self.moving_to.currentData(),
                at_egg_top=self.moving_at_eggs.isChecked(),
            )
            return f"{name} moved."

        attempt(self.moving_problem, action)

    def set_place(self) -> None:
        """Keep the name and altitude as typed."""

        def action() -> str:
            self.place.save()
            return "Kept."

        attempt(self.place_problem, action)

    def add_incubator(self) -> None:
        """Enter the incubator as typed."""

        def action() -> str:
            name = self.incubator.name.text().strip()
            self.incubator.save()
            self.incubator.name.setText("")
            return f"{name} entered."

        attempt(self.incubator_problem, action)


class StartView(QWidget):
    """An empty logbook: three questions, then the first round."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self._desk = desk
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        area, page = scrolling_page()
        outer.addWidget(area)
        row = QHBoxLayout()
        inner = QVBoxLayout()
        inner.setSpacing(12)
        holder = QWidget()
        holder.setMaximumWidth(theme.px(720))
        holder.setLayout(inner)
        row.addStretch(1)
        row.addWidget(holder, 8)
        row.addStretch(1)
        page.addLayout(row)
        page.addStretch(1)
        inner.addWidget(label("Three questions, then the first reading", "title"))
        self.incubator = IncubatorForm(desk, with_room=False)
        inner.addWidget(_card("1  Which incubator?", self.incubator))
        self.batch = BatchForm(desk)
        self.none_yet = QCheckBox("nothing yet: it is still warming up")
        self.none_yet.toggled.connect(lambda on: self.batch.setEnabled(not on))
        inner.addWidget(_card("2  What is in it?", self.none_yet, self.batch))
        self.instrument = InstrumentForm(desk, with_place=False)
        inner.addWidget(_card("3  What do you read?", self.instrument))
        self.problem = problem_label()
        inner.addWidget(self.problem)
        go = QHBoxLayout()
        self.go = button("Start the first round", self.start, "main")
        go.addWidget(self.go)
        go.addStretch(1)
        inner.addLayout(go)
        inner.addWidget(label(knowledge.cautions()["alarm"], "small", wrap=True))

    def refresh(self) -> None:
        """Nothing here depends on the logbook."""

    def begin(self) -> None:
        """Come in at the first question."""
        self.incubator.name.setFocus()

    def leave(self) -> bool:
        """There is nowhere to go yet."""
        return True

    def start(self) -> None:
        """Enter all three answers, or none and say what is wrong."""
        desk = self._desk

        def action() -> str:
            with desk.edit("the first three answers"):
                incubator_id = self.incubator.save()
                self.instrument.save(incubator_id)
                if not self.none_yet.isChecked():
                    self.batch.save(desk.book.one(Incubator, incubator_id))
            return "Ready: type what the instrument shows."

        if not attempt(self.problem, action):
            self.problem.setFocus()


def _card(title: str, *widgets: QWidget) -> QFrame:
    card = QFrame()
    card.setObjectName("card")
    box = QVBoxLayout(card)
    box.setContentsMargins(16, 12, 16, 14)
    box.setSpacing(8)
    box.addWidget(label(title, "heading"))
    for widget in widgets:
        if widget.property("role") == "main" or widget.metaObject().className() == "QPushButton":
            box.addWidget(widget, 0, Qt.AlignmentFlag.AlignLeft)
        else:
            box.addWidget(widget)
    return card
