"""A species of the keeper's own in words: what its numbers are called, and why one cannot be."""

from __future__ import annotations

from stathmis.core.units import difference_from_inside, from_inside
from stathmis.services.book import TemperatureUnit
from stathmis.words.catalogue import _, filled_in


def called(name: str) -> str:
    """What a field of a species is called; name: of core.course.profile.Species."""
    return {
        "name": _("Called"),
        "days": _("Days to the hatch"),
        "days_low": _("Earliest day"),
        "days_high": _("Latest day"),
        "stop_turning_day": _("Day of lockdown"),
        "set_c": _("Temperature in moving air"),
        "half_band_k": _("How far it may be off"),
        "setting_rh": _("Humidity before lockdown"),
        "lockdown_rh": _("Humidity from lockdown on"),
        "loss_percent": _("Weight lost at lockdown"),
        "egg_g": _("Mass of a fresh egg"),
        "note": _("To be remembered"),
    }[name]


def no_name() -> str:
    """It has no name yet."""
    return _("What is it called?")


def name_taken(name: str) -> str:
    """There is one of that name."""
    return _("There is a species named {name} already.", name=name)


def out_of_range(name: str, text: str, within: tuple[float, float], unit: TemperatureUnit) -> str:
    """A number is missing, none, or beyond what there is (in days, °C, K, percent or g)."""
    low, high = within
    if name == "set_c":
        low, high = (round(float(from_inside(v, unit)), 1) for v in within)
    elif name == "half_band_k":
        low, high = (round(float(difference_from_inside(v, unit)), 2) for v in within)
    if not text:
        return _("{what}: write a number from {low:g} to {high:g}.", what=called(name), low=low, high=high)
    words = _("{what}: “{text}”? Write a number from {low:g} to {high:g}.")
    return filled_in(words, what=called(name), text=text, low=low, high=high)


def no_band(text: str) -> str:
    """Humidity does not run from low to high."""
    return _("“{text}” is no humidity from low to high: write it as 45–55.", text=text)


def days_in_order(low: float, usual: float, high: float) -> str:
    """The days do not rise."""
    return _("Earliest, usual and latest day rise, not {a:g}, {b:g}, {c:g}.", a=low, b=usual, c=high)


def lockdown_where(stop: float, usual: float) -> str:
    """Lockdown is not in the second half of the term."""
    words = _("Lockdown on day {stop:g} of {usual:g}? It lies in the last half, before the hatch.")
    return filled_in(words, stop=stop, usual=usual)


def unusual_term(egg_g: float, days: float, usual: float) -> str:
    """The days are far from what an egg of that mass takes in most birds."""
    words = _("Eggs of {egg:g} g take about {usual:.0f} days in most birds; {days:g} are far from that. Is it right?")
    return filled_in(words, egg=egg_g, usual=usual, days=days)


def mend() -> str:
    """What to do about it."""
    return _("Mend that first.")


def other_kind(user: str) -> tuple[str, str]:
    """A bird cannot become a reptile while eggs of it are there."""
    return _("This species is in use: {name}.", name=user), _(
        "A bird stays a bird; enter another species for reptiles."
    )


def in_use(user: str) -> tuple[str, str]:
    """It cannot be taken away."""
    return _("This species is in use: {name}.", name=user), _("Take that away first, or change its species.")


def kept(name: str) -> str:
    """The edit that keeps it."""
    return _("species {name} kept", name=name)


def changed(name: str) -> str:
    """The edit that changes it."""
    return _("species {name} changed", name=name)


def gone(name: str) -> str:
    """The edit that takes it away."""
    return _("species {name} taken away", name=name)
