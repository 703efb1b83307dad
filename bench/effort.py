"""How many keys everyday tasks take: the way by fields and Tab, and the shortest way there is now.

Drives the real window, offscreen, on the demo logbook; characters of names and numbers are not counted, every other key
is. Each task ends with a look at what came of it. `python bench/effort.py` prints the table.
"""

from __future__ import annotations

import os
import shutil
import sys
import tempfile
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QWidget

from stathmis.demo.scenario import build
from stathmis.logbook.opening import create_logbook, open_logbook
from stathmis.logbook.records import EggFinding, Event, Reading
from stathmis.services.clock import FixedClock
from stathmis.services.desk import Desk
from stathmis.ui.pictures import open_window, settle
from stathmis.ui.theme import Theme
from stathmis.ui.window import Window

NOW_MS = 1_779_093_600_000
MODIFIERS = {
    "Ctrl": Qt.KeyboardModifier.ControlModifier,
    "Alt": Qt.KeyboardModifier.AltModifier,
    "Shift": Qt.KeyboardModifier.ShiftModifier,
}
MOST_TABS = 150


class Keeper:
    """Whoever sits before the window; keys: how many were pressed, typed text apart."""

    def __init__(self, window: Window) -> None:
        self.window, self.desk, self.keys = window, window.desk, 0

    def press(self, *keys: str) -> None:
        """Press keys: "Ctrl+1", "Tab", "Return"."""
        for named in keys:
            *held, name = named.split("+")
            modifier = Qt.KeyboardModifier.NoModifier
            for one in held:
                modifier |= MODIFIERS[one]
            QTest.keyClick(self.window.focusWidget() or self.window, getattr(Qt.Key, f"Key_{name}"), modifier)
            self.keys += 1
            settle()

    def write(self, text: str) -> None:
        """Type text into what has the cursor."""
        QTest.keyClicks(self.window.focusWidget(), text)
        settle()

    def tab_to(self, goal: QWidget | str) -> None:
        """Press Tab until the cursor is there."""
        for _ in range(MOST_TABS):
            at = self.window.focusWidget()
            if at is goal or (isinstance(goal, str) and at is not None and goal in (at.accessibleName(), _text(at))):
                return
            self.press("Tab")
        raise RuntimeError(f"no way to {goal} with Tab")

    def find(self, text: str) -> None:
        """Type into the line that finds or does."""
        self.press("Ctrl+K")
        self.write(text)
        self.press("Return")

    def events(self, kind: str) -> list[Event]:
        """What was logged of a kind."""
        return [e for e in self.desk.book.records(Event) if e.kind == kind]


def _text(widget: QWidget) -> str:
    text = getattr(widget, "text", None)
    return str(text()) if callable(text) else ""


@dataclass(frozen=True)
class Task:
    """An everyday task: both ways, and what must have come of it. common: one of the ten most frequent."""

    name: str
    before: Callable[[Keeper], object]
    after: Callable[[Keeper], object]
    done: Callable[[Keeper], bool]
    common: bool = False
    empty: bool = False


def _by_tab(details: str, key: str) -> Callable[[Keeper], None]:
    def way(k: Keeper) -> None:
        k.tab_to("Details of what you did")
        k.write(details)
        k.press(key)

    return way


def _found(text: str) -> Callable[[Keeper], None]:
    return lambda k: k.find(text)


def _round_by_fields(k: Keeper) -> None:
    for i, text in enumerate(("37.0", "37.7", "38", "40", "43")):
        k.write(text)
        k.press("Tab" if i < 4 else "Return")


def _round_in_a_line(k: Keeper) -> None:
    k.find("37.0 37.7 38 40 43")
    k.press("Return")


def _egg_by_arrows(k: Keeper) -> None:
    k.press("Ctrl+4")
    k.tab_to(k.window.pages.eggs.picture)
    picture = k.window.pages.eggs.picture
    assert picture._sheet is not None
    here, there = (picture._sheet.egg(mark) for mark in (picture.mark, "12"))
    assert here is not None and there is not None
    down, right = (b - a for a, b in zip(here.place, there.place, strict=True))
    k.press(*["Down"] * down, *["Right" if right > 0 else "Left"] * abs(right))


