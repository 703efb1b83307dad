"""Phases of every species in every regime, and the units at the door."""

from __future__ import annotations

from contextlib import suppress
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from stathmis.core import units
from stathmis.core.consensus import combine
from stathmis.core.course import profile
from stathmis.core.series import envelope, gaps
from stathmis.services import knowledge

SPECIES, REGIMES = knowledge.species(), knowledge.regimes()


@pytest.mark.parametrize("key", list(SPECIES))
@pytest.mark.parametrize("regime", list(REGIMES))
@pytest.mark.parametrize("air", ["forced", "still"])
def test_phases_are_whole_and_in_order(key: str, regime: str, air: profile.Air) -> None:
    species = SPECIES[key]
    if species.kind == "reptile" and regime != "steady":
        with pytest.raises(ValueError, match="own box humidity"):
            profile.phases(species, REGIMES[regime], air)
        return
    course = profile.phases(species, REGIMES[regime], air)
    assert course[0].name == "warm-up"
    assert all(a.end_day == b.start_day for a, b in pairwise(course))
    assert species.days_low <= species.days <= species.days_high
    names = [p.name for p in course]
    assert ("lockdown" in names or species.stop_turning_day == species.days_low) == (species.kind == "bird")
    for phase in course:
        assert phase.temperature_c.low < phase.temperature_c.high
        if phase.humidity:
            assert 0 < phase.humidity.low < phase.humidity.high <= 100
    if species.kind == "bird" and air == "still":
        # common practice: 38.3-38.9 °C at the egg tops where 37.5 is wanted inside
        assert course[1].temperature_c.middle == pytest.approx(species.set_c + 1.1)


def test_chicken_as_every_sheet_has_it() -> None:
    # common practice: 21 days, turning stops on day 18, 37.2-37.8 °C, 45-55 then 65-75 %
    course = profile.phases(SPECIES["chicken"], REGIMES["steady"], "forced")
    setting = profile.phase_at(course, 10.0)
    late = profile.phase_at(course, 18.0)
    assert setting is not None and late is not None
    assert (setting.name, late.name, late.start_day) == ("setting", "lockdown", 18.0)
    assert setting.temperature_c == profile.Band(37.2, 37.8)
    assert (setting.humidity, late.humidity) == (profile.Band(45, 55), profile.Band(65, 75))
    assert profile.phase_at(course, 99.0) is None


def test_falling_regime_changes_after_a_week() -> None:
    course = profile.phases(SPECIES["chicken"], REGIMES["falling"], "forced")
    assert [p.humidity for p in course if p.name == "setting"] == [profile.Band(55, 65), profile.Band(30, 40)]


@given(
    st.sampled_from(["steady", "falling"]), st.floats(2.0, 22.0), st.lists(st.floats(0.0, 22.5), min_size=5, max_size=5)
)
def test_a_lockdown_put_elsewhere_cuts_and_stretches(regime: str, day: float, moments: list[float]) -> None:
    """Moment by moment: before it the stretch that had begun last, from it on the lockdown, until what came after."""
    usual = profile.phases(SPECIES["chicken"], REGIMES[regime], "forced")
    moved = profile.with_lockdown(usual, day)
    assert moved[0].start_day == usual[0].start_day and moved[-1].end_day == usual[-1].end_day
    assert all(a.end_day == b.start_day for a, b in pairwise(moved))
    (lockdown,) = (p for p in usual if p.name == "lockdown")
    before = usual[: usual.index(lockdown)]
    for moment in moments:
        found = profile.phase_at(moved, moment)
        if moment < day:
            wanted = [p for p in before if p.start_day <= moment][-1]
        else:
            wanted = lockdown if moment < max(lockdown.end_day, day) else profile.phase_at(usual, moment)  # type: ignore[assignment]
        assert found is not None and wanted is not None
        if day < lockdown.end_day or moment < day:
            assert (found.name, found.temperature_c, found.humidity) == (
                wanted.name,
                wanted.temperature_c,
                wanted.humidity,
            )
    gecko = profile.phases(SPECIES["leopard_gecko"], REGIMES["steady"], "forced")
    assert profile.with_lockdown(gecko, day) == gecko


