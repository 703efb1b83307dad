"""Numbers as a keeper reads them: a value with as many decimals as its uncertainty deserves, and its unit."""

from __future__ import annotations

from math import floor, isfinite, log10

from stathmis.core.units import Unit, difference_from_inside, from_inside
from stathmis.logbook.records import Quantity


def unit_word(unit: Unit) -> str:
    """The unit as it is written after a number."""
    return "% RH" if unit == "%" else unit


def decimals(quantity: Quantity, U: float) -> int:
    """Decimals for a value with this expanded uncertainty (two digits of U, at most hundredths)."""
    if not isfinite(U) or U <= 0:
        return 1
    most = 2 if quantity == "temperature" else 1
    return max(0 if quantity == "humidity" else 1, min(most, 1 - floor(log10(U))))


def value_text(value: float, U: float, quantity: Quantity, unit: Unit) -> str:
    """A corrected value (°C or %) without its unit, in the unit it is shown in."""
    return f"{from_inside(value, unit):.{decimals(quantity, float(difference_from_inside(U, unit)))}f}"


def u_text(U: float, quantity: Quantity, unit: Unit) -> str:
    """± U in the unit it is shown in, without the unit."""
    shown = float(difference_from_inside(U, unit))
    return f"± {shown:.{decimals(quantity, shown)}f}"


def with_u(value: float, U: float, quantity: Quantity, unit: Unit) -> str:
    """A corrected value with its uncertainty and unit: "37.49 ± 0.10 °C"."""
    return f"{value_text(value, U, quantity, unit)} {u_text(U, quantity, unit)} {unit_word(unit)}"


def number(value: float, quantity: Quantity, unit: Unit) -> str:
    """A plain value (°C or %) with its unit: "37.5 °C", "48 % RH"."""
    return f"{from_inside(value, unit):.{1 if quantity == 'temperature' else 0}f} {unit_word(unit)}"


def band_text(low: float, high: float, quantity: Quantity, unit: Unit) -> str:
    """A band with its unit: "37.2–37.8 °C"."""
    places = 1 if quantity == "temperature" else 0
    return f"{from_inside(low, unit):.{places}f}–{from_inside(high, unit):.{places}f} {unit_word(unit)}"


def signed(value: float, places: int) -> str:
    """A correction with its sign, a true minus for negative ones."""
    text = f"{abs(value):.{places}f}"
    return text if float(text) == 0 else ("−" if value < 0 else "+") + text


def count(number_of: int, one: str, many: str | None = None) -> str:
    """A count with its word: "1 reading", "3 readings"."""
    number = f"{number_of:,}".replace(",", " ")
    return f"{number} {one if number_of == 1 else many or one + 's'}"


def typed_text(value: float, resolution: float) -> str:
    """A reading as the display shows it, with the decimals of its resolution."""
    places = max(0, -floor(log10(resolution) + 1e-9)) if resolution > 0 else 1
    return f"{value:.{places}f}"


def as_typed(text: str) -> str:
    """A reading with the digits the keeper typed, without the unit they may have typed behind them."""
    return text.strip().rstrip("%°cCfFrRhH ")


def places_for(step: float) -> int:
    """Decimals that show a step: 0.01 → 2."""
    return len(f"{step:.6f}".rstrip("0").partition(".")[2])
