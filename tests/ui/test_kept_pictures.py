"""The pictures of the main views that are kept: a change that moves, hides, recolors or adds anything shows in them."""

from __future__ import annotations

import shutil
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtGui import QImage
from PySide6.QtWidgets import QApplication

from stathmis.logbook.opening import open_logbook
from stathmis.services.clock import FixedClock
from stathmis.services.desk import Desk
from stathmis.ui.pictures import PICTURED, open_window, picture
from stathmis.ui.theme import Theme
from stathmis.ui.window import Window

KEPT = Path(__file__).resolve().parents[2] / "docs" / "screenshots"
NOW_MS = 1_779_093_600_000
SEEN = 16
"""Some shades out of 256 are the same to the eye, and may be to another processor's rounding."""


@pytest.fixture(scope="module")
def window(demo_file: Path, qapp: QApplication, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Window]:
    """One for all views: what is shown does not depend on what was looked at before."""
    path = tmp_path_factory.mktemp("pictures") / "demo.stathmis"
    shutil.copy(demo_file, path)
    logbook = open_logbook(path)
    qapp.setStyle("Fusion")
    with open_window(Desk(logbook, FixedClock(NOW_MS)), Theme(qapp, "light")) as window:
        yield window
    logbook.close()


def shades(image: QImage) -> np.ndarray:
    """Shape (height, width, 3)."""
    image = image.convertToFormat(QImage.Format.Format_RGBX8888)
    bits = np.frombuffer(image.constBits(), dtype=np.uint8)
    return bits.reshape(image.height(), image.width(), 4)[:, :, :3].astype(int)


@pytest.mark.parametrize("name", PICTURED)
def test_a_view_looks_as_its_kept_picture(window: Window, name: str, tmp_path: Path) -> None:
    made = picture(window, name)
    made.save(str(tmp_path / f"{name}.png"))
    there, now = shades(QImage(str(KEPT / f"{name}.png"))), shades(made.toImage())
    assert there.shape == now.shape
    y, x = np.nonzero(np.abs(there - now).max(axis=2) > SEEN)
    assert not y.size, (
        f"{y.size} dots look otherwise, {x.min()}-{x.max()} across and {y.min()}-{y.max()} down. Look at {tmp_path}, "
        "and where it is meant, have the pictures made anew (CONTRIBUTING.md)"
    )


def test_no_picture_is_kept_of_what_is_gone() -> None:
    assert sorted(p.stem for p in KEPT.glob("*.png")) == sorted(PICTURED)
