"""No advice that could harm a batch, whatever happened to the box or its instruments, logged or not."""

from __future__ import annotations

import numpy as np
import pytest

import making
from making import batch_with_log, instrument
from stathmis.core.psychrometrics import saturation_vapor_pressure
from stathmis.logbook.records import Event
from stathmis.logbook.snapshot import Series
from stathmis.services import rounds
from stathmis.services.advice import heat
from stathmis.services.advice.now import advise
from stathmis.services.desk import Desk
from stathmis.services.files import logger_import
from stathmis.words.advice import said

MINUTE_MS = 60_000


def cut(air: np.ndarray, ago_min: int, hours: float, box_min: float = 90.0, back_min: float = 40.0) -> np.ndarray:
    """The air of a box whose power was off, that began so long ago: it cools to the room, and is heated again."""
    air, n = air.copy(), round(60 * hours)
    fallen = 21.0 + 16.5 * np.exp(-np.arange(n) / box_min)
    begin = air.size - ago_min
    air[begin : begin + n] = fallen[: max(0, min(n, air.size - begin))]
    rest = air[begin + n :].size
    air[begin + n :] -= (37.5 - fallen[-1]) * np.exp(-np.arange(rest) / back_min)
    return air


def moist(desk: Desk, rh: np.ndarray) -> None:
    """A hygrometer whose log ends with the batch's own, its maker's word good to 2 %."""
    card = instrument(desk, "Card", "humidity", step=0.1, incubator_id=1, accuracy=2.0)
    times = desk.now_ms - (rh.size + 4) * MINUTE_MS + np.arange(rh.size, dtype=np.int64) * MINUTE_MS
    logger_import.keep_series(desk, "m.csv", {card.id: Series(times, np.clip(rh, 1.0, 99.9).round(1))})


def advised(desk: Desk) -> list[object]:
    sheet = rounds.sheet(desk.book, desk.book.incubators()[0])
    return list(advise(desk.book, sheet, sheet.verdict("temperature"), sheet.verdict("humidity")))


def kinds(desk: Desk) -> list[str]:
    return [advice.kind for advice in advised(desk)]  # type: ignore[attr-defined]


@pytest.mark.parametrize("logged", [True, False])
@pytest.mark.parametrize("hours", [1.0, 3.0, 8.0])
def test_after_a_power_cut_the_thermostat_is_left_alone(desk: Desk, hours: float, logged: bool) -> None:
    """The box holds 37.50 before and after; looked at for two days."""
    day = np.full(4 * 1440, 37.5) + 0.1 * np.sin(np.arange(4 * 1440) / 2.0)
    course, _ = batch_with_log(desk, cut(day, 2880, hours))
    end = desk.now_ms
    if logged:
        row = {"incubator_id": 1, "time_ms": end - 2885 * MINUTE_MS, "kind": "power", "note": "", "minutes": 60 * hours}
        desk.add("cut", [(Event, row)])
    for back in range(0, 2880, 90):
        desk.clock.at_ms = end - back * MINUTE_MS  # type: ignore[attr-defined]
        advice = heat.advise(desk.book, course.incubator)
        assert advice.kind not in ("move", "center", "unclear"), f"{back} min before the end: {advice.kind}"
        assert advice.step_k == 0.0


@pytest.mark.parametrize(("air", "rh_true"), [(33.0, 45.0), (43.7, 50.0), (36.2, 52.0)])
def test_humidity_is_not_judged_while_the_air_is_not_at_its_heat(desk: Desk, air: float, rh_true: float) -> None:
    """The vapor stays what it was: percent alone would open vents on a dying heater, or add water to a hot box."""
    log = np.full(2880, 37.5)
    log[-90:] = np.linspace(37.5, air, 90)
    batch_with_log(desk, log)
    vapor = rh_true * saturation_vapor_pressure(37.5)
    moist(
        desk, vapor / saturation_vapor_pressure(log) + np.where(np.abs(log - 37.5) > 0.5, 8.0 * np.sign(37.5 - air), 0)
    )
    assert not {"more water", "less water", "mix"} & set(kinds(desk))


