"""The plans as a calendar file for the phone: what is still to be done, with stable identifiers."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from uuid import uuid4

from stathmis.core.errors import UserError
from stathmis.exchange import calendar_file
from stathmis.exchange.calendar_file import Entry
from stathmis.services.book import Book
from stathmis.services.desk import Desk
from stathmis.services.plan import tasks
from stathmis.services.plan.planning import Plan, plans
from stathmis.words.catalogue import _
from stathmis.words.numbers import count
from stathmis.words.plan import tasks as say

EARLY_WARNING = {"lockdown": 24 * 60, "set": 12 * 60, "collect": 12 * 60, "brooder": 12 * 60}
"""These alarms ring so many minutes before: something has to be fetched or made ready."""
LASTS = {"hatch": 24 * 60, "latest": 30, "lockdown": 60}


def entries(book: Book, chosen: Sequence[Plan], logbook_id: str) -> list[Entry]:
    """What is still to come of some plans; skipped tasks are told as cancelled, so that the phone drops them."""
    made = []
    known = tasks.marks(book)
    for plan in chosen:
        for task in tasks.tasks_of(book, plan, known):
            kind = task.step.rstrip("0123456789 ")
            if task.state == "done" or task.due_ms < book.now_ms - tasks.FORGOTTEN_MS:
                continue
            text = "\n".join(t for t in (task.why, task.how, task.caution) if t)
            made.append(
                Entry(
                    f"{logbook_id}-{task.subject}-{task.step}".replace(" ", "-") + "@stathmis",
                    f"{task.title}: {task.about}",
                    text,
                    task.incubator.name,
                    task.due_ms,
                    LASTS.get(kind, 30),
                    EARLY_WARNING.get(kind, 60),
                    task.state == "skipped",
                )
            )
    return made


def write(desk: Desk, path: Path) -> str:
    """Write all plans into a calendar file, and say what is in it. Raises UserError where nothing is planned."""
    logbook_id = desk.book.settings.logbook_id
    if not logbook_id:
        logbook_id = uuid4().hex
        if not desk.read_only:
            with desk.edit(_("calendar begun"), undoable=False) as edit:
                edit.set("logbook_id", logbook_id)
    made = entries(desk.book, plans(desk.book), logbook_id)
    if not made:
        raise UserError(*say.NOTHING_IS_PLANNED_THAT_IS())
    text = calendar_file.calendar_text(made, desk.book.zone, desk.book.name or _("Hatching"), desk.now_ms)
    calendar_file.write_calendar(path, text)
    return _("{entrys} written to {path}.", entrys=count(len(made), "{n} entry", "{n} entries"), path=path.name)
