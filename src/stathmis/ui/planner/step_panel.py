"""The step looked at on the calendar: what, when, why, how; done, left out, or put on another day."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial

from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QPushButton, QVBoxLayout, QWidget

from stathmis.core.course import schedule
from stathmis.core.course.schedule import Habits
from stathmis.core.errors import UserError
from stathmis.services import clock, knowledge, notify
from stathmis.services.batch import batches
from stathmis.services.clock import DAY_MS
from stathmis.services.desk import Desk
from stathmis.services.plan import clutch, planning, preflight, tasks
from stathmis.services.plan.planning import Plan
from stathmis.services.plan.tasks import Task
from stathmis.ui.pieces import Chooser, button, clear, label, problem_label, yielding
from stathmis.words import dates

TURNINGS = {"machine": "turned by the machine", "by hand": "turned by hand", "none": "not turned"}


class StepPanel(QWidget):
    """One step of one plan, and the habits the plan follows."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self._box = QVBoxLayout(self)
        self._box.setContentsMargins(0, 0, 0, 0)
        self._box.setSpacing(6)
        self._task: Task | None = None
        self.on: QLineEdit | None = None
        self.why: QLineEdit | None = None
        self.problem = problem_label()

    def _plan(self, subject: str) -> Plan | None:
        return next((p for p in planning.plans(self._desk.book) if p.subject == subject), None)

    def show_task(self, task: Task | None) -> None:
        """Show a step; what is being typed for it stays."""
        typed = (self.on.text(), self.why.text()) if self.on is not None and self.why is not None else ("", "")
        same = (
            task is not None
            and self._task is not None
            and (task.subject, task.step)
            == (
                self._task.subject,
                self._task.step,
            )
        )
        self._task = task
        clear(self._box)
        self.on = self.why = None
        if task is None:
            return
        at = self._desk.book.local(task.due_ms)
        self._box.addWidget(label(f"{task.title}: {task.about}", "heading", wrap=True))
        words = f"{dates.moment(at, weekday=True)}; {tasks.when_words(self._desk.book, task)}"
        words += f"; {tasks.window_words(self._desk.book, task)}" if task.state == "open" else ""
        self._box.addWidget(label(words, "name", "eggs", wrap=True))
        self._box.addWidget(label(f"{task.why} {task.how}", "muted", wrap=True))
        if task.caution:
            self._box.addWidget(label(task.caution, "small", wrap=True))
        self._step_fields(task, typed if same else ("", ""))
        self.problem = problem_label()
        self._box.addWidget(self.problem)
        plan = self._plan(task.subject)
        if plan is not None:
            self._ready(plan, task)
            self._clutch(plan)
            self._plan_fields(plan)

    def _ready(self, plan: Plan, task: Task) -> None:
        """Whether the machine is ready for the eggs to come."""
        if plan.batch is not None or task.step not in ("warm dry", "warm wet", "set"):
            return
        found = preflight.preflight(self._desk.book, plan)
        self._box.addWidget(label(found.headline, "name", wrap=True))
        marks = {"yes": "yes", "no": "no", "unknown": "can't tell"}
        for finding in found.findings:
            row = QHBoxLayout()
            text = f"{finding.about}: {marks[finding.answer]}; {finding.words}"
            row.addWidget(label(text, "small", "outside" if finding.answer == "no" else "", wrap=True), 1)
            if finding.about == "turner" and finding.answer == "unknown":
                seen = partial(tasks.mark_seen, self._desk, plan, "turner seen")
                row.addWidget(button("seen moving", partial(self._try, seen), "link"))
            self._box.addLayout(row)

    def _clutch(self, plan: Plan) -> None:
        """What the temperatures so far say of a clutch, and its box on the scale."""
        if plan.species.kind != "reptile" or plan.batch is None:
            return
        course = batches.course_of(self._desk.book, plan.batch, plan.incubator)
        for line in clutch.lines(self._desk.book, clutch.clutch_sheet(self._desk.book, plan, course)):
            self._box.addWidget(label(line, "small", wrap=True))
        row = QHBoxLayout()
        self.box_mass = QLineEdit()
        self.box_mass.setPlaceholderText("the box weighs, g")
        self.box_mass.setAccessibleName("What the box of the clutch weighs, g")

        def weigh() -> str:
            return f"Box weighed: {clutch.log_box(self._desk, course, self.box_mass.text()):.0f} g."

        self.box_mass.returnPressed.connect(lambda: self._try(weigh))
        row.addWidget(self.box_mass)
        row.addWidget(button("Log it", lambda: self._try(weigh), "link"))
        row.addStretch(1)
        self._box.addLayout(row)

    def _step_fields(self, task: Task, typed: tuple[str, str]) -> None:
        row = QHBoxLayout()
        self.on, self.why = QLineEdit(typed[0]), QLineEdit(typed[1])
        self.on.setPlaceholderText("another day: 27 May 09:00")
        self.on.setAccessibleName(f"Another day for: {task.title}")
        self.on.returnPressed.connect(self.move_step)
        row.addWidget(self.on, 1)
        row.addWidget(button("Move it", self.move_step))
        self._box.addLayout(row)
        row = QHBoxLayout()
        plan = self._plan(task.subject)
        if task.state != "open":
            row.addWidget(button("Open again", partial(self._try, partial(tasks.reopen, self._desk, task))))
        elif task.step == "set" and plan is not None:
            row.addWidget(button("The eggs are in", self.set_eggs, "main"))
        else:
            row.addWidget(button("Done", self.done, "main"))
            self.why.setPlaceholderText("or leave it out, because …")
            self.why.setAccessibleName(f"Why {task.title} is left out")
            self.why.returnPressed.connect(self.skip)
            row.addWidget(self.why, 1)
            row.addWidget(button("Leave it out", self.skip))
        row.addStretch(0)
        self._box.addLayout(row)
        self._box.addWidget(label("Arrows go about; with Ctrl a step moves by a day.", "small", wrap=True))

    def _plan_fields(self, plan: Plan) -> None:
        row = QHBoxLayout()
        candling, turning = yielding(Chooser()), yielding(Chooser())
        for key in schedule.CANDLINGS:
            candling.addItem(f"candled {key}", key)
        for key, text in TURNINGS.items():
            turning.addItem(text, key)
        candling.setCurrentIndex(candling.findData(plan.habits.candling))
        turning.setCurrentIndex(turning.findData(plan.habits.turning))
        candling.setAccessibleName(f"How often {plan.name} is candled")
        turning.setAccessibleName(f"How {plan.name} is turned")
        for chooser in (candling, turning):
            chooser.activated.connect(lambda _i: self._habits(plan, candling.currentData(), turning.currentData()))
            row.addWidget(chooser, 1)
        if plan.species.stop_turning_day is None:
            turning.setVisible(False)
        self._box.addLayout(row)
        row = QHBoxLayout()
        species = yielding(Chooser())
        for key, one in knowledge.species().items():
            species.addItem(one.name, key)
        species.setCurrentIndex(species.findData(plan.species.key))
        species.setAccessibleName(f"Species of {plan.name}")
        change = partial(self._species, plan, species)
        species.activated.connect(lambda _i: change())
        row.addWidget(label("these are", "muted"))
        row.addWidget(species, 1)
        self._box.addLayout(row)
        more: list[QPushButton] = []
        posted = "not posted" if plan.habits.posted else "posted eggs: rest them"
        weighing = "no weighing" if plan.habits.weighing else "weigh them"
        flip = replace(plan.habits, posted=not plan.habits.posted)
        more.append(button(posted, partial(self._try, partial(planning.change_habits, self._desk, plan, flip)), "link"))
        flip = replace(plan.habits, weighing=not plan.habits.weighing)
        more.append(
            button(weighing, partial(self._try, partial(planning.change_habits, self._desk, plan, flip)), "link")
        )
        if plan.batch is None:
            more.append(
                button("give up this plan", partial(self._try, partial(planning.drop_plan, self._desk, plan)), "link")
            )
        row = QHBoxLayout()
        for made in more:
            row.addWidget(made)
        row.addStretch(1)
        self._box.addLayout(row)

    def _species(self, plan: Plan, chooser: Chooser) -> None:
        key = chooser.currentData()
        if key != plan.species.key:
            self._try(lambda: planning.change_species(self._desk, plan, key))

    def _habits(self, plan: Plan, candling: str, turning: str) -> None:
        wanted: Habits = replace(plan.habits, candling=candling, turning=turning)
        if wanted != plan.habits:
            self._try(lambda: planning.change_habits(self._desk, plan, wanted))

    def _try(self, action: Callable[[], str | None]) -> bool:
        try:
            said = action()
        except UserError as error:
            self.problem.setText(str(error))
            self.problem.show()
            return False
        if isinstance(said, str):
            notify.tell("info", f"{said} Ctrl+Z takes it back.")
        return True

    def move_step(self) -> None:
        """Put the step on the day typed."""
        task, plan = self._task, self._plan(self._task.subject) if self._task is not None else None
        if task is None or plan is None or self.on is None:
            return
        typed, self_on = self.on.text(), self.on
        at = self._desk.book.local(task.due_ms)

        def action() -> str:
            moved_to = clock.parse_day(typed, self._desk.now_ms, self._desk.book.zone, at.hour + at.minute / 60.0)
            self_on.setText("")
            try:
                planning.move_step(self._desk, plan, task.step, moved_to)
            except UserError:
                self_on.setText(typed)
                raise
            return f"{task.title} moved; what hangs on it follows."

        self._try(action)

    def nudge(self, task: Task, days: int) -> None:
        """Move a step by some days."""
        plan = self._plan(task.subject)
        if plan is not None:
            self._try(lambda: planning.move_step(self._desk, plan, task.step, task.due_ms + days * DAY_MS))

    def done(self) -> None:
        """The step is done."""
        if self._task is not None:
            task = self._task
            self._try(lambda: tasks.done(self._desk, task))

    def skip(self) -> None:
        """The step is left out, with the reason typed."""
        if self._task is not None and self.why is not None:
            task, why = self._task, self.why.text()
            self._try(lambda: tasks.skip(self._desk, task, why))

    def set_eggs(self) -> None:
        """The eggs of the plan are in the machine."""
        plan = self._plan(self._task.subject) if self._task is not None else None
        if plan is not None:
            self._try(lambda: f"Batch {planning.set_eggs(self._desk, plan, self._desk.now_ms)} begins.")
