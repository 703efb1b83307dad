"""Units at the door: what a keeper types, and °C or °F for what is shown. Inside, temperatures are °C.

A temperature and a temperature difference convert differently: a tolerance of 0.3 °C is 0.54 °F, not 32.54 °F.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
from numpy.typing import ArrayLike

Quantity = Literal["temperature", "humidity"]
Unit = Literal["°C", "°F", "%"]

MOST = 1e9
"""No number a keeper types is larger."""
_TYPED = re.compile(r"^\s*([+\-−]?\d+(?:[.,]\d+)?|[+\-−]?[.,]\d+)\s*(°?\s*[cCfF]|%(?:\s*[rR][hHfF])?|[rR][hH])?\s*$")


class NotANumberError(ValueError):
    """What was typed is not a number with an optional unit."""


@dataclass(frozen=True)
class Typed:
    """A number as a keeper typed it, with the unit if one was given."""

    value: float
    unit: Unit | None


def parse_typed(text: str) -> Typed:
    """Read "37.5", "37,5", "99.5F", "99,5 °F" or "48 %".

    Returns the number with the unit typed, None where none was. Raises NotANumberError for anything else, for one of
    more than a milliard, and for a thousands separator, which cannot be told from a decimal comma.
    Source: common practice.

    >>> parse_typed("99,5F")
    Typed(value=99.5, unit='°F')
    """
    match = _TYPED.match(text)
    if not match:
        raise NotANumberError(text)
    number = float(match[1].replace(",", ".").replace("−", "-"))
    if not abs(number) <= MOST:
        raise NotANumberError(text)
    unit: Unit | None = None
    if match[2]:
        letter = match[2].replace("°", "").strip().upper()
        unit = "°C" if letter == "C" else "°F" if letter == "F" else "%"
    return Typed(number, unit)


def count_typed(text: str) -> int | None:
    """A count as typed, 0 to 999,999; None for anything else. Source: common practice.

    >>> count_typed(" 12 "), count_typed("²"), count_typed("-1")
    (12, None, None)
    """
    return int(text.strip()) if re.fullmatch(r"[0-9]{1,6}", text.strip()) else None


def _plain(result: Any) -> Any:
    return float(result) if np.ndim(result) == 0 else result


def fahrenheit_from_celsius(temperature_c: ArrayLike) -> Any:
    """Temperature in °F of a temperature in °C. Source: definition, °F = 1.8 °C + 32.

    >>> fahrenheit_from_celsius(37.5)
    99.5
    """
    return _plain(np.multiply(temperature_c, 1.8) + 32.0)


def celsius_from_fahrenheit(temperature_f: ArrayLike) -> Any:
    """Temperature in °C of a temperature in °F. Source: definition, °C = (°F - 32)/1.8.

    >>> celsius_from_fahrenheit(99.5)
    37.5
    """
    return _plain(np.subtract(temperature_f, 32.0) / 1.8)


def to_inside(value: ArrayLike, unit: Unit) -> Any:
    """A value in the unit it was shown in, in the unit used inside (°C or %). Source: definition.

    >>> to_inside(99.5, "°F")
    37.5
    """
    return celsius_from_fahrenheit(value) if unit == "°F" else value


def from_inside(value: ArrayLike, unit: Unit) -> Any:
    """A value in °C or % in the unit it is to be shown in. Source: definition.

    >>> from_inside(37.5, "°F")
    99.5
    """
    return fahrenheit_from_celsius(value) if unit == "°F" else value


def difference_from_inside(difference: ArrayLike, unit: Unit) -> Any:
    """A difference, tolerance or uncertainty in K or % in the unit it is shown in: no 32. Source: definition.

    >>> round(difference_from_inside(0.3, "°F"), 2)
    0.54
    """
    return _plain(np.multiply(difference, 1.8)) if unit == "°F" else difference


def difference_to_inside(difference: ArrayLike, unit: Unit) -> Any:
    """A difference or uncertainty in °F or °C or %, in K or %. Source: definition.

    >>> difference_to_inside(1.8, "°F")
    1.0
    """
    return _plain(np.divide(difference, 1.8)) if unit == "°F" else difference
