"""A whole batch through the window by keyboard alone: from the wish for a hatch to its review and report."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication, QLabel, QPushButton, QWidget
from pytestqt.qtbot import QtBot

from making import instrument
from stathmis.logbook.records import Batch, BreakOut
from stathmis.logbook.snapshot import Series
from stathmis.services import setting_up
from stathmis.services.clock import DAY_MS
from stathmis.services.eggs import tray
from stathmis.services.files import logger_import
from stathmis.services.plan import planning, tasks
from stathmis.ui.pictures import settle
from stathmis.ui.window import Window

HOUR_MS = 3_600_000
CTRL, ALT, SHIFT = (
    Qt.KeyboardModifier.ControlModifier,
    Qt.KeyboardModifier.AltModifier,
    Qt.KeyboardModifier.ShiftModifier,
)


class Keeper:
    """A keeper with wet hands: only keys, always to whatever has the focus."""

    def __init__(self, window: Window, qtbot: QtBot) -> None:
        self.window, self.bot = window, qtbot

    def press(self, key: Qt.Key, modifier: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier) -> None:
        self.bot.keyClick(QApplication.focusWidget() or self.window, key, modifier)
        settle()

    def write(self, text: str) -> None:
        self.bot.keyClicks(QApplication.focusWidget(), text)

    def tab_to(self, widget: QWidget) -> None:
        for _ in range(200):
            if widget.hasFocus():
                return
            self.press(Qt.Key.Key_Tab)
        raise AssertionError(f"no way to {widget.accessibleName()} with Tab")

    def button(self, text: str) -> QPushButton:
        found = [b for b in self.window.findChildren(QPushButton) if b.isVisible() and b.text() == text]
        assert found, f"no button {text}"
        return found[0]

    def wait(self) -> None:
        settle()

    def until(self, at_ms: int) -> None:
        self.window.desk.clock.at_ms = at_ms  # type: ignore[attr-defined]
        self.window.refresh()
        settle()

    def said(self) -> str:
        settle()
        found = self.window.findChildren(QLabel)
        return " ".join(label.text() for label in found if label.isVisible())


def logger(window: Window) -> int:
    """A cabinet whose logger shows 37.2 °C (0.3 low) for the whole time to come."""
    desk = window.desk
    made = setting_up.add_incubator(desk, "Cabinet", "forced", 37.5)
    probe = instrument(desk, "Logger", step=0.01, accuracy=0.1, incubator_id=made)
    times = np.arange(desk.now_ms, desk.now_ms + 32 * DAY_MS, 5 * 60_000, dtype=np.int64)
    shown = Series(times, np.full(times.size, 37.2))
    logger_import.keep_series(desk, "l.csv", {probe.id: shown})
    return made


def test_a_batch_from_plan_to_review_by_keyboard(empty_window: Window, qtbot: QtBot, tmp_path: Path) -> None:
    window, desk = empty_window, empty_window.desk
    logger(window)
    keeper = Keeper(window, qtbot)
    # the plan: a hatch in 25 days
    keeper.press(Qt.Key.Key_D, CTRL)
    planner = window.stack.currentWidget()
    keeper.tab_to(planner.new.day)  # type: ignore[union-attr]
    keeper.write("in 25 days")
    keeper.press(Qt.Key.Key_Return)
    (plan,) = planning.plans(desk.book)
    # the eggs go in
    keeper.until(plan.set_ms + HOUR_MS)
    keeper.press(Qt.Key.Key_D, CTRL)
    keeper.tab_to(planner.calendar)  # type: ignore[union-attr]
    for _ in range(40):
        if planner.calendar.task is not None and planner.calendar.task.step == "set":  # type: ignore[union-attr]
            break
        keeper.press(Qt.Key.Key_Right)
    keeper.tab_to(keeper.button("The eggs are in"))
    keeper.press(Qt.Key.Key_Space)
    (batch,) = desk.book.records(Batch)
    # their places, and where they are from
    keeper.press(Qt.Key.Key_4, CTRL)
    eggs = window.pages.eggs
    keeper.tab_to(eggs.laying.edits["source"])
    keeper.write("own flock")
    keeper.tab_to(eggs.laying.columns)
    keeper.write("4")
    keeper.press(Qt.Key.Key_Return)
    assert tray.tray(desk.book, batch).size == (3, 4)
    # candled in the dark on its day: two clear ones out
    candle = planning.plans(desk.book)[0].step("candle 1")
    assert candle is not None
    keeper.until(candle.at_ms)
    keeper.press(Qt.Key.Key_K, ALT)
    for letter in "aaaa":
        keeper.write(letter)
    keeper.press(Qt.Key.Key_C, SHIFT)
    keeper.press(Qt.Key.Key_C, SHIFT)
    for letter in "aaaaaa":
        keeper.write(letter)
    keeper.press(Qt.Key.Key_Escape)
    assert tray.tray(desk.book, batch).tally.clear == 2 and tray.tray(desk.book, batch).tally.alive == 10
    # lockdown: every task of the round with one key
    lockdown = planning.plans(desk.book)[0].step("lockdown")
    assert lockdown is not None
    keeper.until(lockdown.at_ms + HOUR_MS)
    keeper.press(Qt.Key.Key_1, CTRL)
    for _ in range(12):
        keeper.press(Qt.Key.Key_F4)
    kept = {t.step: t.state for t in tasks.tasks_of(desk.book, planning.plans(desk.book)[0])}
    assert kept["candle 1"] == "done", "what was candled is ticked by itself"
    # the hatch, half a day late: six pip, five come out
    keeper.until(batch.set_ms + round(21.3 * DAY_MS))
    keeper.press(Qt.Key.Key_4, CTRL)
    keeper.tab_to(eggs.picture)
    keeper.press(Qt.Key.Key_Home)
    for letter in "pppppp":
        keeper.write(letter)
    keeper.press(Qt.Key.Key_5, CTRL)
    keeper.press(Qt.Key.Key_H, ALT)
    keeper.wait()
    assert "Keep it shut." in keeper.said() and "6 eggs pipped and not out" in keeper.said()
    keeper.until(batch.set_ms + round(21.9 * DAY_MS))
    keeper.press(Qt.Key.Key_4, CTRL)
    keeper.tab_to(eggs.picture)
    keeper.press(Qt.Key.Key_Home)
    for letter in "hhhhh":
        keeper.write(letter)
    # taken off, one of them weak
    keeper.until(batch.set_ms + round(22.7 * DAY_MS))
    keeper.press(Qt.Key.Key_5, CTRL)
    keeper.press(Qt.Key.Key_F, ALT)
    assert "5 chicks: 5 dry and ready." in keeper.said() and "1 egg pipped" in keeper.said()
    off = window.pages.hatch.take_off
    keeper.tab_to(off.weak["weak"])
    keeper.write("1")
    keeper.tab_to(off.bands)
    keeper.write("red")
    keeper.press(Qt.Key.Key_Return)
    assert "5 taken off" in window.messages.text.text() and tray.tray(desk.book, batch).tally.hatched == 5
    # over; what is left is opened, one key a fact
    keeper.until(batch.set_ms + round(24.5 * DAY_MS))
    keeper.tab_to(off.end)
    keeper.press(Qt.Key.Key_Space)
    keeper.wait()
    assert desk.book.records(Batch)[0].ended_ms is not None and "Looking back at 12 chicken eggs" in keeper.said()
    opened = window.pages.hatch.opened
    assert "5 eggs did not hatch and are not opened." in keeper.said()
    keeper.tab_to(opened.eggs)
    for keys in ("p1y", "l3g", "l", "m"):
        keeper.write(keys)
        keeper.press(Qt.Key.Key_Return)
    keeper.press(Qt.Key.Key_Return)
    assert "How far had it come?" in opened.problem.text(), "nothing is logged without a stage"
    keeper.write("x")
    assert "X stands for nothing" in opened.problem.text()
    keeper.write("r")
    keeper.press(Qt.Key.Key_Return)
    assert [b.stage for b in desk.book.records(BreakOut)] == ["external", "late", "late", "middle", "rotten"]
    # the review, and its report
    keeper.press(Qt.Key.Key_J, ALT)
    review = window.pages.hatch.review
    settle()
    assert review.found is not None
    said = keeper.said()
    assert (
        "hatched" in said
        and "Most likely: the temperature was low" in said
        and "Next time: Raise the set point" in said
    )
    assert review.days.isVisible() and "1 of 5 yolk not drawn in" in said
    keeper.tab_to(review.report)
    for name in ("report.pdf", "report.html"):
        review.write_report(tmp_path / name)
        keeper.wait()
        assert f"written to {name}" in window.messages.text.text() and (tmp_path / name).stat().st_size > 5000
    # back to now, and undone to the first wish
    keeper.press(Qt.Key.Key_Escape)
    assert "Looking back" not in keeper.said()
    while desk.undo() is not None:
        pass
    assert not desk.book.records(Batch) and not planning.plans(desk.book)
    keeper.wait()
