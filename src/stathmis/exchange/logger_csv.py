"""Reading a logger's CSV: times to UTC ms, values as they stand, and every faulty row named with its reason."""

from __future__ import annotations

import re
import warnings
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from stathmis.exchange.csv_layout import CsvError, DateOrder, Layout

_ROWS_AT_ONCE = 250_000
_CELL = "S40"
"""A time's cell as the reader keeps it: fixed bytes are read four times faster than Python strings."""
_NAMED = 200
"""So many faulty rows are named one by one; all are counted."""

Progress = Callable[[float], None]


class CancelledError(Exception):
    """The keeper stopped the reading."""


@dataclass
class Faults:
    """Faulty rows: how many for each reason, and the first ones by line number (from 1)."""

    counts: dict[str, int] = field(default_factory=dict)
    named: list[tuple[int, str]] = field(default_factory=list)

    def add(self, lines: NDArray[np.int64], reason: str) -> None:
        """Count rows with a reason."""
        if lines.size:
            self.counts[reason] = self.counts.get(reason, 0) + int(lines.size)
            room = max(0, _NAMED - len(self.named))
            self.named.extend((int(line), reason) for line in lines[:room])

    @property
    def total(self) -> int:
        """All faulty rows."""
        return sum(self.counts.values())


@dataclass(frozen=True)
class Table:
    """Good rows: line numbers, UTC ms, and values by column (nan where a cell is empty), with the faults left out."""

    lines: NDArray[np.int64]
    times_ms: NDArray[np.int64]
    values: dict[int, NDArray[np.float64]]
    faults: Faults


def read_table(
    path: Path,
    layout: Layout,
    time_columns: tuple[int, ...],
    value_columns: tuple[int, ...],
    order: DateOrder,
    zone: str | None,
    progress: Progress = lambda fraction: None,
    cancelled: Callable[[], bool] = lambda: False,
) -> Table:
    """Read times and values.

    time_columns: one column, or a date and a time; zone: time zone of the file's times, None for UTC. progress is
    called with 0 to 1. Raises CsvError where the file cannot be parsed, CancelledError when cancelled() turns true.
    """
    import pandas as pd

    faults = Faults()
    parts: list[tuple[Any, ...]] = []
    line = layout.skip + 1
    try:
        total = max(1, path.stat().st_size)
        with path.open("rb") as raw, warnings.catch_warnings(record=True) as said:
            warnings.simplefilter("always")
            # no usecols: with them the reader would cut rows that are too wide without a word
            frames = pd.read_csv(
                raw,
                sep=layout.separator,
                decimal=layout.decimal,
                header=None,
                skiprows=layout.skip,
                encoding=layout.encoding,
                encoding_errors="replace",
                dtype=dict.fromkeys(time_columns, _CELL),
                chunksize=_ROWS_AT_ONCE,
                skip_blank_lines=False,
                on_bad_lines="warn",
                low_memory=False,
            )
            for frame in frames:
                if cancelled():
                    raise CancelledError
                skipped = _too_wide(said, faults)
                numbers = np.arange(line, line + len(frame) + skipped.size, dtype=np.int64)
                line += numbers.size
                numbers = numbers[~np.isin(numbers, skipped)] if skipped.size else numbers
                parts.append((numbers, _joined_times(frame, time_columns), {c: frame[c] for c in value_columns}))
                progress(min(0.8, 0.8 * raw.tell() / total))
    except OSError as error:
        raise CsvError(f"{path.name} cannot be read: {error.strerror}.", "Is it still there?") from error
    except (pd.errors.ParserError, UnicodeError, ValueError) as error:
        raise CsvError(f"{path.name} cannot be read as a table.", f"The reader says: {error}") from error
    if not parts:
        raise CsvError(f"{path.name} has no rows.", "Export it from the logger again.")
    lines = np.concatenate([p[0] for p in parts])
    times, blank = _parse_times(np.concatenate([p[1] for p in parts]), order, zone, lines, faults)
    values = {c: np.concatenate([_numbers(p[2][c], layout.decimal) for p in parts]) for c in value_columns}
    progress(0.95)
    good = times != np.iinfo(np.int64).min
    bad_value = np.zeros(lines.size, dtype=bool)
    nothing = np.ones(lines.size, dtype=bool)
    for column in value_columns:
        bad_value |= np.isinf(values[column])
        nothing &= np.isnan(values[column])
    faults.add(lines[good & bad_value], "a value is not a number")
    faults.add(lines[good & nothing & ~bad_value], "no value in this row")
    keep = good & ~bad_value & ~nothing & ~blank
    progress(1.0)
    return Table(lines[keep], times[keep], {c: v[keep] for c, v in values.items()}, faults)


