"""What a choice of a way can be, at the ends of what it can be."""

from __future__ import annotations

from dataclasses import fields
from typing import Any, get_args, get_type_hints

import pytest

from stathmis.core.course.way import CANDLINGS, LIMITS, Way, made, possible

HINTS = get_type_hints(Way)
PAIRS = ("setting_rh", "lockdown_rh")


def _as(name: str, *values: float) -> Any:
    """A field's value of these numbers: some are lists or bands."""
    if name in PAIRS:
        return values if len(values) == 2 else (values[0] - 1.0, values[0]) if values[0] > 50 else (values[0], 99.0)
    return values if name == "candling_days" else values[0]


@pytest.mark.parametrize("name", LIMITS)
def test_a_number_is_possible_up_to_its_limits(name: str) -> None:
    limits = LIMITS[name]
    low, high = limits.low, limits.high
    for value, good in ((low, True), (high, True), (low - 0.001, False), (high + 0.001, False)):
        assert possible(name, _as(name, value)) == good, value
    assert possible(name, _as(name, low + 0.5)) == (not limits.whole)
    assert not possible(name, "5") and not possible(name, True)


@pytest.mark.parametrize("name", PAIRS)
def test_a_band_is_two_rising_numbers(name: str) -> None:
    good = ((50.0, 60.0), [50.0, 60.0])
    bad = ((60.0, 50.0), (50.0, 50.0), (50.0,), (40.0, 50.0, 60.0), (50.0, 101.0), 50.0, ("50", "60"))
    assert all(possible(name, band) for band in good) and not any(possible(name, band) for band in bad)
    # days need not be a band
    assert possible("candling_days", (7.0, 14.0, 18.0)) and possible("candling_days", ())


def test_words_are_of_their_kind() -> None:
    for field in fields(Way):
        hint = HINTS[field.name]
        assert possible(field.name, None) == (type(None) in get_args(hint)), field.name
        if hint is bool:
            assert possible(field.name, True) and not possible(field.name, 1)
        elif hint is str and field.name != "candling":
            assert possible(field.name, "x" * 40) and not possible(field.name, "x" * 41), field.name
            assert not possible(field.name, 5)
    assert all(possible("candling", habit) for habit in CANDLINGS) and not possible("candling", "now and then")
    assert possible("turning", "machine") and not possible("turning", "seldom")


def test_what_cannot_be_is_left_at_its_default() -> None:
    found = made({"turns_a_day": 0, "set_c": 37.6, "setting_rh": [45.0, 50.0], "unheard of": 1, "candling": None})
    assert found == Way(set_c=37.6, setting_rh=(45.0, 50.0))
