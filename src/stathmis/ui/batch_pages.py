"""The pages of one incubator under its course: Round and Trace."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QStackedWidget, QVBoxLayout, QWidget

from stathmis.logbook import keeping
from stathmis.logbook.records import Incubator
from stathmis.services import rounds
from stathmis.services.wording import number
from stathmis.services.workbench import Workbench
from stathmis.ui.course_strip import CourseStrip
from stathmis.ui.pieces import button, label, rule
from stathmis.ui.round_view import RoundView
from stathmis.ui.theme import Theme
from stathmis.ui.trace_view import TraceView

PAGES = (("round", "Round"), ("trace", "Trace"))


class BatchPages(QWidget):
    """Header, course and pages of the incubator in view."""

    page_chosen = Signal(str)
    set_batch_wanted = Signal()

    def __init__(self, bench: Workbench, theme: Theme) -> None:
        super().__init__()
        self.setObjectName("page")
        self._bench, self._theme = bench, theme
        self.incubator: Incubator | None = None
        self.page = "round"
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        head = QVBoxLayout()
        head.setContentsMargins(32, 16, 32, 0)
        line = QHBoxLayout()
        self._title = label("", "title", wrap=True)
        self._batch = label("", "muted", wrap=True)
        self._date = label("", "muted")
        line.addWidget(self._title, 2)
        line.addSpacing(24)
        line.addWidget(self._batch, 3)
        line.addWidget(self._date)
        head.addLayout(line)
        self.course = CourseStrip(theme)
        head.addWidget(self.course)
        tabs = QHBoxLayout()
        tabs.setSpacing(24)
        self.tabs: dict[str, QPushButton] = {}
        for key, text in PAGES:
            made = button(text, partial(self.page_chosen.emit, key), "tab", f"Ctrl+{len(self.tabs) + 1}")
            made.setCheckable(True)
            self.tabs[key] = made
            tabs.addWidget(made)
        tabs.addStretch(1)
        head.addLayout(tabs)
        head.addWidget(rule())
        layout.addLayout(head)
        self.round = RoundView(bench, theme)
        self.round.set_batch_wanted.connect(self.set_batch_wanted)
        self.trace = TraceView(bench, theme)
        self._stack = QStackedWidget()
        self._stack.addWidget(self.round)
        self._stack.addWidget(self.trace)
        layout.addWidget(self._stack, 1)

    def show_incubator(self, incubator: Incubator, page: str) -> None:
        """Show a page of an incubator as it stands now."""
        bench = self._bench
        self.incubator, self.page = incubator, page
        sheet = rounds.sheet(bench, incubator)
        self._title.setText(incubator.name)
        air = "fan" if incubator.air == "forced" else "still air"
        if sheet.course is None:
            self._batch.setText(f"{air}, no batch")
        else:
            celsius = rounds.set_point(bench, incubator, bench.now_ms)
            unit = bench.temperature_unit
            setting = "" if celsius is None else f" · set to {number(celsius, 'temperature', unit)}"
            self._batch.setText(f"{sheet.course.batch.name} · {air}{setting}")
        now = bench.local(bench.now_ms)
        self._date.setText(f"{now:%a} {now.day} {now:%b %H:%M}")
        events = (
            keeping.events_between(bench.logbook, incubator.id, sheet.course.start_ms, bench.now_ms)
            if sheet.course
            else []
        )
        self.course.show_course(bench, sheet.course, events)
        for key, made in self.tabs.items():
            made.setChecked(key == page)
        self._stack.setCurrentIndex([key for key, _ in PAGES].index(page))
        self.round.show_incubator(sheet)
        if page == "trace":
            self.trace.show_course(sheet.course)
