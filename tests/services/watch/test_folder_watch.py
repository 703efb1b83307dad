"""Folders a logger drops its files into: taken in when they have stopped growing, once, and refused in words."""

from __future__ import annotations

import os
import time
from pathlib import Path

import pytest

from making import instrument
from stathmis.core.errors import UserError
from stathmis.logbook import readings
from stathmis.logbook.opening import LogbookError
from stathmis.logbook.records import Channel, WatchedFolder
from stathmis.services.desk import Desk
from stathmis.services.files import logger_import
from stathmis.services.watch import folder_watch
from stathmis.services.watch.folder_watch import Brought, FolderWatch


def lines(first: int, count: int, celsius: float = 37.5) -> str:
    return "".join(f"2026-05-{first + i:02d} 08:00,{celsius}\n" for i in range(count))


@pytest.fixture
def channel(desk: Desk, tmp_path: Path) -> Channel:
    """A logger whose first file was brought in by hand, its folder watched."""
    found = instrument(desk, "Shelf", step=0.1, kind="logger")
    (tmp_path / "drop").mkdir()
    path = tmp_path / "drop" / "a.csv"
    path.write_text("time,temp °C\n" + lines(1, 3), encoding="utf-8")
    plan = logger_import.propose(desk.book, path)
    logger_import.store(desk, logger_import.examine(desk.book, plan))
    folder_watch.watch_folder(desk, plan)
    with pytest.raises(UserError, match="watched for such files already"):
        folder_watch.watch_folder(desk, plan)
    return found


def count(desk: Desk, channel: Channel) -> int:
    return int(readings.series(desk.book.snapshot, channel, 0, 2**62).times_ms.size)


def test_new_files_and_new_rows_come_in_once(desk: Desk, channel: Channel, tmp_path: Path) -> None:
    told: list[Brought] = []
    watch = FolderWatch(desk, told.append)
    watch.look()
    watch.look()
    assert told == [] and count(desk, channel) == 3, "the first file is there already"
    fresh = tmp_path / "drop" / "b.csv"
    fresh.write_text("time,temp °C\n" + lines(4, 2), encoding="utf-8")
    watch.look()
    assert count(desk, channel) == 3, "it may still be growing"
    watch.look()
    watch.look()
    assert count(desk, channel) == 5 and [t.words for t in told] == ["b.csv: 2 rows taken in by itself."]
    with fresh.open("a", encoding="utf-8") as file:
        file.write(lines(6, 1) + "2026-05-07 08:00,warm\n")
    watch.look()
    watch.look()
    assert count(desk, channel) == 6
    assert told[-1].words == "b.csv: 1 row taken in by itself; 1 row left out."
    desk.undo()
    assert count(desk, channel) == 5, "what came by itself is taken back like the rest"


def test_a_file_that_grows_is_followed_and_a_half_line_waits(desk: Desk, channel: Channel, tmp_path: Path) -> None:
    told: list[Brought] = []
    watch = FolderWatch(desk, told.append)
    path = tmp_path / "drop" / "a.csv"
    with path.open("a", encoding="utf-8") as file:
        file.write("2026-05-04 08:00,37.6\n2026-05-05 08:00,3")
    for _ in range(3):
        watch.look()
    found = readings.series(desk.book.snapshot, channel, 0, 2**62)
    assert found.shown.tolist() == [37.5] * 3 + [37.6], "3 is not what it shows: the line is still under way"
    with path.open("a", encoding="utf-8") as file:
        file.write("7.7\n")
    for _ in range(2):
        watch.look()
    assert readings.series(desk.book.snapshot, channel, 0, 2**62).shown.tolist()[-1] == 37.7
    # begun anew, as a logger does that turns its file over: nothing is doubled, nothing lost
    path.write_text("time,temp °C\n" + lines(6, 1), encoding="utf-8")
    for _ in range(2):
        watch.look()
    assert count(desk, channel) == 6
    # an ended file may end without the end of a line
    path.write_text("time,temp °C\n2026-05-07 08:00,37.5", encoding="utf-8")
    os.utime(path, (time.time() - 3600, time.time() - 3600))
    for _ in range(2):
        watch.look()
    assert count(desk, channel) == 7


def test_what_is_not_like_the_first_file_is_said_once(desk: Desk, channel: Channel, tmp_path: Path) -> None:
    told: list[Brought] = []
    watch = FolderWatch(desk, told.append)
    (tmp_path / "drop" / "other.csv").write_text("time,temp °C,rh %\n2026-05-09 08:00,37,50\n", encoding="utf-8")
    (tmp_path / "drop" / "noise.csv").write_bytes(b"\x00\x01\x02" * 100)
    (tmp_path / "drop" / "picture.png").write_bytes(b"\x89PNG")
    for _ in range(4):
        watch.look()
    assert len(told) == 2 and all(t.import_id is None for t in told)
    assert any("columns are not those of the first file" in t.words for t in told)
    assert count(desk, channel) == 3


def test_a_folder_that_goes_and_comes_back(desk: Desk, channel: Channel, tmp_path: Path) -> None:
    told: list[Brought] = []
    watch = FolderWatch(desk, told.append, every_s=0.02)
    (tmp_path / "drop").rename(tmp_path / "away")
    watch.start()
    time.sleep(0.1)
    (tmp_path / "away").rename(tmp_path / "drop")
    (tmp_path / "drop" / "c.csv").write_text("time,temp °C\n" + lines(8, 2), encoding="utf-8")
    until = time.monotonic() + 10
    while not told and time.monotonic() < until:
        time.sleep(0.02)
    watch.stop()
    assert count(desk, channel) == 5
    watched = desk.book.records(WatchedFolder)[0]
    folder_watch.stop_watching(desk, watched)
    assert desk.book.records(WatchedFolder) == ()
    desk.undo()
    assert len(desk.book.records(WatchedFolder)) == 1


def test_watching_survives_any_file_and_a_full_disk(
    desk: Desk, channel: Channel, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    told: list[Brought] = []
    watch = FolderWatch(desk, told.append)
    (tmp_path / "drop" / "b.csv").write_text("time,temp °C\n" + lines(4, 2), encoding="utf-8")
    real = logger_import.store
    errors = [KeyError("no such column"), LogbookError("The disk is full; nothing was logged."), None]

    def failing(*args: object) -> int:
        error = errors.pop(0)
        if error is not None:
            raise error
        return real(*args)  # type: ignore[arg-type]

    monkeypatch.setattr(logger_import, "store", failing)
    for _ in range(3):
        watch.look()
    assert "cannot be read" in told[-1].words and count(desk, channel) == 3
    # the file is touched: it is looked at again, finds the disk full, and is tried until there is room
    with (tmp_path / "drop" / "b.csv").open("a", encoding="utf-8") as file:
        file.write(lines(6, 1))
    for _ in range(3):
        watch.look()
    assert any("disk is full" in t.words for t in told)
    assert count(desk, channel) == 6
