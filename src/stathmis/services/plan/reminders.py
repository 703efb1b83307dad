"""Reminders: each task is told once, when it is due, and what was due while the program was closed at its start."""

from __future__ import annotations

from stathmis.services.desk import Desk
from stathmis.services.plan import tasks
from stathmis.services.plan.tasks import Task

STALE_MS = 12 * 3_600_000
"""What was due longer ago than this is not called out any more; it still stands in the list."""


class Reminders:
    """Remembers what was told."""

    def __init__(self, desk: Desk) -> None:
        self._desk = desk
        self._told: set[tuple[str, str, int]] = set()

    def due(self) -> list[Task]:
        """Open tasks that have come due and were not told yet."""
        now = self._desk.now_ms
        found = []
        for task in tasks.today(self._desk.book):
            key = (task.subject, task.step, task.due_ms)
            if task.state == "open" and now - STALE_MS <= task.due_ms <= now and key not in self._told:
                self._told.add(key)
                found.append(task)
        return found
