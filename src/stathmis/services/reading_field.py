"""What a keeper typed for a channel: a reading, a clear complaint, or a question with an offer."""

from __future__ import annotations

from dataclasses import dataclass

from stathmis.core.units import (
    NotANumberError,
    Unit,
    celsius_from_fahrenheit,
    fahrenheit_from_celsius,
    from_inside,
    parse_typed,
    to_inside,
)
from stathmis.logbook.records import Channel
from stathmis.words import rounds as say
from stathmis.words.catalogue import _
from stathmis.words.numbers import unit_word

_EGGS_COULD_BE_C = (20.0, 50.0)
_NEAR_K = 12.0


@dataclass(frozen=True)
class Field:
    """An interpreted field. Exactly one holds: empty; problem set (with an offered text or not); or shown is set.

    shown: in the channel's unit; value, unit: as typed.
    """

    typed: str
    shown: float | None = None
    value: float = 0.0
    unit: Unit = "°C"
    problem: str = ""
    offer: str = ""

    @property
    def empty(self) -> bool:
        """Whether nothing was typed."""
        return not self.typed.strip()


def interpret(typed: str, channel: Channel, near_c: float | None = None) -> Field:
    """Read what was typed for a channel. Never guesses silently: 99.5 in a °C field comes back as an offer.

    near_c: the temperature expected, °C, where it is not an egg's (ice, steam).
    """
    if not typed.strip():
        return Field(typed)
    try:
        found = parse_typed(typed)
    except NotANumberError:
        example = "48" if channel.quantity == "humidity" else _("37.5 or 99.5F")
        return Field(typed, problem=say.TYPE_A_NUMBER_SUCH_AS(example=example))
    unit = found.unit or channel.unit
    if (unit == "%") != (channel.unit == "%"):
        wanted = _("humidity in %") if channel.unit == "%" else _("a temperature in {unit}", unit=channel.unit)
        return Field(typed, problem=_("This one shows {wanted}.", wanted=wanted))
    if channel.quantity == "humidity":
        if not 0 <= found.value <= 100:
            return Field(typed, problem=say.RELATIVE_HUMIDITY_RUNS_FROM_TO())
        return _within_range(Field(typed, found.value, found.value, "%"), channel)
    shown = found.value if unit == channel.unit else float(from_inside(to_inside(found.value, unit), channel.unit))
    field = Field(typed, shown, found.value, unit)
    bare = (-_NEAR_K + near_c, _NEAR_K + near_c) if near_c is not None else _EGGS_COULD_BE_C
    return (found.unit is None and _other_unit(field, channel, bare)) or _within_range(field, channel)


def _other_unit(field: Field, channel: Channel, could_be_c: tuple[float, float]) -> Field | None:
    """An offer, where the number makes sense only in the other unit."""
    least, most = could_be_c
    bare = field.typed.strip()
    if least <= float(to_inside(field.value, channel.unit)) <= most:
        return None
    if channel.unit == "°C" and least <= celsius_from_fahrenheit(field.value) <= most:
        inside = celsius_from_fahrenheit(field.value)
        return Field(
            field.typed,
            problem=_("Is that °F? {bare} °F is {inside:.1f} °C.", bare=bare, inside=inside),
            offer=f"{bare}F",
        )
    if channel.unit == "°F" and least <= field.value <= most:
        inside = fahrenheit_from_celsius(field.value)
        return Field(
            field.typed,
            problem=_("Is that °C? {bare} °C is {inside:.1f} °F.", bare=bare, inside=inside),
            offer=f"{bare}C",
        )
    return None


def _within_range(field: Field, channel: Channel) -> Field:
    assert field.shown is not None
    if channel.low <= field.shown <= channel.high:
        return field
    unit = unit_word(channel.unit)
    return Field(field.typed, problem=say.THIS_INSTRUMENT_SHOWS_LOW_TO(low=channel.low, high=channel.high, unit=unit))
