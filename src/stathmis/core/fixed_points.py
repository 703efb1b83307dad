"""Values nature keeps: the ice point, boiling water, saturated salts; and what an infrared gun really sees."""

from __future__ import annotations

from dataclasses import dataclass
from math import nan

import numpy as np

from stathmis.core.errors import NumbersError
from stathmis.core.psychrometrics import STANDARD_PRESSURE_HPA, boiling_point

ICE_POINT_C = 0.0
"""Clean ice and water at ordinary pressure. Source: ITS-90 (the triple point, 0.01 °C, less pressure and dissolved
air)."""

_KELVIN = 273.15


class FixedPointError(NumbersError):
    """The fixed point cannot be had as asked; the sentence says why."""


@dataclass(frozen=True)
class Salt:
    """A salt of the table: formula as it is written in the table, the keeper's word, temperatures tabled in °C."""

    formula: str
    name: str
    temperatures_c: tuple[float, ...]
    rh: tuple[float, ...]
    expanded_uncertainty: tuple[float, ...]


_TABLE_C = (15.0, 20.0, 25.0, 30.0, 35.0, 40.0)
# L. Greenspan, J. Res. NBS 81A (1977) 89-96, table 2 (from memory): % RH and its uncertainty, nan where none is tabled
_TABLE = {
    "LiCl": (
        "lithium chloride",
        (nan, 11.31, 11.30, 11.28, 11.25, 11.21),
        (nan, 0.31, 0.27, 0.24, 0.22, 0.21),
    ),
    "MgCl2": (
        "magnesium chloride",
        (33.30, 33.07, 32.78, 32.44, 32.05, 31.60),
        (0.21, 0.18, 0.16, 0.14, 0.13, 0.13),
    ),
    "K2CO3": ("potassium carbonate", (43.15, 43.16, 43.16, 43.17, nan, nan), (0.33, 0.33, 0.39, 0.50, nan, nan)),
    "Mg(NO3)2": (
        "magnesium nitrate",
        (55.87, 54.38, 52.89, 51.40, 49.91, 48.42),
        (0.27, 0.23, 0.22, 0.24, 0.29, 0.37),
    ),
    # no uncertainty is tabled for NaBr at 15, 35 and 40 °C: the largest of its others stands in
    "NaBr": ("sodium bromide", (60.68, 59.14, 57.57, 56.03, 54.55, 53.17), (0.44, 0.44, 0.40, 0.38, 0.44, 0.44)),
    "NaCl": ("table salt", (75.61, 75.47, 75.29, 75.09, 74.87, 74.68), (0.18, 0.14, 0.12, 0.11, 0.12, 0.13)),
    "KCl": ("potassium chloride", (85.92, 85.11, 84.34, 83.62, 82.95, 82.32), (0.33, 0.29, 0.26, 0.25, 0.25, 0.25)),
    "K2SO4": (
        "potassium sulfate",
        (97.88, 97.59, 97.30, 97.00, 96.71, 96.41),
        (0.63, 0.53, 0.45, 0.40, 0.38, 0.38),
    ),
}


def _salt(formula: str, name: str, rh: tuple[float, ...], expanded: tuple[float, ...]) -> Salt:
    kept = [i for i, value in enumerate(rh) if value == value]
    return Salt(
        formula,
        name,
        tuple(_TABLE_C[i] for i in kept),
        tuple(rh[i] for i in kept),
        tuple(expanded[i] for i in kept),
    )


SALTS = {formula: _salt(formula, *row) for formula, row in _TABLE.items()}


def salt_humidity(salt: str, temperature_c: float) -> tuple[float, float]:
    """Relative humidity over a saturated salt slurry, with the table's uncertainty.

    salt: formula as in SALTS ("NaCl", "MgCl2", ...); temperature_c: of the jar, °C, within the salt's table. Returns
    percent and expanded uncertainty (k = 2) in percent, straight between the table's rows.
    Raises FixedPointError for a salt that is not tabled and a temperature outside its table.
    Source: L. Greenspan, J. Res. NBS 81A (1977) 89, 15-40 °C.

    >>> salt_humidity("NaCl", 25.0)
    (75.29, 0.12)
    """
    if salt not in SALTS:
        raise FixedPointError("{salt} is not in the table; use one of {salts}", salt=salt, salts=", ".join(SALTS))
    row = SALTS[salt]
    low, high = row.temperatures_c[0], row.temperatures_c[-1]
    if not low <= temperature_c <= high:
        raise FixedPointError(
            "The table for {salt} runs from {low:g} to {high:g} °C", salt=row.name, low=low, high=high
        )
    at = float(np.interp(temperature_c, row.temperatures_c, row.rh))
    return at, float(np.interp(temperature_c, row.temperatures_c, row.expanded_uncertainty))


