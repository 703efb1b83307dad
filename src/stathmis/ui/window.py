"""The main window: the column at the left, the chosen place at the right, messages at the foot."""

from __future__ import annotations

import importlib
from collections.abc import Callable, Iterator
from functools import cached_property, partial
from pathlib import Path
from typing import TYPE_CHECKING, Literal

from PySide6.QtCore import QEvent, QObject, QSettings, Qt, QThread, QTimer, Signal
from PySide6.QtGui import QCloseEvent, QKeyEvent, QKeySequence, QShowEvent
from PySide6.QtWidgets import QApplication, QHBoxLayout, QLineEdit, QMainWindow, QStackedWidget, QVBoxLayout, QWidget
from shiboken6 import isValid

from stathmis.core.errors import UserError
from stathmis.core.units import count_typed
from stathmis.logbook.records import Channel, Probe, WatchedFolder
from stathmis.services import notify
from stathmis.services.batch import batches
from stathmis.services.desk import Desk, Topics
from stathmis.services.plan.reminders import Reminders
from stathmis.services.watch.live import LiveProbes
from stathmis.ui import chart_library, language, reminder, work
from stathmis.ui.alarm_strip import AlarmStrip
from stathmis.ui.batch_pages import BatchPages
from stathmis.ui.commands import commands
from stathmis.ui.desktop_icon import Tray
from stathmis.ui.drops import Drops
from stathmis.ui.errands import Errands
from stathmis.ui.finder import Finder
from stathmis.ui.idle import Idle, importing, seen
from stathmis.ui.incubator_column import IncubatorColumn
from stathmis.ui.keys import KeyMap
from stathmis.ui.logbooks import Logbooks
from stathmis.ui.menus import Menus
from stathmis.ui.message_strip import MessageStrip
from stathmis.ui.theme import Theme
from stathmis.words.catalogue import N_, Spoken, _

if TYPE_CHECKING:
    from stathmis.services.practice.under_way import Practice
    from stathmis.services.watch.folder_watch import Brought, FolderWatch
    from stathmis.ui.big_figures import BigFigures

MINUTE_MS = 60_000
WITHOUT_MACHINE = ("guide", "practise")
"""Places that can be gone to before there is anything in the logbook."""
FORESEE_MIN = 10


class _Arrived(QObject):
    """Tells the window's thread that live readings were written, or a file was brought in by itself."""

    stored = Signal()
    told = Signal(object)
    brought = Signal(object)


