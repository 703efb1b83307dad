"""Planner: batches to come and under way on one calendar; every step can be moved; conflicts are explained."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtWidgets import QFileDialog, QHBoxLayout, QVBoxLayout

from stathmis.core.errors import UserError
from stathmis.logbook.records import Away
from stathmis.services import notify
from stathmis.services.desk import Desk
from stathmis.services.plan import calendar, conflicts, planning, tasks
from stathmis.ui.pieces import FoldingView, button, clear, label, scrolling_page
from stathmis.ui.planner.away_card import AwayCard
from stathmis.ui.planner.new_plan_card import NewPlanCard
from stathmis.ui.planner.plan_calendar import PlanCalendar, Row
from stathmis.ui.planner.step_panel import StepPanel
from stathmis.ui.theme import Theme


class PlannerView(FoldingView):
    """Plans on a calendar, the step looked at, what is in the way, and a new plan."""

    rests_on = frozenset[type | str]({*tasks.TASKS_REST_ON, Away})

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__(theme, 900)
        self._desk = desk
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        area, page = scrolling_page()
        outer.addWidget(area)
        head = QHBoxLayout()
        head.addWidget(label("Planner", "title"))
        head.addStretch(1)
        head.addWidget(button("For the phone …", self.export))
        page.addLayout(head)
        self.calendar = PlanCalendar(desk, theme)
        page.addWidget(self.calendar)
        self._empty = label("Nothing is planned yet. Say below when you want the chicks.", "muted", wrap=True)
        page.addWidget(self._empty)
        self._in_the_way = QVBoxLayout()
        page.addLayout(self._in_the_way)
        columns = self.folding_row(28)
        self.step, self.new, self.away = StepPanel(desk), NewPlanCard(desk), AwayCard(desk, theme)
        left, right = QVBoxLayout(), QVBoxLayout()
        for column in (left, right):
            column.setSpacing(8)
            columns.addLayout(column, 1)
        left.addWidget(self.step)
        left.addStretch(1)
        right.addWidget(self.new)
        right.addWidget(self.away)
        right.addStretch(1)
        page.addLayout(columns)
        page.addStretch(1)
        self.calendar.chosen.connect(self.step.show_task)
        self.calendar.nudged.connect(self.step.nudge)
        self.new.planned.connect(lambda subject: self.calendar.look_at(subject, "set"))
        self.refresh()

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
        clear(self._in_the_way)
        for conflict in way:
            self._in_the_way.addWidget(label(f"{conflict.text} {conflict.to_do}", "", "undecided", wrap=True))
        self.new.refresh()
        self.away.refresh()

    def export(self) -> None:
        """Write a calendar file where the keeper wants it."""
        name, _ = QFileDialog.getSaveFileName(self, "Calendar file", "hatching.ics", "Calendar files (*.ics)")
        if name:
            self.write_calendar(Path(name))

    def write_calendar(self, path: Path) -> None:
        """Write the calendar file."""
        try:
            notify.tell("info", calendar.write(self._desk, path))
        except UserError as error:
            notify.tell_error(error)
