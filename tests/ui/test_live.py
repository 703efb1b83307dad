"""A live probe through the window: a simulated one is started, heard, kept, read, and taken away."""

from __future__ import annotations

from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QLabel
from pytestqt.qtbot import QtBot

from stathmis.devices.simulated_broker import Broker
from stathmis.devices.source import Kind, is_health
from stathmis.logbook import readings
from stathmis.logbook.records import Probe
from stathmis.services.clock import SystemClock
from stathmis.ui import live_view
from stathmis.ui.live_view import LiveView
from stathmis.ui.pictures import settle
from stathmis.ui.window import Window

ALT, CONTROL = Qt.KeyboardModifier.AltModifier, Qt.KeyboardModifier.ControlModifier


def texts(window: Window) -> str:
    labels = window.stack.currentWidget().findChildren(QLabel)
    return " | ".join(label.text() for label in labels if label.isVisible())


def test_a_simulated_probe_from_start_to_log(window: Window, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(live_view, "TURN_MS", 50)
    qtbot.keyClick(window, Qt.Key.Key_L, CONTROL)
    view = window.stack.currentWidget()
    assert isinstance(view, LiveView)
    qtbot.keyClick(window, Qt.Key.Key_S, ALT)
    qtbot.waitUntil(lambda: view.keep.isEnabled(), timeout=40_000)
    assert "It sends: t=3" in texts(window)
    target, unit = view._targets["t"]
    assert target.currentText() == "Blue probe, °C" and unit.currentText() == "°C"
    view._targets["rh"][0].setCurrentText("Blue probe, °C")
    view.every.setText("0")
    qtbot.keyClick(window, Qt.Key.Key_K, ALT)
    qtbot.waitUntil(lambda: "unit does not fit" in texts(window), timeout=3000)
    view._targets["rh"][0].setCurrentIndex(0)
    channel = window.desk.book.channel(target.currentData())
    before = readings.series(window.desk.book.snapshot, channel, 0, 2**62).times_ms.size
    qtbot.keyClick(window, Qt.Key.Key_K, ALT)
    qtbot.waitUntil(lambda: "is read from now on" in window.messages.text.text(), timeout=3000)
    assert len(window.desk.book.records(Probe)) == 1
    qtbot.waitUntil(lambda: window.live.stored >= 2, timeout=20_000)
    qtbot.waitUntil(lambda: "reading · " in texts(window), timeout=5000)
    assert readings.series(window.desk.book.snapshot, channel, 0, 2**62).times_ms.size >= before + 2
    window.undo()
    assert window.desk.book.records(Probe) == ()
    qtbot.waitUntil(lambda: "No probe yet." in texts(window), timeout=3000)


def test_a_device_that_is_not_there(window: Window, qtbot: QtBot) -> None:
    window.show_place("live")
    view = window.stack.currentWidget()
    assert isinstance(view, LiveView)
    view.device.setEditText("/dev/no-such-probe")
    qtbot.keyClick(window, Qt.Key.Key_L, ALT)
    qtbot.waitUntil(lambda: "cannot be read" in texts(window), timeout=10_000)
    view.baud.setText("fast")
    qtbot.keyClick(window, Qt.Key.Key_L, ALT)
    qtbot.waitUntil(lambda: "not a number" in texts(window), timeout=3000)
    settle()


@pytest.mark.parametrize("kind", ["kernel", "mqtt", "file"])
def test_every_kind_from_start_to_log(window: Window, qtbot: QtBot, kind: Kind) -> None:
    # a file tells its times: by a clock that stands in its past they would have to come yet
    window.desk.clock = SystemClock()
    window.show_place("live")
    view = window.stack.currentWidget()
    assert isinstance(view, LiveView)
    view.kind.choose(kind)
    assert (view.baud.isVisible(), view.password.isVisible()) == (False, kind == "mqtt")
    qtbot.keyClick(window, Qt.Key.Key_S, ALT)
    qtbot.waitUntil(lambda: view.keep.isEnabled(), timeout=40_000)
    assert not [n for n in view._targets if is_health(n)], "a battery goes to no instrument"
    heat = next(n for n, (target, _unit) in view._targets.items() if n.endswith(("t", "temp")))
    for target, _unit in view._targets.values():
        target.setCurrentIndex(0)
    view._targets[heat][0].setCurrentText("Blue probe, °C")
    view.every.setText("0")
    qtbot.keyClick(window, Qt.Key.Key_K, ALT)
    qtbot.waitUntil(lambda: window.live.stored >= 1, timeout=20_000)
    qtbot.waitUntil(lambda: "reading · " in texts(window), timeout=5000)
    assert [p.kind for p in window.desk.book.records(Probe)] == [kind]


def test_listening_is_stopped_and_narrowed(window: Window, qtbot: QtBot, tmp_path: Path) -> None:
    """A quiet broker is not waited for longer than one likes; of very many values those meant are shown."""
    broker = Broker(tmp_path / "b").start()
    window.show_place("live")
    view = window.stack.currentWidget()
    assert isinstance(view, LiveView)
    view.kind.choose("mqtt")
    view.device.setEditText(broker.device)
    view.start_listening()
    assert view.listen.text() == "Stop &listening"
    qtbot.keyClick(window, Qt.Key.Key_L, ALT)
    qtbot.waitUntil(lambda: "No numbers came" in texts(window), timeout=10_000)
    for i in range(40):
        broker.publish(f"house/room{i}/t", b"20.5", keep=True)
    view.start_listening()
    qtbot.waitUntil(lambda: view.keep.isEnabled(), timeout=20_000)
    assert len(view._targets) == live_view.MOST_ROWS
    qtbot.waitUntil(lambda: "and 24 more" in texts(window), timeout=3000)
    qtbot.keyClicks(view.only, "room37")
    assert list(view._targets) == ["house/room37/t"]
    broker.stop()