def _egg_clear_by_arrows(k: Keeper) -> None:
    _egg_by_arrows(k)
    k.press("C")


def _drawer(name: str) -> Callable[[Keeper], None]:
    def way(k: Keeper) -> None:
        k.press("Ctrl+I")
        k.tab_to(name)
        k.press("Space")

    return way


def _task_by_tab(k: Keeper) -> None:
    ticks = k.window.pages.round.today.ticks
    goal = next(tick for (_subject, step), tick in ticks.items() if step.startswith("weigh"))
    k.tab_to(goal)
    k.press("Space")


def _review_by_tab(k: Keeper) -> None:
    k.press("Ctrl+R")
    k.tab_to("Trace, eggs and hatch of 26 rock partridge, first set")
    k.press("Space")


def _other_incubator(k: Keeper) -> None:
    k.press("Ctrl+PageDown", "Ctrl+PageDown", "Ctrl+PageDown")


def _wrong_unit_by_tab(k: Keeper) -> None:
    row = k.window.pages.round.rows[0]
    k.write("98.6")
    row.edit.selectAll()
    k.press("Home", "End")
    k.write("F")
    k.press("Return")


def _wrong_unit_by_enter(k: Keeper) -> None:
    k.write("98.6")
    k.press("Return", "Return")


def _start_by_tab(k: Keeper) -> None:
    start: Any = k.window.stack.currentWidget()
    for goal, text in (
        (start.incubator.name, "Kitchen box"),
        (start.batch.eggs, "14"),
        (start.instrument.name, "Card dial"),
        (start.temperature, "37.4"),
    ):
        k.tab_to(goal)
        k.write(text)
    k.tab_to("Start")
    k.press("Space")


def _start_by_enter(k: Keeper) -> None:
    k.write("Kitchen box")
    k.press("Return")
    k.write("14")
    k.press("Return", "Return")
    k.write("Card dial")
    k.press("Return")
    k.write("37.4")
    k.press("Return", "Return")


def _at(page: str) -> Callable[[Keeper], bool]:
    return lambda k: (k.window._place or k.window.pages.page) == page


def _in_check(k: Keeper) -> bool:
    view: Any = k.window.stack.currentWidget()
    return view.currentWidget() is view.check


def _in_history(k: Keeper) -> bool:
    view: Any = k.window.stack.currentWidget()
    return view.history is not None and view.currentWidget() is view.history


def _marked(k: Keeper) -> bool:
    return k.window.pages.page == "eggs" and k.window.pages.eggs.picture.mark == "12"


def _clear(k: Keeper) -> bool:
    return any(f.mark == "12" and f.kind == "clear" for f in k.desk.book.records(EggFinding))


def _report_by_tab(k: Keeper) -> None:
    k.press("Ctrl+5", "Alt+J")
    k.tab_to(k.window.pages.hatch.review.report)


