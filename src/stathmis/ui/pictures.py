"""Pictures of the main views, from whatever logbook is open: for looking at, and for the README."""

from __future__ import annotations

import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from PySide6.QtCore import QEventLoop
from PySide6.QtGui import QPixmap
from PySide6.QtWidgets import QAbstractButton, QApplication

from stathmis.core.units import from_inside
from stathmis.logbook.records import Batch, Channel
from stathmis.services import rounds
from stathmis.services.book import Book
from stathmis.services.desk import Desk
from stathmis.services.practice.under_way import Practice
from stathmis.ui import work
from stathmis.ui.instruments.list_view import InstrumentsView
from stathmis.ui.theme import Theme
from stathmis.ui.try_view import TryView
from stathmis.ui.way_view import WayView
from stathmis.ui.window import Window
from stathmis.words.catalogue import _, decimal_sign

WIDTH, HEIGHT = 1280, 800
VIEWS = (
    "round",
    "trace",
    "moisture",
    "instruments",
    "check",
    "history",
    "side-by-side",
    "places",
    "water",
    "eggs",
    "hatch",
    "opened",
    "review",
    "planner",
    "records",
    "way",
    "live",
    "bring-in",
    "enter",
    "changes",
    "try",
    "written",
)
PICTURED = tuple(v for v in VIEWS if v not in ("side-by-side", "changes", "live", "written"))
"""Those of which a picture is kept; the others have the frame of one beside them."""
UNCOVERING = "uncovering"
"""Kept too, of a practice hatch."""
PATIENCE_S = 120.0
"""Whatever is worked out for a page is there by then, on a busy machine too."""
_QUIET_TURNS = 5
_GO_ON = QEventLoop.ProcessEventsFlag.AllEvents
_WAIT = QEventLoop.ProcessEventsFlag.WaitForMoreEvents
_TYPED = {"Lid display": ("37.0", "40"), "Blue probe": ("37.7",), "Long stick": ("38.0",), "Round hygrometer": ("43",)}


def write_pictures(desk: Desk, theme: Theme, folder: Path) -> Iterator[Path]:
    """Write one PNG for each main view into a folder (made if needed) and yield their paths."""
    folder.mkdir(parents=True, exist_ok=True)
    with open_window(desk, theme) as window:
        for name in PICTURED:
            path = folder / f"{name}.png"
            picture(window, name).save(str(path))
            yield path
    path = folder / f"{UNCOVERING}.png"
    uncovering(theme).save(str(path))
    yield path


def uncovering(theme: Theme) -> QPixmap:
    """The picture of a practice hatch with its cover off."""
    with uncovered(theme) as window:
        return window.grab()


@contextmanager
def uncovered(theme: Theme) -> Iterator[Window]:
    """A window on a practice hatch with its cover off: locked down by its list, and opened three times at the pip."""
    from stathmis.logbook.opening import open_logbook
    from stathmis.services.clock import FixedClock
    from stathmis.services.plan import lockdown, planning
    from stathmis.services.practice import deeds, taking_over, under_way
    from stathmis.services.practice.under_way import EVENING_H

    with tempfile.TemporaryDirectory() as scratch:
        path = Path(scratch) / "practice.stathmis"
        taking_over.begin(path, "at the pip", 1)
        clock = FixedClock(under_way.SET_MS)
        desk = Desk(open_logbook(path), clock)
        practice = Practice.resume(desk, clock)
        plan = planning.plan_of(desk.book, desk.book.records(Batch)[0])
        for step in lockdown.run(desk.book, plan).steps:
            lockdown.tick(desk, lockdown.run(desk.book, plan), step.key)
        while practice.course is not None and practice.course.day(practice.now_ms) < 22.0:
            practice.go_on(practice.to_hour(EVENING_H))
            deeds.look_in(practice)
            if practice.course.day(practice.now_ms) > 19.5:
                rounds.log_event(desk, practice.incubator, "lid", "", practice.clock.at_ms)
        deeds.finish(practice)
        with open_window(desk, theme, practice, Path(scratch)) as window:
            window.show_place(UNCOVERING)
            settle()
            yield window


@contextmanager
def open_window(
    desk: Desk, theme: Theme, practice: Practice | None = None, data: Path | None = None
) -> Iterator[Window]:
    """A window to take pictures of; closed afterwards. data: where a practice keeps its scores."""
    window = Window(desk, theme, None, practice)
    window.data = data
    window.resize(WIDTH, HEIGHT)
    window.show()
    blinking = QApplication.cursorFlashTime()
    QApplication.setCursorFlashTime(0)
    try:
        yield window
    finally:
        QApplication.setCursorFlashTime(blinking)
        window.close()
        # gone at once, not when it is found to be in nobody's hands
        window.deleteLater()


def picture(window: Window, name: str) -> QPixmap:
    """A view of PICTURED as it looks once it has settled, whatever was looked at before."""
    bring(window, name)
    return window.grab()


def bring(window: Window, name: str) -> None:
    """Bring a view of VIEWS in until it has settled, whatever was looked at before."""
    window.pages.show_running()
    window.show_page("round")
    window.show_incubator(window.desk.book.incubators()[0].id)
    settle()
    go(window, name)
    settle()


