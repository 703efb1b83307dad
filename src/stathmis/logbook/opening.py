"""Opening, creating and guarding a logbook file.

What can be wrong with a file (missing, another kind, damaged, newer, open elsewhere, read-only, disk full) is decided
here, in the keeper's words; anything else is a bug and travels on.
"""

from __future__ import annotations

import fcntl
import logging
import os
import sqlite3
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import IO, Any
from urllib.parse import quote

from sqlalchemy import URL, Connection, create_engine, event
from sqlalchemy.exc import DatabaseError

from stathmis.core.errors import UserError
from stathmis.logbook import migrations, schema

log = logging.getLogger(__name__)

_MAGIC = b"SQLite format 3\x00"
BACKUPS_KEPT = 10


class LogbookError(UserError):
    """The logbook file cannot be used as asked; the text says why and what to do."""


class Logbook:
    """An open logbook. read_only is True where the file may not be changed."""

    def __init__(self, path: Path, *, read_only: bool, lock: IO[str] | None) -> None:
        self.path = path
        self.read_only = read_only
        self._lock = lock
        # immutable: a read-only folder cannot hold the side files of a shared log
        query = {"mode": "ro", "immutable": "1"} if read_only else {"mode": "rw"}
        # quote() for SQLite, which reads its own escapes; URL.create because a URL written out would be unquoted once
        database = URL.create("sqlite", database=f"file:{quote(str(path.absolute()))}", query={**query, "uri": "true"})
        self._engine = create_engine(database, connect_args={"timeout": 15.0})
        event.listen(self._engine, "connect", _prepare_connection)

    @contextmanager
    def writing(self) -> Iterator[Connection]:
        """One transaction: all of it is kept, durably, or none. Raises LogbookError where nothing can be written."""
        if self.read_only:
            raise LogbookError("This logbook is read-only; nothing was logged.", "Make the file writable, then reopen.")
        try:
            with self._engine.begin() as connection:
                yield connection
        except DatabaseError as error:
            raise _in_keepers_words(error, self.path) from error

    @contextmanager
    def reading(self) -> Iterator[Connection]:
        """A connection for queries. Raises LogbookError where the file cannot be read."""
        try:
            with self._engine.connect() as connection:
                yield connection
        except DatabaseError as error:
            raise _in_keepers_words(error, self.path) from error

    def close(self) -> None:
        """Let go of the file; safe to call twice."""
        self._engine.dispose()
        if self._lock is not None:
            self._lock.close()
            self._lock = None


def _prepare_connection(connection: Any, _record: Any) -> None:
    cursor = connection.cursor()
    cursor.execute("PRAGMA foreign_keys = ON")
    cursor.execute("PRAGMA synchronous = FULL")
    cursor.close()


def _in_keepers_words(error: DatabaseError, path: Path) -> Exception:
    text = str(error.orig).lower()
    if "full" in text:
        return LogbookError("The disk is full; nothing was logged.", "Free some space and log it again.")
    if "readonly" in text or "read-only" in text:
        return LogbookError(f"{path.name} cannot be written; nothing was logged.", "Check the file's permissions.")
    if "malformed" in text or "not a database" in text or "disk i/o" in text:
        return LogbookError(f"{path.name} is damaged.", "Open the newest file in its backups folder instead.")
    if "locked" in text:
        return LogbookError("Another program holds the logbook; nothing was logged.", "Close it and try again.")
    return error


def create_logbook(path: Path, settings: dict[str, str]) -> Logbook:
    """Make a new logbook file with its settings (name, time_zone, ...) and open it.

    Raises LogbookError when a file is already there or the folder cannot be written.
    """
    if path.exists():
        raise LogbookError(f"There is already a file named {path.name}.", "Choose another name, or open that one.")
    # made under another name and renamed when whole: a creation cut short leaves nothing that looks like a logbook
    partial = path.with_name(path.name + ".part")
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        partial.unlink(missing_ok=True)
        with sqlite3.connect(partial) as raw:
            raw.execute(f"PRAGMA application_id = {schema.APPLICATION_ID}")
            raw.execute(f"PRAGMA user_version = {schema.SCHEMA_VERSION}")
            raw.execute("PRAGMA journal_mode = WAL")
        raw.close()
        fresh = Logbook(partial, read_only=False, lock=None)
        try:
            with fresh.writing() as connection:
                schema.metadata.create_all(connection)
                for key, value in settings.items():
                    connection.execute(schema.setting.insert().values(key=key, value=value))
        finally:
            fresh.close()
        partial.replace(path)
    except (OSError, sqlite3.OperationalError) as error:
        with suppress(OSError):
            partial.unlink()
        raise LogbookError(f"A logbook cannot be made at {path}.", "Choose a folder you may write to.") from error
    return open_logbook(path)


