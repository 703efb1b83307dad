"""5,000,000 readings: loading them from a NumPy file against opening their trace; frames a second; memory.

Each runs in a process of its own, so that what one keeps in memory does not count for the other.
"""

from __future__ import annotations

import os
import resource
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import numpy as np

READINGS = 5_000_000
STEP_MS = 400
FRAMES = 40


def make(folder: Path) -> None:
    """A logbook with one batch whose checked logger wrote 5,000,000 temperatures, and the same in a NumPy file."""
    from stathmis.logbook.opening import create_logbook
    from stathmis.logbook.records import Channel
    from stathmis.logbook.snapshot import Series
    from stathmis.services import setting_up
    from stathmis.services.clock import FixedClock
    from stathmis.services.desk import Desk
    from stathmis.services.files import logger_import
    from stathmis.services.setting_up import NewChannel

    now = 1_779_093_600_000
    start = now - READINGS * STEP_MS
    desk = Desk(create_logbook(folder / "long.stathmis", {"time_zone": "UTC"}), FixedClock(now))
    setting_up.add_incubator(desk, "Cabinet", "forced", 37.5)
    setting_up.add_instrument(
        desk, "Logger", "logger", [NewChannel("temperature", "°C", 0.01, 0.2)], incubator_id=1, from_ms=0
    )
    setting_up.set_batch(desk, desk.book.incubators()[0], "", "goose", "steady", 12, start)
    rng = np.random.default_rng(0)
    times = start + np.arange(READINGS, dtype=np.int64) * STEP_MS
    seconds = np.arange(READINGS) * (STEP_MS / 1000.0)
    shown = 37.5 + 0.15 * np.sin(seconds / 120.0) + 0.1 * np.sin(seconds / 40_000.0) + rng.normal(0, 0.02, READINGS)
    channel = desk.book.records(Channel)[0]
    logger_import.keep_series(desk, "long.csv", {channel.id: Series(times, shown.round(2))})
    setting_up.add_incubator(desk, "Small box", "forced", 37.5)
    setting_up.add_instrument(
        desk, "Card", "logger", [NewChannel("temperature", "°C", 0.01, 0.2)], incubator_id=2, from_ms=0
    )
    day = now - 86_400_000 + np.arange(1440, dtype=np.int64) * 60_000
    setting_up.set_batch(desk, desk.book.incubators()[1], "", "chicken", "steady", 12, int(day[0]))
    other = desk.book.records(Channel)[1]
    logger_import.keep_series(desk, "day.csv", {other.id: Series(day, np.full(1440, 37.5))})
    desk.logbook.close()
    np.save(folder / "times.npy", times)
    np.save(folder / "shown.npy", shown)


def load(folder: Path) -> None:
    """The same values from a NumPy file."""
    took = []
    for _ in range(5):
        start = time.perf_counter()
        found = np.load(folder / "times.npy"), np.load(folder / "shown.npy")
        took.append(time.perf_counter() - start)
        del found
    print(sorted(took)[2])


def trace(folder: Path) -> None:
    """The trace of that batch: first picture, whole, frames a second, memory."""
    import pyqtgraph  # noqa: F401  loaded once for all charts; start-up is timed elsewhere
    from PySide6.QtWidgets import QApplication

    from stathmis.logbook.opening import open_logbook
    from stathmis.services.batch import batches
    from stathmis.services.batch.course import Course
    from stathmis.services.clock import FixedClock
    from stathmis.services.desk import Desk
    from stathmis.ui import work
    from stathmis.ui.theme import Theme
    from stathmis.ui.trace_view import TraceView

    app = QApplication([])
    desk = Desk(open_logbook(folder / "long.stathmis"), FixedClock(1_779_093_600_000))
    theme = Theme(app)
    course = batches.running(desk.book, desk.book.incubators()[0])
    short = batches.running(desk.book, desk.book.incubators()[1])
    view = TraceView(desk, theme)
    view.resize(1000, 700)
    view.show()
    app.processEvents()

    def opened(what: Course | None) -> float:
        start = time.perf_counter()
        view.show_course(what)
        while view.charts is None or view.traced is None or not view.charts.isVisible():
            app.processEvents()
        view.grab()
        return time.perf_counter() - start

    very_first = opened(short)
    while work.busy() or view.eggs is None:
        app.processEvents()
    start = time.perf_counter()
    first = opened(course)
    longest, last = 0.0, time.perf_counter()
    while view.eggs is None or work.busy():
        app.processEvents()
        longest, last = max(longest, time.perf_counter() - last), time.perf_counter()
        time.sleep(0.001)
    view.grab()
    whole = time.perf_counter() - start
    begun = time.perf_counter()
    days = course.day(desk.now_ms) if course else 1.0
    for i in range(FRAMES):
        width = days * 0.9**i
        view.charts.show_stretch(0.3 * (days - width), 0.3 * (days - width) + width)
        app.processEvents()
    rate = FRAMES / (time.perf_counter() - begun)
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024.0
    print(very_first, first, whole, longest, rate, peak)
    work.wait_for_all()
    desk.logbook.close()


def main() -> None:
    """Print the comparison."""
    if len(sys.argv) > 1:
        {"make": make, "load": load, "trace": trace}[sys.argv[1]](Path(sys.argv[2]))
        return
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    with tempfile.TemporaryDirectory() as folder:

        def run(what: str) -> list[float]:
            done = subprocess.run([sys.executable, __file__, what, folder], check=True, capture_output=True, text=True)
            return [float(part) for part in done.stdout.split()]

        run("make")
        (loading,) = run("load")
        very_first, first, whole, longest, rate, peak = run("trace")
    print(f"load 5 M readings from a NumPy file   {loading * 1e3:9.1f} ms")
    print(
        f"open the trace of 5 M readings        {first * 1e3:9.1f} ms   {first / loading:.1f} times   (goal: up to 5)"
    )
    print(f"the first trace of all, of a day      {very_first * 1e3:9.1f} ms   while the charts are made")
    print(f"read, corrected, judged, redrawn      {whole * 1e3:9.1f} ms   in the background")
    print(f"longest the window did not answer     {longest * 1e3:9.1f} ms   (goal: 50)")
    print(f"pan and zoom, with ribbon and core    {rate:9.1f} frames a second   (goal: over 25)")
    print(f"memory at most                        {peak:9.0f} MB   (goal: under 500)")


if __name__ == "__main__":
    main()
