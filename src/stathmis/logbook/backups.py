"""Backups of a logbook: one a day beside it, the same in a second folder, what each holds, and going back to one.

A logbook's backups lie in the folder "<its name> backups", one a day. What was put aside by going back lies there too
and is never pruned.
"""

from __future__ import annotations

import os
import re
import shutil
import sqlite3
from collections.abc import Callable
from contextlib import closing, suppress
from dataclasses import dataclass
from pathlib import Path
from urllib.parse import quote

from stathmis.logbook import checking, tables
from stathmis.logbook.opening import Logbook, LogbookError, hold
from stathmis.words import files

KEPT = 10


@dataclass(frozen=True)
class Held:
    """What a backup holds. readings: how many, of hand, probe and logger; last_ms, last: its newest entry (UTC ms) and
    its words; older: it is from an older program and has no checksums; faults: how many things are not as they were
    written, None where that was not found out (it is of an older or a newer program, or cannot be read)."""

    path: Path
    readings: int = 0
    last_ms: int | None = None
    last: str = ""
    older: bool = False
    faults: int | None = None


def folder_of(path: Path) -> Path:
    """Where the backups of a logbook lie."""
    return path.with_name(path.stem + " backups")


def daily(logbook: Logbook, today: str, *, again: bool = False) -> Path | None:
    """Copy the logbook into its backups folder once a day, keeping the newest ten.

    today: ISO date; again: in place of today's, where something was changed since. Returns the new copy, or None when
    today's is there already or the logbook is read-only. Raises LogbookError when the copy cannot be written; a
    half-written copy is removed.
    """
    if logbook.read_only:
        return None
    target = folder_of(logbook.path) / f"{logbook.path.stem} {today}.stathmis"
    if target.exists() and not (again and target.stat().st_mtime < _changed_s(logbook.path)):
        return None
    partial = target.with_suffix(".part")
    try:
        target.parent.mkdir(exist_ok=True)
        with logbook.reading() as connection, closing(sqlite3.connect(partial)) as copy:
            connection.backup(copy)
        partial.chmod(0o600)
        partial.replace(target)
    except (OSError, sqlite3.Error) as error:
        with suppress(OSError):
            partial.unlink()
        raise LogbookError(*files.no_backup()) from error
    _prune(logbook.path.stem, target.parent)
    return target


def second(path: Path, folder: Path) -> Path | None:
    """Copy a logbook's newest backup into a second folder too, keeping the newest ten there.

    Returns the new copy, None where there is no backup, or it is there as it is. Raises LogbookError where the folder
    is not there or cannot be written.
    """
    newest = next(iter(daily_of(path)), None)
    if newest is None:
        return None
    target = folder / folder_of(path).name / newest.name
    partial = target.with_suffix(".part")
    try:
        if not folder.is_dir():
            raise FileNotFoundError(folder)
        made = newest.stat()
        if target.exists() and target.stat().st_size == made.st_size and target.stat().st_mtime >= made.st_mtime - 2:
            return None
        target.parent.mkdir(exist_ok=True)
        shutil.copyfile(newest, partial)
        # a stick may know no permissions
        with suppress(OSError):
            partial.chmod(0o600)
        partial.replace(target)
    except OSError as error:
        with suppress(OSError):
            partial.unlink()
        raise LogbookError(*files.no_second_backup(folder)) from error
    _prune(path.stem, target.parent)
    return target


def _prune(stem: str, folder: Path) -> None:
    # only what was put there by this: a keeper's own copies stay
    for old in _days(stem, folder)[KEPT:]:
        old.unlink(missing_ok=True)


def _days(stem: str, folder: Path) -> list[Path]:
    return _named(folder, re.escape(stem) + r" \d{4}-\d\d-\d\d\.stathmis")


def _named(folder: Path, pattern: str) -> list[Path]:
    try:
        found = [p for p in folder.iterdir() if re.fullmatch(pattern, p.name)]
    except OSError:
        return []
    return sorted(found, reverse=True)


def daily_of(path: Path) -> list[Path]:
    """The daily backups beside a logbook, the newest first."""
    return _days(path.stem, folder_of(path))