class Window(QMainWindow):
    """The application's window on one logbook."""

    closing = Signal()

    def __init__(
        self, desk: Desk, theme: Theme, settings: QSettings | None = None, practice: Practice | None = None
    ) -> None:
        """practice: the practice hatch whose logbook it is, None for a real one."""
        super().__init__()
        self.desk, self.theme, self._settings, self.practice = desk, theme, settings, practice
        self.files = Logbooks(self, desk.logbook.path, settings)
        self.setWindowTitle(_("{book} — Stathmis", book=desk.book.name or desk.logbook.path.stem))
        self.resize(1280, 800)
        self.setMinimumSize(960, 640)
        self._place = ""
        self.data: Path | None = None
        self._closed = False
        self.back_to: Path | None = None
        self.language_wanted: str | None = None
        self.stood: language.Stand | None = None
        self.big: BigFigures | None = None
        self._before_guide = ""
        self._incubator_id: int | None = None
        self._collector = work.Collector(self)
        self._others: dict[str, QWidget] = {}
        central = QWidget()
        central.setObjectName("page")
        row = QHBoxLayout(central)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        self.column = IncubatorColumn(desk, theme)
        self.column.incubator_chosen.connect(self.show_incubator)
        self.column.place_chosen.connect(self.show_place)
        self.column.unit_wanted.connect(self.switch_unit)
        self.column.find_wanted.connect(self.find_or_do)
        self.column.guide_wanted.connect(self.show_guide)
        row.addWidget(self.column)
        right = QVBoxLayout()
        right.setSpacing(0)
        self.live = LiveProbes(desk)
        self.stack = QStackedWidget()
        self.pages = BatchPages(desk, theme)
        self.pages.page_chosen.connect(self.show_page)
        self.pages.box_learned.connect(self._show_column)
        self.pages.set_batch_wanted.connect(lambda: self.show_place("enter"))
        self.pages.try_wanted.connect(lambda: self.show_place("try"))
        self.stack.addWidget(self.pages)
        self.alarm = AlarmStrip(desk, self.live)
        right.addWidget(self.alarm)
        if practice is not None:
            right.addWidget(self._practice_bar(practice))
        right.addWidget(self.stack, 1)
        self.messages = MessageStrip()
        right.addWidget(self.messages)
        row.addLayout(right, 1)
        self.setCentralWidget(central)
        self._build_ways()
        for part in (self.column, self.alarm, self.messages, self.keys, self.finder, self.menuBar()):
            theme.dress(part)
        self._arrived = _Arrived()
        desk.deliver = self._deliver
        desk.listeners.append(self._told)
        theme.changed.connect(self._restyled)
        notify.listen(self.messages.show_message)
        _application().focusChanged.connect(self._focus_moved)
        self._arrived.stored.connect(self._live_stored)
        self._arrived.told.connect(lambda tell: tell())
        self.live.on_stored = lambda stored: self._arrived.stored.emit()
        self._arrived.brought.connect(self._brought)
        self._reminders = Reminders(desk)
        self.tray = Tray(desk, self)
        self.idle: Idle | None = None
        self._minute = QTimer(self)
        self._minute.timeout.connect(self._minute_passed)
        self._minute.start(MINUTE_MS)
        self._restore()
        self.refresh()
        # ports are opened once the window stands
        QTimer.singleShot(work.AFTER_PAINT_MS, self, self._follow_probes)
        if desk.read_only:
            notify.tell("warning", _("This logbook is read-only: you can look, but nothing can be logged."))

    def _practice_bar(self, practice: Practice) -> QWidget:
        from stathmis.ui.practice_bar import PracticeBar

        self.bar = PracticeBar(self, practice)
        self.bar.uncover_wanted.connect(lambda: self.show_place("uncovering"))
        self.theme.dress(self.bar)
        return self.bar

    def _build_ways(self) -> None:
        """Menus, keys and the line to type in, all of the same commands; and files dropped."""
        self.errands = Errands(self)
        self.pages.step_wanted.connect(self.errands.take_step)
        self.commands = commands(self)
        self.menus = Menus(self, self.commands)
        self.keys = KeyMap(self, [(c.keys, c.text) for c in self.commands if c.keys and not c.pressed])
        self.finder = Finder(self)
        self._drops = Drops(self)

    def showEvent(self, event: QShowEvent) -> None:
        """The first field has the cursor; before the window stands, Qt would give it to a button."""
        super().showEvent(event)
        if event.spontaneous():
            # it comes back from being minimized: the cursor stays where it was
            return
        if self._place == "start":
            self._other("start").begin()  # type: ignore[attr-defined]
        elif not self._place:
            self._begin_round()

    def get_ready(self) -> None:
        """Make the pages that are not in view yet, in idle moments: they stand at once when they are wanted."""
        self.idle = Idle(self._ready(), self)

    def _ready(self) -> Iterator[None]:
        yield from chart_library.steps()
        for place, (module, _name) in _PLACES.items():
            if place not in ("start", "uncovering"):
                yield from importing(f"stathmis.ui.{module}")
                view = self._other(place)
                view.resize(self.stack.size())
                yield
                # a view of many parts makes them one by one
                yield from getattr(view, "ready", tuple)()
                view.refresh()  # type: ignore[attr-defined]
                yield
        yield from self.pages.ready()
        # last: by now what they have worked out in the background has come
        for view in self._others.values():
            yield from seen(view)

    def _focus_moved(self, before: QWidget | None, now: QWidget | None) -> None:
        for field in (before, now):
            if isinstance(field, QLineEdit):
                field.removeEventFilter(self)
        if isinstance(now, QLineEdit):
            now.installEventFilter(self)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Undo in a field takes back its own typing first; with none left, the key is the window's."""
        if event.type() == QEvent.Type.ShortcutOverride and isinstance(watched, QLineEdit):
            assert isinstance(event, QKeyEvent)
            undo = event.matches(QKeySequence.StandardKey.Undo) and not watched.isUndoAvailable()
            redo = event.matches(QKeySequence.StandardKey.Redo) and not watched.isRedoAvailable()
            if undo or redo:
                event.ignore()
                return True
        return super().eventFilter(watched, event)

    def refresh(self, topics: Topics | None = None) -> None:
        """Show the logbook as it stands; topics: only what these kinds of records change, None: everything."""
        desk = self.desk
        incubators = desk.book.places()
        empty = desk.book.is_empty
        self.column.setVisible(not empty)
        if empty and self._place not in WITHOUT_MACHINE:
            self._place = "start"
        elif not empty and self._place == "start":
            self._place = ""
        ids = [i.id for i in incubators]
        if self._incubator_id not in ids:
            self._incubator_id = ids[0] if ids else None
        self._show_column()
        if self.practice is not None:
            self.bar.place_changed()
        if not self.isVisible():
            # as wide as it will be shown, so that it is not built for a narrow window first
            self.pages.round.resize(self.width() - self.column.width(), self.height())
        if self._place:
            view = self._other(self._place)
            rests_on = getattr(view, "rests_on", None)
            if topics is None or rests_on is None or topics & rests_on:
                view.refresh()  # type: ignore[attr-defined]
            self.stack.setCurrentWidget(view)
        elif self._incubator_id is not None:
            self.pages.show_incubator(incubators[ids.index(self._incubator_id)], self.pages.page)
            self.stack.setCurrentWidget(self.pages)

    def _restyled(self) -> None:
        self.refresh()

    def _show_column(self) -> None:
        self.column.refresh(self._incubator_id, self._place, self.pages.boxes)

    def _deliver(self, tell: Callable[[], None]) -> None:
        """What was edited on a worker's thread is told on the window's own."""
        if QThread.currentThread() is self.thread():
            tell()
        else:
            self._arrived.told.emit(tell)

    def _told(self, topics: Topics) -> None:
        if topics & {Probe, Channel, WatchedFolder}:
            self._follow_probes()
        self.refresh(topics)

    def _other(self, place: str) -> QWidget:
        """The view of a place, made when it is first wanted."""
        if place not in self._others:
            self._others[place] = view = _make_place(place, self)
            self.stack.addWidget(view)
        return self._others[place]

    def show_incubator(self, incubator_id: int) -> None:
        """Go to an incubator, and what runs in it."""
        self.pages.forget_past()
        self._incubator_id, self._place = incubator_id, ""
        self.refresh()
        self._begin_round()

    @property
    def place(self) -> str:
        """The place in view; empty where it is a page of an incubator."""
        return self._place

    @property
    def in_view(self) -> int | None:
        """The incubator in view, by its id; None where there is none."""
        return self._incubator_id

    def step_incubator(self, step: int) -> None:
        """Go to the next or previous incubator, round and round."""
        ids = [i.id for i in self.desk.book.places()]
        if ids and self._incubator_id in ids:
            self.show_incubator(ids[(ids.index(self._incubator_id) + step) % len(ids)])

    def show_batch(self, batch_id: int) -> None:
        """Go to the pages of a batch, running or ended."""
        course = batches.course_by_id(self.desk.book, batch_id)
        if course is None:
            return
        self._incubator_id, self._place = course.incubator.id, ""
        self.pages.show_batch(course)
        self.refresh()

    def show_weighing(self, incubator_id: int) -> None:
        """Go to where the eggs of an incubator are weighed."""
        self.show_incubator(incubator_id)
        self.show_page("moisture")

    def show_page(self, page: str) -> None:
        """Go to a page of the incubator in view."""
        if self.desk.book.is_empty:
            return
        self._place, self.pages.page = "", page
        self.refresh()
        self._begin_round()

    def _begin_round(self) -> None:
        """The first reading is typed without looking for its field."""
        if self.pages.page == "round" and self.pages.round.rows and not self.pages.round.past:
            self.pages.round.rows[0].edit.setFocus()

    def show_place(self, place: str) -> None:
        """Go to another place: "planner", "records", "instruments", "way", "live", "bring_in" or "enter"."""
        if self.desk.book.is_empty and place not in WITHOUT_MACHINE:
            return
        self._place = place
        self.refresh()
        view = self._other(place)
        begin = getattr(view, "begin", None)
        if begin is not None:
            begin()

    def show_way(self, subject: str) -> None:
        """Go to the way of a plan ("plan 3" or "batch 5")."""
        self.show_place("way")
        self._other("way").way.show_plan(subject)  # type: ignore[attr-defined]

    def leave(self) -> None:
        """Esc: first whatever the view itself can leave, then back to the round."""
        for over in (self.finder, self.keys):
            if over.isVisible():
                over.hide()
                return
        view = self.stack.currentWidget()
        leave = getattr(view, "leave", None)
        if leave is not None and leave():
            return
        if self.desk.book.is_empty or (self._place == "guide" and self._before_guide in _PLACES):
            self._place = self._before_guide if self._place == "guide" else ""
            self.refresh()
        else:
            self.show_page(self._before_guide if self._place == "guide" else "round")

    def go_back(self, backup: Path) -> None:
        """Close, for a backup to be put in the logbook's place; whoever opened the window does it."""
        self.back_to = backup
        self.close()

    def speak(self, wanted: str) -> None:
        """Close, for whoever opened it to open it again in another language (language.SYSTEM: the system's)."""
        self.language_wanted = wanted
        self.stood = language.Stand(
            self._place, self.pages.page, self._incubator_id, self.saveGeometry(), language.typed_in(self)
        )
        self.close()

    @property
    def goes_for_good(self) -> bool:
        """Whether it is not opened again at once."""
        return self.back_to is None and self.language_wanted is None

    def stand_at(self, stand: language.Stand) -> None:
        """Show what another window showed."""
        self.restoreGeometry(stand.geometry)
        self._place = stand.place if stand.place in _PLACES else ""
        self.pages.page, self._incubator_id = stand.page, stand.incubator_id
        self.refresh()

    def undo(self) -> None:
        """Take back the newest edit."""
        self._say(self.desk.undo, _("Nothing to undo."), _("Undone: {}. Ctrl+Shift+Z does it again."))

    def redo(self) -> None:
        """Do again what was undone."""
        self._say(self.desk.redo, _("Nothing to do again."), _("Done again: {}."))

    @staticmethod
    def _say(step: Callable[[], str | None], nothing: str, something: str) -> None:
        try:
            edit = step()
        except UserError as error:
            notify.tell_error(error)
            return
        notify.tell("info", something.format(edit) if edit else nothing)

    def switch_unit(self) -> None:
        """Between °C and °F."""
        self.desk.set_temperature_unit("°C" if self.desk.book.temperature_unit == "°F" else "°F")

    def switch_theme(self) -> None:
        """System, light, dark, in turn."""
        order = tuple(_THEMES)
        choice = order[(order.index(self.theme.choice) + 1) % 3]
        self.theme.choose(choice)
        notify.tell("info", _("Theme: {word}.", word=_THEMES[choice]))

    def switch_tray(self) -> None:
        """Show an icon in the tray that says what is to be done, or take it away."""
        notify.tell("info", self.tray.switch())

    def find_or_do(self) -> None:
        """The line to type in: whatever is meant by a few words."""
        self.finder.open()

    def show_guide(self) -> None:
        """The guide, at what tells of the page in view."""
        page = self._place or self.pages.page
        if page == "guide":
            self.leave()
            return
        self._before_guide = page
        view = self._other("guide")
        view.page = page  # type: ignore[attr-defined]
        self._place = "guide"
        self.refresh()
        view.begin()  # type: ignore[attr-defined]

    def print_page(self) -> None:
        """What the page in view prints, with a preview."""
        # needed by few, and slow to read in
        from stathmis.ui.printing import print_page

        print_page(self)

    def print_paper(self, which: Literal["card", "round", "brooder", "labels"]) -> None:
        """The card of the batch in view, the sheet of a round, a brooder's card or labels, with a preview."""
        from stathmis.ui import printing

        getattr(printing, f"print_{which}")(self)

    def show_big(self) -> None:
        """The machines in figures as large as the screen."""
        # needed by few
        from stathmis.ui.big_figures import BigFigures

        self._close_big()
        boxes, alarm = lambda: self.pages.boxes, lambda: self.alarm.words.text() if self.alarm.isVisibleTo(self) else ""
        self.big = BigFigures(self.desk, self.theme, self.live, boxes, self._settings, alarm)
        self.big.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.big.showFullScreen()

    def _close_big(self) -> None:
        """Big figures go with their window: what still stood there would keep the program running."""
        if self.big is not None and isValid(self.big):
            self.big.close()
        self.big = None

    def show_keys(self) -> None:
        """Show or hide the map of keys."""
        self.keys.toggle()

    def _live_stored(self) -> None:
        # readings come every few seconds: the page in view follows, the rest is read when it is looked at
        if not self._place and self.pages.page == "round":
            self.refresh()

    @cached_property
    def folders(self) -> FolderWatch:
        """The folders that are watched; read in after the first paint."""
        from stathmis.services.watch.folder_watch import FolderWatch

        return FolderWatch(self.desk, self._arrived.brought.emit)

    def _follow_probes(self) -> None:
        if not self._closed:
            self.live.start()
            self.folders.start()

    def _brought(self, found: Brought) -> None:
        notify.tell("info" if found.examined is not None else "warning", found.words)

    def _minute_passed(self) -> None:
        self.tray.refresh()
        self._foresee()
        for task in self._reminders.due():
            reminder.tell_desktop(task.title, f"{task.about}, {task.incubator.name}. {task.how}")
        # a half-typed round keeps its fields; only what depends on the time is shown anew
        if not self._place and self.pages.page == "round":
            self.refresh()

    def _foresee(self) -> None:
        """Forecasts of all machines are kept every few hours, to be held against what comes."""
        if self.desk.read_only or self.practice is not None or self.desk.now_ms // MINUTE_MS % FORESEE_MIN:
            return
        from stathmis.services.watch import foresight

        book = self.desk.book
        work.find(lambda: foresight.foresee(book), lambda found: [foresight.keep(self.desk, one) for one in found])

    def _restore(self) -> None:
        if self._settings is None:
            return
        geometry = self._settings.value("geometry")
        if geometry is not None:
            self.restoreGeometry(geometry)
        place = str(self._settings.value("place", ""))
        self._place = place if place in _PLACES and place not in ("start", "guide", "uncovering") else ""
        page = str(self._settings.value("page", "round"))
        self.pages.page = page if page in self.pages.tabs else "round"
        if self._settings.value("tray") == "yes":
            self.tray.switch()
        incubator = self._settings.value("incubator")
        self._incubator_id = count_typed(str(incubator))

    def closeEvent(self, event: QCloseEvent) -> None:
        """Remember where the keeper was, and let go of the logbook."""
        event.accept()
        if self._closed:
            return
        self._closed = True
        self._close_big()
        if self._settings is not None:
            self._settings.setValue("geometry", self.saveGeometry())
            self._settings.setValue("page", self.pages.page)
            self._settings.setValue("place", self._place)
            if self._incubator_id is not None:
                self._settings.setValue("incubator", self._incubator_id)
            self._settings.setValue("theme", self.theme.choice)
            self._settings.setValue("contrast", "more" if self.theme.contrast else "")
            self._settings.setValue("scale", self.theme.scale)
            self._settings.setValue("tray", "yes" if self.tray.on else "no")
        self._minute.stop()
        self._collector.stop()
        if self.idle is not None:
            self.idle.stop()
        work.wait_for_all()
        notify.listen(None)
        _application().focusChanged.disconnect(self._focus_moved)
        self.theme.changed.disconnect(self._restyled)
        if self._told in self.desk.listeners:
            self.desk.listeners.remove(self._told)
        if "live" in self._others:
            self._others["live"].stop()  # type: ignore[attr-defined]
        self.live.stop()
        if "folders" in self.__dict__:
            self.folders.stop()
        self.alarm.stop()
        self.tray.take_away()
        self.closing.emit()
        self.desk.logbook.close()


