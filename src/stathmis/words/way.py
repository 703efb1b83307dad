"""The way of a batch in words: what its numbers are called, why one cannot be, and what a school is not meant for."""

from __future__ import annotations

from stathmis.core.course.profile import Species
from stathmis.words.catalogue import _
from stathmis.words.numbers import band_text


def called(name: str) -> str:
    """What a number of a way is called; name: of the field of core.course.way.Way."""
    return {
        "turns_a_day": _("Turns a day"),
        "longest_gap_h": _("Longest time between two turns, h"),
        "counter_day": _("Day the machine's counter stops turning"),
        "coolings_a_day": _("Coolings a day"),
        "cool_minutes": _("Minutes of a cooling"),
        "cool_from_day": _("First day of cooling"),
        "candling_days": _("Days of candling"),
        "weigh_every_days": _("Days from one weighing to the next"),
        "still_offset_k": _("How much warmer still air is held"),
        "brooder_days": _("Days before lockdown the brooder is ready"),
        "feed_limit_h": _("Hours within which they are fed"),
    }[name]


def no_number(name: str, text: str) -> tuple[str, str]:
    """What was typed is no number: that, and what to do."""
    return _("{what}: “{text}” is no number.", what=called(name), text=text), _("Write it as 5 or 7.5.")


def out_of_range(name: str, text: str, low: float, high: float, *, whole: bool) -> tuple[str, str]:
    """It cannot be so much, or is missing: that, and what to do."""
    what = _("{what}: {text}?", what=called(name), text=text or _("how many"))
    if whole:
        return what, _("Write a whole number from {low:g} to {high:g}.", low=low, high=high)
    return what, _("Write a number from {low:g} to {high:g}.", low=low, high=high)


def unsuited(species: Species, apart: float) -> str:
    """That a school is so much drier (below 0) or moister than a species wants, percent; empty where it suits."""
    if not apart:
        return ""
    band = band_text(species.setting_rh.low, species.setting_rh.high, "humidity", "%")
    if apart < 0:
        return _("Far drier than most keep these eggs ({band}): weigh them.", band=band)
    return _("Far moister than most keep these eggs ({band}): weigh them.", band=band)
