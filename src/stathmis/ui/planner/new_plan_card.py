"""Planning a batch: from the wished hatch day backward, or from the set day forward."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QFrame, QGridLayout, QHBoxLayout, QLineEdit, QVBoxLayout

from stathmis.core.course import schedule
from stathmis.core.errors import UserError
from stathmis.logbook.records import Incubator
from stathmis.services import clock, knowledge, notify
from stathmis.services.batch import profiles
from stathmis.services.clock import DAY_MS
from stathmis.services.desk import Desk
from stathmis.services.plan import learning, planning
from stathmis.services.plan.learning import Learnt
from stathmis.ui.pieces import Chooser, button, label, problem_label, yielding
from stathmis.ui.work import Background
from stathmis.words import dates


class NewPlanCard(QFrame):
    """Fields of a new plan; what it comes to is shown while the day is typed. planned: its subject."""

    planned = Signal(str)

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self.setObjectName("card")
        box = QVBoxLayout(self)
        box.addWidget(label("Plan a batch", "heading"))
        grid = QGridLayout()
        grid.setColumnStretch(1, 1)
        self.species, self.machine, self.regime, self.way = (yielding(Chooser()) for _ in range(4))
        for key, species in knowledge.species().items():
            self.species.addItem(species.name, key)
        self.species.activated.connect(self._offer_regimes)
        self.way.addItem("hatch on", "hatch")
        self.way.addItem("set on", "set")
        self.day, self.eggs, self.name, self.laid, self.mother = (QLineEdit() for _ in range(5))
        self.eggs.setText("12")
        self.day.setPlaceholderText("20 Jun, 2026-06-20, in 30 days")
        self.laid.setPlaceholderText("first egg laid: 10 Jun")
        self.name.setPlaceholderText("such as: spring set B")
        self.day.textEdited.connect(self._day_typed)
        self.day.returnPressed.connect(self.add)
        self.preview = label("", "small", wrap=True)
        self.taught = label("", "small", wrap=True)
        self._learnt: Learnt | None = None
        self._job: Background | None = None
        self._waiting = False
        self._own: tuple[str, tuple[tuple[int, int], ...]] = ("", ())
        self.eggs.textEdited.connect(lambda _t: self._say_learnt())
        self._mother_label = label("Mother", "muted")
        for i, (first, second, name) in enumerate(
            (
                (label("Species", "muted"), self.species, "Species of the batch"),
                (label("Eggs", "muted"), self.eggs, "How many eggs"),
                (label("In", "muted"), self.machine, "Which incubator"),
                (self.way, self.day, "On which day"),
                (label("Eggs from", "muted"), self.laid, "When the first egg is laid; may be empty"),
                (label("Follows", "muted"), self.regime, "Which humidity school"),
                (label("Name", "muted"), self.name, "What you call it; may be empty"),
                (self._mother_label, self.mother, "The mother of the clutch; may be empty"),
            )
        ):
            second.setAccessibleName(name)
            grid.addWidget(first, i, 0)
            grid.addWidget(second, i, 1)
        self.way.setAccessibleName("Whether the day is that of the hatch or of setting")
        box.addLayout(grid)
        box.addWidget(self.preview)
        box.addWidget(self.taught)
        self.problem = problem_label()
        box.addWidget(self.problem)
        row = QHBoxLayout()
        row.addWidget(button("Plan it", self.add, "main"))
        row.addStretch(1)
        box.addLayout(row)

    def refresh(self) -> None:
        """Offer the machines as they stand; what is being typed stays."""
        incubators = self._desk.book.incubators()
        if [self.machine.itemText(i) for i in range(self.machine.count())] != [i.name for i in incubators]:
            self.machine.clear()
            for incubator in incubators:
                self.machine.addItem(incubator.name, incubator.id)
        if not self.regime.count():
            self._offer_regimes()
        elif self._own != (self._own[0], learning.own_hatches(self._desk.book, self._own[0])):
            self._learn()

    def _offer_regimes(self, _index: int = 0) -> None:
        self.regime.clear()
        clutch = knowledge.species()[self.species.currentData()].kind == "reptile"
        self.laid.setPlaceholderText("laid on: 10 Jun" if clutch else "first egg laid: 10 Jun")
        for widget in (self.mother, self._mother_label):
            widget.setVisible(clutch)
        for choice in profiles.choices(self._desk.book, self.species.currentData()):
            self.regime.addItem(choice.name, choice.key)
        self._learn()
        self._day_typed()

    def _learn(self) -> None:
        """What own hatches of the species teach, read off the window's thread."""
        desk, species = self._desk, str(self.species.currentData())
        self._own = (species, learning.own_hatches(desk.book, species))
        self._learnt = self._job = None
        self._say_learnt()
        if not self._own[1]:
            return
        book = desk.book
        self._job = Background(lambda progress, cancelled: learning.learnt(book, species))
        self._job.done.connect(self._learned)
        self._job.failed.connect(self._not_learned)
        self._job.start()

    def _not_learned(self, error: BaseException) -> None:
        """The sheet's days serve as well."""
        self._job = None
        notify.tell_error(error)
        if self._waiting:
            self._waiting = False
            self.add()

    def _learned(self, found: Learnt) -> None:
        if found.species.key != self.species.currentData():
            return
        self._learnt, self._job = found, None
        self._say_learnt()
        self._day_typed()
        if self._waiting:
            self._waiting = False
            self.add()

    def _say_learnt(self) -> None:
        eggs = int(self.eggs.text()) if self.eggs.text().strip().isdigit() else 0
        said = learning.lines(self._desk.book, self._learnt, eggs) if self._learnt is not None and eggs else []
        self.taught.setText(" ".join(said))
        self.taught.setVisible(bool(said))

    @property
    def _term(self) -> float | None:
        return learning.for_plan(self._learnt).term_days

    def _machine(self) -> Incubator | None:
        chosen = self.machine.currentData()
        return next((i for i in self._desk.book.incubators() if i.id == chosen), None)

    def _set_day(self) -> int:
        """When to set, UTC ms. Raises UserError."""
        desk, machine = self._desk, self._machine()
        at = clock.parse_day(self.day.text(), desk.now_ms, desk.book.zone)
        if self.way.currentData() == "hatch" and machine is not None:
            return planning.set_day_for(knowledge.species()[self.species.currentData()], machine, at, self._term)
        return at

    def _day_typed(self, _text: str = "") -> None:
        self.problem.hide()
        machine = self._machine()
        if not self.day.text().strip() or machine is None:
            self.preview.setText("")
            return
        try:
            at = self._set_day()
        except UserError:
            self.preview.setText("")
            return
        species = knowledge.species()[self.species.currentData()]
        term = self._term or planning.expected_term(species, machine)
        steps = {s.key: s for s in schedule.plan(species, planning.usual_habits(self._desk.book), term)}
        parts = []
        for key, words in (("warm dry", "warm up"), ("set", "set"), ("lockdown", "lockdown"), ("hatch", "hatch")):
            if key in steps:
                when = self._desk.book.local(at + round(steps[key].day * DAY_MS))
                parts.append(f"{words} {dates.day(when, weekday=True)}")
        self.preview.setText(", ".join(parts))

    def add(self) -> None:
        """Plan the batch."""
        desk, machine = self._desk, self._machine()
        if machine is None:
            return
        if self._job is not None and self._learnt is None:
            # planned as soon as the earlier hatches are read
            self._waiting = True
            return
        try:
            eggs = int(self.eggs.text()) if self.eggs.text().strip().isdigit() else 0
            laid = clock.parse_day(self.laid.text(), desk.now_ms, desk.book.zone) if self.laid.text().strip() else None
            at = self._set_day()
            if laid is not None and laid > at:
                # a day without a year is the next one: of eggs it is the last
                earlier = desk.book.local(laid)
                laid = clock.utc_ms(earlier.replace(tzinfo=None, year=earlier.year - 1), desk.book.zone)
            edits = (self.day, self.name, self.laid, self.mother)
            typed = [edit.text() for edit in edits]
            _, name, _, mother = typed
            for edit in edits:
                edit.setText("")
            species, regime = self.species.currentData(), self.regime.currentData()
            try:
                kept = learning.for_plan(self._learnt)
                planning.add_plan(desk, machine, species, regime, eggs, at, name, laid, mother, learned=kept)
            except UserError:
                for edit, text in zip(edits, typed, strict=True):
                    edit.setText(text)
                raise
        except UserError as error:
            self.problem.setText(str(error))
            self.problem.show()
            self.day.setFocus()
            return
        self.preview.setText("")
        newest = planning.plans(desk.book)
        made = max((p for p in newest if p.stored is not None), key=lambda p: p.stored.id)  # type: ignore[union-attr]
        self.planned.emit(made.subject)
        notify.tell("info", f"{made.name} planned. Ctrl+Z takes it back.")