def all_of(path: Path, second_folder: Path | None = None) -> list[Path]:
    """All there is to go back to: the daily backups, what was put aside, and, of the second folder, days that are not
    beside the logbook; the newest first in each."""
    beside = daily_of(path)
    aside = _named(folder_of(path), re.escape(path.stem) + r" put aside .+\.stathmis")
    known = {p.name for p in beside}
    others = _days(path.stem, second_folder / folder_of(path).name) if second_folder is not None else []
    return [*beside, *(p for p in others if p.name not in known), *aside]


def held(path: Path, cancelled: Callable[[], bool] = lambda: False) -> Held:
    """What a backup holds, and whether all of it is as it was written; the file is only looked at."""
    try:
        with closing(_only_looked_at(path)) as connection:
            (version,) = connection.execute("PRAGMA user_version").fetchone()
            if version > tables.SCHEMA_VERSION:
                return Held(path)
            readings = sum(
                connection.execute(f"SELECT coalesce({counted}, 0) FROM {table}").fetchone()[0]
                for counted, table in (("sum(count)", "chunk"), ("count(*)", "reading"), ("count(*)", "live_reading"))
                if _has(connection, table)
            )
            last_ms, last = None, ""
            if _has(connection, "edit"):
                newest = "SELECT at_ms, label FROM edit ORDER BY at_ms DESC, id DESC"
                last_ms, last = connection.execute(newest).fetchone() or (None, "")
            older = version < tables.SCHEMA_VERSION
            faults = None if older or cancelled() else len(checking.damages(connection, cancelled))
            return Held(path, int(readings), last_ms, last, older, None if cancelled() else faults)
    except (OSError, sqlite3.DatabaseError):
        return Held(path)


def _has(connection: sqlite3.Connection, table: str) -> bool:
    found = connection.execute("SELECT 1 FROM sqlite_master WHERE type = 'table' AND name = ?", (table,))
    return found.fetchone() is not None


def _only_looked_at(path: Path) -> sqlite3.Connection:
    """A connection that makes nothing beside the file."""
    where = f"file:{quote(os.fsencode(path.absolute()))}?mode=ro&immutable=1"
    return sqlite3.connect(where, uri=True, isolation_level=None)


def newest_good(path: Path, cancelled: Callable[[], bool] = lambda: False) -> Path | None:
    """The newest daily backup of a logbook in which nothing was altered; None where there is none (or when cancelled).

    One of an older program has no checksums and does not count.
    """
    for backup in daily_of(path):
        if cancelled():
            return None
        if held(backup, cancelled).faults == 0:
            return backup
    return None


def go_back(path: Path, backup: Path, now: str) -> Path:
    """Put a backup in the place of a logbook that is closed, and the present one aside; returns where that lies now.

    now: date and clock for its name. At every moment there is a whole logbook under the path. Raises LogbookError where
    the backup cannot be read, the logbook is open elsewhere, or nothing can be written; all is as it was then.
    """
    partial, aside = path.with_name(path.name + ".part"), folder_of(path) / f"{path.stem} put aside {now}.stathmis"
    moved: list[tuple[Path, Path]] = []
    try:
        with hold(path):
            shutil.copyfile(backup, partial)
            partial.chmod(0o600)
            aside.parent.mkdir(exist_ok=True)
            if path.exists():
                _also_as(path, aside)
            for end in ("-wal", "-shm"):
                # mostly none is left; one that stayed would be read into the backup
                there = path.with_name(path.name + end)
                if there.exists():
                    moved.append((there.replace(aside.with_name(aside.name + end)), there))
            partial.replace(path)
    except OSError as error:
        for now_at, there in moved:
            now_at.replace(there)
        for file in (partial, aside):
            with suppress(OSError):
                file.unlink()
        raise LogbookError(*files.not_gone_back(backup, error.strerror or str(error))) from error
    return aside


def _also_as(path: Path, name: Path) -> None:
    """The same file under a second name; a copy where the disk knows no second names."""
    try:
        os.link(path, name)
    except OSError:
        shutil.copyfile(path, name)


def _changed_s(path: Path) -> float:
    """When a logbook was last written to, by itself or its log (s since 1970)."""
    files = (path, path.with_name(path.name + "-wal"))
    return max(file.stat().st_mtime for file in files if file.exists())
