"""Backups in words: what each holds, whether it is sound, and what going back to it means."""

from __future__ import annotations

from datetime import datetime
from pathlib import Path

from stathmis.logbook.backups import Held
from stathmis.services.book import Book
from stathmis.words import dates
from stathmis.words.catalogue import _, ngettext
from stathmis.words.numbers import count


def about() -> str:
    """What is backed up, and when."""
    return _(
        "Each day, and when Stathmis is closed, the whole logbook is copied into the folder beside it; the newest ten "
        "are kept. Going back puts the present logbook aside, so that nothing is lost."
    )


def none_yet() -> str:
    """There is no backup."""
    return _("No backup yet: the first one is made a few seconds after the start.")


def name(path: Path, beside: Path) -> str:
    """What a backup is called in the list: its day, and where it lies when that is not beside the logbook."""
    called = path.stem
    day = called[-10:]
    try:
        called = dates.day(datetime.fromisoformat(day), weekday=True, year=True)
    except ValueError:
        # put aside by going back: "<name> put aside 2026-05-18 084000"
        words = called.rsplit("put aside ", 1)
        try:
            at = datetime.strptime(words[-1], "%Y-%m-%d %H%M%S")
        except ValueError:
            return called
        called = _("Put aside {when}", when=dates.moment(at, year=True))
    return called if path.parent == beside else _("{day}, second folder", day=called)


def holds(book: Book, found: Held) -> str:
    """What it holds and whether it is as it was written."""
    if found.last_ms is None and not found.readings and found.faults is None:
        return _("It cannot be read by this Stathmis.")
    parts = [count(found.readings, "{n} reading", "{n} readings")]
    if found.last_ms is not None:
        when = dates.moment(book.local(found.last_ms), year=True)
        parts.append(_("newest entry {when}: {label}", when=when, label=found.last))
    return "; ".join(parts)


def soundness(found: Held) -> str:
    """Whether all of it is as it was written."""
    if found.older:
        return _("from an older Stathmis; it is brought up to date when it is opened")
    if found.faults is None:
        return _("not checked")
    if found.faults:
        return ngettext("{n} thing in it is altered", "{n} things in it are altered", found.faults, n=found.faults)
    return _("as it was written")


def meaning(book: Book, found: Held) -> str:
    """What going back to it changes; said before it is done."""
    if found.last_ms is None:
        return _("The present logbook is put aside beside the backups, under its own name. Nothing in it is lost.")
    when = dates.moment(book.local(found.last_ms), year=True)
    return _(
        "The logbook will be as it was on {when}. What was entered since is then only in the logbook that is put "
        "aside; it stands in this list, and you can go back to it too.",
        when=when,
    )


def gone_back(day: str, aside: Path) -> str:
    """It was done."""
    return _(
        "The logbook is the backup of {day} now. The one before was put aside as “{name}”.", day=day, name=aside.name
    )


def only_looked_at(path: Path) -> str:
    """The title of the window a copy is looked at in."""
    return _("{name}, a copy to look at — Stathmis", name=path.stem)


def second_set() -> str:
    """The edit that sets the second folder."""
    return _("second folder for backups set")


def no_second() -> str:
    """The edit that takes it away."""
    return _("second folder for backups taken away")


def no_folder(typed: str) -> tuple[str, str]:
    """What was typed is no folder."""
    return _("{typed} is no folder that is there.", typed=typed), _("Plug the stick in, or choose another folder.")


def same_folder() -> tuple[str, str]:
    """It is where the logbook lies."""
    return _("That is where the logbook itself lies."), _(
        "Choose a folder on another disk, or one that is synchronised."
    )
