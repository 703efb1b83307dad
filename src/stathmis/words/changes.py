"""What an edit changed, in words: each row entered, changed or struck, with what stood there before."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from stathmis.logbook.edits import Done, RowChange
from stathmis.services.book import Book
from stathmis.words import dates

STATES = {"done": "", "undone": "taken back", "overtaken": "taken back for good", "noted": "noted by itself"}
KINDS = {
    "away": "days away",
    "batch": "batch",
    "break_out": "opened egg",
    "budget_line": "influence on a check",
    "calibration": "check",
    "calibration_point": "point of a check",
    "certificate_point": "point of a certificate",
    "channel": "display of an instrument",
    "delivery": "eggs as they came",
    "dropped_state": "settled state left out",
    "earlier_way": "what was followed before",
    "egg": "egg",
    "egg_finding": "finding at an egg",
    "egg_size": "size of an egg",
    "event": "event",
    "forecast": "what was foreseen",
    "incubator": "incubator",
    "instrument": "instrument",
    "logger_import": "logger's file",
    "own_species": "species of your own",
    "placement": "place of an instrument",
    "plan": "plan",
    "plan_move": "step moved",
    "probe": "live probe",
    "profile": "profile",
    "reading": "reading",
    "setting": "setting",
    "stay": "stay in a machine",
    "survey": "comparison of places",
    "survey_point": "place compared",
    "task_mark": "task",
    "watched_folder": "watched folder",
    "water_surface": "water surface",
    "weighing": "weighing",
}
_QUIET = ("id", "withdrawn_ms", "withdrawn_why", "logged_ms")
_TELLING = ("name", "mark", "typed", "label", "file_name", "kind", "step", "place", "folder", "note", "value")
LONGEST = 60
_UNITS = {"_c": "°C", "_g": "g", "_s": "s", "_cm2": "cm²", "_ml": "ml", "_mm": "mm", "_m": "m"}


def title(done: Done) -> str:
    """The edit, and whether it still stands."""
    state = STATES.get(done.state, done.state)
    return done.label + (f" ({state})" if state else "")


def when(book: Book, done: Done) -> str:
    """When it was made: "Mon 18 May 08:40"."""
    at = book.local(done.at_ms)
    return dates.moment(at, weekday=True)


def lines(book: Book, done: Done, rows: Sequence[RowChange]) -> list[str]:
    """The rows an edit touched, or the first of them."""
    said = [_line(book, row) for row in rows]
    return said + ([f"and {done.touched - len(rows)} more"] if done.touched > len(rows) else [])


def _line(book: Book, row: RowChange) -> str:
    what = KINDS.get(row.of, row.of.replace("_", " "))
    if row.of == "setting":
        before, after = ((state or {}).get("value") or "nothing" for state in (row.before, row.after))
        return f"{what} {row.row.replace('_', ' ')}: {before} → {after}"
    known = row.after or row.before or {}
    name = _name(known)
    if row.before is None:
        return f"{what}{name}: entered"
    if row.after is not None and row.before.get("withdrawn_ms") != row.after.get("withdrawn_ms"):
        why = row.after.get("withdrawn_why")
        return f"{what}{name}: struck{f' ({why})' if why else ''}"
    changed = [n for n in known if n not in _QUIET and (row.before or {}).get(n) != known.get(n)]
    parts = [f"{_field(n)} {_value(book, n, (row.before or {}).get(n))} → {_value(book, n, known[n])}" for n in changed]
    return f"{what}{name}: {'; '.join(parts) or 'unchanged'}"


def record(book: Book, of: str, there: dict[str, Any], should_be: dict[str, Any]) -> str:
    """A record, and what of it is other than it should be: "reading 37.6: value 37.625, was 37.6"."""
    what = KINDS.get(of, of.replace("_", " ")) + _name(should_be or there)
    other = [n for n in should_be if n in there and there[n] != should_be[n]]
    said = [f"{_field(n)} {_value(book, n, there[n])}, was {_value(book, n, should_be[n])}" for n in other]
    return f"{what}: {'; '.join(said) or 'is not there any more'}"


def _name(known: dict[str, Any]) -> str:
    return next((f" {_short(known[n])}" for n in _TELLING if known.get(n) not in (None, "")), "")


def _field(name: str) -> str:
    for end in ("_ms", "_id", *_UNITS):
        name = name.removesuffix(end)
    return name.replace("_", " ")


def _value(book: Book, name: str, value: Any) -> str:
    if value is None or value == "":
        return "nothing"
    if name.endswith("_ms") and isinstance(value, int):
        at = book.local(value)
        return dates.moment(at)
    unit = next((unit for end, unit in _UNITS.items() if name.endswith(end)), "")
    return f"{_short(value)} {unit}".rstrip()


def _short(value: Any) -> str:
    text = str(value)
    return text if len(text) <= LONGEST else text[: LONGEST - 1] + "…"
