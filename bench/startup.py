"""Start-up to the first painted window with the demo's data, against an empty Qt window with the same libraries."""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from statistics import median

from stathmis.demo.scenario import build

EMPTY = """
from PySide6.QtWidgets import QApplication, QMainWindow
import pyqtgraph
app = QApplication([])
window = QMainWindow(); window.resize(1280, 800); window.show(); app.processEvents(); window.grab()
"""

OURS = """
import sys
from pathlib import Path
from PySide6.QtWidgets import QApplication
app = QApplication([]); app.setStyle("Fusion")
from stathmis.logbook.opening import open_logbook
from stathmis.services.clock import SystemClock
from stathmis.services.desk import Desk
from stathmis.ui.theme import Theme
from stathmis.ui.window import Window
window = Window(Desk(open_logbook(Path(sys.argv[1])), SystemClock()), Theme(app))
window.show(); app.processEvents(); window.grab()
window.close()
"""


def wall(code: str, *arguments: str) -> float:
    """Wall time of a whole process, s."""
    start = time.perf_counter()
    subprocess.run([sys.executable, "-c", code, *arguments], check=True, env=dict(os.environ))
    return time.perf_counter() - start


def main() -> None:
    """Print the comparison: pairs in turn, so that a drifting machine counts for both."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "demo.stathmis"
        build(path, time.time_ns() // 1_000_000, "UTC")
        pairs = [(wall(OURS, str(path)), wall(EMPTY)) for _ in range(8)][1:]
    ours, empty = (median(p[i] for p in pairs) for i in (0, 1))
    ratio = median(a / b for a, b in pairs)
    print(f"first painted window with data {ours * 1e3:.0f} ms, empty window {empty * 1e3:.0f} ms: ", end="")
    print(f"{ratio:.2f} times (goal: at most 1.4)")


if __name__ == "__main__":
    main()
