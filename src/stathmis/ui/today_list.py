"""What is to be done today, machine by machine in walking order: ticked with one key, why and how on request."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QCheckBox, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from stathmis.core.errors import UserError
from stathmis.logbook.records import Incubator
from stathmis.services import notify
from stathmis.services.desk import Desk
from stathmis.services.plan import tasks
from stathmis.services.plan.tasks import Task
from stathmis.ui.pieces import button, clear, label, problem_label
from stathmis.words.catalogue import _

SHOWN = 6


class _Tick(QCheckBox):
    """A task's box; the right arrow opens its why, up and down go along the list."""

    opened = Signal()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Arrows besides Space."""
        if event.key() in (Qt.Key.Key_Right, Qt.Key.Key_Left):
            self.opened.emit()
        elif event.key() == Qt.Key.Key_Down:
            self.focusNextChild()
        elif event.key() == Qt.Key.Key_Up:
            self.focusPreviousChild()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.click()
        else:
            super().keyPressEvent(event)


class TodayList(QWidget):
    """Today's tasks of all incubators, those of the one in view first."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self._open: tuple[str, str] | None = None
        self._box = QVBoxLayout(self)
        self._box.setContentsMargins(0, 0, 0, 0)
        self._box.setSpacing(4)
        self.tasks: tuple[Task, ...] = ()
        self.ticks: dict[tuple[str, str], QCheckBox] = {}
        self.problem = problem_label()
        self.why: QLineEdit | None = None
        self.countdown = label("", "name", "heat", wrap=True)
        self._incubator: Incubator | None = None
        self._shown: object = None
        self._timer = QTimer(self)
        self._timer.timeout.connect(self._count_down)

    def _count_down(self) -> None:
        """A cooling under way: how long it still lasts."""
        left = tasks.cooling_left_s(self._desk.book, self._incubator) if self._incubator is not None else None
        if left is None:
            self.countdown.hide()
            self._timer.stop()
            return
        seconds = max(0, round(left))
        over = "Cooling is over: mist the eggs and shut the lid."
        text = f"Cooling: {seconds // 60}:{seconds % 60:02d} min left."
        self.countdown.setText(text if left > 0 else over)
        self.countdown.show()
        if not self._timer.isActive():
            self._timer.start(1000)

    def focused(self) -> tuple[str, str] | None:
        """The task whose box has the focus."""
        return next((key for key, tick in self.ticks.items() if tick.hasFocus()), None)

    def show_tasks(
        self, incubator: Incubator, more: Sequence[Task] = (), focused: tuple[str, str] | None = None
    ) -> None:
        """Show what is to be done; more: tasks worked out elsewhere (a refill); focused: the one to be focused."""
        desk = self._desk
        typed = self.why.text() if self.why is not None else ""
        found = [*tasks.today(desk.book), *more]
        # the machine in view first, then on along the walk
        order = [i.id for i in desk.book.incubators()]
        start = order.index(incubator.id) if incubator.id in order else 0
        walk = order[start:] + order[:start]
        self.tasks = tuple(sorted(found, key=lambda t: (walk.index(t.incubator.id), t.state != "open", t.due_ms)))
        cooling = tasks.cooling_left_s(desk.book, incubator) is not None
        whens = [tasks.when_words(desk.book, t) for t in self.tasks]
        state = (incubator.id, self.tasks, whens, self._open, cooling, [t.overdue(desk.now_ms) for t in self.tasks])
        if state == self._shown:
            self._count_down()
            return
        self._shown = state
        clear(self._box)
        self.ticks, self.why = {}, None
        self._incubator = incubator
        self.countdown = label("", "name", "heat", wrap=True)
        self.setVisible(bool(self.tasks) or cooling)
        if not self.tasks and not cooling:
            return
        self._box.addWidget(label("To do", "heading"))
        self._box.addWidget(self.countdown)
        self._count_down()
        machine = incubator.name
        for task in self.tasks[: SHOWN + 2]:
            if task.incubator.name != machine:
                machine = task.incubator.name
                self._box.addWidget(label(machine, "small"))
            self._line(task, typed)
        left = len(self.tasks) - SHOWN - 2
        if left > 0:
            self._box.addWidget(label(_("{left} more in the planner").format(left=left), "small"))
        self.problem = problem_label()
        self._box.addWidget(self.problem)
        if focused is not None and focused in self.ticks:
            self.ticks[focused].setFocus()

    def _line(self, task: Task, typed: str) -> None:
        key = (task.subject, task.step)
        row = QHBoxLayout()
        row.setSpacing(6)
        tick = _Tick()
        tick.setChecked(task.state != "open")
        when = tasks.when_words(self._desk.book, task)
        tick.setAccessibleName(f"{task.title}, {task.about}, {task.incubator.name}, {when}")
        tick.setToolTip(_("Space: done. Right arrow: why and how."))
        tick.clicked.connect(partial(self._ticked, task))
        tick.opened.connect(partial(self._toggle, task))
        row.addWidget(tick)
        ink = "eggs" if task.overdue(self._desk.now_ms) else ""
        row.addWidget(label(task.title, "" if task.state == "open" else "muted", wrap=True), 1)
        row.addWidget(label(when, "small", ink))
        row.addWidget(button(_("why"), partial(self._toggle, task), "link"))
        self._box.addLayout(row)
        self.ticks[key] = tick
        if self._open == key:
            self._details(task, typed)

    def _details(self, task: Task, typed: str) -> None:
        window = "" if task.daily else f" ({tasks.window_words(self._desk.book, task)})"
        text = f"{task.about}{window}. {task.why} {task.how}"
        self._box.addWidget(label(text, "small", wrap=True))
        if task.caution:
            self._box.addWidget(label(task.caution, "small", "eggs", wrap=True))
        if task.state == "open" and not task.daily:
            row = QHBoxLayout()
            self.why = QLineEdit(typed)
            self.why.setPlaceholderText(_("leave it out, because …"))
            self.why.setAccessibleName(_("Why {title} is left out").format(title=task.title))
            self.why.returnPressed.connect(partial(self._skip, task))
            row.addWidget(self.why, 1)
            row.addWidget(button(_("Leave it out"), partial(self._skip, task), "link"))
            self._box.addLayout(row)

    def _toggle(self, task: Task) -> None:
        key = (task.subject, task.step)
        self._open = None if self._open == key else key
        self.show_tasks(self._incubator or task.incubator, self._extra(), self.focused())

    def _extra(self) -> list[Task]:
        return [t for t in self.tasks if t.subject.startswith("incubator")]

    def _ticked(self, task: Task) -> None:
        if task.state == "open":
            self._try(lambda: tasks.done(self._desk, task))
        else:
            self._try(lambda: tasks.reopen(self._desk, task))

    def _skip(self, task: Task) -> None:
        why = self.why.text() if self.why is not None else ""
        self._try(lambda: tasks.skip(self._desk, task, why))

    def _try(self, action: Callable[[], str | None]) -> None:
        try:
            said = action()
        except UserError as error:
            # said once: the next time the list is shown it is made anew
            self._shown = None
            self.problem.setText(str(error))
            self.problem.show()
            for (subject, step), tick in self.ticks.items():
                state = next((t.state for t in self.tasks if (t.subject, t.step) == (subject, step)), "open")
                tick.setChecked(state != "open")
            return
        if said:
            notify.tell("info", _("{said} Ctrl+Z takes it back.").format(said=said))

    def tick_next(self) -> None:
        """The first open task is done."""
        task = next((t for t in self.tasks if t.state == "open"), None)
        if task is None:
            notify.tell("info", _("Nothing is left to do."))
        else:
            self._ticked(task)
