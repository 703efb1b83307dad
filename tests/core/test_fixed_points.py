"""Salts, steam and guns: what lies between the table's rows, and what is refused."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from stathmis.core import fixed_points
from stathmis.core.fixed_points import (
    SALTS,
    FixedPointError,
    gun_reading,
    pressure_here,
    salt_humidity,
    salt_slope,
    shell_temperature,
)


@given(salt=st.sampled_from(sorted(SALTS)), share=st.floats(0, 1))
def test_between_its_rows_a_salt_runs_straight(salt: str, share: float) -> None:
    row = SALTS[salt]
    at = row.temperatures_c[0] + share * (row.temperatures_c[-1] - row.temperatures_c[0])
    rh, U = salt_humidity(salt, at)
    assert min(row.rh) <= rh <= max(row.rh)
    assert 0.1 <= U <= 0.7
    assert abs(salt_slope(salt, at)) < 0.35, "no salt moves by more than a third of a percent a degree"


@pytest.mark.parametrize(
    ("salt", "at", "says"),
    [("K2CO3", 32.0, "potassium carbonate runs from 15 to 30"), ("LiCl", 18.0, "lithium chloride runs from 20"),
     ("NaCl", 41.0, "table salt runs from 15 to 40"), ("salt", 20.0, "not in the table")],
)  # fmt: skip
def test_outside_its_table_a_salt_is_refused(salt: str, at: float, says: str) -> None:
    with pytest.raises(FixedPointError, match=says):
        salt_humidity(salt, at)
    with pytest.raises(FixedPointError, match=says):
        salt_slope(salt, at)


def test_what_no_weather_and_no_shell_can_be() -> None:
    with pytest.raises(FixedPointError, match="850 to 1100"):
        pressure_here(700.0, 900.0)
    with pytest.raises(FixedPointError, match="altitude"):
        pressure_here(1013.0, 9000.0)
    for wrong in (0.3, 1.2):
        with pytest.raises(FixedPointError, match="eggshell has about"):
            shell_temperature(36.0, 20.0, wrong)
        with pytest.raises(FixedPointError, match="eggshell has about"):
            gun_reading(36.0, 20.0, wrong)


def test_cold_walls_make_a_shell_look_cold() -> None:
    # a duller shell than the gun is set to mirrors the cold walls: the true shell is warmer than shown
    assert shell_temperature(36.0, 20.0, 0.90, 0.95) > 36.5
    assert shell_temperature(36.0, 45.0, 0.90, 0.95) < 36.0


@pytest.mark.parametrize("salt", ["NaCl", "MgCl2"])
def test_a_salts_slope_at_the_ends_of_its_range_and_inside(salt: str) -> None:
    low, high = fixed_points.SALTS[salt].temperatures_c[0], fixed_points.SALTS[salt].temperatures_c[-1]

    def rh(celsius: float) -> float:
        return float(salt_humidity(salt, celsius)[0])

    assert fixed_points.salt_slope(salt, low) == pytest.approx(rh(low + 1.0) - rh(low))
    assert fixed_points.salt_slope(salt, low + 2.0) == pytest.approx(0.5 * (rh(low + 3.0) - rh(low + 1.0)))
    assert fixed_points.salt_slope(salt, high) == pytest.approx(rh(high) - rh(high - 1.0))


@pytest.mark.parametrize(("emissivity", "setting"), [(0.49, 0.95), (1.01, 0.95), (0.95, 0.49), (0.95, 1.01)])
def test_a_gun_without_a_possible_setting_is_refused(emissivity: float, setting: float) -> None:
    with pytest.raises(FixedPointError, match=r"from 0\.5 to 1"):
        fixed_points.gun_reading(37.0, 21.0, emissivity, setting)
