"""Loading the chart library: heavy, so not before it is wanted, and never on another thread than the window's.

While it is loaded it goes through everything the window toolkit offers; doing that beside the window's own thread ends
now and then in a crash.
"""

from __future__ import annotations

import threading

IDLE_MS = 1500
"""So long after the window stands it is loaded, if nothing wanted it sooner."""


def load() -> None:
    """Load it, at most once; on the window's thread. Raises RuntimeError on any other."""
    if threading.current_thread() is not threading.main_thread():
        raise RuntimeError("the chart library is loaded on the window's thread only")
    import pyqtgraph  # noqa: F401
