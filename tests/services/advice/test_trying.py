"""Try it first: a change is seen before it is made, costs what it costs, and is logged as done where it is."""

from __future__ import annotations

import forecasts
import numpy as np
import pytest

import worlds
from stathmis.core.errors import UserError
from stathmis.logbook.records import Event
from stathmis.services import rounds, trial
from stathmis.services.advice import trying
from stathmis.services.advice.trying import Figure, Tried
from stathmis.services.batch import batches
from stathmis.services.clock import HOUR_MS
from stathmis.services.desk import Desk
from stathmis.services.findings.doings import Change
from stathmis.services.moisture import water
from stathmis.words import ahead as words


def tried(demo: Desk, *changes: Change, number: int = 0) -> Tried:
    incubator = demo.book.incubators()[number]
    found = trying.tried(demo.book, incubator, batches.running(demo.book, incubator), changes)
    assert found is not None
    return found


def figure(found: Tried, cost: str) -> Figure:
    return next(f for f in found.figures if f.cost == cost)


def test_no_change_changes_nothing(demo: Desk) -> None:
    found = tried(demo)
    for quantity, fan in found.apart.items():
        assert np.abs(fan.middle).max() == 0.0
        assert (found.fans[quantity].middle == found.as_is.fans[quantity].middle).all()
    assert all(f.difference == 0.0 for f in found.figures)


def test_water_makes_it_moister_and_costs_weight(demo: Desk) -> None:
    found = tried(demo, Change("water", 430.0))
    low, middle, _high = found.apart["humidity"].at(demo.now_ms + 6 * HOUR_MS)
    assert low > 3.0 and middle > 8.0
    assert figure(found, "loss").difference < -figure(found, "loss").U / 2 < 0.0
    assert found.dry is None or found.dry.at_ms > demo.now_ms + 12 * HOUR_MS
    drier = tried(demo, Change("vent", 1.0))
    assert drier.apart["humidity"].at(demo.now_ms + 6 * HOUR_MS)[1] < -0.5


def test_a_set_point_moves_the_air_the_eggs_and_the_day(demo: Desk) -> None:
    found = tried(demo, Change("set point", 38.1))
    assert found.apart["temperature"].at(demo.now_ms + 12 * HOUR_MS)[1] == pytest.approx(0.5, abs=0.1)
    assert figure(found, "warmest").difference == pytest.approx(0.5, abs=0.15)
    # two days of half a degree: common practice, a day in 21 for 0.56 K
    assert figure(found, "hatch").difference == pytest.approx(-48.0 * 0.5 / 12.5, abs=0.4)
    hot = tried(demo, Change("set point", 41.5))
    assert hot.danger > 0.9 and "Do not" in words.verdict(demo.book, hot)


def test_a_long_cut_chills_the_eggs_and_a_short_lid_does_not(demo: Desk) -> None:
    cut, lid = tried(demo, Change("power", 0.0, 300.0)), tried(demo, Change("lid", 0.0, 5.0))
    assert figure(cut, "coldest").tried < 31.0 and figure(cut, "cold hours").difference > 0.5
    assert figure(lid, "coldest").difference > -2.0 and figure(lid, "cold hours").tried == 0.0
    night = tried(demo, Change("night", 12.0, 480.0, 600.0))
    assert figure(night, "coldest").difference <= 0.0


@pytest.mark.heavy("seven changes, each looked ahead at")
@pytest.mark.parametrize("kind", ["ours", "theirs"])
def test_a_difference_foreseen_holds_the_one_there_was(kind: str) -> None:
    """Each change once in a world of each kind, both futures run there: the difference lies in its U nine times in
    ten."""
    with worlds.kept_worlds():
        found = [row for own, seed in worlds.TRIES if own == kind for row in forecasts.one_try(own, seed)]
    assert np.mean([abs(was - middle) <= U for _what, _hour, middle, U, was in found]) > 0.88


@pytest.mark.parametrize(
    ("what", "typed", "change"),
    [
        ("set point", ("99.7F", "", ""), Change("set point", 37.611111111111114)),
        ("vent", ("1/3", "", "2"), Change("vent", 1 / 3, 0.0, 120.0)),
        ("water", ("20 x 6", "", ""), Change("water", 120.0)),
        ("lid", ("", "10", ""), Change("lid", 0.0, 10.0)),
        ("power", ("", "1 h 30 min", "0,5"), Change("power", 0.0, 90.0, 30.0)),
        ("window", ("5", "20 min", ""), Change("window", 5.0, 20.0)),
        ("night", ("6", "", ""), Change("night", 6.0, 480.0, 800.0)),
    ],
)
def test_a_change_is_read_as_typed(demo: Desk, what: str, typed: tuple[str, str, str], change: Change) -> None:
    cabinet = demo.book.incubators()[0]
    found = trial.read(demo.book, cabinet, what, *typed)  # type: ignore[arg-type]
    assert found.what == change.what
    assert (found.amount, found.lasts_min, found.after_min) == pytest.approx(
        (change.amount, change.lasts_min, change.after_min), abs=1e-6
    )
    assert words.change(demo.book, found)


@pytest.mark.parametrize(
    ("what", "typed", "part"),
    [
        ("set point", ("12", "", ""), "no set point"),
        ("set point", ("warm", "", ""), "How much"),
        ("vent", ("ajar", "", ""), "no opening"),
        ("water", ("none", "", ""), "no surface"),
        ("lid", ("", "soon", ""), "How long"),
        ("lid", ("", "99 h", ""), "How long"),
        ("power", ("", "2 h", "later"), "How long"),
    ],
)
def test_what_is_no_change_is_refused_in_words(demo: Desk, what: str, typed: tuple[str, str, str], part: str) -> None:
    with pytest.raises(UserError, match=part):
        trial.read(demo.book, demo.book.incubators()[0], what, *typed)  # type: ignore[arg-type]


def test_doing_it_logs_it(demo: Desk) -> None:
    cabinet = demo.book.incubators()[0]
    before = len(demo.book.records(Event))
    mixes = trial.mixes(demo.book, cabinet)
    for change in (
        Change("set point", 37.4), Change("water", mixes[-1].surface_cm2), Change("water", mixes[-1].surface_cm2),
        Change("vent", 0.75), Change("lid", 0.0, 10.0), Change("power", 0.0, 60.0),
    ):  # fmt: skip
        trial.do(demo, cabinet, change)
    assert len(demo.book.records(Event)) == before + 6
    assert rounds.set_point(demo.book, cabinet, demo.now_ms) == pytest.approx(37.4)
    setting = water.setting_at(water.events_of(demo.book, cabinet), demo.now_ms)
    assert setting.surface_cm2 == pytest.approx(mixes[-1].surface_cm2) and setting.opening == 0.75
    with pytest.raises(UserError, match="by itself"):
        trial.do(demo, cabinet, Change("night", 5.0, 480.0))
    while demo.undo():
        if len(demo.book.records(Event)) == before:
            break
    assert len(demo.book.records(Event)) == before


def test_an_empty_machine_is_tried_too(demo: Desk) -> None:
    """A machine without a batch, and one of which nothing was read."""
    spare = demo.book.incubators()[2]
    assert trying.tried(demo.book, spare, None, (Change("vent", 0.5),)) is None
    cabinet = demo.book.incubators()[0]
    found = trying.tried(demo.book, cabinet, None, (Change("vent", 1.0),))
    assert found is not None and not found.figures and found.apart["humidity"].middle[-1] < 0.0
