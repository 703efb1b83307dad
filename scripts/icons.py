"""Draws the icon in the sizes desktops want, from packaging/stathmis.svg into packaging/icons."""

from __future__ import annotations

import os
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PySide6.QtGui import QGuiApplication, QImage, QPainter
from PySide6.QtSvg import QSvgRenderer

SIZES = (16, 24, 32, 48, 64, 128, 256)
FOLDER = Path(__file__).resolve().parent.parent / "packaging"


def main() -> None:
    """Write them all."""
    application = QGuiApplication([])
    drawn = QSvgRenderer(str(FOLDER / "stathmis.svg"))
    (FOLDER / "icons").mkdir(exist_ok=True)
    for size in SIZES:
        image = QImage(size, size, QImage.Format.Format_ARGB32)
        image.fill(0)
        painter = QPainter(image)
        drawn.render(painter)
        painter.end()
        image.save(str(FOLDER / "icons" / f"{size}.png"))
    del application


if __name__ == "__main__":
    main()
