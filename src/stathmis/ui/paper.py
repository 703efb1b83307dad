"""Paper to write PDF on: A4, and a document of ours laid out on it."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QBuffer, QByteArray, QIODevice, QMarginsF
from PySide6.QtGui import QPageLayout, QPageSize, QPdfWriter

from stathmis.exchange.whole_file import replacing

DPI = 300
LAID_OUT_DPI = 96.0
"""Text is laid out at this many dots an inch, and scaled to the paper's."""


class Paper:
    """An A4 document in memory until it is saved."""

    def __init__(self, title: str) -> None:
        self._store = QByteArray()
        self._buffer = QBuffer(self._store)
        self._buffer.open(QIODevice.OpenModeFlag.WriteOnly)
        self.writer = QPdfWriter(self._buffer)
        margins = QMarginsF(18, 16, 18, 16)
        size = QPageSize(QPageSize.PageSizeId.A4)
        self.writer.setPageLayout(
            QPageLayout(size, QPageLayout.Orientation.Portrait, margins, QPageLayout.Unit.Millimeter)
        )
        self.writer.setResolution(DPI)
        self.writer.setTitle(title)
        self.writer.setCreator("Stathmis")

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