def open_logbook(path: Path) -> Logbook:
    """Open an existing logbook after checking it; the file is left untouched when it is refused.

    Raises LogbookError for a file that is missing, not a logbook, damaged, newer than this program, or open elsewhere.
    """
    try:
        with path.open("rb") as file:
            head = file.read(100)
    except FileNotFoundError:
        raise LogbookError(f"There is no file at {path}.", "Check the name.") from None
    except OSError as error:
        raise LogbookError(f"{path.name} cannot be read: {error.strerror}.", "Check its permissions.") from error
    if head[:16] != _MAGIC or int.from_bytes(head[68:72], "big") != schema.APPLICATION_ID:
        raise LogbookError(f"{path.name} is not a Stathmis logbook.", "Choose a file that ends in .stathmis.")
    version = int.from_bytes(head[60:64], "big")
    if version > schema.SCHEMA_VERSION:
        raise LogbookError(
            f"{path.name} was written by a newer Stathmis (file version {version}, this one knows "
            f"{schema.SCHEMA_VERSION}). It was not touched.",
            "Update Stathmis, or open an older backup.",
        )
    read_only = not os.access(path, os.W_OK) or not path.stat().st_mode & 0o222
    if version < schema.SCHEMA_VERSION and read_only:
        raise LogbookError(
            f"{path.name} was written by an older Stathmis and is read-only, so it cannot be brought up to date.",
            "Make a copy you may write to, and open that.",
        )
    lock = None if read_only else _take_lock(path)
    if version < schema.SCHEMA_VERSION:
        _bring_up_to_date(path, version, lock)
    logbook = Logbook(path, read_only=read_only, lock=lock)
    try:
        _check(logbook)
    except BaseException:
        logbook.close()
        raise
    return logbook


def _bring_up_to_date(path: Path, version: int, lock: IO[str] | None) -> None:
    try:
        if version < 1:
            raise LogbookError(
                f"{path.name} is damaged or was never finished.",
                "Open the newest file in its backups folder instead.",
            )
        aside = migrations.migrate(path, schema.SCHEMA_VERSION)
        log.info("brought up to date from version %d; the old file is %s", version, aside)
    except (OSError, sqlite3.Error) as error:
        if lock is not None:
            lock.close()
        log.warning("bringing %s up to date failed: %s", path, error)
        raise LogbookError(
            f"{path.name} is from an older Stathmis and could not be brought up to date. It was left as it was.",
            "Check the space left on the disk, or open the newest file in its backups folder.",
        ) from error
    except LogbookError:
        if lock is not None:
            lock.close()
        raise


def _check(logbook: Logbook) -> None:
    with logbook.reading() as connection:
        try:
            found = connection.exec_driver_sql("PRAGMA user_version").scalar()
            answer = connection.exec_driver_sql("PRAGMA quick_check(1)").scalar()
        except DatabaseError as error:
            raise LogbookError(
                f"{logbook.path.name} is damaged.", "Open the newest file in its backups folder instead."
            ) from error
    if answer != "ok" or found != schema.SCHEMA_VERSION:
        raise LogbookError(
            f"{logbook.path.name} is damaged or was never finished.",
            "Open the newest file in its backups folder instead.",
        )


def _take_lock(path: Path) -> IO[str]:
    """Hold the logbook for this process; the system lets go of it even when the process is killed."""
    lock = path.with_name(path.name + ".lock").open("a+", encoding="ascii")
    try:
        fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        lock.close()
        raise LogbookError(
            f"{path.name} is already open in another window.", "Use that one, or close it first."
        ) from None
    return lock


def back_up_daily(logbook: Logbook, today: str) -> Path | None:
    """Copy the logbook into its backups folder once a day, keeping the newest ten.

    today: ISO date. Returns the new copy, or None when today's is there already or the logbook is read-only.
    Raises LogbookError when the copy cannot be written; a half-written copy is removed.
    """
    if logbook.read_only:
        return None
    folder = logbook.path.with_name(logbook.path.stem + " backups")
    target = folder / f"{logbook.path.stem} {today}.stathmis"
    if target.exists():
        return None
    partial = target.with_suffix(".part")
    try:
        folder.mkdir(exist_ok=True)
        with logbook.reading() as connection:
            raw: Any = connection.connection.driver_connection
            copy = sqlite3.connect(partial)
            try:
                raw.backup(copy)
            finally:
                copy.close()
        partial.replace(target)
    except (OSError, sqlite3.Error) as error:
        with suppress(OSError):
            partial.unlink()
        raise LogbookError("Today's backup could not be written.", "Check the space left on the disk.") from error
    for old in sorted(folder.glob("*.stathmis"))[:-BACKUPS_KEPT]:
        old.unlink(missing_ok=True)
    return target
