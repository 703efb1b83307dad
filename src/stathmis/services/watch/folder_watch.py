"""Folders into which a logger drops its files: each new file like the first one is brought in by itself.

A file is read whenever it has not grown for a moment, but a line still under way waits; when it grows only its new rows
count. A file that is not like the first one, or cannot be read, is left alone and said so once.
"""

from __future__ import annotations

import json
import logging
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from stathmis.core.errors import UserError
from stathmis.exchange.csv_layout import Layout, find_layout
from stathmis.logbook.opening import LogbookError
from stathmis.logbook.records import WatchedFolder
from stathmis.services.desk import Desk
from stathmis.services.files import logger_import
from stathmis.services.files.logger_import import Examined, Plan
from stathmis.words import bringing_in as say
from stathmis.words import logger_files
from stathmis.words.catalogue import _
from stathmis.words.numbers import count

log = logging.getLogger(__name__)

EVERY_S = 5.0
"""How often the folders are looked at."""
STILL_GROWING_S = 30.0
"""So long after it was written to a file may still grow: its last line waits for its end."""
SUFFIXES = (".csv", ".txt", ".tsv")


@dataclass(frozen=True)
class Brought:
    """What became of a file: the import to be told of (None where it was refused), and why it was refused."""

    path: Path
    examined: Examined | None
    import_id: int | None
    problem: str = ""

    @property
    def words(self) -> str:
        """One sentence for the keeper."""
        if self.examined is None:
            return _("{path}, in a watched folder: {problem}", path=self.path.name, problem=self.problem)
        bad = self.examined.faults.total
        left = _("; {rows} left out", rows=count(bad, "{n} row", "{n} rows")) if bad else ""
        return say.PATH_ROWS_TAKEN_IN_BY(
            path=self.path.name, rows=count(self.examined.good, "{n} row", "{n} rows"), left=left
        )


def watch_folder(desk: Desk, plan: Plan) -> int:
    """Watch the folder of a file for others like it, read by the same plan; undoable.

    Raises UserError where such files are watched for there already.
    """
    folder = str(plan.path.resolve().parent)
    columns = _titles(plan.layout)
    for known in desk.book.records(WatchedFolder):
        if (known.folder, known.columns) == (folder, columns):
            raise UserError(*say.FOLDER_IS_WATCHED_FOR_SUCH(folder=folder))
    asked = logger_import.questions(plan)
    if asked:
        raise UserError(logger_files.asked(asked[0]), logger_files.choose())
    fields = {"folder": folder, "columns": columns, "plan": json.dumps(logger_import.kept_of(plan))}
    return desk.add(_("{folder} watched", folder=folder), [(WatchedFolder, fields)])[0]


def stop_watching(desk: Desk, watched: WatchedFolder) -> None:
    """Watch a folder no longer; what was brought in stays; undoable."""
    desk.strike(_("{folder} watched no longer", folder=watched.folder), WatchedFolder, [watched.id])


def _titles(layout: Layout) -> str:
    return json.dumps([c.heading for c in layout.columns])


class FolderWatch:
    """Looks at every watched folder of an open logbook from its own thread; on_brought is called there."""

    def __init__(self, desk: Desk, on_brought: Callable[[Brought], None], every_s: float = EVERY_S) -> None:
        self._desk, self._on_brought, self._every_s = desk, on_brought, every_s
        self._stop = threading.Event()
        self._thread: threading.Thread | None = None
        self._seen: dict[Path, tuple[int, int]] = {}
        self._done: dict[tuple[int, Path], tuple[int, int]] = {}
        self._told: dict[Path, str] = {}

    def start(self) -> None:
        """Begin, if there is anything to watch; safe to call again."""
        if self._thread is None and not self._desk.read_only and self._folders():
            self._thread = threading.Thread(target=self._run, daemon=True, name=_("folder watch"))
            self._thread.start()

    def stop(self) -> None:
        """Look no more."""
        self._stop.set()
        if self._thread is not None:
            self._thread.join(timeout=30.0)

    def _folders(self) -> list[WatchedFolder]:
        return list(self._desk.book.records(WatchedFolder))

    def _run(self) -> None:
        while not self._stop.wait(self._every_s):
            try:
                self.look()
            except Exception:
                log.exception("looking at the watched folders")

    def look(self) -> None:
        """Look once: bring in what is new and has not changed since the last look."""
        for watched in self._folders():
            for path in self._files(watched):
                if self._stop.is_set():
                    return
                try:
                    about = path.stat()
                except OSError:
                    continue
                state = (about.st_size, about.st_mtime_ns)
                steady = self._seen.get(path) == state
                self._seen[path] = state
                if steady and self._done.get((watched.id, path)) != state:
                    # a line may still be under way where something was written just now
                    growing = time.time() - about.st_mtime < STILL_GROWING_S
                    if self._bring(watched, path, growing=growing):
                        self._done[watched.id, path] = state

    @staticmethod
    def _files(watched: WatchedFolder) -> list[Path]:
        try:
            found = [p for p in Path(watched.folder).iterdir() if p.suffix.lower() in SUFFIXES and p.is_file()]
        except OSError:
            # a stick that is pulled comes back
            return []
        return sorted(found)

    def _bring(self, watched: WatchedFolder, path: Path, *, growing: bool) -> bool:
        """Bring a file in; returns whether it is done with (as it stands): a full disk is tried again."""
        desk = self._desk
        try:
            kept = json.loads(watched.plan)
            layout = find_layout(path, desk.now_ms, kept.get("decimal"))
            if _titles(layout) != watched.columns:
                others = [w for w in self._folders() if w.folder == watched.folder and w.columns == _titles(layout)]
                if not others:
                    problem = say.ITS_COLUMNS_ARE_NOT_THOSE()
                    self._on_brought(Brought(path, None, None, problem))
                return True
            examined = logger_import.examine(
                desk.book, logger_import.as_kept(desk.book, path, layout, kept), growing=growing
            )
            if examined.good:
                self._on_brought(Brought(path, examined, logger_import.store(desk, examined)))
            self._told.pop(path, None)
            return not growing
        except LogbookError as error:
            self._tell_once(path, str(error))
            return False
        except UserError as error:
            self._on_brought(Brought(path, None, None, str(error)))
        except Exception as error:
            # a file that trips the reader costs that file, not the watching
            log.warning("%s could not be read: %s", path, error, exc_info=True)
            self._on_brought(Brought(path, None, None, say.IT_CANNOT_BE_READ_ERROR(error=error)))
        self._told.pop(path, None)
        return True

    def _tell_once(self, path: Path, problem: str) -> None:
        if self._told.get(path) != problem:
            self._told[path] = problem
            self._on_brought(Brought(path, None, None, problem))
