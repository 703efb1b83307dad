"""What is typed from a scale, in words."""

from __future__ import annotations

from stathmis.words.catalogue import _


def no_egg(each_g: float, least_g: float, most_g: float) -> str:
    """So much an egg cannot be, whatever the keeper says."""
    most_kg = most_g / 1000.0
    return _(
        "{each:.4g} g an egg cannot be: from {least:g} g to {most:g} kg.", each=each_g, least=least_g, most=most_kg
    )
