"""Backups as a keeper deals with them: each day, the second folder, what there is to go back to."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path

from stathmis.core.errors import UserError
from stathmis.logbook import backups
from stathmis.logbook.backups import Held
from stathmis.services.book import Book
from stathmis.services.desk import Desk
from stathmis.words import backups as words


def back_up(desk: Desk, *, again: bool = False) -> None:
    """Today's backup, beside the logbook and in the second folder; again: as it is by now.

    Raises LogbookError where one of them cannot be written.
    """
    backups.daily(desk.logbook, f"{desk.book.local(desk.now_ms):%Y-%m-%d}", again=again)
    folder = second_folder(desk.book)
    if folder is not None and not desk.read_only:
        backups.second(desk.logbook.path, folder)


def second_folder(book: Book) -> Path | None:
    """Where backups are put as well, None where nothing is set."""
    return Path(book.settings.backup_folder) if book.settings.backup_folder else None


def set_second_folder(desk: Desk, typed: str) -> None:
    """Put backups into this folder too (nothing typed: no longer); undoable.

    Raises UserError for what is no folder that is there, or is on the way already.
    """
    if not typed.strip():
        with desk.edit(words.no_second()) as edit:
            edit.set("backup_folder", "")
        return
    folder = Path(typed.strip()).expanduser()
    try:
        there = folder.is_absolute() and folder.is_dir()
    except (OSError, ValueError):
        there = False
    if not there:
        raise UserError(*words.no_folder(typed.strip()))
    if folder.resolve() == desk.logbook.path.resolve().parent:
        raise UserError(*words.same_folder())
    with desk.edit(words.second_set()) as edit:
        edit.set("backup_folder", str(folder))


def there_are(desk: Desk) -> list[Path]:
    """All backups there are to go back to, of both folders, and what was put aside."""
    return backups.all_of(desk.logbook.path, second_folder(desk.book))


def looked_through(paths: list[Path], cancelled: Callable[[], bool]) -> Iterator[Held]:
    """What each holds; reads every one of them whole."""
    for path in paths:
        if cancelled():
            return
        yield backups.held(path, cancelled)
