"""Opening, creating and guarding a logbook file.

What can be wrong with a file (missing, another kind, damaged, newer, open elsewhere, read-only, disk full) is decided
here, in the keeper's words; anything else is a bug and travels on.
"""

from __future__ import annotations

import fcntl
import logging
import os
import shutil
import sqlite3
import tempfile
import threading
from collections.abc import Iterator, Sequence
from contextlib import closing, contextmanager, suppress
from pathlib import Path
from typing import IO, Any
from urllib.parse import quote

import platformdirs

from stathmis.core.errors import UserError
from stathmis.logbook import checksums, migrations, tables
from stathmis.logbook.snapshot import Snapshot, Writing
from stathmis.words import opening as say
from stathmis.words.catalogue import _
from stathmis.words.files import disk_words, lost_words, older_words

log = logging.getLogger(__name__)

_MAGIC = b"SQLite format 3\x00"


class LogbookError(UserError):
    """The logbook file cannot be used as asked; the text says why and what to do."""


class HeldError(LogbookError):
    """Another window or command has the logbook open."""


class Logbook:
    """An open logbook file. read_only is True where it may not be changed.

    One connection writes, under a lock; whoever reads has one to himself meanwhile. What is written goes through
    edits.py (and live.py for what comes by the thousand); snapshot is how the records stand after the last of it.
    """

    def __init__(self, path: Path, *, read_only: bool, lock: Sequence[IO[Any]] = (), beside: bool = False) -> None:
        """beside: only read, while another process may write."""
        self.path = path
        self.read_only = read_only
        self._beside = beside
        self._lock = list(lock)
        self._file = _which(path)
        self._copied: tempfile.TemporaryDirectory[str] | None = None
        self._read_from = self._with_its_log() if read_only and not beside else path
        self._writing = threading.RLock()
        self._pool = threading.Lock()
        self._free: list[sqlite3.Connection] = []
        self._writer: sqlite3.Connection | None = None
        self._snapshot: Snapshot | None = None
        self._closed = False

    @property
    def snapshot(self) -> Snapshot:
        """The records as they stand; read once, and kept up by what is written."""
        found = self._snapshot
        if found is None:
            with self._writing:
                found = self._snapshot = self._snapshot or Snapshot.read(self)
        return found

    def _with_its_log(self) -> Path:
        """Where a read-only file is read from: where its log holds what is not in it yet, a copy of both, for a
        read-only folder cannot hold what the two are read together with."""
        aside = self.path.with_name(self.path.name + "-wal")
        if not aside.exists() or not aside.stat().st_size:
            return self.path
        self._copied = tempfile.TemporaryDirectory(prefix="stathmis-")
        for file in (self.path, aside):
            shutil.copyfile(file, Path(self._copied.name) / file.name)
        return Path(self._copied.name) / self.path.name

    def connect(self) -> sqlite3.Connection:
        """A connection of one's own; who asked closes it. Raises LogbookError where the logbook is closed."""
        if self._closed:
            raise LogbookError(say.THE_LOGBOOK_IS_CLOSED())
        # immutable: a read-only folder cannot hold the side files of a shared log
        shared = not self.read_only or self._copied is not None or self._beside
        how = "mode=rw" if shared else "mode=ro&immutable=1"
        made = sqlite3.connect(
            f"file:{quote(os.fsencode(self._read_from.absolute()))}?{how}",
            timeout=15.0,
            isolation_level=None,
            check_same_thread=False,
            uri=True,
        )
        made.execute("PRAGMA foreign_keys = ON")
        made.execute("PRAGMA synchronous = FULL")
        if self._beside:
            made.execute("PRAGMA query_only = ON")
        return made

    @contextmanager
    def writing(self) -> Iterator[Writing]:
        """One transaction: all of it is kept, durably, or none; afterwards the snapshot shows it.

        Raises LogbookError where nothing can be written.
        """
        if self.read_only:
            raise LogbookError(*say.THIS_LOGBOOK_IS_READ_ONLY())
        with self._writing:
            before = self.snapshot
            if _which(self.path) != self._file:
                # what is written to a file without a name is gone when it is closed
                raise LogbookError(*lost_words(self.path))
            try:
                if self._writer is None:
                    self._writer = self.connect()
                work = Writing(self._writer)
                self._writer.execute("BEGIN IMMEDIATE")
                try:
                    yield work
                    # read inside the transaction: what cannot be read back is not kept either
                    after = before.after(work)
                    self._writer.execute("COMMIT")
                except BaseException:
                    if self._writer.in_transaction:
                        self._writer.execute("ROLLBACK")
                    raise
            except sqlite3.DatabaseError as error:
                raise _in_keepers_words(error, self.path) from error
            self._snapshot = after

    @contextmanager
    def reading(self) -> Iterator[sqlite3.Connection]:
        """A connection for queries. Raises LogbookError where the file cannot be read."""
        try:
            # a lock of its own: who reads does not wait for who writes
            with self._pool:
                found = self._free.pop() if self._free else self.connect()
            try:
                yield found
            finally:
                with self._pool:
                    if self._closed:
                        # the logbook was closed meanwhile: whoever reads last closes what he read with
                        found.close()
                    else:
                        self._free.append(found)
        except sqlite3.DatabaseError as error:
            raise _in_keepers_words(error, self.path) from error

    def close(self) -> None:
        """Let go of the file; safe to call twice."""
        with self._writing, self._pool:
            self._closed = True
            for connection in (*self._free, *([self._writer] if self._writer is not None else [])):
                connection.close()
            self._free, self._writer = [], None
        # last: letting go of the file earlier would let go of the database's own locks as well
        while self._lock:
            self._lock.pop().close()
        if self._copied is not None:
            self._copied.cleanup()


