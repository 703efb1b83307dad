"""What keepers do differently, each said on the page of the way by keyboard, and seen obeyed on two other pages."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QAbstractButton, QComboBox, QLabel, QWidget
from pytestqt.qtbot import QtBot

from making import batch_with_log, found
from stathmis.services import rounds
from stathmis.services.batch import batches
from stathmis.services.batch.course import Course
from stathmis.services.clock import HOUR_MS
from stathmis.services.desk import Desk
from stathmis.services.eggs import laying
from stathmis.services.plan import calendar, planning
from stathmis.services.report.batch_report import batch_report
from stathmis.services.watch import alarms
from stathmis.ui.pictures import open_window, settle
from stathmis.ui.theme import Theme
from stathmis.ui.way_view import WayView
from stathmis.ui.window import Window
from stathmis.words.alarms import said

SHIFTED = Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier


def edits_made(window: Window) -> int:
    with window.desk.logbook.reading() as connection:
        return int(connection.execute("SELECT count(*) FROM edit").fetchone()[0])


def course_in_view(window: Window) -> Course:
    found = batches.running(window.desk.book, next(i for i in window.desk.book.incubators() if i.id == window.in_view))
    assert found is not None
    return found


def shown(widget: QWidget) -> str:
    """Everything a page says: its words, its buttons, and what is read aloud of the rest."""
    words = []
    for one in widget.findChildren(QWidget):
        if one.isVisibleTo(widget):
            named = isinstance(one, QLabel | QAbstractButton)
            words.append(one.text() if named else f"{one.accessibleName()} {getattr(one, 'spoken', '')}")  # type: ignore[attr-defined]
    return "\n".join(words)


def page(name: str, part: str = "") -> Callable[[Window], str]:
    def look(window: Window) -> str:
        window.show_page(name)
        if part:
            getattr(window.pages, name).show_part(part)
        settle()
        return shown(window.stack.currentWidget())

    return look


def phone(window: Window) -> str:
    """The calendar file: what, and when by the clock on the wall."""
    book, course = window.desk.book, course_in_view(window)
    told = calendar.entries(book, [planning.plan_of(book, course.batch)], "x")
    return "\n".join(
        f"{e.title.partition(':')[0]} on {book.local(e.begin_ms):%a %d %b}\n{e.title}\n{e.text}" for e in told
    )


def report(window: Window) -> str:
    return "\n".join(repr(block) for block in batch_report(window.desk.book, course_in_view(window)).blocks)


def called(window: Window) -> str:
    """The alarms."""
    return "\n".join(said(window.desk.book, alarm).words for alarm in alarms.alarms(window.desk.book))


PAGES: dict[str, Callable[[Window], str]] = {
    "round": page("round"),
    "trace": page("trace"),
    "loss": page("moisture", "eggs"),
    "water": page("moisture", "water"),
    "hatch": page("hatch", "now"),
    "taking off": page("hatch", "take-off"),
    "column": lambda window: shown(window.column),
    "phone": phone,
    "report": report,
    "alarms": called,
}

SAYINGS: dict[str, list[tuple[str, object, dict[str, str]]]] = {
    "13 days": [
        # turning by hand so many times a day, within so many hours; by machine, its counter and its list
        ("turning", "by hand", {"round": "Turn the eggs: show X", "report": "by hand"}),
        ("counter_day", "18", {"round": "stops turning on Fri, 3 days early: set it to day 21", "report": "18"}),
        # what is held, and how near to it
        ("set_c", "38.0", {"round": "Below the band 37.7–38.3 °C", "column": "raise the set point"}),
        # where the shell is held the air is asked to be as much cooler as embryos of that day warm it
        ("held", "shell", {"round": "37.5–38.0 °C", "report": "the eggs' shells"}),
        ("tolerance_k", "0.2", {"round": "inside 37.4–37.8 °C", "report": "37.4–37.8 °C"}),
        ("setting_rh", "30-40", {"round": "inside 30–40 % RH", "water": "For 30–40 % RH", "report": "30–40 % RH"}),
        ("lockdown_rh", "60-66", {"report": "60–66 % RH"}),
        ("loss_percent", "11", {"loss": "to lose 11 %", "report": "to lose 11 %"}),
        # the term of a breed, another day of lockdown
        ("term_days", "23", {"round": "day 13 of 23", "column": "day 13 of 23", "phone": "Hatch expected"}),
        ("lockdown_day", "20", {"round": "lockdown in 6 days", "column": "lockdown in 6 days"}),
        # candled, weighed, the brooder
        ("candling_days", "15", {"phone": "Candle on Tue 19 May", "report": "('Days of candling', '15')"}),
        ("weigh_every_days", "6", {"phone": "Weigh the eggs on Fri", "report": "10 May"}),
        ("brooder_days", "7", {"round": "Have the brooder ready", "phone": "Have the brooder ready on Mon"}),
        # the vents before lockdown, cooling chickens as well
        ("vent_setting", "30", {"round": "vents 30 % open now; they stand at 50 %", "water": "vent 30 % open"}),
        ("cooling", "by hand", {"round": "Cool and mist: 15 min", "report": "by hand"}),
    ],
    "lockdown": [
        ("vent_lockdown", "40", {"round": "40 % open, as your way has it", "report": "% open"}),
        ("misted", "lockdown", {"round": "Mist the eggs once", "report": "misted in lockdown"}),
        ("lockdown_rh", "60-66", {"round": "bring it to 60–66 % RH", "report": "60–66 % RH"}),
    ],
    "hatching": [
        ("opening", "quickly", {"hatch": "Better keep it shut.", "report": "quickly"}),
        ("helping", "last resort", {"hatch": "By your way help is the last resort.", "report": "last resort"}),
        ("taken_off", "together", {"taking off": "All together, by your way", "report": "together"}),
        ("feed_limit_h", "36", {"taking off": "by Tue 19 May 07:40", "hatch": "by Tue 07:40 at the latest"}),
        ("vent_hatching", "100", {"round": "vents 100 % open now; they stand at 60 %", "report": "100 %"}),
        ("cold_k", "0.5", {"alarms": "too cold", "report": "0.5"}),
        ("late_cold_k", "0.4", {"alarms": "too cold", "report": "0.4"}),
    ],
    "ducks": [
        ("coolings_a_day", "2", {"round": "due 09:40", "report": "('Coolings a day', '2')"}),
        ("cool_minutes", "20", {"round": "Cool and mist: 20 min", "report": "('Minutes of a cooling', '20')"}),
    ],
    "clutch": [
        ("wished", "males", {"round": "Below the band 31.8–32.8 °C", "column": "day 30 of about 40"}),
        ("box", "upper shelf", {"phone": "12 leopard gecko eggs, upper shelf", "report": "upper shelf"}),
        ("airing_day", 3, {"phone": "box on Thu", "report": "on Thursday"}),
    ],
    "first day": [
        ("turn_every_min", "45", {"phone": "It turns every 45 min", "report": "'45'"}),
        ("candling_days", "8 17", {"phone": "Candle on Mon 25 May", "report": "8, 17"}),
    ],
}  # fmt: skip


def logged(desk: Desk, species: str, day: float, celsius: float = 37.5) -> Course:
    course, _ = batch_with_log(desk, np.full(round(day * 1440), celsius), species)
    return course


@pytest.fixture(params=list(SAYINGS))
def story(request: pytest.FixtureRequest) -> tuple[str, Desk]:
    """A batch at some stage: on the demo logbook, or one of its own."""
    name = request.param
    desk: Desk = request.getfixturevalue("demo" if name == "13 days" else "desk")
    if name == "lockdown":
        logged(desk, "chicken", 17.95)
    elif name == "hatching":
        course = logged(desk, "chicken", 20.6, 36.8)
        laying.lay_out(desk, course, 12)
        for mark, kind, ago in (
            ("1", "external pip", 30),
            ("2", "external pip", 28),
            ("3", "out", 13),
            ("4", "out", 5),
        ):
            found(desk, course, mark, kind, ago)
    elif name == "ducks":
        course = logged(desk, "duck", 9.0)
        rounds.log_event(desk, course.incubator, "cool", "", desk.now_ms - 9 * HOUR_MS)
    elif name == "clutch":
        logged(desk, "leopard_gecko", 30.0, 28.5)
    elif name == "first day":
        logged(desk, "chicken", 1.0)
    if name in ("lockdown", "hatching"):
        machine = desk.book.incubators()[0]
        rounds.log_event(desk, machine, "vent", "60 %", desk.now_ms - 10 * HOUR_MS)
    return name, desk


@pytest.fixture
def opened(story: tuple[str, Desk], theme: Theme, qtbot: QtBot) -> Iterator[tuple[str, Window]]:
    with open_window(story[1], theme) as window:
        qtbot.waitExposed(window)
        window.activateWindow()
        yield story[0], window
        window.close()
    window.deleteLater()


def say_it(window: Window, name: str, value: object, qtbot: QtBot) -> None:
    """By keyboard, on the page of the way: all that can be said is asked for where it is not there yet."""
    qtbot.keyClick(window, Qt.Key.Key_Y, SHIFTED)
    view = window.stack.currentWidget()
    assert isinstance(view, WayView)
    card = view.way
    target: QWidget = card.fields.get(name) or card.choosers[name]
    if not target.isVisibleTo(card):
        card._more.setFocus()
        qtbot.keyClick(card._more, Qt.Key.Key_Space)
    assert target.isVisibleTo(card), f"{name} cannot be said of this batch"
    # what is asked from now on shows at once; what was asked until now is seen on the report
    card.since.setFocus()
    qtbot.keyClick(card.since, Qt.Key.Key_Down)
    target.setFocus()
    if isinstance(target, QComboBox):
        while target.currentData() != value:
            down = target.findData(value) > target.currentIndex()
            qtbot.keyClick(target, Qt.Key.Key_Down if down else Qt.Key.Key_Up)
    else:
        target.selectAll()  # type: ignore[attr-defined]
        qtbot.keyClicks(target, str(value))
        qtbot.keyClick(target, Qt.Key.Key_Return)
    assert card._problem.isHidden(), card._problem.text()


@pytest.mark.heavy("up to fourteen sayings, each seen on two other pages")
def test_whatever_a_keeper_says_is_obeyed_on_two_other_pages(opened: tuple[str, Window], qtbot: QtBot) -> None:
    story, window = opened
    quiet = {where: PAGES[where](window) for where in {w for _name, _value, told in SAYINGS[story] for w in told}}
    for name, value, told in SAYINGS[story]:
        already = edits_made(window)
        say_it(window, name, value, qtbot)
        for where, words in told.items():
            now = PAGES[where](window)
            assert words in now, (story, name, where, now)
            assert now != quiet[where], (story, name, where)
        for _ in range(edits_made(window) - already):
            window.undo()
