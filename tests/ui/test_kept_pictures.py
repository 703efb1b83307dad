"""The pictures of the main views that are kept: a change that moves, hides, recolors or adds anything shows in them."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from PySide6.QtGui import QImage
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from stathmis.services.desk import Desk
from stathmis.ui.pictures import PICTURED, write_pictures
from stathmis.ui.theme import Theme

KEPT = Path(__file__).resolve().parents[2] / "docs" / "screenshots"
SEEN = 16
"""Two shades out of 256 are the same to the eye, and to another processor's rounding."""


def shades(path: Path) -> np.ndarray:
    """Shape (height, width, 3)."""
    image = QImage(str(path)).convertToFormat(QImage.Format.Format_RGBX8888)
    bits = np.frombuffer(image.constBits(), dtype=np.uint8)
    return bits.reshape(image.height(), image.width(), 4)[:, :, :3].astype(int)


def test_every_view_looks_as_its_kept_picture(demo: Desk, qapp: QApplication, qtbot: QtBot, tmp_path: Path) -> None:
    assert sorted(p.stem for p in KEPT.glob("*.png")) == sorted(PICTURED)
    qapp.setStyle("Fusion")
    differ = []
    for path in write_pictures(demo, Theme(qapp, "light"), tmp_path):
        there, now = shades(KEPT / path.name), shades(path)
        if there.shape != now.shape:
            differ.append(f"{path.stem}: another size")
            continue
        y, x = np.nonzero(np.abs(there - now).max(axis=2) > SEEN)
        if y.size:
            differ.append(f"{path.stem}: {y.size} dots within {x.min()}-{x.max()} across, {y.min()}-{y.max()} down")
    assert not differ, f"Look at them, and where it is meant, have the pictures made anew (CONTRIBUTING.md): {differ}"
