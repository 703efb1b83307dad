"""The step looked at on the calendar: what, when, why, how; done, left out, or put on another day."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QWidget

from stathmis.core.errors import UserError
from stathmis.services import clock, notify
from stathmis.services.batch import batches
from stathmis.services.batch.species import species_offered
from stathmis.services.clock import DAY_MS
from stathmis.services.desk import Desk
from stathmis.services.moisture import weights
from stathmis.services.plan import clutch, planning, preflight, tasks
from stathmis.services.plan.planning import Plan
from stathmis.services.plan.tasks import Task
from stathmis.ui.kit.attempt import emptied
from stathmis.ui.kit.fields import Chooser, field
from stathmis.ui.kit.lines import Lines, Said
from stathmis.ui.kit.page import column, holder, put, row
from stathmis.ui.kit.pieces import button, label, problem_label, say, set_property, set_text
from stathmis.words import clutch as clutch_words
from stathmis.words import dates
from stathmis.words.catalogue import N_, Spoken, _

ANSWERS = Spoken({"yes": N_("yes"), "no": N_("no"), "unknown": N_("can't tell")})


class StepPanel(QWidget):
    """One step of one plan, and what its batch is. way_wanted: the subject of the plan whose way is to be seen."""

    way_wanted = Signal(str)

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self._task: Task | None = None
        self.problem = problem_label()
        self.on = field(_("Another day"), _("another day: 27 May 09:00"), entered=self.move_step)
        self.why = field(_("Why it is left out"), _("or leave it out, because …"), entered=self.skip)
        self._act = button(_("Done"), self.done, "main")
        self._leave_out = button(_("Leave it out"), self.skip)
        box = column()
        self._said = Lines(box, "small")
        box.addLayout(row((self.on, 1), button(_("Move it"), self.move_step)))
        box.addLayout(row(self._act, (self.why, 1), self._leave_out))
        box.addWidget(label(_("Arrows go about; with Ctrl a step moves by a day."), "small", wrap=True))
        box.addWidget(self.problem)
        self._ready = Lines(box, "small")
        self._seen = button(_("turner seen moving"), self._turner_seen, "link")
        box.addLayout(row(self._seen, 1))
        self._clutch = Lines(box, "small")
        self.box_mass = field(_("What the box of the clutch weighs, g"), _("the box weighs, g"), entered=self.weigh)
        self._weigh = holder(row(self.box_mass, button(_("Log it"), self.weigh, "link"), 1))
        box.addWidget(self._weigh)
        self._substrate = Chooser(_("Substrate"), [(w, key) for key, w in clutch_words.substrates().items()])
        self._substrate.currentIndexChanged.connect(lambda _i: self._mix())
        self.dry_mass = field(_("Mass of the dry substrate, g"), _("dry substrate, g"), typed=lambda _t: self._mix())
        self._mixed = label("", "small", wrap=True)
        self._mixing = holder(column(row(self.dry_mass, self._substrate, 1), self._mixed))
        box.addWidget(self._mixing)
        box.addWidget(self._plan_fields())
        self._all = holder(box)
        put(self, column(self._all))
        self._all.hide()

    def _plan_fields(self) -> QWidget:
        """What the plan's batch is and how it is kept."""
        kinds = species_offered(self._desk.book)
        self.species = Chooser("", kinds, picked=self._species, yielding=True)
        self._posted = button("", self._flip_posted, "link")
        way = button(_("how it is kept"), self._wants_way, "link", _("Your way with this batch"))
        self._give_up = button(_("give up this plan"), self._drop, "link")
        self._habits = holder(
            column(
                row(label(_("these are"), "muted"), (self.species, 1)),
                row(way, self._posted, self._give_up, 1),
            )
        )
        return self._habits

    @property
    def _plan(self) -> Plan | None:
        return self._plan_of(self._task.subject) if self._task is not None else None

    def _plan_of(self, subject: str) -> Plan | None:
        return next((p for p in planning.plans(self._desk.book) if p.subject == subject), None)

    def show_task(self, task: Task | None) -> None:
        """Show a step; what is being typed for it stays."""
        before, self._task = self._task, task
        self._all.setVisible(task is not None)
        if task is None:
            return
        if before is None or (task.subject, task.step) != (before.subject, before.step):
            for edit in (self.on, self.why, self.box_mass):
                edit.clear()
            self.problem.hide()
        book, plan = self._desk.book, self._plan
        when = dates.moment(book.local(task.due_ms), weekday=True)
        when += _(", overdue") if task.overdue(book.now_ms) else ""
        when += f"; {(tasks.window_words if task.state == 'open' else tasks.when_words)(book, task)}"
        lines: list[Said] = [(f"{task.title}: {task.about}", "heading"), (when, "name", "eggs")]
        lines.append((f"{task.why} {task.how}", "muted"))
        self._said.say([*lines, task.caution] if task.caution else lines)
        self.on.setAccessibleName(_("Another day for: {title}", title=task.title))
        self.why.setAccessibleName(_("Why {title} is left out", title=task.title))
        eggs_in = task.step == "set" and plan is not None
        set_text(self._act, _("Open again") if task.state != "open" else _("The eggs are in") if eggs_in else _("Done"))
        set_property(self._act, "role", "main" if task.state == "open" else "")
        for widget in (self.why, self._leave_out):
            widget.setVisible(task.state == "open" and not eggs_in)
        self._habits.setVisible(plan is not None)
        self._show_ready(plan, task)
        self._show_clutch(plan)
        if plan is not None:
            self._show_plan(plan)

    def _show_ready(self, plan: Plan | None, task: Task) -> None:
        """Whether the machine is ready for the eggs to come."""
        self._seen.hide()
        if plan is None or plan.batch is not None or task.step not in ("warm dry", "warm wet", "set"):
            self._ready.say([])
            return
        found = preflight.preflight(self._desk.book, plan)
        lines: list[Said] = [(found.headline, "name")]
        for one in found.findings:
            lines.append(
                (f"{one.about}: {ANSWERS[one.answer]}; {one.words}", "small", "outside" * (one.answer == "no"))
            )
            if one.about == "turner" and one.answer == "unknown":
                self._seen.show()
        self._ready.say(lines)

    def _show_clutch(self, plan: Plan | None) -> None:
        """What the temperatures so far say of a clutch, and its box on the scale."""
        clutch_in_hand = plan is not None and plan.species.kind == "reptile"
        self._mixing.setVisible(clutch_in_hand)
        self._weigh.setVisible(clutch_in_hand and plan is not None and plan.batch is not None)
        if plan is None or not clutch_in_hand:
            self._clutch.say([])
            return
        course = planning.course(self._desk.book, plan)
        self._clutch.say(clutch_words.lines(self._desk.book, clutch.clutch_sheet(self._desk.book, plan, course)))

    def _show_plan(self, plan: Plan) -> None:
        self.species.keep(species_offered(self._desk.book))
        self.species.choose(plan.species.key)
        self.species.setAccessibleName(_("Species of {plan}", plan=plan.name))
        set_text(self._posted, _("not posted") if plan.way.posted else _("posted eggs: rest them"))
        self._posted.setVisible(plan.species.kind == "bird")
        self._give_up.setVisible(plan.batch is None)

    def _wants_way(self) -> None:
        if self._task is not None:
            self.way_wanted.emit(self._task.subject)

    def _flip_posted(self) -> None:
        plan = self._plan
        if plan is not None:
            wanted = replace(plan.way, posted=not plan.way.posted)
            self._try(lambda: planning.change_way(self._desk, plan, wanted))

    def _species(self, key: str) -> None:
        plan = self._plan
        if plan is not None and key != plan.species.key:
            self._try(lambda: planning.change_species(self._desk, plan, key))

    def _drop(self) -> None:
        plan = self._plan
        if plan is not None:
            self._try(lambda: planning.drop_plan(self._desk, plan))

    def _turner_seen(self) -> None:
        plan = self._plan
        if plan is not None:
            self._try(lambda: tasks.mark_seen(self._desk, plan, "turner seen"))

    def _try(self, action: Callable[[], str | None]) -> None:
        try:
            said = action()
        except UserError as error:
            say(self.problem, str(error))
            return
        self.problem.hide()
        if said:
            notify.tell("info", _("{said} Ctrl+Z takes it back.", said=said))

    def weigh(self) -> None:
        """The box of the clutch weighs what is typed."""
        plan = self._plan
        if plan is None or plan.batch is None:
            return
        course = batches.course_of(self._desk.book, plan.batch, plan.incubator)

        def action() -> str:
            with emptied(self.box_mass) as (mass,):
                return _("Box weighed: {log_box:.0f} g.", log_box=clutch.log_box(self._desk, course, mass))

        self._try(action)

    def _mix(self) -> None:
        """How much water the substrate wants, as its mass is typed."""
        grams = weights.mass_in(self.dry_mass.text())
        say(self._mixed, clutch_words.substrate(self._substrate.currentData(), grams) if grams else "")

    def move_step(self) -> None:
        """Put the step on the day typed."""
        task, plan = self._task, self._plan
        if task is None or plan is None:
            return
        at = self._desk.book.local(task.due_ms)

        def action() -> str:
            with emptied(self.on) as (typed,):
                hour = at.hour + at.minute / 60.0
                moved_to = clock.parse_day(typed, self._desk.now_ms, self._desk.book.zone, hour)
                planning.move_step(self._desk, plan, task.step, moved_to)
            return _("{title} moved; what hangs on it follows.", title=task.title)

        self._try(action)

    def nudge(self, task: Task, days: int) -> None:
        """Move a step by some days."""
        plan = self._plan_of(task.subject)
        if plan is not None:
            self._try(lambda: planning.move_step(self._desk, plan, task.step, task.due_ms + days * DAY_MS))

    def done(self) -> None:
        """The step is done, or open again; the step of setting sets the eggs."""
        task, plan = self._task, self._plan
        if task is None:
            return
        if task.state != "open":
            self._try(lambda: tasks.reopen(self._desk, task))
        elif task.step == "set" and plan is not None:
            self._try(
                lambda: _("Batch {set_eggs} begins.", set_eggs=planning.set_eggs(self._desk, plan, self._desk.now_ms))
            )
        else:
            self._try(lambda: tasks.done(self._desk, task))

    def skip(self) -> None:
        """The step is left out, with the reason typed."""
        task = self._task
        if task is None:
            return

        def action() -> None:
            with emptied(self.why) as (why,):
                tasks.skip(self._desk, task, why)

        self._try(action)
