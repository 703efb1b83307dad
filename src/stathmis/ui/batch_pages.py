"""The pages of one incubator under its course: Round, Trace, Moisture, Eggs and Hatch."""

from __future__ import annotations

from collections.abc import Iterator
from functools import cached_property, partial
from typing import TYPE_CHECKING

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QStackedWidget, QWidget

from stathmis.core.uncertainty import NORMAL_95
from stathmis.logbook.records import Batch, Incubator
from stathmis.logbook.snapshot import DENSE
from stathmis.services import rounds
from stathmis.services.batch import batches
from stathmis.services.batch.course import Course
from stathmis.services.desk import Desk
from stathmis.services.moisture import water
from stathmis.services.rounds import RoundSheet
from stathmis.ui import work
from stathmis.ui.course_strip import CourseStrip
from stathmis.ui.idle import importing, seen
from stathmis.ui.kit.fields import Chooser
from stathmis.ui.kit.page import column, holder, put, row
from stathmis.ui.kit.pieces import button, label, rule
from stathmis.ui.round_view import RoundView
from stathmis.ui.theme import Theme
from stathmis.words import dates
from stathmis.words.catalogue import N_, _
from stathmis.words.numbers import count, number

if TYPE_CHECKING:
    from stathmis.services.findings.ahead import Ahead
    from stathmis.services.findings.box import BoxSheet
    from stathmis.services.findings.judgement import JudgedRun
    from stathmis.ui.eggs.eggs_view import EggsView
    from stathmis.ui.eggs.hatch_view import HatchView
    from stathmis.ui.moisture.view import MoistureView
    from stathmis.ui.trace_view import TraceView

State = tuple[tuple[object, ...], int]
Foreseen = tuple["Ahead | None", str, str]
"""What comes, what all water would give for a lockdown that is due, and how forecasts did so far, in words."""
NOTHING: Foreseen = (None, "", "")
JUDGE_EVERY_MS = 10 * 60_000
"""The expected hatch is worked out anew this often while readings come in."""
PAGES = (
    ("round", N_("Round")),
    ("trace", N_("Trace")),
    ("moisture", N_("Moisture")),
    ("eggs", N_("Eggs")),
    ("hatch", N_("Hatch")),
)


