"""Whether the logbook's file still is as it was written: on request, and once a week beside other work."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import NamedTuple

from stathmis.logbook import backups, checking
from stathmis.logbook.checksums import Damage
from stathmis.services.clock import DAY_MS
from stathmis.services.desk import Desk

EVERY_MS = 7 * DAY_MS


class Checked(NamedTuple):
    """What was found altered, and, if anything was, the newest backup without a fault."""

    damages: list[Damage]
    backup: Path | None


def checked(desk: Desk, progress: Callable[[float], None], cancelled: Callable[[], bool]) -> Checked:
    """Check the logbook's file, and its backups where it is altered. Raises LogbookError where it cannot be read."""
    found = checking.check(desk.logbook, cancelled)
    backup = backups.newest_good(desk.logbook.path, cancelled) if found else None
    return Checked(found, backup)


def is_due(last_ms: int | None, now_ms: int) -> bool:
    """Whether a week went by since the last check (UTC ms; None: there was none); one in the future does not count."""
    return last_ms is None or not last_ms <= now_ms < last_ms + EVERY_MS
