"""Backups: what each holds, going back to one, and the second folder; whatever happens, a whole logbook is there."""

from __future__ import annotations

import os
import shutil
from collections.abc import Callable
from contextlib import closing
from pathlib import Path
from typing import Any

import pytest

from stathmis.logbook import backups, checksums, tables
from stathmis.logbook.opening import LogbookError, open_logbook

NOW = "2026-05-18 084000"


def named(path: Path) -> str:
    """What a logbook calls itself."""
    with closing(open_logbook(path)) as logbook, logbook.reading() as connection:
        return str(connection.execute("SELECT value FROM setting WHERE key = 'name'").fetchone()[0])


def rename(path: Path, name: str, *, killed_into: Path | None = None) -> None:
    """Change it; killed_into: a folder where its files lie as they were left by a kill, their log not read in."""
    with closing(open_logbook(path)) as logbook:
        with logbook.writing() as work:
            row = (name, checksums.of_row("name", name))
            work.connection.execute("UPDATE setting SET value = ?, crc = ? WHERE key = 'name'", row)
            work.settings = True
        if killed_into is not None:
            for file in (path, path.with_name(path.name + "-wal")):
                shutil.copyfile(file, killed_into / file.name)


@pytest.fixture
def path(demo_file: Path, tmp_path: Path) -> Path:
    """A logbook that was backed up as "Morning" and is called "Evening" since."""
    found = Path(shutil.copy(demo_file, tmp_path / "log.stathmis"))
    rename(found, "Morning")
    with closing(open_logbook(found)) as logbook:
        assert backups.daily(logbook, "2026-05-17") is not None
    rename(found, "Evening")
    return found


def test_what_a_backup_holds(path: Path, tmp_path: Path) -> None:
    (backup,) = backups.all_of(path)
    found = backups.held(backup)
    with closing(open_logbook(path)) as logbook, logbook.reading() as connection:
        typed, live = (
            connection.execute(f"SELECT count(*) FROM {t}").fetchone()[0] for t in ("reading", "live_reading")
        )
        sealed = sum(count for (count,) in connection.execute("SELECT count FROM chunk"))
        last = connection.execute("SELECT max(at_ms) FROM edit").fetchone()[0]
    assert found.readings == typed + live + sealed > 10_000 and found.last_ms == last and found.last
    assert found.faults == 0 and not found.older
    assert not list(backup.parent.glob("*-wal")), "it was only looked at"
    # one with a flipped bit in a reading, one of a newer program, and one that is none
    data = bytearray(backup.read_bytes())
    with closing(open_logbook(path)) as logbook, logbook.reading() as connection:
        (times,) = connection.execute("SELECT times FROM chunk").fetchone()
    data[data.find(times[-200:]) + 100] ^= 4
    backup.write_bytes(bytes(data))
    assert backups.held(backup).faults == 1 and backups.newest_good(path) is None
    data[60:64] = (tables.SCHEMA_VERSION + 1).to_bytes(4, "big")
    backup.write_bytes(bytes(data))
    assert backups.held(backup).faults is None
    backup.write_bytes(b"no logbook")
    assert backups.held(backup) == backups.Held(backup) and backups.held(tmp_path / "gone") == backups.Held(
        tmp_path / "gone"
    )


@pytest.mark.parametrize("killed", [False, True])
def test_going_back_puts_the_present_one_aside(path: Path, tmp_path: Path, killed: bool) -> None:
    (backup,) = backups.all_of(path)
    if killed:
        left = tmp_path / "left"
        left.mkdir()
        rename(path, "Night", killed_into=left)
        shutil.copytree(backup.parent, left / backup.parent.name)
        path = left / path.name
    aside = backups.go_back(path, backup, NOW)
    assert named(path) == "Morning" and named(aside) == ("Night" if killed else "Evening")
    assert path.stat().st_mode & 0o777 == 0o600
    assert backups.all_of(path)[-1] == aside, "and one can go back to that too"
    backups.go_back(path, aside, "2026-05-18 090000")
    assert named(path) == ("Night" if killed else "Evening")


