"""What the window's thread does for one edit, and the statements it costs: three incubators and the demo's log.

An edit comes some seconds after the last, as a keeper types them; each new minute everything is worked out anew.
Prints medians of some runs. Start-up and long runs have scripts of their own.
"""

from __future__ import annotations

import os
import shutil
import statistics
import tempfile
import time
from collections.abc import Callable
from functools import partial
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PySide6.QtCore import QEventLoop, Qt, QTimer
from PySide6.QtWidgets import QApplication, QWidget

from stathmis.demo.scenario import build
from stathmis.logbook import live
from stathmis.logbook.live import LiveReading
from stathmis.logbook.opening import open_logbook
from stathmis.services import rounds
from stathmis.services.clock import FixedClock
from stathmis.services.desk import Desk
from stathmis.services.reading_field import interpret
from stathmis.ui import pictures, work
from stathmis.ui.theme import Theme
from stathmis.ui.window import Window

NOW_MS = 1_779_093_600_000
RUNS = 15
PAGES = ("trace", "moisture", "eggs", "hatch", "planner", "records", "instruments", "way", "enter", "bring_in")


def settle() -> None:
    """Everything that is under way ends."""
    until = time.monotonic() + 20
    while work.busy() and time.monotonic() < until:
        QApplication.processEvents()
        time.sleep(0.01)
    pictures.settle()


class Silence:
    """The longest time the window's thread answers nothing while something goes on, ms."""

    def __init__(self) -> None:
        self._timer = QTimer()
        self._timer.setInterval(2)
        self._timer.setTimerType(Qt.TimerType.PreciseTimer)
        self._timer.timeout.connect(self._tick)
        self._last = 0.0
        self.longest = 0.0

    def _tick(self) -> None:
        now = time.perf_counter()
        self.longest = max(self.longest, (now - self._last) * 1000.0)
        self._last = now

    def of(self, act: Callable[[], None], seconds: float = 1.2) -> float:
        """Do something and look on for so long."""
        settle()
        self.longest, self._last = 0.0, time.perf_counter()
        self._timer.start()
        act()
        until = time.monotonic() + seconds
        while time.monotonic() < until or work.busy():
            QApplication.processEvents(QEventLoop.ProcessEventsFlag.AllEvents, 2)
        self._timer.stop()
        return self.longest


def timed(title: str, act: Callable[[int], None], first: Callable[[int], None] = lambda i: None) -> None:
    """How long an act and the events it brings keep the window's thread, ms; first: what others do before it."""
    spent, own = [], []
    for i in range(RUNS):
        first(i)
        start, begun = time.perf_counter(), time.thread_time()
        act(i)
        QApplication.processEvents()
        spent.append((time.perf_counter() - start) * 1000.0)
        own.append((time.thread_time() - begun) * 1000.0)
        settle()
    line = f"{title:28s} {statistics.median(own):6.1f} ms of its own thread ({max(own):.1f} at most)"
    print(f"{line}, {statistics.median(spent):6.1f} ms by the clock ({max(spent):.1f})")


def main() -> None:
    """Open the demo and measure."""
    app = QApplication([])
    app.setStyle("Fusion")
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "demo.stathmis"
        build(path, NOW_MS, "UTC")
        shutil.copy(path, Path(folder) / "own.stathmis")
        desk = Desk(open_logbook(Path(folder) / "own.stathmis"), FixedClock(NOW_MS))
        window = Window(desk, Theme(app, "light"))
        window.resize(1280, 800)
        window.show()
        settle()
        silence = Silence()
        window.get_ready()
        began = time.monotonic()
        ahead = 0.0
        while window.idle is not None and not window.idle.over:
            ahead = max(ahead, silence.of(lambda: None, 2.0))
        took = time.monotonic() - began
        print(f"longest silence while the other pages are made ready: {ahead:.1f} ms; ready after {took:.0f} s")
        first = desk.book.incubators()[0]
        line = next(x for x in rounds.sheet(desk.book, first).lines if x.channel.quantity == "humidity")
        statements: list[str] = []
        with desk.logbook.reading() as connection:
            connection.set_trace_callback(statements.append)
        with desk.logbook.writing() as writing:
            writing.connection.set_trace_callback(statements.append)

        def log_one(i: int) -> None:
            desk.clock.at_ms += 4_000  # type: ignore[attr-defined]
            rounds.log_round(desk, {line.channel.id: interpret(str(40 + i), line.channel)}, desk.now_ms)

        statements.clear()
        before = set(map(id, window.findChildren(QWidget)))
        log_one(0)
        QApplication.processEvents()
        fresh = [w for w in window.findChildren(QWidget) if id(w) not in before]
        print(f"one reading: {len(statements)} statements, {len(fresh)} widgets made")
        settle()
        timed("one reading logged", log_one)

        def written(i: int) -> None:
            # by the writer's own thread, in the application
            desk.clock.at_ms += 10_000  # type: ignore[attr-defined]
            live.store_live(desk.logbook, [LiveReading(line.channel.id, desk.now_ms, 48.0 + i / 10)])

        timed("one live batch stored", lambda i: window.live.on_stored([]), written)
        timed("another incubator", lambda i: window.step_incubator(1))
        timed("unit switched", lambda i: window.switch_unit())
        window.show_incubator(first.id)
        for page in PAGES:
            show = partial(window.show_page if page in window.pages.tabs else window.show_place, page)
            first_time, again = silence.of(show), silence.of(lambda: window.show_page("round"))
            print(f"longest silence, {page:12s} the first time {first_time:6.1f} ms, back to the round {again:6.1f} ms")
        timed("another page", lambda i: window.show_page(("moisture", "eggs", "round")[i % 3]))
        window.close()


if __name__ == "__main__":
    main()
