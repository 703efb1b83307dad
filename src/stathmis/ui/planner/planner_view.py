"""Planner: batches to come and under way on one calendar; every step can be moved; conflicts are explained."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtWidgets import QFileDialog

from stathmis.core.errors import UserError
from stathmis.logbook.records import Away, Pairing
from stathmis.services import notify
from stathmis.services.batch.species import species_of
from stathmis.services.desk import Desk
from stathmis.services.plan import calendar, conflicts, planning, tasks
from stathmis.ui.kit.lines import Lines
from stathmis.ui.kit.page import Page, row
from stathmis.ui.kit.pieces import button, label
from stathmis.ui.planner.away_card import AwayCard
from stathmis.ui.planner.new_plan_card import NewPlanCard
from stathmis.ui.planner.pairing_card import PairingCard
from stathmis.ui.planner.plan_calendar import PlanCalendar, Row
from stathmis.ui.planner.step_panel import StepPanel
from stathmis.ui.theme import Theme
from stathmis.words.catalogue import _


class PlannerView(Page):
    """Plans on a calendar, the step looked at, what is in the way, and a new plan."""

    rests_on = frozenset[type | str]({*tasks.TASKS_REST_ON, Away, Pairing})

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__(theme, 900)
        self._desk = desk
        self.page.addLayout(row(label(_("Planner"), "title"), 1, button(_("For the phone …"), self.export)))
        self.calendar = PlanCalendar(desk, theme)
        self.page.addWidget(self.calendar)
        self._empty = label(_("Nothing is planned yet. Say below when you want the chicks."), "muted", wrap=True)
        self.page.addWidget(self._empty)
        self._in_the_way = Lines(self.page)
        left, right = self.columns(1, 1)
        self.step, self.new, self.away = StepPanel(desk), NewPlanCard(desk), AwayCard(desk, theme)
        left.addWidget(self.step)
        left.addStretch(1)
        right.addWidget(self.new)
        self.pairs = PairingCard(desk)
        right.addWidget(self.pairs)
        right.addWidget(self.away)
        right.addStretch(1)
        self.page.addStretch(1)
        self.new.chosen.connect(self._show_pairs)
        self.calendar.chosen.connect(self.step.show_task)
        self.calendar.nudged.connect(self.step.nudge)
        self.new.planned.connect(lambda subject: self.calendar.look_at(subject, "set"))

    def begin(self) -> None:
        """Come in at the calendar, or at the new plan where there is none."""
        (self.calendar if self.calendar.row is not None else self.new.species).setFocus()

    def refresh(self) -> None:
        """Show the logbook as it stands; what is being typed stays."""
        desk = self._desk
        found = planning.plans(desk.book)
        known = tasks.marks(desk.book)
        way = conflicts.conflicts(desk.book, found)
        rows = []
        for plan in sorted(found, key=lambda p: (p.incubator.id, p.set_ms)):
            clashes = tuple((c.start_ms, c.end_ms) for c in way if plan.subject in c.subjects)
            rows.append(Row(plan, tuple(tasks.tasks_of(desk.book, plan, known)), clashes))
        self.calendar.setVisible(bool(rows))
        self._empty.setVisible(not rows)
        self.calendar.show_rows(rows, desk.book.records(Away))
        self._in_the_way.say([(f"{conflict.text} {conflict.to_do}", "", "undecided") for conflict in way])
        self.new.refresh()
        self._show_pairs()
        self.away.refresh()

    def _show_pairs(self) -> None:
        """Keepers of birds have no use for it."""
        book = self._desk.book
        planned = any(plan.species.kind == "reptile" for plan in planning.plans(book))
        chosen = species_of(book, str(self.new.species.currentData())).kind == "reptile"
        self.pairs.refresh(clutches=planned or chosen)

    def export(self) -> None:
        """Write a calendar file where the keeper wants it."""
        name, _kind = QFileDialog.getSaveFileName(self, _("Calendar file"), "hatching.ics", _("Calendar files (*.ics)"))
        if name:
            self.write_calendar(Path(name))

    def write_calendar(self, path: Path) -> None:
        """Write the calendar file."""
        try:
            notify.tell("info", calendar.write(self._desk, path))
        except UserError as error:
            notify.tell_error(error)
