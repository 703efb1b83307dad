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