@given(st.floats(-3.0, 25.0), st.floats(-2.0, 23.5))
def test_from_a_day_on_another_course_is_followed(day: float, moment: float) -> None:
    first = profile.phases(SPECIES["chicken"], REGIMES["steady"], "forced")
    then = profile.phases(SPECIES["chicken"], REGIMES["falling"], "forced")
    found = profile.phase_at(profile.spliced(first, then, day), moment)
    wanted = profile.phase_at(first if moment < day else then, moment)
    assert (found and (found.name, found.humidity)) == (wanted and (wanted.name, wanted.humidity))


@given(st.lists(st.tuples(st.floats(-1.0, 23.0), st.integers(1, 60)), max_size=4), st.floats(0.0, 20.9))
def test_the_last_change_of_humidity_or_air_before_a_moment_counts(
    changes: list[tuple[float, int]], moment: float
) -> None:
    changes = sorted(changes)
    course = profile.phases(SPECIES["chicken"], REGIMES["falling"], "forced")
    own = profile.phase_at(course, moment)
    assert own is not None
    said = [value for day, value in changes if day <= moment]
    drier = profile.phase_at(profile.with_humidity(course, [(d, profile.Band(v, v + 9)) for d, v in changes]), moment)
    cooler = profile.phase_at(profile.with_cooler_air(course, [(d, 0.01 * v) for d, v in changes]), moment)
    assert drier is not None and cooler is not None
    asked = profile.Band(said[-1], said[-1] + 9) if said and own.name == "setting" else own.humidity
    assert drier.humidity == asked and drier.temperature_c == own.temperature_c
    less = 0.01 * said[-1] if said else 0.0
    assert cooler.temperature_c.low == pytest.approx(own.temperature_c.low - less)
    assert cooler.temperature_c.high == pytest.approx(own.temperature_c.high - less) and cooler.humidity == own.humidity


def test_days_are_counted_three_ways_and_back() -> None:
    for count, number in (("from 0", 5.25), ("from 1", 6.25), ("down", 15.75)):
        assert profile.numbered(5.25, count, 21.0) == number  # type: ignore[arg-type]
        assert profile.elapsed(number, count, 21.0) == 5.25  # type: ignore[arg-type]


def test_what_suits_all_is_where_their_bands_meet_or_the_middle_between() -> None:
    bands = [profile.Band(37.2, 37.8), profile.Band(37.4, 38.0), profile.Band(37.0, 37.7)]
    assert profile.common_band(bands) == (profile.Band(37.4, 37.7), True)
    apart, suits = profile.common_band([profile.Band(37.0, 37.4), profile.Band(37.6, 38.0)])
    assert (apart.low, apart.high, suits) == (pytest.approx(37.35), pytest.approx(37.65), False)
    with pytest.raises(ValueError, match="one band"):
        profile.common_band([])


def test_a_band_upside_down_is_refused() -> None:
    with pytest.raises(ValueError, match="low to high"):
        profile.Band(2.0, 1.0)


@given(st.floats(-40, 150, allow_nan=False))
def test_temperatures_there_and_back(value: float) -> None:
    assert units.celsius_from_fahrenheit(units.fahrenheit_from_celsius(value)) == pytest.approx(value, abs=1e-9)
    assert units.difference_to_inside(units.difference_from_inside(value, "°F"), "°F") == pytest.approx(value, abs=1e-9)


@pytest.mark.parametrize(
    ("text", "value", "unit"),
    [
        ("37.5", 37.5, None),
        ("37,5", 37.5, None),
        (" 99.5F ", 99.5, "°F"),
        ("99,5 °F", 99.5, "°F"),
        ("37.5c", 37.5, "°C"),
        ("48 %", 48.0, "%"),
        ("48 % rh", 48.0, "%"),
        ("−2,5", -2.5, None),
        (".5", 0.5, None),
    ],
)
def test_typed_numbers(text: str, value: float, unit: str | None) -> None:
    assert units.parse_typed(text) == units.Typed(value, unit)  # type: ignore[arg-type]


