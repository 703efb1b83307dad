"""From a simulated incubator through its logger's file and the keeper's notes to the humidity of mixes never tried."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from types import SimpleNamespace
from typing import Any

import numpy as np
import pytest

import making
from making import instrument, put_to_use, reference, typed
from stathmis.core.airbox import SteadyState
from stathmis.devices.simulated_incubator import Machine, SimulatedIncubator, SimulatedSensor, record
from stathmis.logbook.records import Incubator
from stathmis.logbook.snapshot import Series
from stathmis.services import rounds, setting_up
from stathmis.services.clock import DAY_MS
from stathmis.services.desk import Desk
from stathmis.services.files import logger_import
from stathmis.services.findings import box, states
from stathmis.services.findings.box import BoxSheet
from stathmis.services.moisture import water
from stathmis.words import box as box_words

HOUR_MS = 3_600_000
MACHINE = Machine(
    water_cm2=0.0,
    vent=0.5,
    eggs=0,
    heater_w=60.0,
    heater_lag_s=120.0,
    air_j_per_k=5000.0,
    room_rh=42.0,
    room_swing_k=0.8,
    evaporation_l_s_cm2=0.0024,
    leak_l_s=0.03,
    vent_l_s=0.18,
)
TRIED = ((0.0, 0.5), (90.0, 0.5), (90.0, 0.25), (240.0, 0.5), (240.0, 1.0))


def truth(surface: float, vent: float) -> float:
    """What the simulated box truly settles to, mean of an hour."""
    found = SimulatedIncubator(replace(MACHINE, water_cm2=surface, vent=vent), longest_step_s=20.0)
    found.state.air_c = found.state.shell_c = 37.4
    found.step(4 * 3600.0)
    seen = []
    for _ in range(60):
        found.step(60.0)
        seen.append(found.rh)
    return float(np.mean(seen))


def changed(surface: float, vent: float) -> Callable[[SimulatedIncubator], None]:
    def happen(found: SimulatedIncubator) -> None:
        found.machine.water_cm2, found.machine.vent = surface, vent

    return happen


@pytest.fixture
def read(desk: Desk) -> tuple[Desk, Incubator]:
    """A machine whose hygrometer reads 4 % too high and was checked, with two troughs, five settings of 5 h each."""
    made = setting_up.add_incubator(desk, "Cabinet", "forced", 37.5)
    incubator = desk.book.one(Incubator, made)
    lab = reference(desk, "Lab hygrometer", "humidity")
    moist = instrument(desk, "Moist", "humidity", step=0.1, incubator_id=made)
    put_to_use(desk, typed(desk, moist, [("37.0 37.1", "33.0"), ("64.0 64.1", "60.0")], against=lab), 0)
    room = setting_up.add_incubator(desk, "Egg room", "room")
    wall_c = instrument(desk, "Wall", "temperature", incubator_id=room, accuracy=0.5)
    wall_rh = instrument(desk, "Wall dial", "humidity", incubator_id=room, accuracy=3.0)
    small = water.add_surface(desk, incubator, "cup", "90", "80")
    large = water.add_surface(desk, incubator, "trough", "15 x 10", "200")
    wet = {0.0: {}, 90.0: {small: 1.0}, 240.0: {small: 1.0, large: 1.0}}
    minutes, each = 300 * len(TRIED), 300
    start = desk.now_ms - (minutes + 10) * 60_000
    now = desk.now_ms
    for i, (surface, vent) in enumerate(TRIED):
        desk.clock.at_ms = start + i * each * 60_000  # type: ignore[attr-defined]
        water.log_change(desk, incubator, wet[surface], vent, desk.now_ms)
    desk.clock.at_ms = now  # type: ignore[attr-defined]
    happenings = [(float(i * each), changed(*mix)) for i, mix in enumerate(TRIED)]
    simulated = SimulatedIncubator(MACHINE, longest_step_s=20.0)
    simulated.state.air_c = simulated.state.shell_c = 37.4
    seen = record(simulated, minutes, happenings)
    shown = SimulatedSensor(4.0, 1.0, 0.0, 0.1, 0.1, 120.0).series(seen.rh, 60.0, np.random.default_rng(2))
    times = start + np.arange(minutes, dtype=np.int64) * 60_000
    logger_import.keep_series(desk, "m.csv", {moist.id: Series(times, shown)})
    new = []
    for i in range(0, minutes, 240):
        for channel, row in ((wall_c, seen.room_c), (wall_rh, seen.room_rh)):
            text = f"{row[i]:.1f}"
            new.append((channel.id, int(times[i]), float(text), channel.unit, text))
    making.typed_in(desk, new)
    return desk, incubator


def sheet(read: tuple[Desk, Incubator]) -> BoxSheet:
    return box.box_sheet(read[0].book, read[1], None)


def test_untried_mixes_are_what_the_box_truly_gives(read: tuple[Desk, Incubator]) -> None:
    found = sheet(read)
    assert found.used == len(TRIED), [s.problem for s in found.states]
    for state, mix in zip(found.states, TRIED, strict=True):
        assert state.state is not None and state.state.rh == pytest.approx(truth(*mix), abs=2.0), "corrected, not shown"
    checked = 0
    for row in found.grids["now"].cells:
        for cell in row:
            mix = (cell.combination.surface_cm2, cell.opening)
            if mix not in TRIED and cell.rh < 80:
                assert abs(cell.rh - truth(*mix)) <= cell.U + 0.5, (mix, cell.rh, cell.U, truth(*mix))
                assert cell.U <= 6.0
                checked += 1
    assert checked >= 6


def test_what_is_typed_by_hand_says_less_but_not_wrong(desk: Desk) -> None:
    """Two rounds a day on a dial: the predictions are wider, and hold the truth."""
    made = setting_up.add_incubator(desk, "Box", "forced")
    incubator = desk.book.one(Incubator, made)
    dial = instrument(desk, "Dial", "humidity", incubator_id=made, accuracy=3.0)
    cup = water.add_surface(desk, incubator, "cup", "90", "")
    now = desk.now_ms
    new = []
    for i, (surface, vent) in enumerate(((0.0, 0.5), (90.0, 0.5), (90.0, 1.0))):
        at = now - (6 - 2 * i) * DAY_MS
        desk.clock.at_ms = at  # type: ignore[attr-defined]
        water.log_change(desk, incubator, {cup: 1.0} if surface else {}, vent, at)
        for hours in (9, 21, 33):
            text = f"{truth(surface, vent):.0f}"
            new.append((dial.id, at + hours * HOUR_MS, float(text), dial.unit, text))
    desk.clock.at_ms = now  # type: ignore[attr-defined]
    making.typed_in(desk, new)
    found = box.box_sheet(desk.book, incubator, None)
    assert found.used == 3 and found.room is None
    assert "Room air not read lately" in " ".join(box_words.why(desk.book, found))
    narrow = next(c for row in found.grids["now"].cells for c in row if c.opening == 0.25 and c.combination.names)
    assert narrow.U > 3.0 and abs(narrow.rh - truth(narrow.combination.surface_cm2, 0.25)) <= narrow.U


def test_amounts_poured_give_the_time_a_filling_lasts(read: tuple[Desk, Incubator]) -> None:
    desk, incubator = read
    before = sheet(read)
    assert before.lasts is not None and before.lasts[1] > 0.25, "without an amount it is a wide guess"
    # about 3 ml an hour from 240 cm² in this box, over the five hours since water went in
    rounds.log_event(desk, incubator, "water", "15 ml", desk.now_ms)
    after = sheet(read)
    assert after.lasts is not None and after.lasts[1] < before.lasts[1]
    said = " ".join(box_words.lines(desk.book, after))
    assert "A filling lasts about" in said


@pytest.mark.parametrize(
    ("minutes", "surface", "amount", "counted"),
    [(61, "240", "15 ml", True), (59, "240", "15 ml", False), (61, "0", "15 ml", False), (61, "240", "", False)],
)
def test_what_went_between_two_refills_counts_with_amount_surface_and_an_hour(
    read: tuple[Desk, Incubator], minutes: int, surface: str, amount: str, counted: bool
) -> None:
    desk, incubator = read
    kept = {s.id: 1.0 if surface != "0" else 0.0 for s in water.surfaces(desk.book, incubator)}
    first, second = desk.now_ms - (minutes + 5) * 60_000, desk.now_ms - 5 * 60_000
    water.log_change(desk, incubator, kept, 0.5, first)
    rounds.log_event(desk, incubator, "water", "", first)
    air = states.air_of(desk.book, incubator, 0, desk.now_ms)
    before = states.evaporated(desk.book, incubator, air, desk.now_ms)
    rounds.log_event(desk, incubator, "water", amount, second)
    after = states.evaporated(desk.book, incubator, air, desk.now_ms)
    assert len(after) - len(before) == counted
    if counted:
        assert after[-1].ml_per_h == pytest.approx(15.0 / (minutes / 60.0)) and after[-1].surface_cm2 > 0
        assert after[-1].u_ml_per_h == pytest.approx(0.15 * after[-1].ml_per_h)


def test_a_basin_put_in_is_filled_not_made_up_for(read: tuple[Desk, Incubator]) -> None:
    desk, incubator = read
    own = water.surfaces(desk.book, incubator)
    one, all_of_them = {own[0].id: 1.0}, {s.id: 1.0 for s in own}
    water.log_change(desk, incubator, one, None, desk.now_ms - 5 * HOUR_MS, 40.0)
    air = states.air_of(desk.book, incubator, 0, desk.now_ms)
    before = states.evaporated(desk.book, incubator, air, desk.now_ms)
    water.log_change(desk, incubator, all_of_them, None, desk.now_ms - HOUR_MS, 300.0)
    assert states.evaporated(desk.book, incubator, air, desk.now_ms) == before


def test_a_vent_moved_without_saying_how_far_ends_what_is_known(read: tuple[Desk, Incubator]) -> None:
    desk, incubator = read
    rounds.log_event(desk, incubator, "vent", "a bit", desk.now_ms)
    desk.clock.at_ms += 5 * HOUR_MS  # type: ignore[attr-defined]
    found = sheet(read)
    assert found.now.opening is None and found.used == len(TRIED)
    assert "how far the vent is open is not said" in box_words.headline(found)
    assert states.lately(desk.book, incubator, states.air_of(desk.book, incubator, 0, desk.now_ms), desk.now_ms) is None


@pytest.mark.parametrize(("day", "may_be_wet"), [(18.9, False), (19.1, True)])
def test_from_a_day_before_the_earliest_hatch_on_chicks_may_be_wet(desk: Desk, day: float, may_be_wet: bool) -> None:
    course = making.batch_late(desk, day)
    assert states._hatching(desk.book, course.incubator, desk.now_ms) is may_be_wet
    assert not states._hatching(desk.book, course.incubator, course.batch.set_ms - 1)


@pytest.mark.parametrize(("emptied", "dry"), [(0.7, 1.0), (0.71, 4.0)])
@pytest.mark.parametrize(("state", "hygrometer"), [("settled", 0.25), ("over", 1.0), ("unused", 1.0), ("none", 1.0)])
def test_what_speaks_for_a_cause_beforehand(emptied: float, dry: float, state: str, hygrometer: float) -> None:
    """A filling that is nearly over speaks for a dry trough; air that had settled and left, against the hygrometer."""
    t = np.arange(0, 12 * 3600_000, 60_000, dtype=np.int64)
    # it leaves 50 % for 40 % within a minute, as no water does
    shown = np.where(t < 9 * 3600_000, 50.0, 40.0)
    moist: Any = SimpleNamespace(times_ms=t, corrected=shown, dense=True)
    air = states.Air(None, moist, None, None, 37.5)
    own = states.FoundState(
        0, 6 * 3600_000 if state == "over" else 12 * 3600_000, water.Setting(100.0, 0.5),
        SteadyState(100.0, 0.5, 21.0, 45.0, 37.5, 50.0), "no" if state == "unused" else "",
    )  # fmt: skip
    found = box.hints(() if state == "none" else (own,), air, 12 * 3600_000, emptied)
    leak = 4.0 if state == "settled" else 1.0
    assert found == pytest.approx({"leak": leak, "dry": dry, "hygrometer": hygrometer, "source": 1.0})
