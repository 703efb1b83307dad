"""What a keeper says about the box: states left out of it, and how the vents are held at lockdown."""

from __future__ import annotations

from stathmis.logbook.records import DroppedState, Incubator
from stathmis.services.desk import Desk
from stathmis.services.findings.states import FoundState
from stathmis.words.catalogue import _


def drop(desk: Desk, incubator: Incubator, found: FoundState) -> None:
    """Leave a state out of the fit from now on; undoable."""
    desk.add(_("state left out"), [(DroppedState, {"incubator_id": incubator.id, "since_ms": found.since_ms})])


def include(desk: Desk, found: FoundState) -> None:
    """Use a state again; undoable."""
    if found.dropped_id is not None:
        desk.strike(_("state used again"), DroppedState, [found.dropped_id])


def choose_vent_habit(desk: Desk, habit: str) -> None:
    """Hold the vents at lockdown by another habit; undoable."""
    with desk.edit(_("vents at lockdown")) as edit:
        edit.set("lockdown_vents", habit)
