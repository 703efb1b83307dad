"""A change in words: what it was and what it is now, and nothing where nothing a keeper sees changed."""

from __future__ import annotations

from stathmis.core.course.profile import Band
from stathmis.logbook.edits import Done, RowChange
from stathmis.services import knowledge
from stathmis.services.desk import Desk
from stathmis.words import changes, way

DONE = Done(1, 0, "renamed", "done", 0, 1)


def test_what_changed_is_told_and_what_did_not_is_not(desk: Desk) -> None:
    before = {"id": 1, "name": "Cupboard", "air": "still", "set_point_c": 37.5}
    told = changes.lines(desk.book, DONE, [RowChange("incubator", "1", before, {**before, "name": "Shelf"})])
    assert len(told) == 1 and "Cupboard → Shelf" in told[0] and "unchanged" not in told[0]
    (same,) = changes.lines(desk.book, DONE, [RowChange("incubator", "1", before, dict(before))])
    assert "unchanged" in same


def test_a_school_that_is_a_little_drier_is_called_drier() -> None:
    hen = knowledge.species()["chicken"]
    assert isinstance(hen.setting_rh, Band)
    assert "drier" in way.unsuited(hen, -0.5) and "moister" in way.unsuited(hen, 0.5) and way.unsuited(hen, 0.0) == ""
