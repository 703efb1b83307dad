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


# L. Greenspan, J. Res. NBS 81A (1977) 89-96 (from memory): at 15, 20 ... 40 °C, percent RH ± its uncertainty
GREENSPAN = """
LiCl     –         11.31±.31 11.30±.27 11.28±.24 11.25±.22 11.21±.21
MgCl2    33.30±.21 33.07±.18 32.78±.16 32.44±.14 32.05±.13 31.60±.13
K2CO3    43.15±.33 43.16±.33 43.16±.39 43.17±.50 –         –
Mg(NO3)2 55.87±.27 54.38±.23 52.89±.22 51.40±.24 49.91±.29 48.42±.37
NaBr     60.68     59.14±.44 57.57±.40 56.03±.38 54.55     53.17
NaCl     75.61±.18 75.47±.14 75.29±.12 75.09±.11 74.87±.12 74.68±.13
KCl      85.92±.33 85.11±.29 84.34±.26 83.62±.25 82.95±.25 82.32±.25
K2SO4    97.88±.63 97.59±.53 97.30±.45 97.00±.40 96.71±.38 96.41±.38
"""


def test_the_salts_are_the_tables() -> None:
    for line in GREENSPAN.split("\n")[1:-1]:
        salt, *cells = line.split()
        for celsius, cell in zip((15.0, 20.0, 25.0, 30.0, 35.0, 40.0), cells, strict=True):
            if cell != "–":
                rh, _, U = cell.partition("±")
                # where none is tabled the largest of the salt's others stands in
                assert salt_humidity(salt, celsius) == (float(rh), float(U or 0.44))


@pytest.mark.parametrize(
    ("hpa", "altitude", "good"),
    [(850.0, 0.0, True), (1100.0, 0.0, True), (849.9, 0.0, False), (1100.1, 0.0, False),
     (1000.0, -500.0, True), (1000.0, 6000.0, True), (1000.0, -500.1, False), (1000.0, 6000.1, False)],
)  # fmt: skip
def test_weather_and_altitude_have_their_ranges(hpa: float, altitude: float, good: bool) -> None:
    if good:
        assert (pressure_here(hpa, altitude) < hpa) == (altitude > 0)
    else:
        with pytest.raises(FixedPointError):
            pressure_here(hpa, altitude)


def test_a_gun_by_hand() -> None:
    """The balance of Stefan and Boltzmann worked in kelvin; with everything but the shell black, and the gun warm."""
    shell, walls, gun = 37.5 + 273.15, 20.0 + 273.15, 30.0 + 273.15
    shown = ((0.9 * shell**4 + 0.1 * walls**4 - 0.05 * gun**4) / 0.95) ** 0.25 - 273.15
    assert gun_reading(37.5, 20.0, 0.9, 0.95, 30.0) == pytest.approx(shown)
    assert shell_temperature(shown, 20.0, 0.9, 0.95, 30.0) == pytest.approx(37.5)
    # the gun takes itself to be as warm as the walls, and a shell to be an egg's
    assert gun_reading(37.5, 20.0) == gun_reading(37.5, 20.0, 0.95, 0.95, 20.0)
    assert shell_temperature(36.0, 20.0) == shell_temperature(36.0, 20.0, 0.95, 0.95, 20.0)
    for edge in (0.5, 1.0):
        assert shell_temperature(37.5, 37.5, edge, edge) == pytest.approx(37.5)
        assert gun_reading(37.5, 37.5, edge, edge) == pytest.approx(37.5)
