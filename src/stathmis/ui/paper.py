"""Paper to draw on: A4 as PDF, or what a printer holds."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from PySide6.QtCore import QBuffer, QByteArray, QIODevice, QMarginsF
from PySide6.QtGui import QGuiApplication, QPagedPaintDevice, QPageLayout, QPageSize, QPdfWriter

from stathmis.exchange.whole_file import replacing
from stathmis.ui.theme import load_fonts

DPI = 300
LAID_OUT_DPI = 96.0
"""Text is laid out at this many dots an inch, and scaled to the paper's."""


def a4() -> QPageLayout:
    """A4 upright, with our margins."""
    size, upright = QPageSize(QPageSize.PageSizeId.A4), QPageLayout.Orientation.Portrait
    return QPageLayout(size, upright, QMarginsF(18, 16, 18, 16), QPageLayout.Unit.Millimeter)


@contextmanager
def without_window() -> Iterator[None]:
    """What drawing on paper needs, where no window stands."""
    running = QGuiApplication.instance() or QGuiApplication(["stathmis"])
    load_fonts()
    yield
    del running


class Paper:
    """A document: on a printer (its paper, its dots an inch), else an A4 PDF in memory until it is saved."""

    def __init__(self, title: str, printer: QPagedPaintDevice | None = None, dpi: int = DPI) -> None:
        self._store = QByteArray()
        self._buffer = QBuffer(self._store)
        self.writer = printer if printer is not None else self._pdf(title)
        self.scale = dpi / LAID_OUT_DPI

    def _pdf(self, title: str) -> QPdfWriter:
        self._buffer.open(QIODevice.OpenModeFlag.WriteOnly)
        made = QPdfWriter(self._buffer)
        made.setPageLayout(a4())
        made.setResolution(DPI)
        made.setTitle(title)
        made.setCreator("Stathmis")
        return made

    @property
    def area(self) -> tuple[float, float]:
        """Width and height that can be written on, at LAID_OUT_DPI."""
        size = self.writer.pageLayout().paintRectPixels(int(LAID_OUT_DPI)).size()
        return float(size.width()), float(size.height())

    def save(self, path: Path) -> None:
        """Write it to a file, whole or not at all, after its painter has ended. Raises UserError where it cannot be."""
        self._buffer.close()
        with replacing(path) as partial:
            partial.write_bytes(bytes(self._store.data()))