def _which(path: Path) -> tuple[int, int] | None:
    """Which file a path names just now; None where none does."""
    try:
        found = path.stat()
    except OSError:
        return None
    return found.st_dev, found.st_ino


def _in_keepers_words(error: sqlite3.DatabaseError, path: Path) -> Exception:
    text = str(error).lower()
    if "full" in text:
        return LogbookError(say.THE_DISK_IS_FULL_NOTHING(), say.FREE_SOME_SPACE_AND_LOG())
    if "readonly" in text or "read-only" in text:
        return LogbookError(say.PATH_CANNOT_BE_WRITTEN_NOTHING(path=path.name), say.CHECK_THE_FILES_PERMISSIONS())
    if "disk i/o" in text:
        return LogbookError(*disk_words(path))
    if "unable to open" in text:
        return LogbookError(*lost_words(path))
    if "malformed" in text or "not a database" in text:
        return LogbookError(_("{path} is damaged.", path=path.name), say.OPEN_THE_NEWEST_FILE_IN())
    if "locked" in text:
        return LogbookError(say.ANOTHER_PROGRAM_HOLDS_THE_LOGBOOK(), say.CLOSE_IT_AND_TRY_AGAIN())
    if "closed database" in text:
        return LogbookError(say.THE_LOGBOOK_IS_CLOSED())
    return error


def usual_path() -> Path:
    """Where a keeper's logbook is kept who names no other."""
    return Path(platformdirs.user_data_dir("stathmis")) / "logbook.stathmis"


def create_logbook(path: Path, settings: dict[str, str]) -> Logbook:
    """Make a new logbook file with its settings (name, time_zone, ...) and open it.

    Raises LogbookError when a file is already there or the folder cannot be written.
    """
    if path.exists():
        raise LogbookError(*say.THERE_IS_ALREADY_A_FILE(path=path.name))
    # made under another name and renamed when whole: a creation cut short leaves nothing that looks like a logbook
    partial = path.with_name(path.name + ".part")
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        partial.unlink(missing_ok=True)
        with closing(sqlite3.connect(partial, isolation_level=None)) as raw:
            raw.execute(f"PRAGMA application_id = {tables.APPLICATION_ID}")
            raw.execute(f"PRAGMA user_version = {tables.SCHEMA_VERSION}")
            raw.execute("PRAGMA journal_mode = WAL")
            raw.execute("PRAGMA synchronous = FULL")
            raw.execute("BEGIN")
            for table in tables.tables():
                for statement in table.create:
                    raw.execute(statement)
            raw.executemany(tables.SETTING.insert(("key", "value")), settings.items())
            checksums.carry_rows(raw)
            raw.execute("COMMIT")
        # a keeper's own affair
        partial.chmod(0o600)
        partial.replace(path)
    except (OSError, sqlite3.OperationalError) as error:
        with suppress(OSError):
            partial.unlink()
        raise LogbookError(*say.A_LOGBOOK_CANNOT_BE_MADE(path=path)) from error
    return open_logbook(path)


