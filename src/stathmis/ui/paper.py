"""Paper to draw on: as PDF, or what a printer holds."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Literal

from PySide6.QtCore import QBuffer, QByteArray, QIODevice, QLocale, QMarginsF
from PySide6.QtGui import QFont, QGuiApplication, QPagedPaintDevice, QPageLayout, QPageSize, QPdfWriter

from stathmis.exchange.whole_file import replacing
from stathmis.ui.theme import FAMILY, load_fonts

DPI = 300
LAID_OUT_DPI = 96.0
"""Text is laid out at this many dots an inch, and scaled to the paper's."""


Size = Literal["A4", "Letter", "A5"]
SIZES: tuple[Size, ...] = ("A4", "Letter", "A5")
_PAGES = {"A4": QPageSize.PageSizeId.A4, "Letter": QPageSize.PageSizeId.Letter, "A5": QPageSize.PageSizeId.A5}


def page(size: Size = "A4", margin_mm: tuple[float, float] = (18, 16)) -> QPageLayout:
    """A page upright; margin_mm: at its sides, above and below."""
    sides, ends = margin_mm
    margins, upright = QMarginsF(sides, ends, sides, ends), QPageLayout.Orientation.Portrait
    return QPageLayout(QPageSize(_PAGES[size]), upright, margins, QPageLayout.Unit.Millimeter)


def usual_size() -> Size:
    """The paper of this computer's user."""
    american = QLocale.MeasurementSystem.ImperialUSSystem
    return "Letter" if QLocale.system().measurementSystem() == american else "A4"


def letters(points: float) -> QFont:
    """Our typeface for paper, without forms (tabular figures, joined signs) that cannot be copied from a PDF."""
    font = QFont(FAMILY)
    font.setPointSizeF(points)
    font.setFeature(QFont.Tag("calt"), 0)
    return font


@contextmanager
def without_window() -> Iterator[None]:
    """What drawing on paper needs, where no window stands."""
    running = QGuiApplication.instance() or QGuiApplication(["stathmis"])
    load_fonts()
    yield
    del running


class Paper:
    """A document: on a printer (its paper, its dots an inch), else a PDF in memory until it is saved (on A4, where no
    layout is given)."""

    def __init__(
        self, title: str, printer: QPagedPaintDevice | None = None, dpi: int = DPI, layout: QPageLayout | None = None
    ) -> None:
        self._layout = layout or page()
        self._store = QByteArray()
        self._buffer = QBuffer(self._store)
        self.writer = printer if printer is not None else self._pdf(title)
        self.scale = dpi / LAID_OUT_DPI

    def _pdf(self, title: str) -> QPdfWriter:
        self._buffer.open(QIODevice.OpenModeFlag.WriteOnly)
        made = QPdfWriter(self._buffer)
        made.setPageLayout(self._layout)
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
