"""The lockdown run on one screen: steps in order with time targets, a stopwatch for the open lid."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QCheckBox, QFrame, QGridLayout, QHBoxLayout, QVBoxLayout, QWidget

from stathmis.core.errors import UserError
from stathmis.services import notify
from stathmis.services.desk import Desk
from stathmis.services.plan import lockdown
from stathmis.services.plan.lockdown import LockdownRun
from stathmis.services.plan.planning import Plan
from stathmis.ui.pieces import button, clear, label
from stathmis.words import dates

if TYPE_CHECKING:
    from stathmis.services.findings.box import BoxSheet

SECOND_MS = 1000


class LockdownPanel(QFrame):
    """Hidden until a lockdown is near."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.setObjectName("card")
        self._desk = desk
        self.run: LockdownRun | None = None
        self._box_sheet: BoxSheet | None = None
        box = QVBoxLayout(self)
        head = QHBoxLayout()
        self._title = label("", "heading", wrap=True)
        head.addWidget(self._title, 1)
        self.fold = button("", self._fold, "link")
        head.addWidget(self.fold)
        self.lid = button("I open the lid", self._lid, "main")
        head.addWidget(self.lid)
        box.addLayout(head)
        self.watch = label("", "name", "heat", wrap=True)
        box.addWidget(self.watch)
        self._list = QWidget()
        self._grid = QGridLayout(self._list)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setColumnStretch(1, 1)
        self._grid.setHorizontalSpacing(8)
        box.addWidget(self._list)
        self._caution = label("", "small", wrap=True)
        box.addWidget(self._caution)
        self._unfolded: bool | None = None
        self.ticks: dict[str, QCheckBox] = {}
        self._timer = QTimer(self)
        self._timer.timeout.connect(self._tell_time)
        self.hide()

    def focused(self) -> str:
        """The step whose box has the focus, empty where none has."""
        return next((key for key, tick in self.ticks.items() if tick.hasFocus()), "")

    def show_plan(self, plan: Plan | None, box: BoxSheet | None, focused: str = "") -> None:
        """Show the run of a plan where its lockdown is due, else nothing; focused: the step to be focused."""
        if plan is None or not lockdown.due(self._desk.book, plan):
            self.run = None
            self.hide()
            self._timer.stop()
            return
        self.run = found = lockdown.run(self._desk.book, plan, box)
        at = self._desk.book.local(next(s.at_ms for s in plan.steps if s.key == "lockdown"))
        self._title.setText(f"Lockdown of {plan.name}, {dates.moment(at, weekday=True)}")
        clear(self._grid)
        self.ticks = {}
        for i, step in enumerate(found.steps):
            tick = QCheckBox()
            tick.setChecked(step.done_ms is not None)
            target = f"by {step.target_min:.0f} min" if step.target_min is not None else ""
            tick.setAccessibleName(f"{step.title}, {target}")
            tick.clicked.connect(partial(self._ticked, step.key))
            self.ticks[step.key] = tick
            words = QVBoxLayout()
            words.setSpacing(0)
            words.addWidget(label(step.title, "name" if step == found.next_step else "", wrap=True))
            words.addWidget(label(step.how, "small", wrap=True))
            self._grid.addWidget(tick, i, 0)
            self._grid.addLayout(words, i, 1)
            done = self._desk.book.local(step.done_ms) if step.done_ms is not None else None
            self._grid.addWidget(label(f"done {dates.clock(done)}" if done is not None else target, "small"), i, 2)
        self._caution.setText(found.caution)
        begun = found.opened_ms is not None or any(s.done_ms is not None for s in found.steps)
        near = begun or lockdown.soon(self._desk.book, plan)
        self._show_list(near if self._unfolded is None else self._unfolded)
        self.lid.setText("The lid is shut again" if found.opened_ms is not None else "I open the lid")
        self._tell_time()
        self._timer.start(SECOND_MS)
        self.show()
        if focused in self.ticks:
            self.ticks[focused].setFocus()

    def _show_list(self, unfolded: bool) -> None:
        for widget in (self._list, self._caution):
            widget.setVisible(unfolded)
        self.fold.setText("Fold the list" if unfolded else "Show the list")

    def _fold(self) -> None:
        self._unfolded = not self._list.isVisible()
        self._show_list(self._unfolded)

    def _tell_time(self) -> None:
        if self.run is not None:
            text = lockdown.open_words(self._desk.book, self.run)
            self.watch.setText(text)
            self.watch.setVisible(bool(text))

    def _ticked(self, key: str) -> None:
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
