"""What is wrong with a file, in words."""

from __future__ import annotations

from pathlib import Path

from stathmis.words.catalogue import _


def older_words(path: Path) -> tuple[str, str]:
    """A file of an older version, which only the window brings up to date."""
    return (
        _("{name} was written by an older Stathmis.", name=path.name),
        _("Open it in the window once: that brings it up to date."),
    )


def lost_words(path: Path) -> tuple[str, str]:
    """The logbook's file is not there any more, and what to do."""
    return (
        _("{name} was moved, renamed, deleted or replaced; nothing was logged.", name=path.name),
        _("Put it back as {path}, or close Stathmis and open it where it is.", path=path),
    )


def disk_words(path: Path) -> tuple[str, str]:
    """The disk itself answers with an error, and what to do."""
    return (
        _("The disk that holds {name} cannot be read or written just now; nothing was logged.", name=path.name),
        _("Is the stick or the network folder still there? Log it again once it is."),
    )


def taken_over() -> str:
    """The edit that tells of what an older file held."""
    return _("taken over from an older file")


def no_backup() -> tuple[str, str]:
    """Today's copy beside the logbook could not be made."""
    return _("Today's backup could not be written."), _("Check the space left on the disk.")


def no_second_backup(folder: Path) -> tuple[str, str]:
    """The copy in the second folder could not be made."""
    return (
        _("Today's backup is beside the logbook only: the second folder, {folder}, cannot be written.", folder=folder),
        _("Is the stick or the network folder there? It is tried again each hour."),
    )


def not_gone_back(backup: Path, why: str) -> tuple[str, str]:
    """A backup could not be put in the logbook's place."""
    return (
        _("The backup {name} could not be put in place: {why}. The logbook is as it was.", name=backup.name, why=why),
        _("Check the space left on the disk and the folder's permissions."),
    )
