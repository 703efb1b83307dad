"""What a check of the logbook's file found, in words: what was altered, of when, and what it was."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from stathmis.logbook.checksums import Damage
from stathmis.logbook.records import Channel, Instrument
from stathmis.services.book import Book
from stathmis.words import changes, dates
from stathmis.words.catalogue import _, ngettext

MOST = 8
_TIMES = ("time_ms", "done_ms", "at_ms", "from_ms", "imported_ms")


def sound() -> str:
    """Nothing was altered."""
    return _("The logbook is as it was written: every reading, check, edit and setting agrees with its checksum.")


def summary(found: Sequence[Damage], backup: Path | None) -> str:
    """How much was altered, and what to do."""
    much = ngettext(
        "One thing in the logbook is not as it was written; the disk may be failing.",
        "{n} things in the logbook are not as they were written; the disk may be failing.",
        len(found),
        n=len(found),
    )
    if backup is None:
        return much + " " + _("No backup without a fault was found. Copy the file to another disk now.")
    then = _(
        "Copy it to another disk. The newest backup without a fault is “{name}”, in the folder “{folder}”.",
        name=backup.name,
        folder=backup.parent.name,
    )
    return f"{much} {then}"


def in_short(book: Book, found: Sequence[Damage], backup: Path | None) -> str:
    """How much was altered, the first of it, and what to do."""
    return _("{summary} It begins with: {line}.", summary=summary(found, backup), line=_line(book, found[0]))


def lines(book: Book, found: Sequence[Damage]) -> list[str]:
    """What was altered, a line each; of very many the first."""
    more = len(found) - MOST
    return [_line(book, damage) for damage in found[:MOST]] + ([_("and {n} more", n=more)] if more > 0 else [])


def _line(book: Book, damage: Damage) -> str:
    about = damage.about
    if damage.of == "file":
        return _("the file's own structure: {said}", said=damage.row)
    if damage.of == "chunk":
        first, last = (_moment(book, about.get(name)) for name in ("first_ms", "last_ms"))
        whose = _channel(book, about.get("channel_id"))
        return _("logger readings of {whose}, {first} to {last}", whose=whose, first=first, last=last)
    if damage.of == "edit":
        when = _moment(book, about.get("at_ms"))
        return _("what was noted about “{label}”, {when}", label=about.get("label"), when=when)
    if damage.of == "live_reading":
        whose, at_ms = _channel(book, about.get("channel_id")), _moment(book, about.get("time_ms"))
        return _("live reading {shown} of {whose}, {when}", shown=about.get("shown"), whose=whose, when=at_ms)
    if damage.of == "setting" and damage.should_be is None:
        return _("the setting {name}: {value}", name=damage.row, value=about.get("value"))
    said = changes.record(book, damage.of, about, damage.should_be or {})
    at = next((about[name] for name in _TIMES if about.get(name) is not None), None)
    return f"{said} ({_moment(book, at)})" if at is not None else said


def _channel(book: Book, channel_id: object) -> str:
    known = next((c for c in book.records(Channel) if c.id == channel_id), None)
    names = [i.name for i in book.records(Instrument) if known is not None and i.id == known.instrument_id]
    return names[0] if names else _("an unknown instrument")


def _moment(book: Book, ms: object) -> str:
    try:
        return dates.moment(book.local(float(ms)), year=True)  # type: ignore[arg-type]
    except (TypeError, ValueError, OverflowError, OSError):
        return _("an unknown time")
