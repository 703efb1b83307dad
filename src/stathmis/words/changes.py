"""What an edit changed, in words: each row entered, changed or struck, with what stood there before."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from stathmis.logbook.edits import Done, RowChange
from stathmis.services.book import Book
from stathmis.words import dates
from stathmis.words.catalogue import N_, Spoken, _, decimal_sign

STATES = Spoken(
    {
        "done": "",
        "undone": N_("taken back"),
        "overtaken": N_("taken back for good"),
        "noted": N_("noted by itself"),
    }
)
KINDS = Spoken(
    {
        "away": N_("days away"),
        "batch": N_("batch"),
        "break_out": N_("opened egg"),
        "budget_line": N_("influence on a check"),
        "calibration": N_("check"),
        "calibration_point": N_("point of a check"),
        "certificate_point": N_("point of a certificate"),
        "channel": N_("display of an instrument"),
        "delivery": N_("eggs as they came"),
        "dropped_state": N_("settled state left out"),
        "earlier_way": N_("what was followed before"),
        "egg": N_("egg"),
        "egg_finding": N_("finding at an egg"),
        "egg_size": N_("size of an egg"),
        "event": N_("event"),
        "forecast": N_("what was foreseen"),
        "incubator": N_("incubator"),
        "instrument": N_("instrument"),
        "logger_import": N_("logger's file"),
        "own_species": N_("species of your own"),
        "pairing": N_("pairing"),
        "placement": N_("place of an instrument"),
        "plan": N_("plan"),
        "plan_move": N_("step moved"),
        "probe": N_("live probe"),
        "profile": N_("profile"),
        "reading": N_("reading"),
        "shell_series": N_("shells measured"),
        "setting": N_("setting"),
        "stay": N_("stay in a machine"),
        "survey": N_("comparison of places"),
        "survey_point": N_("place compared"),
        "task_mark": N_("task"),
        "watched_folder": N_("watched folder"),
        "water_surface": N_("water surface"),
        "weighing": N_("weighing"),
    }
)
FIELDS = (
    N_("about"),
    N_("accuracy"),
    N_("air"),
    N_("air cell"),
    N_("at"),
    N_("at egg top"),
    N_("bad"),
    N_("batch"),
    N_("baud"),
    N_("between checks"),
    N_("breadth"),
    N_("breed"),
    N_("calibration"),
    N_("capacity"),
    N_("channel"),
    N_("chi square"),
    N_("coefficients"),
    N_("columns"),
    N_("conditions"),
    N_("cooling"),
    N_("correction"),
    N_("count"),
    N_("covariance"),
    N_("coverage factor"),
    N_("cracked"),
    N_("dated"),
    N_("day count"),
    N_("days"),
    N_("days high"),
    N_("days low"),
    N_("degrees of freedom"),
    N_("detail"),
    N_("device"),
    N_("direction"),
    N_("dirty"),
    N_("distribution"),
    N_("domain high"),
    N_("domain low"),
    N_("done"),
    N_("drift per year"),
    N_("duplicate"),
    N_("egg"),
    N_("egg top cm"),
    N_("eggs"),
    N_("ended"),
    N_("every"),
    N_("expanded uncertainty"),
    N_("expires"),
    N_("fan"),
    N_("fields"),
    N_("file name"),
    N_("flicker"),
    N_("folder"),
    N_("from"),
    N_("from place"),
    N_("good"),
    N_("habits"),
    N_("half band k"),
    N_("height cm"),
    N_("high"),
    N_("imported"),
    N_("incubator"),
    N_("inked"),
    N_("instrument"),
    N_("kept"),
    N_("kind"),
    N_("label"),
    N_("laid"),
    N_("layout"),
    N_("length"),
    N_("lockdown high"),
    N_("lockdown low"),
    N_("loss percent"),
    N_("low"),
    N_("made"),
    N_("mark"),
    N_("mass"),
    N_("method"),
    N_("minutes"),
    N_("model"),
    N_("mother"),
    N_("name"),
    N_("note"),
    N_("odd"),
    N_("opening"),
    N_("over"),
    N_("paired"),
    N_("pivot"),
    N_("place"),
    N_("plan"),
    N_("position"),
    N_("quantity"),
    N_("reading"),
    N_("received"),
    N_("reference"),
    N_("reference calibration"),
    N_("reference channel"),
    N_("reference shown"),
    N_("regime"),
    N_("residual"),
    N_("resolution"),
    N_("response"),
    N_("rested h"),
    N_("role"),
    N_("room"),
    N_("scale"),
    N_("sensitivity"),
    N_("set"),
    N_("set point"),
    N_("setting high"),
    N_("setting low"),
    N_("shown"),
    N_("signs"),
    N_("since"),
    N_("slope allowance"),
    N_("source"),
    N_("species"),
    N_("stage"),
    N_("standard uncertainty"),
    N_("state"),
    N_("step"),
    N_("stop turning day"),
    N_("subject"),
    N_("surface"),
    N_("survey"),
    N_("text"),
    N_("time"),
    N_("to"),
    N_("to place"),
    N_("tray"),
    N_("typed"),
    N_("u of the reading"),
    N_("u of the reference"),
    N_("u of its own"),
    N_("unit"),
    N_("valid from"),
    N_("value"),
    N_("volume"),
    N_("water"),
    N_("why"),
    N_("widened"),
)
"""What a record keeps, as it is called; what is not here is called as it is kept."""
SETTINGS = (N_("time zone"), N_("altitude m"), N_("temperature unit"), N_("second backups"))
_OWN_U = {"u_reading": "u of the reading", "u_reference": "u of the reference", "u_own": "u of its own"}
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
    return said + ([_("and {touched} more", touched=done.touched - len(rows))] if done.touched > len(rows) else [])


def _line(book: Book, row: RowChange) -> str:
    what = KINDS.get(row.of, row.of.replace("_", " "))
    if row.of == "setting":
        before, after = ((state or {}).get("value") or _("nothing") for state in (row.before, row.after))
        return f"{what} {_(row.row.replace('_', ' '))}: {before} → {after}"
    known = row.after or row.before or {}
    name = _name(known)
    if row.before is None:
        return _("{what}{name}: entered", what=what, name=name)
    if row.after is not None and row.before.get("withdrawn_ms") != row.after.get("withdrawn_ms"):
        why = row.after.get("withdrawn_why")
        return _("{what}{name}: struck{why}", what=what, name=name, why=f" ({why})" if why else "")
    changed = [n for n in known if n not in _QUIET and (row.before or {}).get(n) != known.get(n)]
    parts = [f"{_field(n)} {_value(book, n, (row.before or {}).get(n))} → {_value(book, n, known[n])}" for n in changed]
    return f"{what}{name}: {'; '.join(parts) or _('unchanged')}"


def record(book: Book, of: str, there: dict[str, Any], should_be: dict[str, Any]) -> str:
    """A record, and what of it is other than it should be: "reading 37.6: value 37.625, was 37.6"."""
    what = KINDS.get(of, of.replace("_", " ")) + _name(should_be or there)
    other = [n for n in should_be if n in there and there[n] != should_be[n]]
    said = [
        _(
            "{field} {value}, was {before}",
            field=_field(n),
            value=_value(book, n, there[n]),
            before=_value(book, n, should_be[n]),
        )
        for n in other
    ]
    return _("{what}: {said}", what=what, said="; ".join(said) or _("is not there any more"))


def _name(known: dict[str, Any]) -> str:
    return next((f" {_short(known[n])}" for n in _TELLING if known.get(n) not in (None, "")), "")


def _field(name: str) -> str:
    for end in ("_ms", "_id", *_UNITS):
        name = name.removesuffix(end)
    return _(_OWN_U.get(name, name.replace("_", " ")))


def _value(book: Book, name: str, value: Any) -> str:
    if value is None or value == "":
        return _("nothing")
    if name.endswith("_ms") and isinstance(value, int):
        at = book.local(value)
        return dates.moment(at)
    unit = next((unit for end, unit in _UNITS.items() if name.endswith(end)), "")
    return f"{_short(value)} {unit}".rstrip()


def _short(value: Any) -> str:
    # what is kept as a key, and a number, is said in the window's language
    text = str(value).replace(".", decimal_sign()) if isinstance(value, float) else _(str(value))
    return text if len(text) <= LONGEST else text[: LONGEST - 1] + "…"
