"""What was done to a machine, in words."""

from __future__ import annotations

from typing import Any

import pytest

from stathmis.logbook.records import Event
from stathmis.services.desk import Desk
from stathmis.words.events import event_words, opening_words


@pytest.mark.parametrize(
    ("opening", "says"),
    [
        (0.0, "closed"), (0.019, "closed"), (0.1, "10 % open"), (0.25, "a quarter open"), (0.28, "28 % open"),
        (1 / 3, "a third open"), (0.4, "40 % open"), (0.5, "half open"), (0.75, "three quarters open"),
        (0.9, "90 % open"), (1.0, "fully open"),
    ],
)  # fmt: skip
def test_how_far_a_vent_is_open(opening: float, says: str) -> None:
    assert opening_words(opening) == says


@pytest.mark.parametrize(
    ("kind", "more", "says"),
    [
        ("water", {}, "Water added"),
        ("water", {"note": "long trough"}, "Water added: long trough"),
        ("vent", {"opening": 0.5}, "Vent changed: half open"),
        ("vent", {"opening": 0.5, "note": "as the chicks asked"}, "Vent changed: as the chicks asked"),
        ("vent", {}, "Vent changed"),
        ("water", {"opening": 0.5}, "Water added"),
        ("turn", {"detail": "X"}, "Turned: X up"),
        ("lid", {"detail": "open"}, "Lid opened: open"),
        ("lid", {"minutes": 12.4, "detail": "shut"}, "Lid opened: shut after 12 min"),
        ("power", {"minutes": 180.0, "room_c": 18.04}, "Power cut: 3 h, room 18.0 °C"),
        ("power", {"minutes": 59.0}, "Power cut: 59 min"),
        ("cool", {"minutes": 60.0}, "Cooled: 1 h"),
        ("alarm", {"detail": "hot, seen"}, "Alarm: air dangerously hot, seen"),
        ("moon_phase", {}, "Moon phase"),
    ],
)
def test_an_event(desk: Desk, kind: str, more: dict[str, Any], says: str) -> None:
    event = Event(**{"id": 1, "incubator_id": 1, "time_ms": 0, "kind": kind, "note": "", **more})
    assert event_words(desk.book, event) == says
