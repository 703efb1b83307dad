"""Folders a logger drops its files into: taken in when they have stopped growing, once, and refused in words."""

from __future__ import annotations

import time
from pathlib import Path

import pytest

from making import instrument
from stathmis.core.errors import UserError
from stathmis.logbook import keeping, readings
from stathmis.logbook.records import Channel, WatchedFolder
from stathmis.services import folder_watch, logger_import
from stathmis.services.folder_watch import Brought, FolderWatch
from stathmis.services.workbench import Workbench


def lines(first: int, count: int, celsius: float = 37.5) -> str:
    return "".join(f"2026-05-{first + i:02d} 08:00,{celsius}\n" for i in range(count))


@pytest.fixture
def channel(bench: Workbench, tmp_path: Path) -> Channel:
    """A logger whose first file was brought in by hand, its folder watched."""
    found = instrument(bench, "Shelf", step=0.1, kind="logger")
    (tmp_path / "drop").mkdir()
    path = tmp_path / "drop" / "a.csv"
    path.write_text("time,temp °C\n" + lines(1, 3), encoding="utf-8")
    plan = logger_import.propose(bench, path)
    logger_import.store(bench, logger_import.examine(bench, plan))
    folder_watch.watch_folder(bench, plan)
    with pytest.raises(UserError, match="watched for such files already"):
        folder_watch.watch_folder(bench, plan)
    return found


def count(bench: Workbench, channel: Channel) -> int:
    return int(readings.series(bench.logbook, channel, 0, 2**62).times_ms.size)


def test_new_files_and_new_rows_come_in_once(bench: Workbench, channel: Channel, tmp_path: Path) -> None:
    told: list[Brought] = []
    watch = FolderWatch(bench, told.append)
    watch.look()
    watch.look()
    assert told == [] and count(bench, channel) == 3, "the first file is there already"
    fresh = tmp_path / "drop" / "b.csv"
    fresh.write_text("time,temp °C\n" + lines(4, 2), encoding="utf-8")
    watch.look()
    assert count(bench, channel) == 3, "it may still be growing"
    watch.look()
    watch.look()
    assert count(bench, channel) == 5 and [t.words for t in told] == ["b.csv: 2 rows taken in by itself."]
    with fresh.open("a", encoding="utf-8") as file:
        file.write(lines(6, 1) + "2026-05-07 08:00,warm\n")
    watch.look()
    watch.look()
    assert count(bench, channel) == 6
    assert told[-1].words == "b.csv: 1 row taken in by itself; 1 row left out."
    assert told[-1].examined is not None and told[-1].import_id is not None
    logger_import.stored(bench, told[-1].examined, told[-1].import_id)
    bench.undo()
    assert count(bench, channel) == 5, "what came by itself is taken back like the rest"


def test_what_is_not_like_the_first_file_is_said_once(bench: Workbench, channel: Channel, tmp_path: Path) -> None:
    told: list[Brought] = []
    watch = FolderWatch(bench, told.append)
    (tmp_path / "drop" / "other.csv").write_text("time,temp °C,rh %\n2026-05-09 08:00,37,50\n", encoding="utf-8")
    (tmp_path / "drop" / "noise.csv").write_bytes(b"\x00\x01\x02" * 100)
    (tmp_path / "drop" / "picture.png").write_bytes(b"\x89PNG")
    for _ in range(4):
        watch.look()
    assert len(told) == 2 and all(t.import_id is None for t in told)
    assert any("columns are not those of the first file" in t.words for t in told)
    assert count(bench, channel) == 3


def test_a_folder_that_goes_and_comes_back(bench: Workbench, channel: Channel, tmp_path: Path) -> None:
    told: list[Brought] = []
    watch = FolderWatch(bench, told.append, every_s=0.02)
    (tmp_path / "drop").rename(tmp_path / "away")
    watch.start()
    time.sleep(0.1)
    (tmp_path / "away").rename(tmp_path / "drop")
    (tmp_path / "drop" / "c.csv").write_text("time,temp °C\n" + lines(8, 2), encoding="utf-8")
    until = time.monotonic() + 10
    while not told and time.monotonic() < until:
        time.sleep(0.02)
    watch.stop()
    assert count(bench, channel) == 5
    watched = keeping.all_of(bench.logbook, WatchedFolder)[0]
    folder_watch.stop_watching(bench, watched)
    assert keeping.all_of(bench.logbook, WatchedFolder) == []
    bench.undo()
    assert len(keeping.all_of(bench.logbook, WatchedFolder)) == 1
