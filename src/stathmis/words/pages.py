"""What will stand on a page that is empty, and what to do for it."""

from __future__ import annotations

from stathmis.words.catalogue import _


def empty(page: str) -> str:
    """A page's own words while there is nothing on it yet."""
    set_one = _("Set a batch under Enter or change (Ctrl+N).")
    no_batch = {
        "trace": _("No batch is set here, so there is no run to draw. Here its readings stand as curves."),
        "moisture": _(
            "No batch is set here, so there is nothing to weigh. Here the eggs' loss tells what humidity they need."
        ),
        "eggs": _("No batch is set here. Here lies its tray: each egg by its mark, and what was seen in it."),
        "hatch": _("No batch is set here. Here stands what is coming, what must be ready, and whether to open."),
        "take-off": _("No batch is set here. Here chicks are taken off and counted, and the batch is ended."),
        "opened": _("No batch is set here. Here eggs that did not hatch are opened, and what is seen is noted."),
        "review": _("No batch is set here. Here stands what a batch teaches: causes, days, what to change."),
        "way": _("No batch is set. Here stands how each is kept: humidity, turning, cooling, lockdown."),
    }
    if page in no_batch:
        return f"{no_batch[page]} {set_one}"
    return {
        "records": _("No batch is set yet. Here all batches stand, with what hatched, season by season. ") + set_one,
        "live": _("No probe yet. Here stands what each reads; give its device below, or start a simulated one."),
        "instruments": _(
            "No instrument yet. Here stands what each one's readings need added, and how sure that is. Enter one under "
            "Enter or change (Ctrl+N)."
        ),
    }[page]