class BatchPages(QWidget):
    """Header, course and pages of the incubator in view."""

    page_chosen = Signal(str)
    set_batch_wanted = Signal()
    box_learned = Signal()
    step_wanted = Signal(object)
    try_wanted = Signal()

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self.setObjectName("page")
        self._desk, self._theme = desk, theme
        self.incubator: Incubator | None = None
        self._in_view: tuple[Incubator, Course | None] | None = None
        self._chosen: dict[int, int] = {}
        self._past: int | None = None
        self._sharing: list[Batch] | None = None
        self._looked_back_at: Batch | None = None
        self._boxes: dict[int, tuple[State, BoxSheet | None]] = {}
        self._aheads: dict[int, tuple[State, Foreseen]] = {}
        self._judged: dict[int, tuple[State, float | None, float]] = {}
        self.page = "round"
        self._title, self._batch = label("", "title", wrap=True), label("", "muted", wrap=True)
        self._date, self._looking_back = label("", "muted"), label("", "", "undecided", wrap=True)
        self.in_view = Chooser(_("Which batch of this incubator is in view"), picked=self.choose_batch, yielding=True)
        self._several = holder(row(label(_("in view"), "muted"), (self.in_view, 1), 1, spacing=16))
        back = button(_("Back to now"), self.show_running, "link")
        self._past_row = holder(row((self._looking_back, 1), back, spacing=16))
        self._past_row.hide()
        self.course = CourseStrip(theme)
        self.tabs = {
            key: button(_(text), partial(self.page_chosen.emit, key), "tab", f"Ctrl+{i}")
            for i, (key, text) in enumerate(PAGES, start=1)
        }
        line = row((self._title, 2), (self._batch, 3), self._date, spacing=16)
        tabs = row(*self.tabs.values(), 1, spacing=24)
        head = column(line, self._several, self._past_row, self.course, tabs, rule(), spacing=4)
        top = holder(head)
        head.setContentsMargins(32, 8, 32, 0)
        theme.dress(top)
        self.round = RoundView(desk, theme)
        self.round.set_batch_wanted.connect(self.set_batch_wanted)
        self.round.page_wanted.connect(self.step_wanted)
        self.round.try_wanted.connect(self.try_wanted)
        self._stack = QStackedWidget()
        self._stack.addWidget(self.round)
        put(self, column(top, (self._stack, 1), spacing=0))

    # the other pages are made when they are first wanted: the first paint does not wait for them

    @cached_property
    def trace(self) -> TraceView:
        """The whole run as curves."""
        from stathmis.ui.trace_view import TraceView

        made = TraceView(self._desk, self._theme)
        made.judged_anew.connect(lambda found: self._take_judged(found, self._state()))
        self._stack.addWidget(made)
        return made

    @cached_property
    def moisture(self) -> MoistureView:
        """Weights, water and vents."""
        from stathmis.ui.moisture.view import MoistureView

        made = MoistureView(self._desk, self._theme)
        self._stack.addWidget(made)
        return made

    @cached_property
    def eggs(self) -> EggsView:
        """The tray."""
        from stathmis.ui.eggs.eggs_view import EggsView

        made = EggsView(self._desk, self._theme)
        self._stack.addWidget(made)
        return made

    @cached_property
    def hatch(self) -> HatchView:
        """The late stage and the review."""
        from stathmis.ui.eggs.hatch_view import HatchView

        made = HatchView(self._desk, self._theme)
        made.ended.connect(self._ended)
        self._stack.addWidget(made)
        return made

    def ready(self) -> Iterator[None]:
        """Make the pages, one part of one page a step; and then have them painted."""
        for name in (
            "trace_view",
            "trace_charts",
            "moisture.view",
            "moisture.loss_chart",
            "eggs.eggs_view",
            "eggs.hatch_view",
        ):
            yield from importing(f"stathmis.ui.{name}")
        for key, _text in PAGES[1:]:
            page = getattr(self, key)
            page.resize(self._stack.size())
            yield
            yield from page.parts.ready() if key in ("moisture", "hatch") else ()
            if key != "trace" and self._in_view is not None:
                # the trace reads a whole run: it waits until it is wanted
                self._fill(key, *self._in_view)
                yield
        curves = self.trace.make_charts()
        yield
        yield from curves.ready()
        for chart in (curves, self.moisture.eggs.make_chart()):
            yield from seen(chart)
            chart.hide()
        for key, _text in PAGES[1:]:
            yield from seen(getattr(self, key))

    def _show_several(self, sheet: RoundSheet) -> None:
        """Where batches share a machine, one of them is in view."""
        shown = [c.batch for c in (sheet.course, *sheet.beside) if c is not None and sheet.beside]
        if shown == self._sharing:
            return
        self._sharing = shown
        self._several.setVisible(bool(shown))
        if shown:
            options = [(batch.name, batch.id) for batch in sorted(shown, key=lambda b: b.set_ms)]
            self.in_view.offer(options, shown[0].id)

    def _state(self) -> State:
        """What the results of long work rest on: all records, and the log up to some minutes ago."""
        book = self._desk.book
        kinds = [k for k in book.snapshot.versions if k != DENSE]
        return book.versions(*kinds), book.now_ms // JUDGE_EVERY_MS

    def _show_window(self, course: Course | None, *, elsewhere: bool) -> None:
        """Where the hatch is to be expected; worked out off the window's thread, and again as the log grows.

        elsewhere: the trace reads the run just now and brings it.
        """
        if course is None:
            self.course.show_shift(None)
            return
        state, known = self._state(), self._judged.get(course.batch.id)
        self.course.show_shift(*(known[1:] if known is not None else (None, 0.0)))
        if elsewhere or (known is not None and known[0] == state):
            return
        # asked once for this state of the log, whether it succeeds or not
        self._judged[course.batch.id] = (state, *(known[1:] if known is not None else (None, 0.0)))
        book = self._desk.book

        def judged() -> JudgedRun:
            # read in off the window's thread, like the log it works on
            from stathmis.services.findings import judgement

            return judgement.judged_run(book, course)

        work.find(judged, lambda found: self._take_judged(found, state))

    def _take_judged(self, found: JudgedRun, state: State) -> None:
        """A run was judged; state: of the log it was read from."""
        course, eggs = found.trace.course, found.eggs
        shift = (eggs.shift_days, NORMAL_95 * eggs.u_shift_days) if eggs is not None else (None, 0.0)
        known = self._judged.get(course.batch.id)
        if known is not None and known[0] != state and state != self._state():
            # a newer state was asked for meanwhile: its answer counts
            return
        self._judged[course.batch.id] = (state, *shift)
        if self.course.shows(course):
            self.course.show_shift(*shift)

    def _learn_box(self, incubator: Incubator, course: Course | None) -> None:
        """What water and vents give here, worked out off the window's thread and again as the log grows."""
        book, state = self._desk.book, self._state()
        known = self._boxes.get(incubator.id)
        self.round.show_box(known[1] if known is not None else None)
        if course is None or incubator.air == "room" or (known is not None and known[0] == state):
            return
        if not water.surfaces(book, incubator):
            self._boxes[incubator.id] = (state, None)
            self.round.show_box(None)
            return
        self._boxes[incubator.id] = (state, known[1] if known is not None else None)

        def learned() -> BoxSheet | None:
            # read in off the window's thread, like the log it works on
            from stathmis.services.findings import box

            return box.box_sheet(book, incubator, course)

        work.find(learned, lambda found: self._learned(found, state))

    def _learned(self, found: BoxSheet, state: State) -> None:
        known = self._boxes.get(found.incubator.id)
        if known is not None and known[0] != state:
            # asked again meanwhile: the newer answer counts
            return
        self._boxes[found.incubator.id] = (state, found)
        if self.incubator is not None and self.incubator.id == found.incubator.id:
            self.round.show_box(found)
        self.box_learned.emit()

    def _look_ahead(self, incubator: Incubator, course: Course | None, *, past: bool) -> None:
        """What comes over the next two days, worked out off the window's thread and again as the log grows."""
        book, state = self._desk.book, self._state()
        known = self._aheads.get(incubator.id)
        self.round.show_ahead(*(known[1] if known is not None and not past else NOTHING))
        if past or incubator.air == "room" or (known is not None and known[0] == state):
            return
        self._aheads[incubator.id] = (state, known[1] if known is not None else NOTHING)

        def looked() -> Foreseen:
            # read in off the window's thread, like the log it works on
            from stathmis.services.advice import trying
            from stathmis.services.findings import ahead, foreseen
            from stathmis.words import ahead as words

            watered = words.filled(book, trying.for_lockdown(book, incubator, course))
            scored = words.scored(foreseen.scored(book, incubator, book.now_ms // 3_600_000))
            return ahead.ahead(book, incubator, course), watered, scored

        work.find(looked, lambda found: self._looked_ahead(incubator, found, state))

    def _looked_ahead(self, incubator: Incubator, found: Foreseen, state: State) -> None:
        known = self._aheads.get(incubator.id)
        if known is not None and known[0] != state:
            # asked again meanwhile: the newer answer counts
            return
        self._aheads[incubator.id] = (state, found)
        if self.incubator is not None and self.incubator.id == incubator.id and self._past is None:
            self.round.show_ahead(*found)

    @property
    def course_in_view(self) -> Course | None:
        """The batch in view, running or looked back at."""
        return self._in_view[1] if self._in_view is not None else None

    @property
    def boxes(self) -> dict[int, BoxSheet | None]:
        """What water and vents give, by incubator, as far as it was worked out."""
        return {i: found for i, (_, found) in self._boxes.items()}

    def choose_batch(self, batch_id: int) -> None:
        """Show another of the batches that share the machine."""
        if self.incubator is not None:
            self._chosen[self.incubator.id] = batch_id
            self.show_incubator(self.incubator, self.page)

    def show_batch(self, course: Course) -> None:
        """Show a batch from the records, ended or not."""
        self._past = course.batch.id if course.batch.ended_ms is not None else None
        if self._past is None:
            self._chosen[course.incubator.id] = course.batch.id
        self.show_incubator(course.incubator, "hatch" if self._past is not None else "eggs")

    def _ended(self, batch_id: int) -> None:
        course = batches.course_by_id(self._desk.book, batch_id)
        if course is not None:
            self.show_batch(course)

    def forget_past(self) -> None:
        """The batch that runs is shown from the next time on."""
        self._past = None

    def show_running(self) -> None:
        """Back to the batch that runs."""
        self.forget_past()
        if self.incubator is not None:
            self.show_incubator(self.incubator, self.page)

    def _past_course(self, incubator: Incubator) -> Course | None:
        """The ended batch that is looked at, None where the running one is."""
        course = batches.course_by_id(self._desk.book, self._past) if self._past is not None else None
        if course is None or course.incubator.id != incubator.id or course.batch.ended_ms is None:
            self._past = None
            return None
        return course

    def _show_past(self, course: Course | None) -> None:
        batch = course.batch if course is not None else None
        if batch == self._looked_back_at:
            return
        self._looked_back_at = batch
        self._past_row.setVisible(batch is not None)
        if batch is not None and batch.ended_ms is not None:
            ended = dates.day(self._desk.book.local(batch.ended_ms), year=True)
            self._looking_back.setText(_("Looking back at {batch}, ended {ended}.", batch=batch.name, ended=ended))

    def leave(self) -> bool:
        """Esc leaves what the page in view can leave first."""
        if self.page == "eggs" and self.eggs.leave():
            return True
        if self._past is None:
            return False
        self.show_running()
        return True

    def show_incubator(self, incubator: Incubator, page: str) -> None:
        """Show a page of an incubator as it stands now."""
        desk = self._desk
        self.incubator, self.page = incubator, page
        if incubator.air == "room":
            # a room has no trace; the page is remembered for the next incubator
            page = "round"
        past = self._past_course(incubator)
        sheet = rounds.sheet(desk.book, incubator, batch_id=self._chosen.get(incubator.id))
        course = past if past is not None else sheet.course
        self._in_view = (incubator, course) if incubator.air != "room" else None
        self._show_several(sheet)
        self._show_past(past)
        self._title.setText(incubator.name)
        air = _("fan") if incubator.air == "forced" else _("still air")
        for key in ("trace", "moisture", "eggs", "hatch"):
            self.tabs[key].setVisible(incubator.air != "room")
        if incubator.air == "room":
            self._batch.setText(_("the room around the incubators"))
        elif past is not None:
            self._batch.setText(past.batch.name)
        elif sheet.course is None:
            self._batch.setText(_("{air}, no batch", air=air))
        else:
            celsius = rounds.set_point(desk.book, incubator, desk.now_ms)
            unit = desk.book.temperature_unit
            setting = "" if celsius is None else _(" · set to {celsius}", celsius=number(celsius, "temperature", unit))
            shared = _("{batchs} together", batchs=count(1 + len(sheet.beside), "{n} batch", "{n} batches"))
            self._batch.setText(f"{shared if sheet.beside else sheet.course.batch.name} · {air}{setting}")
        now = desk.book.local(desk.now_ms)
        self._date.setText(dates.moment(now, weekday=True))
        events = batches.events_along(desk.book, course, course.start_ms, desk.now_ms) if course is not None else []
        self.course.show_course(desk.book, course, events)
        self._show_window(course, elsewhere=page == "trace")
        for key, made in self.tabs.items():
            made.setChecked(key == page)
        self._stack.setCurrentWidget(getattr(self, page))
        # only the page in view is built: the others are when they are looked at
        if page == "round":
            self.round.show_incubator(sheet if past is None else rounds.last_sheet(desk.book, past))
            self._learn_box(incubator, sheet.course if past is None else None)
            self._look_ahead(incubator, sheet.course, past=past is not None)
        else:
            self._fill(page, incubator, course)

    def _fill(self, page: str, incubator: Incubator, course: Course | None) -> None:
        if page == "moisture":
            self.moisture.show_incubator(incubator, course)
        else:
            getattr(self, page).show_course(course)
