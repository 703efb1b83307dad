"""A logbook that cannot be opened: said in a window, with ways on, never in silence."""

from __future__ import annotations

import argparse
import shutil
from pathlib import Path

import pytest
from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QApplication, QFileDialog
from pytestqt.qtbot import QtBot

from stathmis.logbook import backups
from stathmis.logbook.opening import open_logbook
from stathmis.services.clock import FixedClock
from stathmis.ui import application
from stathmis.ui.starting import Starting

NOW_MS = 1_779_093_600_000


@pytest.fixture
def broken(demo_file: Path, tmp_path: Path) -> Path:
    """A logbook with a good backup, damaged since."""
    path = Path(shutil.copy(demo_file, tmp_path / "log.stathmis"))
    logbook = open_logbook(path)
    backups.daily(logbook, "2026-05-17")
    logbook.close()
    data = bytearray(path.read_bytes())
    data[5000 : len(data) // 2] = b"\x55" * (len(data) // 2 - 5000)
    path.write_bytes(bytes(data))
    return path


def press(way: str, said: list[str]) -> None:
    """As soon as the question stands, press one of its buttons."""

    def look() -> None:
        box = QApplication.activeModalWidget()
        if not isinstance(box, Starting):
            QTimer.singleShot(20, look)
            return
        said.append(f"{box.text()} {box.informativeText()}")
        assert box.defaultButton() is box.ways.get("backup", box.ways["another"]), "Enter does what is advised"
        if way:
            box.ways[way].click()
        else:
            box.reject()

    QTimer.singleShot(0, look)


@pytest.mark.parametrize("way", ["another", "backup", "new"])
def test_ways_on(
    broken: Path, tmp_path: Path, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch, demo_file: Path, way: str
) -> None:
    good = Path(shutil.copy(demo_file, tmp_path / "good.stathmis"))
    (backup,) = broken.with_name("log backups").iterdir()
    answers = {"another": good, "backup": backup, "new": tmp_path / "fresh.stathmis"}
    for asked in ("getOpenFileName", "getSaveFileName"):
        monkeypatch.setattr(QFileDialog, asked, staticmethod(lambda *_a, **_k: (str(answers[way]), "")))
    said: list[str] = []
    press(way, said)
    options = argparse.Namespace(logbook=broken, demo=False, look=False, pictures=None)
    desk = application._begin(options, FixedClock(NOW_MS), tmp_path)
    assert desk is not None and "is damaged" in said[0] and "backups" in said[0]
    # a backup is put in the logbook's place, and what is damaged aside
    assert desk.logbook.path == (broken if way == "backup" else answers[way])
    aside = [p for p in backups.all_of(broken) if "put aside" in p.name]
    assert len(aside) == (way == "backup") and all(b"\x55" * 999 in p.read_bytes() for p in aside)
    assert desk.book.is_empty == (way == "new")
    desk.logbook.close()


def test_giving_up_is_a_way_too(broken: Path, tmp_path: Path, qtbot: QtBot) -> None:
    said: list[str] = []
    press("", said)
    options = argparse.Namespace(logbook=broken, demo=False, look=False, pictures=None)
    assert application._begin(options, FixedClock(NOW_MS), tmp_path) is None and said


def test_a_backup_at_closing_holds_what_came_since_the_morning(demo_file: Path, tmp_path: Path) -> None:
    path = Path(shutil.copy(demo_file, tmp_path / "log.stathmis"))
    logbook = open_logbook(path)
    made = backups.daily(logbook, "2026-05-18")
    assert made is not None
    before = made.read_bytes()
    assert backups.daily(logbook, "2026-05-18") is None
    with logbook.writing() as work:
        work.connection.execute("UPDATE setting SET value = 'Shed' WHERE key = 'name'")
        work.settings = True
    again = backups.daily(logbook, "2026-05-18", again=True)
    assert again == made and made.read_bytes() != before
    logbook.close()