def _application() -> QApplication:
    found = QApplication.instance()
    assert isinstance(found, QApplication)
    return found


_THEMES = Spoken({"system": N_("as the system"), "light": N_("light"), "dark": N_("dark")})
_PLACES = {
    "planner": ("planner.planner_view", "PlannerView"),
    "instruments": ("instruments.list_view", "InstrumentsView"),
    "records": ("eggs.records_view", "RecordsView"),
    "way": ("way_view", "WayView"),
    "try": ("try_view", "TryView"),
    "practise": ("practise_view", "PractiseView"),
    "uncovering": ("uncovering_view", "UncoveringView"),
    "live": ("live_view", "LiveView"),
    "bring_in": ("bring_in_view", "BringInView"),
    "written": ("written_view", "WrittenView"),
    "enter": ("enter_view", "EnterView"),
    "changes": ("changes_view", "ChangesView"),
    "backups": ("backups_view", "BackupsView"),
    "guide": ("guide_view", "GuideView"),
    "start": ("enter_view", "StartView"),
}
"""Where the view of each place is kept; read in when it is first wanted, for none is needed for the first paint."""


def _make_place(place: str, window: Window) -> QWidget:
    module, name = _PLACES[place]
    make = getattr(importlib.import_module(f"stathmis.ui.{module}"), name)
    more: dict[str, list[object]] = {"live": [window.live], "way": [lambda: window.in_view]}
    more["try"] = more["way"]
    more["uncovering"], more["practise"] = [lambda: window.practice, window.data], [window.data]
    view: QWidget = make(window.desk, window.theme, *more.get(place, []))
    if place == "practise":
        view.wanted.connect(window.files.launch)  # type: ignore[attr-defined]
    if place == "changes":
        view.backups_wanted.connect(partial(window.show_place, "backups"))  # type: ignore[attr-defined]
    if place == "start":
        view.demo_wanted.connect(window.files.demo)  # type: ignore[attr-defined]
        view.practise_wanted.connect(partial(window.show_place, "practise"))  # type: ignore[attr-defined]
    if place == "planner":
        view.step.way_wanted.connect(window.show_way)  # type: ignore[attr-defined]
    if place == "backups":
        view.going_back.connect(window.go_back)  # type: ignore[attr-defined]
    if place == "instruments":
        view.weighing_wanted.connect(window.show_weighing)  # type: ignore[attr-defined]
    if place == "records":
        view.batch_wanted.connect(window.show_batch)  # type: ignore[attr-defined]
    return view
