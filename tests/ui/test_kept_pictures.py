"""Pictures that are kept: a change that moves, hides, recolors or adds anything shows in them.

The main views are those of the README; the others (dark, large text, narrow, an empty logbook) stand beside this file.
With STATHMIS_KEEP=1 they are kept anew instead of compared.
"""

from __future__ import annotations

import os
import tempfile
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QColor, QImage, QPageLayout, QPainter, QPixmap
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from stathmis.logbook.calibrations import calibrations
from stathmis.logbook.opening import create_logbook
from stathmis.logbook.records import Batch
from stathmis.services.batch import batches
from stathmis.services.clock import FixedClock
from stathmis.services.desk import Desk
from stathmis.services.instruments.sheet import sheet
from stathmis.services.on_paper.card import card
from stathmis.services.on_paper.round_sheet import round_paper
from stathmis.services.report.batch_report import batch_report
from stathmis.ui import card_pdf, report_pdf
from stathmis.ui.instruments import sheet_pdf
from stathmis.ui.paper import Paper
from stathmis.ui.pictures import PICTURED, UNCOVERING, bring, open_window, picture, settle, uncovering
from stathmis.ui.theme import Theme
from stathmis.ui.window import Window
from visits import Visits, checked_in, themed

MAIN = Path(__file__).resolve().parents[2] / "docs" / "screenshots"
OTHERS = Path(__file__).parent / "kept_pictures"
NOW_MS = 1_779_093_600_000
SEEN = 16
"""Some shades out of 256 are the same to the eye, and may be to another processor's rounding."""


@pytest.fixture
def window(visits: Visits) -> Window:
    """What is shown does not depend on what was looked at before."""
    return visits.window


def shades(image: QImage) -> np.ndarray:
    """Shape (height, width, 3)."""
    image = image.convertToFormat(QImage.Format.Format_RGBX8888)
    bits = np.frombuffer(image.constBits(), dtype=np.uint8)
    return bits.reshape(image.height(), image.width(), 4)[:, :, :3].astype(int)


def compare(made: QPixmap, kept: Path, folder: Path | None = None) -> None:
    if os.environ.get("STATHMIS_KEEP"):
        kept.parent.mkdir(exist_ok=True)
        assert made.save(str(kept))
        return
    there, now = shades(QImage(str(kept))), shades(made.toImage())
    assert there.shape == now.shape
    y, x = np.nonzero(np.abs(there - now).max(axis=2) > SEEN)
    if y.size and folder is None:
        folder = Path(tempfile.mkdtemp(prefix="pictures-"))
    if y.size and folder is not None:
        made.save(str(folder / kept.name))
    assert not y.size, (
        f"{y.size} dots look otherwise, {x.min()}-{x.max()} across and {y.min()}-{y.max()} down. Look at {folder}, "
        "and where it is meant, keep them anew (CONTRIBUTING.md)"
    )


@pytest.mark.parametrize("name", PICTURED)
def test_a_view_looks_as_its_kept_picture(visits: Visits, name: str) -> None:
    visits.ask("light", name, looks_as_kept)


@checked_in("light", PICTURED, first=True)
def looks_as_kept(window: Window, name: str) -> None:
    compare(window.grab(), MAIN / f"{name}.png")


@pytest.mark.heavy("a practice hatch is lived through, and again for each of its decisions")
def test_a_practice_hatch_uncovered_looks_as_its_kept_picture(theme: Theme, tmp_path: Path) -> None:
    compare(uncovering(theme), MAIN / f"{UNCOVERING}.png", tmp_path)


@pytest.mark.heavy("draws six views in a setting of its own")
def test_views_look_right_in_a_narrow_dark_window_with_large_text(demo: Desk, theme: Theme, tmp_path: Path) -> None:
    names = ("round", "trace", "records", "planner", "side-by-side", "written")
    with open_window(demo, theme) as window, themed(window, "dark", 1.5):
        window.resize(1024, 700)
        for name in names:
            # what was worked out before comes sooner than what was not: the second time all of it is there
            bring(window, name)
        made = {name: picture(window, name) for name in names}
    for name in names:
        compare(made[name], OTHERS / f"narrow-dark-{name}.png", tmp_path)


