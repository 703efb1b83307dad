"""Loading the chart library: heavy, so not before it is wanted, in short steps, and on the window's thread alone.

While it is loaded it goes through everything the window toolkit offers; doing that beside the window's own thread ends
now and then in a crash. As one import it would keep the window's thread for a third of a second.
"""

from __future__ import annotations

import ast
import importlib
import importlib.util
import sys
import threading
from collections.abc import Iterator
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PySide6 import QtCore, QtGui, QtWidgets

if TYPE_CHECKING:
    pass

AT_ONCE = 12
"""So many of the toolkit's classes are made in one step."""
BESIDE = ("subprocess", "multiprocessing.connection", "multiprocessing.reduction", "pydoc", "xml.etree.ElementTree")
"""What the library loads of the standard library."""

_steps: Iterator[None] | None = None


def steps() -> Iterator[None]:
    """Load it step by step, at most once however often asked. Raises RuntimeError on any thread but the window's."""
    global _steps
    if threading.current_thread() is not threading.main_thread():
        raise RuntimeError("the chart library is loaded on the window's thread only")
    if _steps is None:
        _steps = iter(()) if "pyqtgraph" in sys.modules else _load()
    return _steps


def load() -> None:
    """Load what is not loaded yet of it, at once. Raises RuntimeError on any thread but the window's."""
    for _step in steps():
        pass


def _load() -> Iterator[None]:
    # the toolkit makes its classes when they are first asked for, and the library asks for all of them
    for module in (QtCore, QtGui, QtWidgets):
        for at, name in enumerate(dir(module)):
            getattr(module, name, None)
            if at % AT_ONCE == 0:
                yield
    for name in BESIDE:
        importlib.import_module(name)
        yield
    spec = importlib.util.find_spec("pyqtgraph")
    assert spec is not None and spec.loader is not None and spec.origin is not None
    library = sys.modules["pyqtgraph"] = importlib.util.module_from_spec(spec)
    statements = ast.parse(Path(spec.origin).read_text(encoding="utf-8")).body
    # as its import would, but one statement after the other
    for statement in statements:
        exec(compile(ast.Module([statement], []), spec.origin, "exec"), library.__dict__)
        if isinstance(statement, ast.ImportFrom):
            yield


def __getattr__(name: str) -> Any:
    """pg: the library, loaded whole."""
    if name != "pg":
        raise AttributeError(name)
    load()
    return importlib.import_module("pyqtgraph")
