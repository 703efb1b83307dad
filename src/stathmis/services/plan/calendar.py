"""The plans as a calendar file for the phone: what is still to be done, with stable identifiers."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from uuid import uuid4

from stathmis.core.errors import UserError
from stathmis.exchange import calendar_file
from stathmis.exchange.calendar_file import Entry
from stathmis.logbook import keeping
from stathmis.services.plan import tasks
from stathmis.services.plan.planning import Plan, plans
from stathmis.services.wording import count
from stathmis.services.workbench import Workbench

EARLY_WARNING = {"lockdown": 24 * 60, "set": 12 * 60, "collect": 12 * 60, "brooder": 12 * 60}
"""These alarms ring so many minutes before: something has to be fetched or made ready."""
LASTS = {"hatch": 24 * 60, "latest": 30, "lockdown": 60}


def entries(bench: Workbench, chosen: Sequence[Plan], logbook_id: str) -> list[Entry]:
    """What is still to come of some plans; skipped tasks are told as cancelled, so that the phone drops them."""
    made = []
    known = tasks.marks(bench)
    for plan in chosen:
        for task in tasks.tasks_of(bench, plan, known):
            kind = task.step.rstrip("0123456789 ")
            if task.state == "done" or task.due_ms < bench.now_ms - tasks.FORGOTTEN_MS:
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


def write(bench: Workbench, path: Path) -> str:
    """Write all plans into a calendar file, and say what is in it. Raises UserError where nothing is planned."""
    settings = keeping.settings(bench.logbook)
    logbook_id = settings.get("logbook_id", "")
    if not logbook_id:
        logbook_id = uuid4().hex
        if not bench.logbook.read_only:
            keeping.save_setting(bench.logbook, "logbook_id", logbook_id)
    made = entries(bench, plans(bench), logbook_id)
    if not made:
        raise UserError("Nothing is planned that is still to come.", "Plan a batch first.")
    text = calendar_file.calendar_text(made, bench.zone, bench.name or "Hatching", bench.now_ms)
    calendar_file.write_calendar(path, text)
    return f"{count(len(made), 'entry', 'entries')} written to {path.name}."