def _too_wide(said: list[warnings.WarningMessage], faults: Faults) -> NDArray[np.int64]:
    """Lines the reader left out because they have too many columns; it says so in a warning only."""
    found = [int(n) for w in said for n in re.findall(r"Skipping line (\d+)", str(w.message))]
    said.clear()
    lines = np.array(found, dtype=np.int64)
    faults.add(lines, "more columns than the others")
    return lines


def _joined_times(frame: Any, columns: tuple[int, ...]) -> NDArray[np.bytes_]:
    text = np.asarray(frame[columns[0]], dtype=_CELL)
    for column in columns[1:]:
        text = np.char.add(np.char.add(text, b" "), np.asarray(frame[column], dtype=_CELL))
    return text


def _numbers(cells: Any, decimal: str) -> NDArray[np.float64]:
    """Cells as float64: nan where empty, inf where something other than a number stands."""
    import pandas as pd

    if cells.dtype != object and pd.api.types.is_numeric_dtype(cells.dtype):
        return np.asarray(cells, dtype=np.float64)
    text = cells.astype(object).where(cells.notna(), "").astype(str).str.strip()
    text = text.str.replace(r"\s*(°?[CcFf]|%(\s*[rR][hH])?)$", "", regex=True).str.replace("−", "-")
    if decimal == ",":
        text = text.str.replace(",", ".")
    numbers = pd.to_numeric(text, errors="coerce").to_numpy(dtype=np.float64)
    return np.where(np.isnan(numbers) & (text != "").to_numpy(), np.inf, numbers)


def time_format(sample: str, order: DateOrder) -> str | None:
    """The strptime format of a time such as those in the sample; None where it is ISO 8601 or has no such form."""
    match = re.match(
        r"^\s*(\d{1,4})([-./])(\d{1,2})\2(\d{1,4})([ T]+)(\d{1,2})([:.])(\d{2})(\7\d{2})?(\.\d+)?(\s*[AaPp][Mm])?\s*$",
        sample,
    )
    if not match or order == "year first":
        return None
    year = "%Y" if len(match[4]) == 4 else "%y"
    date = match[2].join(("%d", "%m", year) if order == "day first" else ("%m", "%d", year))
    clock = f"{'%I' if match[11] else '%H'}{match[7]}%M" + (f"{match[7]}%S" if match[9] else "")
    clock += ".%f" if match[10] else ""
    return date + match[5] + clock + (match[11].replace(match[11].strip(), "%p") if match[11] else "")


_NOT_A_TIME = np.iinfo(np.int64).min