@pytest.mark.parametrize("text", ["", "warm", "37.5.1", "1,000.5", "37 5", "nan", "inf", "1e3", "--4", "37.5K"])
def test_what_is_no_number(text: str) -> None:
    with pytest.raises(units.NotANumberError):
        units.parse_typed(text)


@given(st.text(max_size=12))
def test_any_text_is_a_number_or_refused(text: str) -> None:
    with suppress(units.NotANumberError):
        assert np.isfinite(units.parse_typed(text).value)


@given(st.integers(1, 60), st.integers(1, 3000), st.integers(0, 10**6))
def test_envelope_keeps_every_peak(columns: int, count: int, seed: int) -> None:
    rng = np.random.default_rng(seed)
    t = np.cumsum(rng.integers(1, 5000, count)).astype(np.int64)
    v = rng.normal(37.5, 1.0, count)
    times, values = envelope(t, v, float(t[0]), float(t[-1]), columns)
    assert values.size <= max(2 * columns + 2, min(count, 2 * columns + 2))
    assert values.min() == v.min()
    assert values.max() == v.max()
    assert (np.diff(times) >= 0).all()


def test_envelope_of_a_stretch_runs_to_its_border() -> None:
    t = np.arange(0, 1000, 10, dtype=np.int64)
    times, _ = envelope(t, np.arange(100.0), 305.0, 395.0, 500)
    assert (times[0], times[-1]) == (300, 400)
    with pytest.raises(ValueError, match="one column"):
        envelope(t, np.arange(100.0), 0, 1, 0)
    assert gaps(np.array([0, 60, 7200]), 600).tolist() == [True, False]


def test_the_worst_of_several_instruments_is_named() -> None:
    assert combine([37.50, 37.55, 37.48, 39.0], [0.05, 0.05, 0.05, 0.1]).suspects == (3,)
    # of two that differ the less certain is doubted, and neither when they are equally certain alone
    assert combine([37.5, 38.9], [0.05, 0.2]).suspects == (1,)
    assert combine([37.5, 38.9], [0.1, 0.1]).suspects == (0, 1)
    assert combine([37.5, 38.4], [0.05, 0.5]).suspects == ()
    with pytest.raises(ValueError, match="above 0"):
        combine([1.0, 2.0], [0.1, 0.0])
    with pytest.raises(ValueError, match="one value"):
        combine([], [])


def test_a_species_is_taken_for_no_more_than_is_said_of_it() -> None:
    plain = profile.Species("x", "x", "bird", 17, 16, 18, 14, 37.5, 0.3, profile.Band(45, 55), profile.Band(65, 75), 13)
    assert (plain.cooling, plain.sex_by_temperature, plain.laid_after, plain.term_by_temperature) == (
        False,
        False,
        None,
        (),
    )
    with pytest.raises(ValueError, match="above 0"):
        profile.with_term(plain, 0.0)
    longer = profile.with_term(plain, 34.0)
    assert (longer.days_low, longer.days_high, longer.stop_turning_day) == (32.0, 36.0, 28.0)


def test_an_own_profile_is_framed_by_warming_up_and_drying() -> None:
    cool, warm = profile.Band(36.9, 37.4), profile.Band(37.2, 37.8)
    stages = (
        profile.Stage("setting", 0.0, warm, profile.Band(45, 50), "dry"),
        profile.Stage("hatch", 18.0, cool, profile.Band(65, 75)),
    )
    own = profile.OwnProfile("mine", "chicken", "", stages, 23.0)
    found = profile.own_phases(own, SPECIES["chicken"], "still", 0.5)
    # common practice: two days empty before, a day for the last to dry; still air so much warmer
    assert [(p.name, p.start_day, p.end_day) for p in found] == [
        ("warm-up", -2.0, 0.0), ("setting", 0.0, 18.0), ("hatch", 18.0, 23.0), ("dry", 23.0, 24.0),
    ]  # fmt: skip
    assert [p.temperature_c.middle for p in found] == pytest.approx([38.0, 38.0, 37.65, 37.65])
    assert [p.humidity for p in found] == [stages[0].humidity, stages[0].humidity, stages[1].humidity, None]
    assert [p.title or p.name for p in found] == ["warm-up", "dry", "hatch", "dry"]
