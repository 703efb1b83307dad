"""What is wrong with a file, in words."""

from __future__ import annotations

from pathlib import Path

from stathmis.words.catalogue import _


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
