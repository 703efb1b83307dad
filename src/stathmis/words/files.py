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
