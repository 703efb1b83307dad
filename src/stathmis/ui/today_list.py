"""What is to be done today, machine by machine in walking order: ticked with one key, why and how on request."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QCheckBox, QLineEdit, QWidget

from stathmis.core.errors import UserError
from stathmis.logbook.records import Incubator
from stathmis.services import notify
from stathmis.services.book import Book
from stathmis.services.desk import Desk
from stathmis.services.plan import tasks
from stathmis.services.plan.tasks import Task
from stathmis.ui.kit.fields import field
from stathmis.ui.kit.lines import Pool
from stathmis.ui.kit.page import column, holder, put, row
from stathmis.ui.kit.pieces import button, label, problem_label, say, set_property, set_text
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


class _Line(QWidget):
    """A task: its box, title and when; above it the machine where another begins, below it why and how where opened."""

    def __init__(self, view: TodayList) -> None:
        super().__init__()
        self._view = view
        self.task: Task | None = None
        self._machine = label("", "small")
        self.tick = _Tick()
        self.tick.setToolTip(_("Space: done. Right arrow: why and how."))
        self.tick.clicked.connect(lambda _checked=False: self.task and view.ticked(self.task))
        self.tick.opened.connect(self._toggle)
        self._title, self._when = label("", wrap=True), label("", "small")
        self._how, self._caution = label("", "small", wrap=True), label("", "small", "eggs", wrap=True)
        self.why = field("", _("leave it out, because …"), entered=self._leave_out)
        self.skip = holder(row((self.why, 1), button(_("Leave it out"), self._leave_out, "link")))
        said = column(self._title, self._when, spacing=0)
        line = row(self.tick, (said, 1), button(_("why"), self._toggle, "link"), spacing=4)
        put(self, column(self._machine, line, self._how, self._caution, self.skip, spacing=4))

    @property
    def key(self) -> tuple[str, str] | None:
        """What the task is about, and its step."""
        return (self.task.subject, self.task.step) if self.task is not None else None

    def _toggle(self) -> None:
        if self.task is not None:
            self._view.toggle(self.task)

    def _leave_out(self) -> None:
        if self.task is not None:
            self._view.skip(self.task, self.why.text())

    def show_task(self, book: Book, task: Task, machine: str, *, opened: bool) -> None:
        """Show a task; machine: where another one begins, its name."""
        if self.key != (task.subject, task.step):
            self.why.clear()
        self.task = task
        set_text(self._machine, machine)
        self._machine.setVisible(bool(machine))
        self.tick.setChecked(task.state != "open")
        when = tasks.when_words(book, task)
        self.tick.setAccessibleName(f"{task.title}, {task.about}, {task.incubator.name}, {when}")
        set_text(self._title, task.title)
        set_property(self._title, "role", "" if task.state == "open" else "muted")
        set_text(self._when, when)
        set_property(self._when, "ink", "eggs" if task.overdue(book.now_ms) else "")
        window = "" if task.daily else f" ({tasks.window_words(book, task)})"
        set_text(self._how, f"{task.about}{window}. {task.why} {task.how}" if opened else "")
        set_text(self._caution, task.caution if opened else "")
        self.why.setAccessibleName(_("Why {title} is left out", title=task.title))
        for widget, shown in (
            (self._how, opened),
            (self._caution, opened and bool(task.caution)),
            (self.skip, opened and task.state == "open" and not task.daily),
        ):
            widget.setVisible(shown)


class TodayList(QWidget):
    """Today's tasks of all incubators, those of the one in view first. Its lines live on as the list changes."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self._open: tuple[str, str] | None = None
        self.tasks: tuple[Task, ...] = ()
        self._incubator: Incubator | None = None
        self._shown: object = None
        self.countdown = label("", "name", "heat", wrap=True)
        self.countdown.hide()
        box = column(label(_("To do"), "heading"), self.countdown, spacing=4)
        self._lines: list[_Line] = []
        self._pool = Pool(box, lambda: _Line(self))
        self._more, self.problem = label("", "small"), problem_label()
        box.addWidget(self._more)
        box.addWidget(self.problem)
        put(self, box)
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
        over = _("Cooling is over: mist the eggs and shut the lid.")
        text = _("Cooling: {minutes}:{seconds:02d} min left.", minutes=seconds // 60, seconds=seconds % 60)
        self.countdown.setText(text if left > 0 else over)
        self.countdown.show()
        if not self._timer.isActive():
            self._timer.start(1000)

    @property
    def ticks(self) -> dict[tuple[str, str], QCheckBox]:
        """The boxes of the tasks that are shown."""
        return {line.key: line.tick for line in self._lines if line.key is not None}

    @property
    def why(self) -> QLineEdit | None:
        """Where to say why the opened task is left out, None where none is opened."""
        return next((line.why for line in self._lines if not line.skip.isHidden()), None)

    def focused(self) -> tuple[str, str] | None:
        """The task whose box has the focus."""
        return next((key for key, tick in self.ticks.items() if tick.hasFocus()), None)

    def show_tasks(
        self, incubator: Incubator, more: Sequence[Task] = (), focused: tuple[str, str] | None = None
    ) -> None:
        """Show what is to be done; more: tasks worked out elsewhere (a refill); focused: the one to be focused."""
        book = self._desk.book
        found = [*tasks.today(book), *more]
        # the machine in view first, then on along the walk
        order = [i.id for i in book.incubators()]
        start = order.index(incubator.id) if incubator.id in order else 0
        walk = order[start:] + order[:start]
        self.tasks = tuple(sorted(found, key=lambda t: (walk.index(t.incubator.id), t.state != "open", t.due_ms)))
        cooling = tasks.cooling_left_s(book, incubator) is not None
        whens = [(tasks.when_words(book, t), t.overdue(book.now_ms)) for t in self.tasks]
        self._incubator = incubator
        self._count_down()
        self.setVisible(bool(self.tasks) or cooling)
        if (incubator.id, self.tasks, whens, self._open, cooling) == self._shown:
            return
        self._shown = incubator.id, self.tasks, whens, self._open, cooling
        self.problem.hide()
        listed = self.tasks[: SHOWN + 2]
        self._lines = self._pool.show(len(listed))
        machine = incubator.name
        for line, task in zip(self._lines, listed, strict=True):
            name = task.incubator.name if task.incubator.name != machine else ""
            machine = task.incubator.name
            line.show_task(book, task, name, opened=self._open == (task.subject, task.step))
        left = len(self.tasks) - len(listed)
        set_text(self._more, _("{left} more in the planner", left=left))
        self._more.setVisible(left > 0)
        if focused is not None and focused in self.ticks:
            self.ticks[focused].setFocus()

    def toggle(self, task: Task) -> None:
        """Open or close a task's why and how."""
        key = (task.subject, task.step)
        self._open = None if self._open == key else key
        self.show_tasks(self._incubator or task.incubator, self._extra(), self.focused())

    def _extra(self) -> list[Task]:
        return [t for t in self.tasks if t.subject.startswith("incubator")]

    def ticked(self, task: Task) -> None:
        """A task is done, or open again."""
        if task.state == "open":
            self._try(lambda: tasks.done(self._desk, task))
        else:
            self._try(lambda: tasks.reopen(self._desk, task))

    def skip(self, task: Task, why: str) -> None:
        """A task is left out."""
        self._try(lambda: tasks.skip(self._desk, task, why))

    def _try(self, action: Callable[[], str | None]) -> None:
        try:
            said = action()
        except UserError as error:
            # said once: the next time the list is shown it is made anew
            self._shown = None
            say(self.problem, str(error))
            for (subject, step), tick in self.ticks.items():
                state = next((t.state for t in self.tasks if (t.subject, t.step) == (subject, step)), "open")
                tick.setChecked(state != "open")
            return
        if said:
            notify.tell("info", _("{said} Ctrl+Z takes it back.", said=said))

    def tick_next(self) -> None:
        """The first open task is done."""
        task = next((t for t in self.tasks if t.state == "open"), None)
        if task is None:
            notify.tell("info", _("Nothing is left to do."))
        else:
            self.ticked(task)
