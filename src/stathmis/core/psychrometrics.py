"""Moist air: vapor pressure, dew point, wet bulb, humidity ratio, and the pressure of the place.

Temperatures are in °C (ITS-90), relative humidity in percent over liquid water, pressures in hPa. Every function
takes numbers or arrays, which broadcast, and returns a float for numbers. Long arrays are worked through in blocks
that stay in the processor's cache. A value outside its stated range raises ValueError; nan passes through as nan.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import wraps
from typing import Any

import numpy as np
from numpy.typing import ArrayLike, NDArray

from stathmis.core.errors import NumbersError

Array = NDArray[np.float64]

STANDARD_PRESSURE_HPA = 1013.25
"""Pressure of the standard atmosphere at sea level. Source: ICAO Doc 7488."""

# Saturation over water: B. Hardy, "ITS-90 formulations for vapor pressure, frostpoint temperature, dewpoint
# temperature, and enhancement factors in the range -100 to +100 C", 3rd Int. Symp. Humidity & Moisture (1998), eq. 2,
# ln(e/Pa) = sum g_i T^(i-2) (i = 0..6) + g_7 ln T, T in K.
_G = (-2.8365744e3, -6.028076559e3, 1.954263612e1, -2.737830188e-2, 1.6261698e-5, 7.0229056e-10, -1.8680009e-13)
_G_LOG = 2.7150305
# The same paper's inverse (eq. 4), T = sum c_i (ln e)^i / sum d_i (ln e)^i, good to about 0.3 mK: a first guess.
_C = (2.0798233e2, -2.0156028e1, 4.6778925e-1, -9.2288067e-6)
_D = (1.0, -1.3319669e-1, 5.6577518e-3, -7.5172865e-5)
_KELVIN = 273.15
_LN_100 = float(np.log(100.0))

MOLECULAR_RATIO = 0.621945
"""Molar mass of water over that of dry air. Source: ASHRAE Handbook Fundamentals (2017), ch. 1, eq. 20."""

_BLOCK = 8192
# Supercooled water counts down to here: dew points of dry winter air are wanted too.
_LOWEST_C, _HIGHEST_C = -50.0, 105.0


def _blockwise(compute: Callable[..., Array]) -> Callable[..., Any]:
    """Broadcast the arguments, feed one-dimensional blocks to compute, and give a float back for numbers."""

    @wraps(compute)
    def run(*values: ArrayLike) -> Any:
        arrays = [np.asarray(value, dtype=np.float64) for value in values]
        shape = np.broadcast_shapes(*(a.shape for a in arrays))
        size = int(np.prod(shape))
        if size <= _BLOCK:
            result = compute(*(np.broadcast_to(a, shape).ravel() for a in arrays)).reshape(shape)
            return float(result) if shape == () else result
        flat = [a if a.size == 1 else np.broadcast_to(a, shape).reshape(-1) for a in arrays]
        out = np.empty(size)
        for start in range(0, size, _BLOCK):
            stop = min(start + _BLOCK, size)
            out[start:stop] = compute(*(a.reshape(-1) if a.size == 1 else a[start:stop] for a in flat))
        return out.reshape(shape)

    return run


def _require(values: ArrayLike, low: float, high: float, what: str, unit: str) -> None:
    array = np.asarray(values, dtype=np.float64)
    if array.size == 0:
        return
    least, most = np.min(array), np.max(array)
    if np.isnan(least):
        good = array[~np.isnan(array)]
        if good.size == 0:
            return
        least, most = np.min(good), np.max(good)
    if least < low or most > high:
        worst = least if least < low else most
        raise NumbersError(
            "{what} {worst:g} {unit} is outside {low:g} to {high:g} {unit}",
            what=what,
            worst=float(worst),
            unit=unit,
            low=low,
            high=high,
        )


def _ln_saturation(kelvin: Array) -> Array:
    """ln of the saturation vapor pressure in Pa."""
    reciprocal = 1.0 / kelvin
    result = kelvin * _G[6]
    for coefficient in (_G[5], _G[4], _G[3]):
        result += coefficient
        result *= kelvin
    head = reciprocal * _G[0]
    head += _G[1]
    head *= reciprocal
    result += head
    result += _G[2]
    logarithm = np.log(kelvin)
    logarithm *= _G_LOG
    result += logarithm
    return result


def _ln_saturation_slope(kelvin: Array) -> Array:
    """d ln(e)/dT in 1/K."""
    reciprocal = 1.0 / kelvin
    result = kelvin * (4 * _G[6])
    for coefficient in (3 * _G[5], 2 * _G[4]):
        result += coefficient
        result *= kelvin
    result += _G[3]
    head = reciprocal * (-2 * _G[0])
    head -= _G[1]
    head *= reciprocal
    head += _G_LOG
    head *= reciprocal
    result += head
    return result


def _saturation(celsius: Array) -> Array:
    result = _ln_saturation(celsius + _KELVIN)
    np.exp(result, out=result)
    result *= 0.01
    return result


def _kelvin_at_ln_saturation(ln_pa: Array) -> Array:
    """Temperature at which water's saturation pressure is exp(ln_pa) Pa: Hardy's inverse and one Newton step."""
    top = ln_pa * _C[3]
    bottom = ln_pa * _D[3]
    for c, d in ((_C[2], _D[2]), (_C[1], _D[1])):
        top += c
        top *= ln_pa
        bottom += d
        bottom *= ln_pa
    top += _C[0]
    bottom += _D[0]
    top /= bottom
    return top


_saturation_blocks = _blockwise(_saturation)


def saturation_vapor_pressure(temperature_c: ArrayLike) -> Any:
    """Saturation vapor pressure over liquid water.

    temperature_c: °C, -50 to 105 (supercooled water below 0). Returns hPa, same shape.
    Raises ValueError outside that range.
    Source: Hardy (1998), eq. 2; within 0.006 % of IAPWS-95 over 15-45 °C.

    >>> round(saturation_vapor_pressure(37.5), 2)
    64.56
    """
    _require(temperature_c, _LOWEST_C, _HIGHEST_C, "Temperature", "°C")
    return _saturation_blocks(temperature_c)


@_blockwise
def _dew_point(celsius: Array, rh: Array) -> Array:
    ln_e = _ln_saturation(celsius + _KELVIN)
    ln_e += np.log(rh)
    ln_e -= _LN_100
    return _kelvin_at_ln_saturation(ln_e) - _KELVIN


def dew_point(dry_c: ArrayLike, rh: ArrayLike) -> Any:
    """Dew point over liquid water.

    dry_c: air temperature, °C, -50 to 105; rh: percent, above 0 to 100. Returns °C.
    Raises ValueError outside those ranges.
    Source: Hardy (1998), eqs. 2 and 4; the inverse holds to 1 mK over -40 to 100 °C.

    >>> round(dew_point(37.5, 50.0), 1)
    25.3
    """
    _require(dry_c, _LOWEST_C, _HIGHEST_C, "Temperature", "°C")
    _require(rh, 1e-6, 100.0, "Relative humidity", "%")
    return _dew_point(dry_c, rh)


# Energy balance of the thermodynamic wet bulb: ASHRAE Handbook Fundamentals (2017), ch. 1, eq. 33:
# W = [(2501 - 2.326 t*) W*_s - 1.006 (t - t*)] / (2501 + 1.86 t - 4.186 t*)
def _wet_bulb_vapor_pressure(dry: Array, wet: Array, pressure: Array) -> Array:
    e_wet = _saturation(wet)
    ratio_wet = MOLECULAR_RATIO * e_wet / (pressure - e_wet)
    ratio = ((2501.0 - 2.326 * wet) * ratio_wet - 1.006 * (dry - wet)) / (2501.0 + 1.86 * dry - 4.186 * wet)
    return ratio * pressure / (MOLECULAR_RATIO + ratio)


@_blockwise
def _rh_thermodynamic(dry: Array, wet: Array, pressure: Array) -> Array:
    return 100.0 * _wet_bulb_vapor_pressure(dry, wet, pressure) / _saturation(dry)


@_blockwise
def _rh_psychrometer(dry: Array, wet: Array, pressure: Array, coefficient: Array) -> Array:
    return 100.0 * (_saturation(wet) - coefficient * pressure * (dry - wet)) / _saturation(dry)


def relative_humidity_from_wet_bulb(
    dry_c: ArrayLike,
    wet_c: ArrayLike,
    pressure_hpa: ArrayLike = STANDARD_PRESSURE_HPA,
    coefficient_per_k: ArrayLike | None = None,
) -> Any:
    """Relative humidity from a dry and a wet bulb.

    dry_c, wet_c: °C, 0 to 100, wet not above dry; pressure_hpa: hPa, 300 to 1200. coefficient_per_k: None for the
    thermodynamic wet bulb, else the psychrometer coefficient A in 1/K of e = e_w(t_w) - A p (t - t_w).
    Returns percent. A pair colder than any air can make it gives a negative number: the reading is wrong.
    Raises ValueError outside those ranges or where the wet bulb is above the dry.
    Source: ASHRAE Handbook Fundamentals (2017), ch. 1, eq. 33; with a coefficient WMO-No. 8, annex 4.B.

    >>> round(relative_humidity_from_wet_bulb(37.5, 29.0), 1)
    53.5
    """
    _require(dry_c, 0.0, 100.0, "Dry bulb", "°C")
    _require(wet_c, 0.0, 100.0, "Wet bulb", "°C")
    _require(pressure_hpa, 300.0, 1200.0, "Pressure", "hPa")
    if np.any(np.asarray(wet_c) > np.asarray(dry_c)):
        raise NumbersError("The wet bulb is above the dry bulb: swap them, or wet the wick")
    if coefficient_per_k is None:
        return _rh_thermodynamic(dry_c, wet_c, pressure_hpa)
    return _rh_psychrometer(dry_c, wet_c, pressure_hpa, coefficient_per_k)


def ventilated_wick_coefficient(wet_c: ArrayLike) -> Any:
    """Psychrometer coefficient of a well ventilated wick.

    wet_c: wet-bulb temperature, °C. Returns 1/K. Source: WMO-No. 8, annex 4.B: 6.53e-4 (1 + 9.44e-4 t_w).

    >>> round(float(ventilated_wick_coefficient(30.0)) * 1e4, 3)
    6.715
    """
    return 6.53e-4 * (1.0 + 9.44e-4 * np.asarray(wet_c, dtype=np.float64))


@_blockwise
def _wet_bulb(dry: Array, rh: Array, pressure: Array) -> Array:
    e_air = _saturation(dry)
    e_air *= rh
    e_air *= 0.01
    ratio = MOLECULAR_RATIO * e_air / (pressure - e_air)
    # Residual of the energy balance, convex and rising in the wet bulb: Newton from a point at or right of the root
    # comes down on it without overshooting. The start is a rough surface (within 4 K over the whole range, fitted to
    # the converged solution); three steps from it leave less than 1 mK.
    dryness = 1.0 - 0.01 * rh
    wet = dry * (3.5e-3 - 5.6e-3 * dryness) - 0.335 - 0.08 * dryness
    wet *= dry
    wet -= 5.9 + 0.5 * dryness
    wet *= dryness
    wet += dry
    heat_of_air = ratio * (2501.0 + 1.86 * dry)
    for _ in range(3):
        kelvin = wet + _KELVIN
        e_wet = np.exp(_ln_saturation(kelvin))
        e_wet *= 0.01
        slope = _ln_saturation_slope(kelvin)
        room = pressure - e_wet
        ratio_wet = MOLECULAR_RATIO * e_wet / room
        latent = 2501.0 - 2.326 * wet
        residual = latent * ratio_wet - 1.006 * (dry - wet) - heat_of_air + 4.186 * wet * ratio
        slope *= ratio_wet * pressure / room
        derivative = latent * slope - 2.326 * ratio_wet + 1.006 + 4.186 * ratio
        wet -= residual / derivative
    return wet


def wet_bulb_temperature(dry_c: ArrayLike, rh: ArrayLike, pressure_hpa: ArrayLike = STANDARD_PRESSURE_HPA) -> Any:
    """Thermodynamic wet-bulb temperature.

    dry_c: °C, 0 to 60; rh: percent, 0 to 100; pressure_hpa: hPa, 600 to 1100. Returns °C; below 0 °C the wick is
    taken as supercooled water. Raises ValueError outside those ranges.
    Source: inverse of ASHRAE Handbook Fundamentals (2017), ch. 1, eq. 33.

    >>> round(wet_bulb_temperature(37.5, 53.54), 2)
    29.0
    """
    _require(dry_c, 0.0, 60.0, "Temperature", "°C")
    _require(rh, 0.0, 100.0, "Relative humidity", "%")
    _require(pressure_hpa, 600.0, 1100.0, "Pressure", "hPa")
    return _wet_bulb(dry_c, rh, pressure_hpa)


@_blockwise
def _humidity_ratio(dry: Array, rh: Array, pressure: Array) -> Array:
    e = _saturation(dry)
    e *= rh
    e *= 0.01
    return MOLECULAR_RATIO * e / (pressure - e)


def humidity_ratio(dry_c: ArrayLike, rh: ArrayLike, pressure_hpa: ArrayLike = STANDARD_PRESSURE_HPA) -> Any:
    """Mass of water vapor per mass of dry air.

    dry_c: °C, -50 to 60; rh: percent, 0 to 100; pressure_hpa: hPa, 300 to 1200. Returns kg/kg.
    Raises ValueError outside those ranges. Source: ASHRAE Handbook Fundamentals (2017), ch. 1, eq. 20.

    >>> round(humidity_ratio(37.5, 50.0), 4)
    0.0205
    """
    _require(dry_c, _LOWEST_C, 60.0, "Temperature", "°C")
    _require(rh, 0.0, 100.0, "Relative humidity", "%")
    _require(pressure_hpa, 300.0, 1200.0, "Pressure", "hPa")
    return _humidity_ratio(dry_c, rh, pressure_hpa)


@_blockwise
def _rh_at(rh: Array, source: Array, target: Array) -> Array:
    exponent = _ln_saturation(source + _KELVIN)
    exponent -= _ln_saturation(target + _KELVIN)
    np.exp(exponent, out=exponent)
    return exponent * rh


def relative_humidity_at(rh: ArrayLike, from_c: ArrayLike, to_c: ArrayLike) -> Any:
    """Relative humidity of the same vapor at another temperature: RH2 = RH1 ps(T1)/ps(T2).

    rh: percent, 0 to 100; from_c, to_c: °C, -50 to 105. Returns percent, above 100 where the air would fog.
    Raises ValueError outside those ranges. Source: definition of relative humidity; ps from Hardy (1998).

    >>> round(relative_humidity_at(45.0, 21.0, 37.5), 1)
    17.3
    """
    _require(rh, 0.0, 100.0, "Relative humidity", "%")
    _require(from_c, _LOWEST_C, _HIGHEST_C, "Temperature", "°C")
    _require(to_c, _LOWEST_C, _HIGHEST_C, "Temperature", "°C")
    return _rh_at(rh, from_c, to_c)


@_blockwise
def _deficit(dry: Array, rh: Array) -> Array:
    e = _saturation(dry)
    e *= 1.0 - 0.01 * rh
    return e


def vapor_pressure_deficit(dry_c: ArrayLike, rh: ArrayLike) -> Any:
    """How much more vapor the air could hold: ps(T) - e.

    dry_c: °C, -50 to 105; rh: percent, 0 to 100. Returns hPa. Raises ValueError outside those ranges.
    Source: definition; ps from Hardy (1998).

    >>> round(vapor_pressure_deficit(37.5, 50.0), 2)
    32.28
    """
    _require(dry_c, _LOWEST_C, _HIGHEST_C, "Temperature", "°C")
    _require(rh, 0.0, 100.0, "Relative humidity", "%")
    return _deficit(dry_c, rh)


def standard_pressure(altitude_m: ArrayLike) -> Any:
    """Pressure of the standard atmosphere at an altitude.

    altitude_m: m above sea level, -500 to 11000. Returns hPa. Raises ValueError outside that range.
    Source: ICAO standard atmosphere (Doc 7488): 1013.25 (1 - 2.25577e-5 h)^5.25588.

    >>> round(standard_pressure(900.0), 1)
    909.7
    """
    _require(altitude_m, -500.0, 11000.0, "Altitude", "m")
    altitude = np.asarray(altitude_m, dtype=np.float64)
    pressure = STANDARD_PRESSURE_HPA * (1.0 - 2.25577e-5 * altitude) ** 5.25588
    return float(pressure) if altitude.shape == () else pressure


@_blockwise
def _boiling_point(pressure: Array) -> Array:
    ln_pa = np.log(pressure) + _LN_100
    kelvin = _kelvin_at_ln_saturation(ln_pa)
    kelvin -= (_ln_saturation(kelvin) - ln_pa) / _ln_saturation_slope(kelvin)
    return kelvin - _KELVIN


def boiling_point(pressure_hpa: ArrayLike) -> Any:
    """Boiling point of clean water.

    pressure_hpa: hPa at the place (not reduced to sea level), 300 to 1100. Returns °C.
    Raises ValueError outside that range. Source: inverse of Hardy (1998), eq. 2; IAPWS-IF97 to 0.01 K.

    >>> round(boiling_point(909.7), 1)
    97.0
    """
    _require(pressure_hpa, 300.0, 1100.0, "Pressure", "hPa")
    return _boiling_point(pressure_hpa)