def _parse_times(
    cells: NDArray[np.bytes_], order: DateOrder, zone: str | None, lines: NDArray[np.int64], faults: Faults
) -> tuple[NDArray[np.int64], NDArray[np.bool_]]:
    """UTC ms by row (the least int64 where there is none), and which rows are blank (left out without a word)."""
    import pandas as pd

    if zone in ("UTC", "Etc/UTC"):
        zone = None
    missing = np.asarray((np.char.strip(cells) if cells.dtype != np.dtype(_CELL) else cells) == b"")
    sample = next((c.decode("utf-8", "replace").strip() for c in cells[~missing][:1]), "")
    aware = bool(re.search(r"(Z|[+-]\d\d:?\d\d)\s*$", sample))
    plain = None if aware or order != "year first" else _plain_iso(cells, missing)
    if plain is not None:
        return (plain if zone is None else _localized(pd.Series(plain), zone, missing, lines, faults)), missing
    text = pd.Series(np.char.decode(cells, "utf-8", "replace")).astype(object)
    if order == "seconds since 1970":
        seconds = pd.to_numeric(text, errors="coerce").to_numpy(dtype=np.float64)
        seconds = np.where(seconds > 1e11, seconds / 1000.0, seconds)
        bad = ~np.isfinite(seconds)
        faults.add(lines[bad & ~missing], "no time in this row")
        return np.where(bad, _NOT_A_TIME, np.round(np.where(bad, 0, seconds) * 1000)).astype(np.int64), missing
    form, later = time_format(sample, order) or "ISO8601", pd.Timedelta(0)
    if "%p" in form:
        text, later = _without_half_days(text)
        form = form.replace("%I", "%H").replace("%p", "").strip()
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        parsed = pd.to_datetime(text, format=form, errors="coerce", utc=aware) + later
    unreadable = parsed.isna().to_numpy()
    faults.add(lines[unreadable & ~missing], "no time in this row")
    stamps = _milliseconds(parsed.dt.tz_localize(None) if aware else parsed)
    if aware or zone is None:
        return stamps, missing
    return _localized(pd.Series(stamps), zone, unreadable, lines, faults), missing


def _without_half_days(text: Any) -> tuple[Any, Any]:
    """Times (a pandas Series) of a face of twelve hours without am and pm, and what those add; blank where none is.

    Not left to strptime, which knows the halves of the day in the computer's language only.
    """
    import pandas as pd

    found = text.str.extract(r"^(.*[ T]0?([1-9]|1[0-2])[:.]\d.*?)\s*([ap])m\s*$", flags=re.IGNORECASE)
    noon, pm = found[1] == "12", found[2].str.lower() == "p"
    hours = pm.astype(int) * 12 - noon.astype(int) * 12
    return found[0].fillna(""), pd.to_timedelta(hours, unit="h")


def _plain_iso(cells: NDArray[np.bytes_], missing: NDArray[np.bool_]) -> NDArray[np.int64] | None:
    """Local or UTC ms of cells that are all plain ISO dates and times; None where one is not (the slow way tells)."""
    if missing.any() or not cells.size:
        return None
    letters = np.ascontiguousarray(cells).view(np.uint8).reshape(cells.size, -1)
    # NumPy would take "now" for a time: the first letters must be those of a date
    dated = (letters[:, 4] == ord("-")) & (letters[:, 7] == ord("-")) & (letters[:, 0] <= ord("9"))
    if not dated.all():
        return None
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("error")
            return np.asarray(cells.astype("datetime64[ms]").astype(np.int64))
    except (ValueError, UserWarning, DeprecationWarning):
        return None


def _milliseconds(stamps: Any) -> NDArray[np.int64]:
    found = stamps.to_numpy(dtype="datetime64[ms]").astype(np.int64)
    return np.asarray(found, dtype=np.int64)


def _localized(
    local_ms: Any, zone: str, unreadable: NDArray[np.bool_], lines: NDArray[np.int64], faults: Faults
) -> NDArray[np.int64]:
    """Local times to UTC. The hour that happens twice is told apart by the step back in the file, or not at all."""
    import pandas as pd

    count = len(local_ms)
    parsed = pd.to_datetime(local_ms.where(~unreadable), unit="ms")
    kept = {
        flag: _milliseconds(
            parsed.dt.tz_localize(zone, ambiguous=np.full(count, flag), nonexistent="NaT").dt.tz_convert(None)
        )
        for flag in (True, False)
    }
    first, second = kept[True], kept[False]
    skipped = (first == _NOT_A_TIME) & ~unreadable
    faults.add(lines[skipped], "this time did not happen: the clocks went forward")
    result = first.copy()
    twice = (first != second) & ~skipped & ~unreadable
    if twice.any():
        places = np.flatnonzero(twice)
        blocks = np.split(places, np.flatnonzero(np.diff(places) > 1) + 1)
        for block in blocks:
            back = np.flatnonzero(np.diff(first[block]) < 0)
            if back.size == 1:
                later = block[back[0] + 1 :]
                result[later] = second[later]
            else:
                result[block] = _NOT_A_TIME
                faults.add(lines[block], "this hour happened twice (clocks went back) and the file does not tell which")
    return result
