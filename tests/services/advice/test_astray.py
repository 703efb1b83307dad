"""Air that leaves its expected way back is told, with what fits it; air that keeps to it is left alone."""

from __future__ import annotations

import numpy as np
import pytest

from making import batch_with_log, instrument
from stathmis.core.psychrometrics import saturation_vapor_pressure
from stathmis.logbook.records import Channel, Event, Incubator
from stathmis.logbook.snapshot import Series
from stathmis.services import setting_up
from stathmis.services.advice import heat
from stathmis.services.desk import Desk
from stathmis.services.files import logger_import
from stathmis.words.advice import heat as said

MINUTE_MS = 60_000


def logged(desk: Desk, kind: str, minutes_ago: float) -> None:
    row = {"incubator_id": 1, "time_ms": desk.now_ms - round(minutes_ago * MINUTE_MS), "kind": kind, "note": ""}
    desk.add(kind, [(Event, row)])


def keep(desk: Desk, channel: Channel, values: np.ndarray) -> None:
    """A log of these values, one a minute, ending with the batch's own."""
    times = desk.now_ms - (values.size + 4) * MINUTE_MS + np.arange(values.size, dtype=np.int64) * MINUTE_MS
    logger_import.keep_series(desk, f"{channel.id}.csv", {channel.id: Series(times, values.round(2))})


def told(desk: Desk) -> tuple[heat.HeatAdvice, str]:
    advice = heat.advise(desk.book, desk.book.one(Incubator, 1))
    return advice, said(desk.book, advice).note


@pytest.mark.parametrize("kind", ["water", "vent", "set_point", "cool"])
@pytest.mark.parametrize(("minutes", "rest", "says"), [(100, 33.0, "look"), (100, 37.5, "wait"), (40, 33.0, "wait")])
def test_only_air_that_keeps_to_its_way_back_is_waited_for(
    desk: Desk, kind: str, minutes: int, rest: float, says: str
) -> None:
    """Cooled to 31; the heater brings it back as usual, or it comes to rest far below: then three hours are too long,
    but half an hour in, nobody can tell."""
    air = np.full(1440, 37.5)
    air[-minutes:] = rest - (rest - 31.0) * np.exp(-np.arange(minutes) / 30.0)
    batch_with_log(desk, air)
    logged(desk, kind, minutes + 5)
    advice, _note = told(desk)
    assert (advice.kind, advice.step_k) == (says, 0.0)


@pytest.mark.parametrize(("kept", "what", "says"), [(True, "power", "so it is shut"), (False, "lid", "open or ajar")])
def test_the_vapor_tells_a_lid_from_lost_heat(desk: Desk, kept: bool, what: str, says: str) -> None:
    air = np.full(1440, 37.5)
    air[-60:] = np.linspace(37.0, 31.0, 60)
    batch_with_log(desk, air)
    vapor = np.full(1440, 0.5 * saturation_vapor_pressure(37.5))
    vapor[-60:] *= 0.97 if kept else 0.5
    rh = np.minimum(100.0 * vapor / saturation_vapor_pressure(air), 96.0)
    keep(desk, instrument(desk, "Card", "humidity", step=0.1, incubator_id=1), rh)
    advice, note = told(desk)
    assert (advice.kind, [s.what for s in advice.suspects]) == ("look", [what])
    assert advice.suspects[0].share == pytest.approx(0.97 if kept else 0.5, abs=0.02)
    assert says in note


def test_a_cold_room_comes_first_and_a_fan_that_stands_is_named(desk: Desk) -> None:
    air = np.full(1440, 37.5)
    air[-60:] = 34.0
    batch_with_log(desk, air)
    room = setting_up.add_incubator(desk, "Cellar", "room")
    keep(desk, instrument(desk, "Wall", step=0.1, incubator_id=room), np.full(600, 9.0))
    other = np.full(1440, 37.3)
    other[-60:] = 36.9
    keep(desk, instrument(desk, "Back", step=0.01, incubator_id=1), other)
    advice, note = told(desk)
    assert [s.what for s in advice.suspects] == ["room", "fan"]
    assert "The room is at 9.0 °C" in note and "3.1 °C further apart" in note


@pytest.mark.parametrize(("day", "first"), [(6.0, "heater"), (17.5, "eggs")])
def test_heat_without_a_reason(desk: Desk, day: float, first: str) -> None:
    air = np.full(round(day * 1440), 37.5)
    air[-90:] = 39.3
    batch_with_log(desk, air)
    advice, _note = told(desk)
    assert advice.kind == "look" and advice.suspects[0].what == first


@pytest.mark.parametrize(("off", "kind"), [(1.4, "look"), (0.9, "wait")])
def test_air_a_degree_and_a_half_short_of_where_it_was_is_astray(desk: Desk, off: float, kind: str) -> None:
    """A lid three hours back, long past this box's way back, and the air stands still below where it should be."""
    air = np.full(1440, 37.5)
    air[-170:] = 37.5 - off
    air[-170:-160] = 32.0
    batch_with_log(desk, air)
    logged(desk, "lid", 172)
    assert told(desk)[0].kind == kind