TASKS = (
    Task(
        "log a round of five",
        _round_by_fields,
        _round_in_a_line,
        lambda k: len([r for r in k.desk.book.records(Reading) if r.time_ms == NOW_MS]) == 5,
        common=True,
    ),
    Task(
        "log water, and where",
        _by_tab("both cups", "Alt+W"),
        _found("water both cups"),
        lambda k: k.events("water")[-1].note == "both cups",
        common=True,
    ),
    Task(
        "log a vent, and how far",
        _by_tab("half open", "Alt+V"),
        _found("vent half open"),
        lambda k: k.events("vent")[-1].opening == 0.5,
        common=True,
    ),
    Task(
        "log a new set point",
        _by_tab("37.8", "Alt+S"),
        _found("set 37.8"),
        lambda k: k.events("set_point")[-1].set_point_c == 37.8,
        common=True,
    ),
    Task(
        "write a note",
        _by_tab("the fan hums", "Alt+N"),
        _found("note the fan hums"),
        lambda k: k.events("note")[-1].note == "the fan hums",
        common=True,
    ),
    Task("egg 12 is clear", _egg_clear_by_arrows, _found("egg 12 clear"), _clear, common=True),
    Task("look at egg 12", _egg_by_arrows, _found("egg 12"), _marked, common=True),
    Task(
        "tick a task further down",
        _task_by_tab,
        _found("done weigh"),
        lambda k: "Ctrl+Z" in k.window.messages.text.text(),
        common=True,
    ),
    Task(
        "begin a check of one instrument",
        _drawer("Check Card hygrometer, % RH"),
        _found("check card"),
        _in_check,
        common=True,
    ),
    Task(
        "go to the last incubator",
        _other_incubator,
        _found("egg room"),
        lambda k: k.window.pages.incubator is not None and k.window.pages.incubator.name == "Egg room",
        common=True,
    ),
    Task(
        "checks of one instrument so far",
        _drawer("History of Round hygrometer, % RH"),
        _found("checks of round"),
        _in_history,
    ),
    Task("an ended batch's pages", _review_by_tab, _found("26 rock"), _at("hatch")),
    Task(
        "help in a power cut",
        lambda k: (k.tab_to("Power cut …"), k.press("Space")),
        _found("power cut"),
        lambda k: k.window.pages.round.power_cut.isVisible(),
    ),
    Task(
        "98.6 in a field of °C",
        _wrong_unit_by_tab,
        _wrong_unit_by_enter,
        lambda k: any(r.unit == "°F" and r.value == 98.6 for r in k.desk.book.records(Reading)),
    ),
    Task("the first verdict", _start_by_tab, _start_by_enter, lambda k: not k.desk.book.is_empty, empty=True),
    Task("the trace", lambda k: k.press("Ctrl+2"), lambda k: k.press("Ctrl+2"), _at("trace")),
    Task("water and vents", lambda k: k.press("Ctrl+3", "Alt+Y"), _found("water and"), _at("moisture")),
    Task("the planner", lambda k: k.press("Ctrl+D"), lambda k: k.press("Ctrl+D"), _at("planner")),
    Task(
        "°F instead of °C",
        lambda k: k.press("F2"),
        lambda k: k.press("F2"),
        lambda k: k.desk.book.temperature_unit == "°F",
    ),
    Task(
        "take back the last edit",
        lambda k: (k.find("note oops"), k.press("Ctrl+Z")),
        lambda k: (k.find("note oops"), k.press("Ctrl+Z")),
        lambda k: "Undone" in k.window.messages.text.text(),
    ),
)


def count(app: QApplication, task: Task, way: Callable[[Keeper], object], demo: Path) -> int:
    """Do a task one way in a fresh window; how many keys it took. Raises RuntimeError where it came to nothing."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "log.stathmis"
        if task.empty:
            logbook = create_logbook(path, {"name": "", "time_zone": "UTC"})
        else:
            shutil.copy(demo, path)
            logbook = open_logbook(path)
        with open_window(Desk(logbook, FixedClock(NOW_MS)), Theme(app, "light")) as window:
            window.activateWindow()
            settle()
            keeper = Keeper(window)
            way(keeper)
            settle()
            if not task.done(keeper):
                raise RuntimeError(f"{task.name}: nothing came of it")
            return keeper.keys


def main() -> int:
    """Print the table."""
    app = QApplication.instance() or QApplication([])
    assert isinstance(app, QApplication)
    app.setStyle("Fusion")
    with tempfile.TemporaryDirectory() as folder:
        demo = Path(folder) / "demo.stathmis"
        build(demo, NOW_MS, "UTC")
        print("| task | by fields and Tab | shortest way now |\n|---|---|---|")
        for task in TASKS:
            keys = [count(app, task, way, demo) for way in (task.before, task.after)]
            print(f"| {task.name}{' *' if task.common else ''} | {keys[0]} | {keys[1]} |", flush=True)
    return 0


if __name__ == "__main__":
    sys.exit(main())
