"""A file another program appends lines to: columns apart by a separator under their titles, named values, or JSON. Its
lines are read as they come, and those that tell their time also for the hours nobody read.
"""

from __future__ import annotations

import csv
import json
import os
import re
import time
from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from zoneinfo import ZoneInfo

from stathmis.devices.line_protocol import NO_TEXT, LineSplitter, flat, number
from stathmis.devices.serial_lead import said as said_by
from stathmis.devices.source import READ_S, TEXT_LENGTH, Said

AT_ONCE = 65_536
SECONDS_BELOW = 1e11
"""An epoch number below is in seconds, above in milliseconds."""
TIME_NAMES = ("time", "timestamp", "ts", "t_ms", "time_ms", "datetime", "date", "epoch", "when")


@dataclass
class Place:
    """Where one stopped reading a file: which file it was (device and inode), and its byte; titles: its columns'."""

    file: tuple[int, int] | None = None
    at: int = 0
    titles: tuple[str, ...] = ()


class GrowingFile:
    """A file read on from a place, which is kept there.

    zone: of times that tell none. since: lines of this time (UTC ms) and before were read in an earlier life. A file
    without times begins at its end, unless from_start.
    """

    def __init__(
        self,
        path: Path,
        place: Place,
        zone: str = "UTC",
        since: Callable[[], int | None] = lambda: None,
        *,
        from_start: bool = False,
    ) -> None:
        self._path, self._place, self._zone = path, place, ZoneInfo(zone)
        # what was read in this life is known by its place
        self._since = since() if place.file is None else None
        self._splitter = LineSplitter()
        self._timed: str | None = None
        self._file = path.open("rb")
        try:
            self._begin(from_start=from_start)
        except BaseException:
            self._file.close()
            raise

    def _begin(self, *, from_start: bool) -> None:
        known, which, size = self._place, self._which(), self._file.seek(0, os.SEEK_END)
        if known.file == which and known.at <= size:
            self._file.seek(known.at)
            return
        first = known.file is None
        known.file, known.at = which, 0
        self._file.seek(0)
        head = [line for line in LineSplitter().feed(self._file.read(AT_ONCE)) if line.strip()][:2]
        known.titles = _titles(head[0]) if head else ()
        timed = any(self._said(line).time_ms is not None for line in head)
        known.at = size if first and not timed and not from_start else 0
        self._file.seek(known.at)

    def _which(self) -> tuple[int, int]:
        found = os.fstat(self._file.fileno())
        return found.st_dev, found.st_ino

    def read(self) -> list[Said]:
        """Whole lines that came. Raises OSError where the file is gone, or was begun anew."""
        part = self._file.read(AT_ONCE)
        if not part:
            now = self._path.stat()
            if (now.st_dev, now.st_ino) != self._place.file or now.st_size < self._file.tell():
                # what is in the new one is read from its beginning
                raise OSError(f"{self._path.name}: 0")
            time.sleep(READ_S)
            return []
        lines = self._splitter.feed(part)
        # an unfinished line is read again as a whole, in another life too
        self._place.at = self._file.tell() - self._splitter.waiting
        since = self._since
        titles = self._place.titles
        found = [self._said(line) for line in lines if line.strip() and not (titles and _titles(line) == titles)]
        return [s for s in found if since is None or s.time_ms is None or s.time_ms > since]

    def close(self) -> None:
        """Let go of it."""
        self._file.close()

    def _said(self, line: str) -> Said:
        cells = self._cells(line)
        if cells is None:
            return said_by(line, None)
        values: dict[str, float] = {}
        at_ms = None
        for name, cell in cells.items():
            if name.rpartition(".")[2].casefold() in TIME_NAMES and at_ms is None:
                at_ms = self._time(cell)
                continue
            value = cell if isinstance(cell, float) else number(cell.strip())
            if value is not None:
                values[name] = value
        return Said(line[:TEXT_LENGTH], values, at_ms)

    def _cells(self, line: str) -> dict[str, str | float] | None:
        """Cells by title, or a JSON object's parts by name; None for a line that is neither."""
        if line == NO_TEXT:
            return {}
        if line.lstrip().startswith("{"):
            try:
                return flat(json.loads(line, parse_int=float), text=True)
            except (ValueError, RecursionError):
                return {}
        titles = self._place.titles
        if not titles:
            return None
        cells = _split(line)
        return dict(zip(titles, cells, strict=True)) if len(cells) == len(titles) else {}

    def _time(self, cell: str | float) -> int | None:
        """UTC ms of an epoch number or an ISO time; of a local time that came twice, the first."""
        value = cell if isinstance(cell, float) else number(cell.strip())
        if value is not None:
            return round(value * 1000.0 if abs(value) < SECONDS_BELOW else value) if value > 0 else None
        try:
            at = datetime.fromisoformat(str(cell).strip())
            at = at if at.tzinfo is not None else at.replace(tzinfo=self._zone)
            return round(at.timestamp() * 1000.0)
        except (ValueError, OverflowError):
            return None


def _split(line: str) -> list[str]:
    separator = next((s for s in ("\t", ";", ",") if s in line), ",")
    try:
        return [c.strip() for c in next(csv.reader([line], delimiter=separator), [])]
    except csv.Error:
        return []


def _titles(line: str) -> tuple[str, ...]:
    """The titles of columns, where a line has them: several words apart, no number among them, none twice."""
    cells = _split(line)
    words = len(cells) > 1 and all(c and not re.match(r"[-+\d]", c) for c in cells) and len(set(cells)) == len(cells)
    return tuple(cells) if words and not line.lstrip().startswith("{") and "=" not in line else ()
