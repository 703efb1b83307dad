"""The planner and the round's tasks through the window, by keyboard: a season from the wish to the shut lid."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import icalendar
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication, QLabel
from pytestqt.qtbot import QtBot

from stathmis.logbook.records import Batch, Event, Placement, StoredPlan, TaskMark
from stathmis.services import setting_up
from stathmis.services.clock import DAY_MS
from stathmis.services.plan import planning, tasks
from stathmis.ui.enter_view import EnterView
from stathmis.ui.pictures import settle
from stathmis.ui.planner.planner_view import PlannerView
from stathmis.ui.window import Window

HOUR_MS = 3_600_000


def opened(window: Window, qtbot: QtBot) -> PlannerView:
    qtbot.keyClick(window, Qt.Key.Key_D, Qt.KeyboardModifier.ControlModifier)
    view = window.stack.currentWidget()
    assert isinstance(view, PlannerView)
    settle()
    return view


def said(widget: object) -> str:
    settle()
    found = widget.findChildren(QLabel)  # type: ignore[attr-defined]
    return " ".join(label.text() for label in found if label.isVisible())


def go_to(window: Window, at_ms: int) -> None:
    window.desk.clock.at_ms = at_ms  # type: ignore[attr-defined]
    window.refresh()
    settle()


def test_a_season_from_the_wish_to_the_shut_lid(empty_window: Window, qtbot: QtBot) -> None:
    """Wish for a hatch day; warm up, set, candle, weigh, lock down: every step from the keyboard, and undone."""
    window, desk = empty_window, empty_window.desk
    setting_up.add_incubator(desk, "Cabinet", "forced", 37.5)
    view = opened(window, qtbot)
    assert "Nothing is planned yet" in said(view) and view.new.species.hasFocus()
    view.new.day.setFocus()
    qtbot.keyClicks(view.new.day, "in 25 days")
    assert "set " in view.new.preview.text() and "lockdown" in view.new.preview.text()
    qtbot.keyClick(view.new.day, Qt.Key.Key_Return)
    (plan,) = planning.plans(desk.book)
    hatch = plan.step("hatch")
    assert hatch is not None and abs(hatch.at_ms - desk.now_ms - 25 * DAY_MS) < DAY_MS
    assert "12 chicken eggs planned" in window.messages.text.text()
    # along the calendar, and lockdown a day later with Ctrl
    view.calendar.setFocus()
    for _ in range(40):
        if view.calendar.task is not None and view.calendar.task.step == "lockdown":
            break
        qtbot.keyClick(view.calendar, Qt.Key.Key_Right)
    before = planning.plans(desk.book)[0].step("lockdown")
    qtbot.keyClick(view.calendar, Qt.Key.Key_Right, Qt.KeyboardModifier.ControlModifier)
    after = planning.plans(desk.book)[0].step("lockdown")
    assert before is not None and after is not None and after.at_ms == before.at_ms + DAY_MS
    qtbot.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert planning.plans(desk.book)[0].step("lockdown") == before
    # warming up is ticked on the round with one key
    go_to(window, plan.set_ms - 40 * HOUR_MS)
    window.show_page("round")
    settle()
    open_before = [t.step for t in tasks.today(desk.book) if t.state == "open"]
    assert "warm dry" in open_before
    qtbot.keyClick(window, Qt.Key.Key_F4)
    assert len(desk.book.records(TaskMark)) == 1
    # the eggs go in
    go_to(window, plan.set_ms + HOUR_MS)
    view = opened(window, qtbot)
    view.calendar.look_at(plan.subject, "set")
    assert "Not known yet whether it is ready" in said(view.step)
    view.step.done()
    assert [b.name for b in desk.book.records(Batch)] == ["12 chicken eggs"]
    # candling on its day, left out with a reason
    candle = planning.plans(desk.book)[0].step("candle 1")
    assert candle is not None
    go_to(window, candle.at_ms)
    view.calendar.look_at(plan.subject, "candle 1")
    view.step.skip()
    assert "Why is it left out" in view.step.problem.text()
    assert view.step.why is not None
    view.step.why.setFocus()
    qtbot.keyClicks(view.step.why, "dark shells")
    qtbot.keyClick(view.step.why, Qt.Key.Key_Return)
    skipped = next(t for t in tasks.tasks_of(desk.book, planning.plans(desk.book)[0]) if t.step == "candle 1")
    assert (skipped.state, skipped.note) == ("skipped", "dark shells")
    # lockdown: the list is there, the lid is watched
    lockdown = planning.plans(desk.book)[0].step("lockdown")
    assert lockdown is not None
    go_to(window, lockdown.at_ms)
    window.show_page("round")
    settle()
    panel = window.pages.round.lockdown
    assert panel.isVisible() and "Turner out" in said(panel)
    panel.lid.setFocus()
    qtbot.keyClick(panel.lid, Qt.Key.Key_Space)
    go_to(window, lockdown.at_ms + 4 * 60_000)
    assert "Lid open 4:00 min" in panel.watch.text() and "was due" in panel.watch.text()
    for key in list(panel.ticks):
        tick = panel.ticks[key]
        tick.setFocus()
        qtbot.keyClick(tick, Qt.Key.Key_Space)
    assert not panel.isVisible(), "all is done"
    assert [e.kind for e in desk.book.records(Event)] == ["lid"]
    settle()


def test_what_is_in_the_way_and_days_away(window: Window, qtbot: QtBot) -> None:
    view = opened(window, qtbot)
    assert "You are away" in said(view) and "days old at setting" in said(view)
    view.away.away_from.setFocus()
    qtbot.keyClicks(view.away.away_from, "30 Feb")
    qtbot.keyClick(view.away.away_from, Qt.Key.Key_Return)
    assert "no such day" in view.away.problem.text() and view.away.away_from.text() == "30 Feb"
    view.new.day.setText("1 Jan 2020")
    view.new.add()
    assert "which is over" in view.new.problem.text() and view.new.day.text() == "1 Jan 2020"
    assert len(window.desk.book.records(StoredPlan)) == 1
    view.away.remove(window.desk.book.incubators()[0])
    assert "is set in North cabinet" in view.away.problem.text()
    settle()


def test_a_task_shows_its_why_and_caution(window: Window, qtbot: QtBot) -> None:
    window.step_incubator(1)
    today = window.pages.round.today
    settle()
    assert "Have the brooder ready" in said(today) and "was due yesterday 10:00" in said(today)
    key = next(k for k in today.ticks if k[1] == "brooder")
    today.ticks[key].setFocus()
    qtbot.keyClick(today.ticks[key], Qt.Key.Key_Right)
    assert "Heat lamps start fires" in said(today) and today.why is not None
    qtbot.keyClick(today.ticks[key], Qt.Key.Key_Space)
    assert "Have the brooder ready: done" in window.messages.text.text()
    qtbot.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert window.desk.book.records(TaskMark) == ()
    settle()


def test_the_phones_file_from_the_window(window: Window, qtbot: QtBot, tmp_path: Path) -> None:
    view = opened(window, qtbot)
    view.write_calendar(tmp_path / "plan.ics")
    assert "entries written" in window.messages.text.text()
    read = icalendar.Calendar.from_ical((tmp_path / "plan.ics").read_bytes())
    assert any("bobwhite" in str(e["SUMMARY"]) for e in read.walk("VEVENT"))
    view.write_calendar(tmp_path / "no" / "plan.ics")
    assert "cannot be written" in window.messages.text.text()


def test_a_cooling_counts_down_and_a_tray_is_offered(window: Window, qtbot: QtBot) -> None:
    round_view = window.pages.round
    round_view.log_event("cool")
    settle()
    assert "Cooling: 15:00 min left" in said(round_view.today)
    go_to(window, window.desk.now_ms + 15 * 60_000 + 5_000)
    assert "Cooling is over: mist the eggs" in said(round_view.today)
    go_to(window, window.desk.now_ms + 30 * 60_000)
    assert "Cooling" not in said(round_view.today)
    qtbot.keyClick(window, Qt.Key.Key_T, Qt.KeyboardModifier.ControlModifier)
    assert "tray" in window.messages.text.text()
    window.tray.take_away()
    settle()


def test_turned_by_hand_from_the_list(window: Window, qtbot: QtBot) -> None:
    view = opened(window, qtbot)
    subject = next(p.subject for p in planning.plans(window.desk.book) if "partridge" in p.name)
    view.calendar.look_at(subject, "lockdown")
    (own,) = [p for p in planning.plans(window.desk.book) if p.subject == subject]
    planning.change_way(window.desk, own, replace(own.way, turning="by hand"))
    window.show_page("round")
    settle()
    today = window.pages.round.today
    assert "Turn the eggs: show X" in said(today)
    key = next(k for k in today.ticks if k[1].startswith("turn"))
    today.ticks[key].setFocus()
    qtbot.keyClick(QApplication.focusWidget(), Qt.Key.Key_Space)
    assert "Turned: X is up" in window.messages.text.text()
    settle()
    assert "show O next" in said(window.pages.round)
    settle()


def test_a_pair_is_noted_and_its_clutch_awaited_by_keyboard(empty_window: Window, qtbot: QtBot) -> None:
    window, desk = empty_window, empty_window.desk
    setting_up.add_incubator(desk, "Warm box", "forced", 28.5)
    view = opened(window, qtbot)
    assert not view.pairs.isVisible(), "keepers of birds have no use for it"
    view.new.species.setFocus()
    qtbot.keyClicks(view.new.species, "leopard")
    settle()
    assert view.pairs.isVisible()
    view.pairs.mother.setFocus()
    qtbot.keyClicks(view.pairs.mother, "Fig")
    view.pairs.day.setFocus()
    qtbot.keyClicks(view.pairs.day, "in 3 days")
    qtbot.keyClick(view.pairs.day, Qt.Key.Key_Return)
    assert "still to come" in view.pairs.problem.text() and view.pairs.mother.text() == "Fig", "nothing is lost"
    view.pairs.day.clear()
    qtbot.keyClick(view.pairs.day, Qt.Key.Key_Return)
    assert "Fig, paired" in said(view.pairs) and "eggs likely" in said(view.pairs)
    window.undo()
    assert "eggs likely" not in said(view.pairs)


def test_an_instrument_goes_into_a_clutchs_box(empty_window: Window, qtbot: QtBot) -> None:
    window, desk = empty_window, empty_window.desk
    made = setting_up.add_incubator(desk, "Warm box", "forced", 28.5)
    machine = next(i for i in desk.book.incubators() if i.id == made)
    batch = setting_up.set_batch(desk, machine, "Fig's second", "leopard_gecko", "steady", 2, desk.now_ms - DAY_MS)
    channels = [setting_up.NewChannel("temperature", "°C", 0.1, 0.5)]
    setting_up.add_instrument(desk, "Small probe", "probe", channels, incubator_id=made)
    window.show_place("enter")
    view = window.stack.currentWidget()
    assert isinstance(view, EnterView)
    view.moving.setFocus()
    qtbot.keyClicks(view.moving, "Small")
    view.moving_to.setFocus()
    qtbot.keyClicks(view.moving_to, "into the box")
    assert view.moving_to.currentText() == "into the box of Fig's second"
    view.move_instrument()
    (placed,) = desk.book.records(Placement, batch_id=batch)
    assert placed.place == "the box of Fig's second" and placed.to_ms is None
    view.move_instrument()
    assert "hangs there already" in view.moving_problem.text()
    window.undo()
    assert desk.book.records(Placement, batch_id=batch) == ()
