"""Pictures of the main views, from whatever logbook is open: for looking at, and for the README."""

from __future__ import annotations

import time
from collections.abc import Iterator
from pathlib import Path

from PySide6.QtWidgets import QApplication

from stathmis.services.workbench import Workbench
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
        for name in ("round", "trace", "instruments", "check"):
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
        view = window._other("instruments")
        view.show_example()  # type: ignore[attr-defined]
    else:
        window.show_place({"bring-in": "bring_in"}.get(name, name))


def settle(seconds: float = 0.4) -> None:
    """Let background work and painting finish."""
    until = time.monotonic() + seconds
    while time.monotonic() < until:
        QApplication.processEvents()
        time.sleep(0.01)
