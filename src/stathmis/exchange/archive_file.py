"""The open archive: a ZIP of one CSV file a table and a description as JSON, readable with any spreadsheet.

Nothing is lost on the way: "\\N" stands for nothing, an apostrophe before a text keeps spreadsheets from taking it for
a formula and is taken away again on reading, numbers are written with all their digits.
"""

from __future__ import annotations

import csv
import io
import json
import lzma
import zipfile
import zlib
from collections.abc import Callable, Iterable, Iterator, Sequence
from concurrent.futures import CancelledError
from pathlib import Path
from typing import Any

from stathmis.core.errors import UserError
from stathmis.exchange.whole_file import replacing
from stathmis.words import archives as say

FORMAT = 1
DESCRIPTION = "description.json"
NOTHING = "\\N"
LARGEST_ROWS, MOST_TIMES_PACKED, LONGEST_CELL = 2**33, 400, 2**23
"""An archive that unfolds to more bytes, or more than so many times its own size, holds no logbook; nor does a cell."""
_BROKEN = (
    OSError,
    EOFError,
    KeyError,
    ValueError,
    TypeError,
    AttributeError,
    OverflowError,
    # what is packed in a way, or behind a password, that is not ours; or nested without end
    RuntimeError,
    zipfile.BadZipFile,
    zlib.error,
    lzma.LZMAError,
    csv.Error,
)
_RISKY = ("=", "+", "-", "@", "'", "\\", "\t", "\r", "\n")
Progress = Callable[[float], None]
Table = tuple[str, Sequence[str], Sequence[str], Iterable[Sequence[Any]]]


def cell(value: Any) -> str:
    """A value as it stands in a table."""
    if value is None:
        return NOTHING
    if isinstance(value, float):
        return repr(value)
    text = str(value)
    return "'" + text if isinstance(value, str) and text.startswith(_RISKY) else text


def value_of(text: str, kind: str) -> Any:
    """A cell read back. Raises ValueError for what is no number where one belongs."""
    if text == NOTHING:
        return None
    if kind == "integer":
        return int(text)
    if kind == "real":
        return float(text)
    return text[1:] if text.startswith("'") else text


def write_archive(
    path: Path,
    tables: Sequence[Table],
    logbook_version: int,
    about: str,
    progress: Progress = lambda fraction: None,
    cancelled: Callable[[], bool] = lambda: False,
) -> int:
    """Write tables (name, columns, types, rows) as an archive, whole or not at all. Returns the number of rows.

    Raises UserError where it cannot be written, CancelledError where it was stopped.
    """
    count = 0
    with replacing(path) as partial, zipfile.ZipFile(partial, "w", zipfile.ZIP_DEFLATED) as archive:
        counts = {}
        for i, (name, columns, _types, rows) in enumerate(tables):
            with archive.open(f"{name}.csv", "w", force_zip64=True) as raw:
                counts[name] = _write_table(raw, columns, rows, cancelled)
            count += counts[name]
            progress((i + 1) / len(tables))
        description = {
            "what": say.A_HATCHING_LOGBOOK_AS_TABLES.english[0],
            "about": about,
            "format": FORMAT,
            "logbook_version": logbook_version,
            "nothing": NOTHING,
            "tables": [{"name": n, "columns": list(c), "types": list(t), "rows": counts[n]} for n, c, t, _ in tables],
        }
        archive.writestr(DESCRIPTION, json.dumps(description, indent=1, ensure_ascii=False))
    return count


def _write_table(raw: Any, columns: Sequence[str], rows: Iterable[Sequence[Any]], cancelled: Callable[[], bool]) -> int:
    text = io.TextIOWrapper(raw, encoding="utf-8", newline="")
    out = csv.writer(text)
    out.writerow(columns)
    n = 0
    for row in rows:
        out.writerow([cell(v) for v in row])
        n += 1
        if n % 10_000 == 0 and cancelled():
            raise CancelledError
    text.flush()
    text.detach()
    return n


def read_description(path: Path) -> dict[str, Any]:
    """What an archive says of itself. Raises UserError for what is no archive, or one of a newer kind."""
    try:
        with zipfile.ZipFile(path) as archive:
            unfolded = sum(info.file_size for info in archive.infolist())
            if unfolded > min(LARGEST_ROWS, 2**20 + MOST_TIMES_PACKED * path.stat().st_size):
                raise ValueError("no logbook unfolds so far")
            if archive.getinfo(DESCRIPTION).file_size > LONGEST_CELL:
                raise ValueError("no description is so long")
            found = json.loads(archive.read(DESCRIPTION))
        tables = [(str(t["name"]), list(t["columns"]), list(t["types"]), int(t["rows"])) for t in found["tables"]]
        newer = int(found.get("format", 0)) > FORMAT
    except _BROKEN as error:
        raise UserError(*say.PATH_IS_NO_ARCHIVE_OF(path=path.name)) from error
    if newer or not tables:
        raise UserError(*say.PATH_WAS_WRITTEN_BY_A(path=path.name))
    return dict(found)


def read_table(path: Path, name: str, columns: Sequence[str], types: Sequence[str]) -> Iterator[tuple[Any, ...]]:
    """Rows of a table. Raises UserError at the row that cannot be read."""
    # the fields of this logbook may be longer than a reader's usual limit
    csv.field_size_limit(LONGEST_CELL)
    number = 1
    try:
        with zipfile.ZipFile(path) as archive, archive.open(f"{name}.csv") as raw:
            rows = csv.reader(io.TextIOWrapper(raw, encoding="utf-8", newline=""))
            if next(rows, []) != list(columns):
                raise UserError(*say.NAME_CSV_DOES_NOT_HAVE(name=name))
            for row in rows:
                number += 1
                yield tuple(value_of(t, kind) for t, kind in zip(row, types, strict=True))
    except _BROKEN as error:
        raise UserError(*say.NAME_CSV_LINE_NUMBER_CANNOT(name=name, number=number)) from error