def salt_slope(salt: str, temperature_c: float) -> float:
    """Change of a salt's humidity with the jar's temperature, percent per K.

    salt, temperature_c: as for salt_humidity. Raises FixedPointError likewise. Source: Greenspan (1977), differences.

    >>> round(salt_slope("Mg(NO3)2", 22.0), 2)
    -0.3
    """
    salt_humidity(salt, temperature_c)
    low, high = SALTS[salt].temperatures_c[0], SALTS[salt].temperatures_c[-1]
    left, right = max(low, temperature_c - 1.0), min(high, temperature_c + 1.0)
    return (salt_humidity(salt, right)[0] - salt_humidity(salt, left)[0]) / (right - left)


def pressure_here(sea_level_hpa: float, altitude_m: float, temperature_c: float = 15.0) -> float:
    """Air pressure at a place from what the weather report gives, which is reduced to sea level.

    sea_level_hpa: hPa, 850 to 1100; altitude_m: m, -500 to 6000; temperature_c: of the outside air, °C.
    Returns hPa. Raises FixedPointError outside those ranges.
    Source: the barometric formula with 6.5 K/km, WMO-No. 8, ch. 3 (reduction to sea level).

    >>> round(pressure_here(1013.25, 900.0, 15.0 - 5.85), 1)
    909.7
    """
    if not 850.0 <= sea_level_hpa <= 1100.0:
        raise FixedPointError("A weather report's pressure is from 850 to 1100 hPa")
    if not -500.0 <= altitude_m <= 6000.0:
        raise FixedPointError("An altitude is from -500 to 6000 m")
    sea_level_k = temperature_c + _KELVIN + 0.0065 * altitude_m
    return float(sea_level_hpa * (1.0 - 0.0065 * altitude_m / sea_level_k) ** 5.25588)


def steam_point(pressure_hpa: float = STANDARD_PRESSURE_HPA) -> tuple[float, float]:
    """Temperature over boiling water, and how it changes with pressure.

    pressure_hpa: hPa at the place, 300 to 1099. Returns °C and K per hPa. Raises ValueError outside that range.
    Source: boiling_point (Hardy 1998, against IAPWS-IF97).

    >>> steam, per_hpa = steam_point(1013.25)
    >>> round(steam, 2), round(per_hpa, 3)
    (99.97, 0.028)
    """
    return float(boiling_point(pressure_hpa)), float(
        boiling_point(pressure_hpa + 0.5) - boiling_point(pressure_hpa - 0.5)
    )


def shell_temperature(
    shown_c: float,
    surroundings_c: float,
    emissivity: float = 0.95,
    gun_setting: float = 0.95,
    gun_c: float | None = None,
) -> float:
    """Temperature of a shell from what an infrared gun shows.

    shown_c: the gun's number, °C; surroundings_c: of the walls the shell mirrors, °C; emissivity: of the shell, 0.5 to
    1; gun_setting: emissivity the gun is set to, 0.5 to 1; gun_c: of the gun itself, °C, the surroundings' by default.
    Returns °C. Raises FixedPointError for an emissivity out of range.
    Source: gray-body balance over all wavelengths (Stefan-Boltzmann); eggshell 0.95, common practice.

    >>> round(shell_temperature(36.0, 20.0, emissivity=0.90), 2)
    36.82
    """
    if not (0.5 <= emissivity <= 1.0 and 0.5 <= gun_setting <= 1.0):
        raise FixedPointError("An emissivity is from 0.5 to 1; eggshell has about 0.95")
    gun = surroundings_c if gun_c is None else gun_c
    seen = gun_setting * (shown_c + _KELVIN) ** 4 + (1.0 - gun_setting) * (gun + _KELVIN) ** 4
    own = (seen - (1.0 - emissivity) * (surroundings_c + _KELVIN) ** 4) / emissivity
    return float(own**0.25 - _KELVIN)


def gun_reading(
    shell_c: float,
    surroundings_c: float,
    emissivity: float = 0.95,
    gun_setting: float = 0.95,
    gun_c: float | None = None,
) -> float:
    """What a faultless infrared gun would show: shell_temperature the other way round.

    shell_c: of the shell, °C; the rest as for shell_temperature. Returns °C.
    Raises FixedPointError for an emissivity out of range. Source: see shell_temperature.

    >>> round(gun_reading(36.82, 20.0, emissivity=0.90), 1)
    36.0
    """
    if not (0.5 <= emissivity <= 1.0 and 0.5 <= gun_setting <= 1.0):
        raise FixedPointError("An emissivity is from 0.5 to 1; eggshell has about 0.95")
    sent = emissivity * (shell_c + _KELVIN) ** 4 + (1.0 - emissivity) * (surroundings_c + _KELVIN) ** 4
    gun = surroundings_c if gun_c is None else gun_c
    seen = (sent - (1.0 - gun_setting) * (gun + _KELVIN) ** 4) / gun_setting
    return float(seen**0.25 - _KELVIN)
