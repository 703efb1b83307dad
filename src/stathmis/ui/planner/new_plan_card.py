"""Planning a batch: from the wished hatch day backward, or from the set day forward."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QFrame

from stathmis.core.course import schedule
from stathmis.core.course.profile import Species
from stathmis.core.errors import UserError
from stathmis.core.units import count_typed
from stathmis.logbook.records import Incubator
from stathmis.services import clock, notify
from stathmis.services.batch import profiles
from stathmis.services.batch.species import species_of, species_offered
from stathmis.services.batch.ways import usual_way
from stathmis.services.clock import DAY_MS
from stathmis.services.desk import Desk
from stathmis.services.plan import learning, planning
from stathmis.services.plan.learning import Learnt
from stathmis.ui.kit.attempt import attempt, emptied
from stathmis.ui.kit.fields import Chooser, field
from stathmis.ui.kit.page import FieldGrid, column, row
from stathmis.ui.kit.pieces import button, label, problem_label, say
from stathmis.ui.work import Background
from stathmis.words import dates
from stathmis.words.catalogue import _


class NewPlanCard(QFrame):
    """Fields of a new plan; what it comes to is shown while the day is typed. planned: its subject; chosen: another
    species."""

    planned = Signal(str)
    chosen = Signal()

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self.setObjectName("card")
        kinds = species_offered(desk.book)
        grid = FieldGrid()
        self.species = grid.add(
            _("Species"), Chooser(_("Species of the batch"), kinds, picked=self._offer_regimes, yielding=True)
        )
        self.eggs = grid.add(_("Eggs"), field(_("How many eggs"), text="12", typed=lambda _t: self._say_learnt()))
        self.machine = grid.add(_("In"), Chooser(_("Which incubator"), yielding=True))
        ways = ((_("hatch on"), "hatch"), (_("set on"), "set"))
        self.way = Chooser(_("Whether the day is that of the hatch or of setting"), ways, yielding=True)
        hint = _("20 Jun, 2026-06-20, in 30 days")
        self.day = grid.add(self.way, field(_("On which day"), hint, typed=self._day_typed, entered=self.add))
        laid = field(_("When the first egg is laid; may be empty"), _("first egg laid: 10 Jun"))
        self.laid = grid.add(_("Eggs from"), laid)
        self.regime = grid.add(_("Follows"), Chooser(_("Which humidity school"), yielding=True))
        self.name = grid.add(_("Name"), field(_("What you call it; may be empty"), _("such as: set B")))
        self._mother_label = label(_("Mother"), "muted")
        self.mother = grid.add(self._mother_label, field(_("The mother of the clutch; may be empty")))
        self.preview, self.taught = label("", "small", wrap=True), label("", "small", wrap=True)
        self.problem = problem_label()
        go = row(button(_("Plan it"), self.add, "main"), 1)
        self.setLayout(column(label(_("Plan a batch"), "heading"), grid, self.preview, self.taught, self.problem, go))
        self._learnt: Learnt | None = None
        self._job: Background | None = None
        self._waiting = False
        self._own: tuple[str, tuple[tuple[int, int], ...]] = ("", ())

    def refresh(self) -> None:
        """Offer the machines as they stand; what is being typed stays."""
        incubators = self._desk.book.incubators()
        if [self.machine.itemText(i) for i in range(self.machine.count())] != [i.name for i in incubators]:
            self.machine.offer([(i.name, i.id) for i in incubators], self.machine.currentData())
        self.species.keep(species_offered(self._desk.book))
        if not self.regime.count():
            self._offer_regimes()
        elif self._own != (self._own[0], learning.own_hatches(self._desk.book, self._own[0])):
            self._learn()

    def _offer_regimes(self, _species: object = None) -> None:
        clutch = species_of(self._desk.book, self.species.currentData()).kind == "reptile"
        self.laid.setPlaceholderText(_("laid on: 10 Jun") if clutch else _("first egg laid: 10 Jun"))
        for widget in (self.mother, self._mother_label):
            widget.setVisible(clutch)
        self.regime.offer([(c.name, c.key) for c in profiles.choices(self._desk.book, self.species.currentData())])
        self._learn()
        self._day_typed()
        self.chosen.emit()

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
        eggs = count_typed(self.eggs.text()) or 0
        said = learning.lines(self._desk.book, self._learnt, eggs) if self._learnt is not None and eggs else []
        say(self.taught, " ".join(said))

    def _species(self, machine: Incubator, at_ms: int) -> Species:
        """With the days to the hatch to be expected of it."""
        species, regime = str(self.species.currentData()), str(self.regime.currentData())
        taught = learning.for_plan(self._learnt)
        return planning.to_be_expected(self._desk.book, species, machine, regime, at_ms, taught)

    def _machine(self) -> Incubator | None:
        chosen = self.machine.currentData()
        return next((i for i in self._desk.book.incubators() if i.id == chosen), None)

    def _set_day(self) -> int:
        """When to set, UTC ms. Raises UserError."""
        desk, machine = self._desk, self._machine()
        at = clock.parse_day(self.day.text(), desk.now_ms, desk.book.zone)
        if self.way.currentData() == "hatch" and machine is not None:
            return planning.set_day_for(self._species(machine, at), at)
        return at

    def _day_typed(self, _text: str = "") -> None:
        self.problem.hide()
        machine = self._machine()
        if not self.day.text().strip() or machine is None:
            say(self.preview, "")
            return
        try:
            at = self._set_day()
        except UserError:
            say(self.preview, "")
            return
        species = self._species(machine, at)
        steps = {s.key: s for s in schedule.plan(species, usual_way(self._desk.book, species.key, at))}
        parts = []
        for key, words in (("warm dry", _("warm up")), ("set", "set"), ("lockdown", "lockdown"), ("hatch", "hatch")):
            if key in steps:
                when = self._desk.book.local(at + round(steps[key].day * DAY_MS))
                parts.append(f"{words} {dates.day(when, weekday=True)}")
        say(self.preview, ", ".join(parts))

    def add(self) -> None:
        """Plan the batch."""
        desk, machine = self._desk, self._machine()
        if machine is None:
            return
        if self._job is not None and self._learnt is None:
            # planned as soon as the earlier hatches are read
            self._waiting = True
            return

        def action() -> str:
            eggs = count_typed(self.eggs.text()) or 0
            at = self._set_day()
            species, regime = self.species.currentData(), self.regime.currentData()
            with emptied(self.day, self.name, self.laid, self.mother) as (_day, name, from_day, mother):
                laid = clock.parse_day(from_day, desk.now_ms, desk.book.zone) if from_day.strip() else None
                if laid is not None and laid > at:
                    # a day without a year is the next one: of eggs it is the last
                    earlier = desk.book.local(laid)
                    laid = clock.utc_ms(earlier.replace(tzinfo=None, year=earlier.year - 1), desk.book.zone)
                kept = learning.for_plan(self._learnt)
                planning.add_plan(desk, machine, species, regime, eggs, at, name, laid, mother, learned=kept)
            stored = [(p.stored.id, p) for p in planning.plans(desk.book) if p.stored is not None]
            made = max(stored, key=lambda pair: pair[0])[1]
            self.planned.emit(made.subject)
            return _("{made} planned.", made=made.name)

        if attempt(self.problem, action):
            say(self.preview, "")
        else:
            self.day.setFocus()
