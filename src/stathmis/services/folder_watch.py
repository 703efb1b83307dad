"""Folders into which a logger drops its files: each new file like the first one is brought in by itself.

A file is read once it has stopped growing; when it grows again only its new rows count. A file that is not like the
first one, or cannot be read, is left alone and said so once.
"""

from __future__ import annotations

import json
import threading
from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path

from stathmis.core.errors import UserError
from stathmis.exchange.csv_layout import Layout, find_layout
from stathmis.logbook import keeping
from stathmis.logbook.records import Channel, WatchedFolder
from stathmis.services import logger_import
from stathmis.services.logger_import import ColumnUse, Examined, Plan
from stathmis.services.wording import count
from stathmis.services.workbench import Workbench

EVERY_S = 5.0
"""How often the folders are looked at."""
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
            return f"{self.path.name}, in a watched folder: {self.problem}"
        bad = self.examined.faults.total
        left = f"; {count(bad, 'row')} left out" if bad else ""
        return f"{self.path.name}: {count(self.examined.good, 'row')} taken in by itself{left}."


def watch_folder(bench: Workbench, plan: Plan) -> int:
    """Watch the folder of a file for others like it, read by the same plan; undoable.

    Raises UserError where such files are watched for there already.
    """
    folder = str(plan.path.resolve().parent)
    columns = _titles(plan.layout)
    for known in keeping.all_of(bench.logbook, WatchedFolder):
        if (known.folder, known.columns) == (folder, columns):
            raise UserError(f"{folder} is watched for such files already.", "Nothing is left to do.")
    kept = {
        "time_columns": plan.time_columns,
        "order": plan.order,
        "zone": plan.zone,
        "uses": [[u.column, u.channel_id, u.unit] for u in plan.uses],
    }
    made = keeping.add(bench.logbook, WatchedFolder, folder=folder, columns=columns, plan=json.dumps(kept))
    bench.added(f"{folder} watched", WatchedFolder, [made])
    return made


def stop_watching(bench: Workbench, watched: WatchedFolder) -> None:
    """Watch a folder no longer; what was brought in stays; undoable."""
    bench.strike(f"{watched.folder} watched no longer", WatchedFolder, [watched.id])


def _titles(layout: Layout) -> str:
    return json.dumps([c.heading for c in layout.columns])


def _plan(watched: WatchedFolder, path: Path, layout: Layout) -> Plan:
    kept = json.loads(watched.plan)
    uses = tuple(ColumnUse(column, channel, unit) for column, channel, unit in kept["uses"])
    return Plan(path, layout, tuple(kept["time_columns"]), kept["order"], kept["zone"], uses)


class FolderWatch:
    """Looks at every watched folder of an open logbook from its own thread; on_brought is called there."""

    def __init__(self, bench: Workbench, on_brought: Callable[[Brought], None], every_s: float = EVERY_S) -> None:
        self._bench, self._on_brought, self._every_s = bench, on_brought, every_s
        self._stop = threading.Event()
        self._thread: threading.Thread | None = None
        self._seen: dict[Path, tuple[int, int]] = {}
        self._done: dict[tuple[int, Path], tuple[int, int]] = {}

    def start(self) -> None:
        """Begin, if there is anything to watch; safe to call again."""
        if self._thread is None and not self._bench.logbook.read_only and self._folders():
            self._thread = threading.Thread(target=self._run, daemon=True, name="folder watch")
            self._thread.start()

    def stop(self) -> None:
        """Look no more."""
        self._stop.set()
        if self._thread is not None:
            self._thread.join(timeout=30.0)

    def _folders(self) -> list[WatchedFolder]:
        return keeping.all_of(self._bench.logbook, WatchedFolder)

    def _run(self) -> None:
        while not self._stop.wait(self._every_s):
            self.look()

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
                    self._done[watched.id, path] = state
                    self._bring(watched, path)

    @staticmethod
    def _files(watched: WatchedFolder) -> list[Path]:
        try:
            found = [p for p in Path(watched.folder).iterdir() if p.suffix.lower() in SUFFIXES and p.is_file()]
        except OSError:
            # a stick that is pulled comes back
            return []
        return sorted(found)

    def _bring(self, watched: WatchedFolder, path: Path) -> None:
        bench = self._bench
        try:
            layout = find_layout(path)
            if _titles(layout) != watched.columns:
                others = [w for w in self._folders() if w.folder == watched.folder and w.columns == _titles(layout)]
                if not others:
                    problem = "its columns are not those of the first file. Bring it in by hand once."
                    self._on_brought(Brought(path, None, None, problem))
                return
            plan = _plan(watched, path, layout)
            known = {c.id for c in bench.records(Channel)}
            plan = replace(plan, uses=tuple(u for u in plan.uses if u.channel_id in known))
            examined = logger_import.examine(bench, plan)
            if examined.good:
                self._on_brought(Brought(path, examined, logger_import.store(bench, examined)))
        except UserError as error:
            self._on_brought(Brought(path, None, None, str(error)))
