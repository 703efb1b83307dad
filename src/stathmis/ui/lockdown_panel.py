"""The lockdown run on one screen: steps in order with time targets, a stopwatch for the open lid."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QCheckBox, QFrame, QWidget

from stathmis.core.errors import UserError
from stathmis.services import notify
from stathmis.services.desk import Desk
from stathmis.services.plan import lockdown
from stathmis.services.plan.lockdown import LockdownRun, RunStep
from stathmis.services.plan.planning import Plan
from stathmis.ui.kit.lines import Pool
from stathmis.ui.kit.page import column, holder, put, row
from stathmis.ui.kit.pieces import button, label, say, set_property, set_text
from stathmis.words import dates
from stathmis.words.catalogue import _

if TYPE_CHECKING:
    from stathmis.services.findings.box import BoxSheet

SECOND_MS = 1000


class _Step(QWidget):
    """A step of the run: its box, what to do, and by when or when it was done."""

    def __init__(self, panel: LockdownPanel) -> None:
        super().__init__()
        self.key = ""
        self.tick = QCheckBox()
        self.tick.clicked.connect(lambda _on: panel.ticked(self.key))
        self._title, self._how, self._when = label("", wrap=True), label("", "small", wrap=True), label("", "small")
        put(self, row(self.tick, (column(self._title, self._how, spacing=0), 1), self._when))

    def show_step(self, step: RunStep, done: str, *, coming: bool) -> None:
        self.key = step.key
        target = _("by {target_min:.0f} min", target_min=step.target_min) if step.target_min is not None else ""
        self.tick.setChecked(step.done_ms is not None)
        self.tick.setAccessibleName(f"{step.title}, {target}")
        set_text(self._title, step.title)
        set_property(self._title, "role", "name" if coming else "")
        set_text(self._how, step.how)
        set_text(self._when, _("done {done}", done=done) if done else target)


class LockdownPanel(QFrame):
    """Hidden until a lockdown is near."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.setObjectName("card")
        self._desk = desk
        self.run: LockdownRun | None = None
        self._title, self.watch = label("", "heading", wrap=True), label("", "name", "heat", wrap=True)
        self.fold = button("", self._fold, "link")
        self.lid = button(_("I open the lid"), self._lid, "main")
        steps = column()
        self._steps = Pool(steps, lambda: _Step(self))
        self._list, self._caution = holder(steps), label("", "small", wrap=True)
        self.setLayout(column(row((self._title, 1), self.fold, self.lid), self.watch, self._list, self._caution))
        self._unfolded: bool | None = None
        self.ticks: dict[str, QCheckBox] = {}
        self._timer = QTimer(self)
        self._timer.timeout.connect(self._tell_time)
        self.hide()

    def focused(self) -> str:
        """The step whose box has the focus, empty where none has."""
        return next((key for key, tick in self.ticks.items() if tick.hasFocus()), "")

    def show_plan(self, plan: Plan | None, box: BoxSheet | None, focused: str = "", ahead: str = "") -> None:
        """Show the run of a plan where its lockdown is due, else nothing; focused: the step to be focused; ahead: what
        all water would give by when."""
        if plan is None or not lockdown.due(self._desk.book, plan):
            self.run = None
            self.hide()
            self._timer.stop()
            return
        self.run = found = lockdown.run(self._desk.book, plan, box, ahead)
        at = self._desk.book.local(next(s.at_ms for s in plan.steps if s.key == "lockdown"))
        self._title.setText(_("Lockdown of {plan}, {at}", plan=plan.name, at=dates.moment(at, weekday=True)))
        shown = self._steps.show(len(found.steps))
        for line, step in zip(shown, found.steps, strict=True):
            done = dates.clock(self._desk.book.local(step.done_ms)) if step.done_ms is not None else ""
            line.show_step(step, done, coming=step == found.next_step)
        self.ticks = {line.key: line.tick for line in shown}
        self._caution.setText(found.caution)
        begun = found.opened_ms is not None or any(s.done_ms is not None for s in found.steps)
        near = begun or lockdown.soon(self._desk.book, plan)
        self._show_list(near if self._unfolded is None else self._unfolded)
        self.lid.setText(_("The lid is shut again") if found.opened_ms is not None else _("I open the lid"))
        self._tell_time()
        self._timer.start(SECOND_MS)
        self.show()
        if focused in self.ticks:
            self.ticks[focused].setFocus()

    def _show_list(self, unfolded: bool) -> None:
        for widget in (self._list, self._caution):
            widget.setVisible(unfolded)
        self.fold.setText(_("Fold the list") if unfolded else _("Show the list"))

    def _fold(self) -> None:
        self._unfolded = not self._list.isVisible()
        self._show_list(self._unfolded)

    def _tell_time(self) -> None:
        if self.run is not None:
            say(self.watch, lockdown.open_words(self._desk.book, self.run))

    def ticked(self, key: str) -> None:
        """A step is done, or open again."""
        run = self.run
        if run is not None:
            self._try(lambda: lockdown.tick(self._desk, run, key))

    def _lid(self) -> None:
        run = self.run
        if run is None:
            return
        if run.opened_ms is None:
            self._try(lambda: lockdown.open_lid(self._desk, run))
        else:
            self._try(lambda: lockdown.shut_lid(self._desk, run))

    @staticmethod
    def _try(action: Callable[[], str | None]) -> None:
        try:
            said = action()
        except UserError as error:
            notify.tell_error(error)
            return
        if said:
            notify.tell("info", said)