def open_logbook(path: Path) -> Logbook:
    """Open an existing logbook after checking it; the file is left untouched when it is refused.

    Raises LogbookError for a file that is missing, not a logbook, damaged, newer than this program, or open elsewhere.
    """
    version = _version(path)
    read_only = not _writable(path)
    if version < tables.SCHEMA_VERSION and read_only:
        raise LogbookError(*say.PATH_WAS_WRITTEN_BY_AN(path=path.name))
    lock = [] if read_only else _take_lock(path)
    if version < tables.SCHEMA_VERSION:
        _bring_up_to_date(path, version, lock)
    return _checked(Logbook(path, read_only=read_only, lock=lock))


def _version(path: Path) -> int:
    """Of which version a file is. Raises LogbookError for one that is missing, newer, or no logbook."""
    try:
        head = b""
        # a pipe would be read for ever, a folder not at all
        if path.is_file() or not path.exists():
            with path.open("rb") as file:
                head = file.read(100)
    except FileNotFoundError:
        raise LogbookError(*say.THERE_IS_NO_FILE_AT(path=path)) from None
    except OSError as error:
        raise LogbookError(*say.PATH_CANNOT_BE_READ_STRERROR(path=path.name, strerror=error.strerror)) from error
    if head[:16] != _MAGIC or int.from_bytes(head[68:72], "big") != tables.APPLICATION_ID:
        raise LogbookError(*say.PATH_IS_NOT_A_STATHMIS(path=path.name))
    version = int.from_bytes(head[60:64], "big")
    if version > tables.SCHEMA_VERSION:
        raise LogbookError(
            *say.PATH_WAS_WRITTEN_BY_A(path=path.name, version=version, schema_version=tables.SCHEMA_VERSION)
        )
    return version


def _writable(path: Path) -> bool:
    folder = path.resolve().parent
    return os.access(path, os.W_OK) and bool(path.stat().st_mode & 0o222) and os.access(folder, os.W_OK)


def look_beside(path: Path) -> Logbook:
    """Open a logbook to read it as it stands, while a window may have it open; nothing can be written.

    Raises LogbookError as open_logbook does, and for a file of an older version, which is left as it is.
    """
    version = _version(path)
    if version < tables.SCHEMA_VERSION:
        raise LogbookError(*older_words(path))
    if not _writable(path):
        return open_logbook(path)
    return _checked(Logbook(path, read_only=True, beside=True))


def _bring_up_to_date(path: Path, version: int, lock: Sequence[IO[Any]]) -> None:
    try:
        if version < 1:
            raise LogbookError(*say.PATH_IS_DAMAGED_OR_WAS(path=path.name))
        aside = migrations.migrate(path, tables.SCHEMA_VERSION)
        log.info("brought up to date from version %d; the old file is %s", version, aside)
    except (OSError, sqlite3.Error) as error:
        for held in lock:
            held.close()
        log.warning("bringing %s up to date failed: %s", path, error)
        raise LogbookError(*say.PATH_IS_FROM_AN_OLDER(path=path.name)) from error
    except LogbookError:
        for held in lock:
            held.close()
        raise


def _checked(logbook: Logbook) -> Logbook:
    """The logbook, once its file was found to be one; closed where it is none."""
    try:
        _check(logbook)
    except BaseException:
        logbook.close()
        raise
    return logbook


def _check(logbook: Logbook) -> None:
    with logbook.reading() as connection:
        try:
            (found,) = connection.execute("PRAGMA user_version").fetchone()
            (answer,) = connection.execute("PRAGMA quick_check(1)").fetchone()
        except sqlite3.DatabaseError as error:
            raise LogbookError(*say.PATH_IS_DAMAGED(path=logbook.path.name)) from error
    if answer != "ok" or found != tables.SCHEMA_VERSION:
        raise LogbookError(*say.PATH_IS_DAMAGED_OR_WAS(path=logbook.path.name))


@contextmanager
def hold(path: Path) -> Iterator[None]:
    """Keep a logbook that is closed from being opened meanwhile. Raises LogbookError where it is open already."""
    held = _take_lock(path)
    try:
        yield
    finally:
        for lock in held:
            lock.close()


def _take_lock(path: Path) -> list[IO[Any]]:
    """Hold the logbook for this process, under whatever name it is opened; the system lets go of it even when the
    process is killed. The file's own lock is for its other names, the one beside it for two windows of one process."""
    held: list[IO[Any]] = []
    real = path.resolve()
    for wanted, mode in ((real.with_name(real.name + ".lock"), "ab"), (real, "rb")):
        try:
            held.append(wanted.open(mode))
            fcntl.flock(held[-1], fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            for lock in held:
                lock.close()
            raise HeldError(*say.PATH_IS_ALREADY_OPEN_IN(path=path.name)) from None
    return held