def go(window: Window, name: str) -> None:
    """Bring a view of VIEWS into the window, with something in it to see."""
    if name == "round":
        window.show_page("round")
        seen: dict[str, int] = {}
        for row in window.pages.round.rows:
            instrument = row.line.instrument.name
            texts = {_(name): typed for name, typed in _TYPED.items()}.get(instrument, ())
            index = seen.get(instrument, 0)
            seen[instrument] = index + 1
            if index < len(texts):
                window.pages.round.type_into(row, texts[index].replace(".", decimal_sign()))
    elif name in ("trace", "moisture", "eggs", "hatch"):
        window.pages.moisture.show_part("eggs")
        window.pages.hatch.show_part("now")
        window.show_page(name)
    elif name in ("opened", "review"):
        ended = next(b for b in window.desk.book.records(Batch) if b.ended_ms is not None)
        window.show_batch(ended.id)
        window.pages.hatch.show_part(name)
        settle()
        if name == "opened":
            for letter in "l3w":
                window.pages.hatch.opened.key(letter)
    elif name == "water":
        window.show_page("moisture")
        window.pages.moisture.show_part("water")
    elif name in ("check", "history", "side-by-side", "places"):
        window.show_place("instruments")
        _go_instruments(window, name)
    elif name == "bring-in":
        window.show_place("bring_in")
        with tempfile.TemporaryDirectory() as folder:
            sample = Path(folder) / "porch-logger.csv"
            sample.write_text(_sample(window.desk.book), encoding="utf-8-sig")
            window.stack.currentWidget().load(sample)  # type: ignore[union-attr]
            settle()
            window.stack.currentWidget().path.setText("porch-logger.csv")  # type: ignore[union-attr]
    elif name == "try":
        window.show_place(name)
        shown = window.stack.currentWidget()
        assert isinstance(shown, TryView)
        settle()
        shown.what.choose("water")
        shown.mix.setCurrentIndex(3)
        shown.look()
    elif name == "way":
        window.show_place(name)
        view = window.stack.currentWidget()
        assert isinstance(view, WayView)
        if not view.way.everything:
            view.way.show_all()
    else:
        window.show_place(name)


def _go_instruments(window: Window, name: str) -> None:
    view = window.stack.currentWidget()
    assert isinstance(view, InstrumentsView)
    desk = window.desk
    names = {c.id: desk.book.instrument(c.instrument_id).name for c in desk.book.records(Channel)}
    humid = next(c for c in desk.book.records(Channel) if names[c.id] == _("Card hygrometer"))
    checked = next(c for c in desk.book.records(Channel) if names[c.id] == _("Round hygrometer"))
    if name == "check":
        view.begin_check(desk.book.instrument(humid.instrument_id), humid, "salt")
        draft = view.check.draft
        assert draft is not None
        jars = (("28 29 28", "MgCl2"), ("47 48 47", "Mg(NO3)2"), ("70 70 71", "NaCl"))
        for row, (shown, salt) in zip(draft.sets[0].rows, jars, strict=False):
            row.shown, row.cells = shown, {"salt": salt, "jar": _typed_temperature(desk.book, 22.0)}
        view.check.load(draft)
    elif name == "history":
        view.show_history(checked)
    else:
        view.show_tab("together" if name == "side-by-side" else "places")


def _typed_temperature(book: Book, celsius: float) -> str:
    """A temperature as the keeper would type it."""
    return f"{from_inside(celsius, book.temperature_unit):.0f}"


def _sample(book: Book) -> str:
    """A logger's file as they come: semicolons, decimal commas, °F, and a few faulty rows."""
    rows = ["logger on the porch side", "Date and time;Temp (°F);Humidity (%)"]
    for minute in range(600, 0, -5):
        at = book.local(book.now_ms - minute * 60_000 + 30_000)
        values = (99.3 + 0.1 * (minute % 4), 44.0 + 0.1 * (minute % 30))
        rows.append(f"{at:%d.%m.%Y %H:%M:%S};" + ";".join(f"{v:.1f}".replace(".", ",") for v in values))
    rows[20] = rows[20].rsplit(";", 1)[0] + ";---"
    rows.insert(40, rows[39])
    rows.append(f"{book.local(book.now_ms + 7_200_000):%d.%m.%Y %H:%M:%S};99,4;45,0")
    return "\n".join(rows)


def _held_down() -> bool:
    """Whether a button is down: one that was pressed by its key comes up, and acts, a tenth of a second later."""
    shown = [top for top in QApplication.topLevelWidgets() if top.isVisible()]
    return any(button.isDown() for top in shown for button in top.findChildren(QAbstractButton))


def settle() -> None:
    """Let background work, and the layout and painting of what it brought, finish.

    Waits for the next thing that happens rather than looking again and again: work that ends wakes the window.
    """
    until, quiet = time.monotonic() + PATIENCE_S, 0
    # what came last is laid out and painted in the turns after it
    while quiet < _QUIET_TURNS and time.monotonic() < until:
        waits = work.busy() or (not quiet and _held_down())
        QApplication.processEvents(_WAIT if waits else _GO_ON)
        quiet = 0 if waits or work.busy() else quiet + 1