def test_whatever_breaks_off_going_back_a_whole_logbook_is_there(path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    (backup,) = backups.all_of(path)

    class Killed(BaseException):
        pass

    def at_most(calls: int, real: Callable[..., Any], error: BaseException) -> Callable[..., Any]:
        left = [calls]

        def stand_in(*args: Any, **kwargs: Any) -> Any:
            left[0] -= 1
            if left[0] < 0:
                raise error
            return real(*args, **kwargs)

        return stand_in

    steps = ((shutil, "copyfile"), (os, "link"), (Path, "replace"), (Path, "chmod"))
    for where, name in steps:
        with monkeypatch.context() as patch:
            patch.setattr(where, name, at_most(0, getattr(where, name), Killed()))
            with pytest.raises(Killed):
                backups.go_back(path, backup, NOW)
        assert named(path) == "Evening"
        with monkeypatch.context() as patch:
            # the disk is full, or the like; without second names for a file it is copied
            full = OSError(28, "No space left on device")
            patch.setattr(where, name, at_most(0, getattr(where, name), full))
            if name == "link":
                assert named(backups.go_back(path, backup, "2026-05-18 090000")) == "Evening"
            else:
                with pytest.raises(LogbookError, match="No space left on device"):
                    backups.go_back(path, backup, "2026-05-18 084500")
                assert not list(backup.parent.glob("*084500*")) and not list(path.parent.glob("*.part"))
                assert named(path) == "Evening"
        if name == "link":
            backups.go_back(path, backups.all_of(path)[-1], "2026-05-18 090500")
    with closing(open_logbook(path)), pytest.raises(LogbookError, match="already open"):
        backups.go_back(path, backup, NOW)


def test_a_second_folder_holds_them_too(path: Path, tmp_path: Path) -> None:
    stick = tmp_path / "stick"
    with pytest.raises(LogbookError, match=r"beside the logbook only: .*stick, cannot be written.*tried again"):
        backups.second(path, stick)
    stick.mkdir()
    made = backups.second(path, stick)
    assert made is not None and named(made) == "Morning" and made.stat().st_mode & 0o777 == 0o600
    assert backups.second(path, stick) is None
    own = made.with_name("log 2019 my own.stathmis")
    shutil.copy(made, own)
    for day in range(1, 13):
        shutil.copy(made, made.with_name(f"log 2026-04-{day:02d}.stathmis"))
    with closing(open_logbook(path)) as logbook:
        newest = backups.daily(logbook, "2026-05-18")
    again = backups.second(path, stick)
    assert newest is not None and again is not None and named(again) == "Evening"
    kept = sorted(p.name for p in made.parent.glob("*.stathmis"))
    assert len(kept) == backups.KEPT + 1 and own.name in kept and "log 2026-04-03.stathmis" not in kept
    # what is beside the logbook stands for itself; older days of the stick can be gone back to as well
    assert [p.parent.parent == stick for p in backups.all_of(path, stick)] == [False] * 2 + [True] * 8


def test_todays_backup_is_made_again_only_where_something_was_changed_since(path: Path) -> None:
    with closing(open_logbook(path)) as logbook:
        first = backups.daily(logbook, "2026-05-18")
        assert first is not None and named(first) == "Evening"
        made = first.stat().st_mtime_ns
        assert backups.daily(logbook, "2026-05-18") is None
        assert backups.daily(logbook, "2026-05-18", again=True) is None and first.stat().st_mtime_ns == made
    rename(path, "Night")
    with closing(open_logbook(path)) as logbook:
        assert backups.daily(logbook, "2026-05-18") is None and named(first) == "Evening"
        again = backups.daily(logbook, "2026-05-18", again=True)
    assert again == first and named(first) == "Night"
