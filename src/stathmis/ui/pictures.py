"""Pictures of the main views, from whatever logbook is open: for looking at, and for the README."""

from __future__ import annotations

import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

from PySide6.QtWidgets import QApplication

from stathmis.services.workbench import Workbench
from stathmis.ui import background
from stathmis.ui.theme import Theme
from stathmis.ui.window import Window

WIDTH, HEIGHT = 1280, 800
_TYPED = {"Lid display": ("37.0", "45"), "Blue probe": ("37.7",), "Long stick": ("38.0",), "Round hygrometer": ("48",)}


def write_pictures(
    bench: Workbench, theme: Theme, folder: Path, size: tuple[int, int] = (WIDTH, HEIGHT)
) -> Iterator[Path]:
    """Write one PNG for each main view into a folder (made if needed) and yield their paths."""
    folder.mkdir(parents=True, exist_ok=True)
    window = Window(bench, theme)
    window.resize(*size)
    window.show()
    try:
        for name in ("round", "trace", "instruments", "check", "bring-in", "enter"):
            _go(window, name)
            settle()
            path = folder / f"{name}.png"
            window.grab().save(str(path))
            yield path
    finally:
        window.close()


def _go(window: Window, name: str) -> None:
    if name == "round":
        window.show_page("round")
        seen: dict[str, int] = {}
        for row in window.pages.round.rows:
            instrument = row.line.instrument.name
            texts = _TYPED.get(instrument, ())
            index = seen.get(instrument, 0)
            seen[instrument] = index + 1
            if index < len(texts):
                window.pages.round.type_into(row, texts[index])
    elif name == "trace":
        window.show_page("trace")
    elif name == "check":
        window.show_place("instruments")
        window.stack.currentWidget().show_example()  # type: ignore[union-attr]
    elif name == "bring-in":
        window.show_place("bring_in")
        with tempfile.TemporaryDirectory() as folder:
            sample = Path(folder) / "porch-logger.csv"
            sample.write_text(_sample(window.bench), encoding="utf-8-sig")
            window.stack.currentWidget().load(sample)  # type: ignore[union-attr]
            settle()
            window.stack.currentWidget().path.setText("porch-logger.csv")  # type: ignore[union-attr]
    else:
        window.show_place(name)


def _sample(bench: Workbench) -> str:
    """A logger's file as they come: semicolons, decimal commas, °F, and a few faulty rows."""
    rows = ["logger on the porch side", "Date and time;Temp (°F);Humidity (%)"]
    for minute in range(600, 0, -5):
        at = bench.local(bench.now_ms - minute * 60_000 + 30_000)
        values = (99.3 + 0.1 * (minute % 4), 44.0 + 0.1 * (minute % 30))
        rows.append(f"{at:%d.%m.%Y %H:%M:%S};" + ";".join(f"{v:.1f}".replace(".", ",") for v in values))
    rows[20] = rows[20].rsplit(";", 1)[0] + ";---"
    rows.insert(40, rows[39])
    rows.append(f"{bench.local(bench.now_ms + 7_200_000):%d.%m.%Y %H:%M:%S};99,4;45,0")
    return "\n".join(rows)


def settle(seconds: float = 0.4) -> None:
    """Let background work and painting finish."""
    until = time.monotonic() + seconds
    while time.monotonic() < until or (background.busy() and time.monotonic() < until + 30):
        QApplication.processEvents()
        time.sleep(0.01)
