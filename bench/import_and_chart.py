"""1,000,000 rows of three values: into the logbook against pandas read_csv and to_sql; then the chart of a million."""

from __future__ import annotations

import sqlite3
import tempfile
import time
from pathlib import Path

import numpy as np
import pandas as pd
import pyqtgraph as pg
from PySide6.QtWidgets import QApplication
from timing import compare, seconds

from stathmis.core.series import Pyramid
from stathmis.logbook import readings
from stathmis.logbook.opening import create_logbook
from stathmis.logbook.records import Channel
from stathmis.services import setting_up
from stathmis.services.clock import SystemClock
from stathmis.services.desk import Desk
from stathmis.services.files import logger_import
from stathmis.services.setting_up import NewChannel
from stathmis.ui.chart import Curve

ROWS = 1_000_000
PAIRS = 5


def write_csv(path: Path) -> None:
    """A logger's file, one row a second."""
    rng = np.random.default_rng(0)
    times = pd.date_range("2025-01-01", periods=ROWS, freq="s").strftime("%Y-%m-%d %H:%M:%S")
    columns = {f"temp {i} °C": rng.normal(37.5, 0.2, ROWS).round(2) for i in (1, 2)}
    pd.DataFrame({"time": times, **columns, "rh": rng.normal(50, 2, ROWS).round(1)}).to_csv(path, index=False)


def take_in(path: Path, folder: Path, name: str) -> tuple[Desk, list[Channel]]:
    """The whole way of a keeper's import: look, read, hold against the log, store."""
    desk = Desk(create_logbook(folder / f"{name}.stathmis", {"time_zone": "UTC"}), SystemClock())
    for i in (1, 2):
        setting_up.add_instrument(desk, f"T{i}", "logger", [NewChannel("temperature", "°C", 0.01, 0.5)])
    setting_up.add_instrument(desk, "H", "logger", [NewChannel("humidity", "%", 0.1, 3.0)])
    examined = logger_import.examine(desk.book, logger_import.propose(desk.book, path))
    assert examined.good == ROWS, examined.faults.counts
    logger_import.store(desk, examined)
    return desk, desk.book.records(Channel)


def pandas_way(path: Path, folder: Path, name: str) -> None:
    """read_csv and to_sql, times parsed."""
    with sqlite3.connect(folder / f"{name}.db") as raw:
        pd.read_csv(path, parse_dates=["time"]).to_sql("reading", raw, index=False)
    raw.close()


def main() -> None:
    """Print the comparisons."""
    with tempfile.TemporaryDirectory() as scratch:
        folder = Path(scratch)
        path = folder / "log.csv"
        write_csv(path)
        ours, theirs = [], []
        for i in range(PAIRS):
            start = time.perf_counter()
            desk, channels = take_in(path, folder, f"ours{i}")
            ours.append(time.perf_counter() - start)
            if i < PAIRS - 1:
                desk.logbook.close()
            start = time.perf_counter()
            pandas_way(path, folder, f"theirs{i}")
            theirs.append(time.perf_counter() - start)
        compare(
            "CSV of 1 M rows, 3 values each",
            sorted(ours)[PAIRS // 2],
            sorted(theirs)[PAIRS // 2],
            "pandas read_csv + to_sql",
            "at least 5",
        )
        chart(desk, channels[0])
        desk.logbook.close()


def chart(desk: Desk, channel: Channel) -> None:
    """Open a chart of 1,000,000 readings from the file, then pan and zoom it."""
    app = QApplication.instance() or QApplication([])
    plot = pg.PlotWidget()
    plot.resize(1000, 400)
    plot.show()
    app.processEvents()

    def read() -> tuple[np.ndarray, np.ndarray]:
        found = readings.series(desk.book.snapshot, channel, 0, 2**62)
        return found.times_ms, desk.book.corrections.correct_series(channel, found)[0]

    def opened() -> None:
        times, values = read()
        plot.clear()
        plot.addItem(Curve(Pyramid(times, values), float(times[0]), 1800.0, "°C", pg.mkPen("k", width=1)))
        plot.setXRange(0, ROWS / 86400, padding=0)
        plot.setYRange(36, 39, padding=0)
        app.processEvents()
        plot.grab()

    times, values = read()
    print(f"read and correct 1 M readings      {seconds(read, 5) * 1e3:9.1f} ms")
    took = seconds(opened, 5)
    print(f"open the chart of 1 M readings     {took * 1e3:9.1f} ms   (goal: under 200)")
    frames(app, plot, "pan and zoom, ours")
    plot.clear()
    plot.plot((times - times[0]) / 86_400_000, values, pen=pg.mkPen("k", width=1))
    frames(app, plot, "pan and zoom, library's own curve")


def frames(app: QApplication, plot: pg.PlotWidget, what: str) -> None:
    """Frames a second while zooming in and panning, each frame painted."""
    days, count = ROWS / 86400, 30
    start = time.perf_counter()
    for i in range(count):
        width = days * (0.97**i)
        plot.setXRange(0.3 * (days - width), 0.3 * (days - width) + width, padding=0)
        app.processEvents()
        plot.grab()
    rate = count / (time.perf_counter() - start)
    print(f"{what:34} {rate:9.1f} frames a second   (goal: over 25)")


if __name__ == "__main__":
    main()
