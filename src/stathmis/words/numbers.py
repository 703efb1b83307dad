"""Numbers as a keeper reads them: a value with as many decimals as its uncertainty deserves, and its unit."""

from __future__ import annotations

from math import floor, isfinite, log10

from stathmis.core.errors import NumbersError
from stathmis.core.units import Quantity, Unit, difference_from_inside, from_inside
from stathmis.words.catalogue import _, as_number, ngettext


def unit_word(unit: Unit) -> str:
    """The unit as it is written after a number."""
    return _("% RH") if unit == "%" else unit


def decimals(quantity: Quantity, U: float) -> int:
    """Decimals for a value with this expanded uncertainty (two digits of U, at most hundredths)."""
    if not isfinite(U) or U <= 0:
        return 1
    most = 2 if quantity == "temperature" else 1
    return max(0 if quantity == "humidity" else 1, min(most, 1 - floor(log10(U))))


def value_text(value: float, U: float, quantity: Quantity, unit: Unit) -> str:
    """A corrected value (°C or %) without its unit, in the unit it is shown in."""
    return as_number(from_inside(value, unit), f".{decimals(quantity, float(difference_from_inside(U, unit)))}f")


def u_text(U: float, quantity: Quantity, unit: Unit) -> str:
    """± U in the unit it is shown in, without the unit."""
    shown = float(difference_from_inside(U, unit))
    return f"± {as_number(shown, f'.{decimals(quantity, shown)}f')}"


def with_u(value: float, U: float, quantity: Quantity, unit: Unit) -> str:
    """A corrected value with its uncertainty and unit: "37.49 ± 0.10 °C"."""
    return f"{value_text(value, U, quantity, unit)} {u_text(U, quantity, unit)} {unit_word(unit)}"


def number(value: float, quantity: Quantity, unit: Unit) -> str:
    """A plain value (°C or %) with its unit: "37.5 °C", "48 % RH"."""
    return f"{as_number(float(from_inside(value, unit)), f'.{_plain(quantity)}f')} {unit_word(unit)}"


def band_text(low: float, high: float, quantity: Quantity, unit: Unit) -> str:
    """A band with its unit: "37.2–37.8 °C"."""
    ends = [as_number(float(from_inside(v, unit)), f".{_plain(quantity)}f") for v in (low, high)]
    return f"{'–'.join(ends)} {unit_word(unit)}"


def _plain(quantity: Quantity) -> int:
    """Decimals where no uncertainty says how many."""
    return 1 if quantity == "temperature" else 0


def signed(value: float, places: int) -> str:
    """A correction with its sign, a true minus for negative ones."""
    text = as_number(abs(value), f".{places}f")
    return text if round(abs(value), places) == 0 else ("−" if value < 0 else "+") + text


def count(number_of: int, one: str, many: str) -> str:
    """A count in words, {n} filled in: "1 reading", "3 readings"."""
    return ngettext(one, many, number_of, n=f"{number_of:,}".replace(",", " "))


def reason(error: NumbersError) -> str:
    """Why numbers cannot be had as asked, without a full stop."""
    parts = {name: _(part) if isinstance(part, str) else part for name, part in error.parts.items()}
    return _(error.sentence, **parts)


def eggs_of(number_of: int, species: str) -> str:
    """What a batch is called by itself: "24 chicken eggs"."""
    return ngettext("{n} {species} egg", "{n} {species} eggs", number_of, n=number_of, species=species)


def typed_text(value: float, resolution: float) -> str:
    """A reading as the display shows it, with the decimals of its resolution."""
    places = max(0, -floor(log10(resolution) + 1e-9)) if resolution > 0 else 1
    return as_number(value, f".{places}f")


def as_typed(text: str) -> str:
    """A reading with the digits the keeper typed, without the unit they may have typed behind them."""
    return text.strip().rstrip("%°cCfFrRhH ")


def places_for(step: float) -> int:
    """Decimals that show a step: 0.01 → 2."""
    return len(f"{step:.6f}".rstrip("0").partition(".")[2])