@pytest.mark.parametrize("day", [6.0, 18.5])
@pytest.mark.parametrize("minutes", [2, 30, 300])
def test_a_wet_hygrometer_opens_no_vent(desk: Desk, day: float, minutes: int) -> None:
    log = np.full(round(day * 1440), 37.5)
    batch_with_log(desk, log)
    rh = np.full(log.size, 50.0)
    rh[-minutes:] = 98.0
    moist(desk, rh)
    found = advised(desk)
    assert [advice.kind for advice in found] == ["witness"]  # type: ignore[attr-defined]
    told = said(desk.book, found[0])  # type: ignore[arg-type]
    assert told.text.startswith("Leave water and vents alone: the Card") and "50 to 98 %" in told.note


def test_water_that_was_poured_warm_is_no_jump_and_nor_is_a_lid_that_is_shut(desk: Desk) -> None:
    log = np.full(3 * 1440, 37.5)
    batch_with_log(desk, log)
    rh = np.full(log.size, 50.0)
    rh[-200:-60] = 22.0
    rh[-60:] = 50.0 - 28.0 * np.exp(-np.arange(60) / 4.0)
    rh[-20:] = 72.0
    moist(desk, rh)
    assert kinds(desk) == ["witness"]
    rounds.log_event(desk, desk.book.incubators()[0], "water", "", desk.now_ms - 26 * MINUTE_MS)
    assert kinds(desk) == ["wait"]


@pytest.mark.parametrize("a_day", [-0.1, 0.1])
def test_a_probe_that_drifts_moves_no_thermostat(desk: Desk, a_day: float) -> None:
    """The box holds 37.50 for eight days and nobody touches it: the likelier cause is the probe."""
    minutes = np.arange(8 * 1440)
    air = 37.5 + 0.15 * np.sin(2 * np.pi * minutes / 17.0) + 0.05 * np.sin(2 * np.pi * minutes / 1440.0)
    course, _ = batch_with_log(desk, air + a_day * np.maximum(0.0, minutes / 1440.0 - 2.0))
    end = desk.now_ms
    told = set()
    for back in range(0, 7 * 1440, 240):
        desk.clock.at_ms = end - back * MINUTE_MS  # type: ignore[attr-defined]
        advice = heat.advise(desk.book, course.incubator)
        told.add(advice.kind)
        assert advice.kind not in ("move", "center"), f"{back / 1440:.1f} days before the end"
    assert "second" in told
    assert "second thermometer beside the Logger" in making.set_point_words(desk, course.incubator) or "second" in told


def test_a_second_thermometer_that_bears_it_out_is_believed(desk: Desk) -> None:
    minutes = np.arange(6 * 1440)
    air = 37.5 + 0.1 * minutes / 1440.0
    course, _ = batch_with_log(desk, air)
    assert heat.advise(desk.book, course.incubator).kind == "second"
    other = instrument(desk, "Other", step=0.01, incubator_id=1)
    times = desk.now_ms - (air.size + 4) * MINUTE_MS + minutes * MINUTE_MS
    logger_import.keep_series(desk, "o.csv", {other.id: Series(times.astype(np.int64), air.round(2))})
    advice = heat.advise(desk.book, course.incubator)
    assert advice.kind in ("move", "center")


def test_in_lockdown_dry_eggs_get_water_by_an_unchecked_display_too(desk: Desk) -> None:
    """A salt test takes a day; a pipped egg dries in hours."""
    batch_with_log(desk, np.full(round(18.6 * 1440), 37.5))
    card = instrument(desk, "Card", "humidity", incubator_id=1, accuracy=5.0)
    from stathmis.services.reading_field import interpret

    rounds.log_round(desk, {card.id: interpret("62", card)}, desk.now_ms)
    found = advised(desk)
    assert [a.kind for a in found] == ["more water"]  # type: ignore[attr-defined]
    assert "too dry does more harm" in said(desk.book, found[0]).note  # type: ignore[arg-type]
