"""An alarm in the window: shown once, logged, quieted by key, back when it comes back."""

from __future__ import annotations

import numpy as np
import pytest
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from stathmis.logbook.records import Channel, Event
from stathmis.logbook.snapshot import Series
from stathmis.services.clock import FixedClock
from stathmis.services.files import logger_import
from stathmis.services.watch import alarm_log, alarms
from stathmis.services.watch.alarm import Alarm
from stathmis.ui import reminder
from stathmis.ui.alarm_strip import AlarmStrip
from stathmis.ui.pictures import settle
from stathmis.ui.window import Window
from stathmis.words.events import event_words


def look(window: Window, qtbot: QtBot) -> None:
    window.alarm.look()
    settle()
    assert window.alarm._job is None


def test_heat_is_called_seen_and_logged(window: Window, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch) -> None:
    told: list[str] = []
    monkeypatch.setattr(reminder, "tell_desktop", lambda title, text, urgent: told.append(title))
    monkeypatch.setattr(QApplication, "beep", lambda: told.append("beep"))
    desk = window.desk
    look(window, qtbot)
    assert not window.alarm.isVisible() and told == []
    channel = next(
        c
        for c in desk.book.records(Channel)
        if desk.book.instrument(c.instrument_id).name == "Shelf logger" and c.quantity == "temperature"
    )
    times = desk.now_ms - np.arange(12, 0, -1, dtype=np.int64) * 60_000
    hot = Series(times, np.full(12, 41.0))
    logger_import.keep_series(desk, "hot.csv", {channel.id: hot})
    look(window, qtbot)
    assert window.alarm.isVisible()
    assert window.alarm.words.text().startswith("Danger: North cabinet: the air is at 41.2 °C. Cool it now.")
    assert "over-temperature cut-out" in window.alarm.why.text()
    assert told[0] == "beep" and len(told) == 2
    look(window, qtbot)
    assert len(told) == 2, "told once"
    window.alarm.seen.setFocus()
    window.alarm.seen.click()
    settle()
    assert window.alarm._job is None
    assert not window.alarm.isVisible()
    assert [e.detail for e in desk.book.records(Event) if e.kind == "alarm"] == ["hot", "hot, seen"]
    clock = desk.clock
    assert isinstance(clock, FixedClock)
    clock.at_ms += 5 * 60_000
    look(window, qtbot)
    assert not window.alarm.isVisible(), "quiet for an hour"
    # another window on the same logbook, as after a restart: quiet until the hour is over, and told once
    again = AlarmStrip(desk, window.live)
    qtbot.addWidget(again)
    again._timer.stop()

    def again_looks() -> None:
        again.look()
        settle()
        assert again._job is None

    again_looks()
    assert again.alarm is None and len(told) == 2
    clock.at_ms += 50 * 60_000
    logger_import.keep_series(desk, "hotter.csv", {channel.id: Series(times + 55 * 60_000, hot.shown)})
    again_looks()
    assert again.alarm is None, "still the same hour"
    clock.at_ms += 6 * 60_000
    again_looks()
    assert again.alarm is not None and len(told) == 4
    again.snooze.click()
    third = AlarmStrip(desk, window.live)
    qtbot.addWidget(third)
    third._timer.stop()
    third.look()
    settle()
    assert third._job is None
    assert third.alarm is None and len(told) == 4, "ten minutes are kept, too"
    for one in (again, third):
        one.stop()


def test_what_was_told_is_not_told_again_by_a_restart(
    window: Window, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    told: list[str] = []
    monkeypatch.setattr(reminder, "tell_desktop", lambda title, text, urgent: told.append(title))
    desk = window.desk
    box = desk.book.incubators()[0]
    alarm = Alarm("hot", box, True, warm=True, celsius=41.0)
    monkeypatch.setattr(alarms, "alarms", lambda book, probes: [alarm])
    look(window, qtbot)
    assert len(told) == 1
    again = AlarmStrip(desk, window.live)
    qtbot.addWidget(again)
    again._timer.stop()
    again.look()
    settle()
    assert again._job is None
    assert again.alarm is not None and len(told) == 1, "it stands there, but nobody is called a second time"
    again.stop()


def test_cold_that_was_seen_does_not_quiet_heat(window: Window) -> None:
    desk, box = window.desk, window.desk.book.incubators()[0]
    cold, warm = (Alarm("eggs", box, w, warm=w, celsius=36.0 + 3 * w) for w in (False, True))
    alarm_log.log_alarm(desk, cold, "seen")
    assert alarm_log.quiet_until(desk.book, cold) == desk.now_ms + 3_600_000
    assert alarm_log.quiet_until(desk.book, warm) == 0
    dry, moist = (Alarm("moisture", box, False, rh=pair) for pair in ((40.0, 65.0), (90.0, 75.0)))
    alarm_log.log_alarm(desk, dry, "later")
    assert alarm_log.quiet_until(desk.book, dry) == desk.now_ms + 600_000 and not alarm_log.quiet_until(
        desk.book, moist
    )
    told = [event_words(desk.book, e) for e in desk.book.records(Event) if e.kind == "alarm"]
    assert told == ["Alarm: eggs too warm or cold, seen", "Alarm: air too dry or too moist, quiet for ten minutes"]


@pytest.mark.parametrize(("urgent", "how"), [(True, "critical"), (False, "normal")])
def test_the_desktop_is_told_in_its_own_way_or_not_at_all(
    urgent: bool, how: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    started: list[tuple[str, list[str]]] = []
    monkeypatch.setattr(reminder.QProcess, "startDetached", lambda command, given: started.append((command, given)))
    monkeypatch.setattr(reminder.shutil, "which", lambda name: None)
    reminder.tell_desktop("a", "b", urgent=urgent)
    assert started == []
    monkeypatch.setattr(reminder.shutil, "which", lambda name: f"/usr/bin/{name}")
    reminder.tell_desktop("--lockdown", "-today", urgent=urgent)
    # whatever a title begins with, it is no option
    assert started == [("/usr/bin/notify-send", ["-a", "Stathmis", "-u", how, "--", "--lockdown", "-today"])]
