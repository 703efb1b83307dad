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
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PySide6.QtWidgets import QApplication, QWidget

from stathmis.demo.scenario import build
from stathmis.logbook import live
from stathmis.logbook.live import LiveReading
from stathmis.logbook.opening import open_logbook
from stathmis.services import rounds
from stathmis.services.clock import FixedClock
from stathmis.services.desk import Desk
from stathmis.services.reading_field import interpret
from stathmis.ui import chart_library, pictures, work
from stathmis.ui.theme import Theme
from stathmis.ui.window import Window

NOW_MS = 1_779_093_600_000
RUNS = 15


def settle() -> None:
    """Everything that is under way ends."""
    until = time.monotonic() + 20
    while work.busy() and time.monotonic() < until:
        QApplication.processEvents()
        time.sleep(0.01)
    pictures.settle(0.2)


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
        # what is loaded once in the first idle moment is none of it
        pictures.settle(chart_library.IDLE_MS / 1000.0 + 1.5)
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
        timed("another page", lambda i: window.show_page(("moisture", "eggs", "round")[i % 3]))
        timed("another incubator", lambda i: window.step_incubator(1))
        timed("unit switched", lambda i: window.switch_unit())
        window.close()


if __name__ == "__main__":
    main()