def test_candling_in_the_dark_looks_as_its_kept_picture(window: Window, tmp_path: Path) -> None:
    picture(window, "eggs")
    window.pages.eggs.toggle_dark()
    settle()
    made = window.grab()
    window.pages.eggs.toggle_dark()
    compare(made, OTHERS / "candling.png", tmp_path)


def test_the_map_of_keys_looks_as_its_kept_picture(window: Window, tmp_path: Path) -> None:
    picture(window, "live")
    window.show_keys()
    settle()
    made = window.grab()
    window.show_keys()
    compare(made, OTHERS / "keys.png", tmp_path)


@pytest.mark.parametrize("night", [False, True])
def test_big_figures_look_as_their_kept_picture(window: Window, night: bool, tmp_path: Path) -> None:
    picture(window, "round")
    window.show_big()
    big = window.big
    assert big is not None
    big.showNormal()
    big.resize(1280, 800)
    if night:
        QTest.keyClick(big, Qt.Key.Key_N)
    settle()
    made = big.grab()
    big.close()
    compare(made, OTHERS / f"big-{'night' if night else 'day'}.png", tmp_path)


def test_an_empty_logbook_looks_as_its_kept_picture(qapp: QApplication, tmp_path: Path) -> None:
    logbook = create_logbook(tmp_path / "log.stathmis", {"name": "Own", "time_zone": "UTC", "altitude_m": "900"})
    with open_window(Desk(logbook, FixedClock(NOW_MS)), Theme(qapp, "light")) as window:
        settle()
        made = window.grab()
    compare(made, OTHERS / "empty.png", tmp_path)


class Pages(QImage):
    """Paper to be looked at: as large as what is laid out, and the pages that are full."""

    def __init__(self, title: str, layout: QPageLayout | None = None) -> None:
        width, height = Paper(title, layout=layout).area
        super().__init__(round(width), round(height), QImage.Format.Format_RGB32)
        self.area, self.writer, self.full = (width, height), self, list[QImage]()
        self.scale = 1.0
        self.fill(QColor("white"))
        PAPERS.append(self)

    def newPage(self) -> None:
        self.full.append(self.copy())
        self.fill(QColor("white"))

    def save(self, path: Path) -> None:  # type: ignore[override]
        self.full.append(self.copy())


PAPERS: list[Pages] = []


@pytest.mark.parametrize("what", ["report", "sheet", "card", "round"])
def test_paper_looks_as_its_kept_picture(
    window: Window, what: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    module = {"report": report_pdf, "sheet": sheet_pdf}.get(what, card_pdf)
    monkeypatch.setattr(module, "Paper", Pages)
    book = window.desk.book
    running = batches.running(book, book.incubators()[0])
    assert running is not None
    if what == "report":
        course = batches.course_by_id(book, next(b.id for b in book.records(Batch) if b.ended_ms is not None))
        assert course is not None
        report_pdf.write_pdf(batch_report(book, course), tmp_path / "r.pdf")
    elif what == "card":
        card_pdf.write_card(book, card(book, running), tmp_path / "c.pdf", "A4")
    elif what == "round":
        card_pdf.write_round(book, round_paper(book), tmp_path / "o.pdf", "A4")
    else:
        most = max(calibrations(book.snapshot), key=lambda c: len(sheet(book, c).points))
        sheet_pdf.write_sheet(sheet(book, most), tmp_path / "s.pdf")
    pages = PAPERS.pop().full
    side_by_side = QImage(len(pages) * pages[0].width(), pages[0].height(), QImage.Format.Format_RGB32)
    painter = QPainter(side_by_side)
    for at, page in enumerate(pages):
        painter.drawImage(at * page.width(), 0, page)
    painter.end()
    compare(QPixmap.fromImage(side_by_side), OTHERS / f"paper-{what}.png", tmp_path)


def test_no_picture_is_kept_of_what_is_gone() -> None:
    assert sorted(p.stem for p in MAIN.glob("*.png")) == sorted((*PICTURED, UNCOVERING))
