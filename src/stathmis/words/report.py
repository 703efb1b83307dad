"""What a report's pictures show, in words."""

from __future__ import annotations

from stathmis.words.catalogue import _


def tray() -> str:
    """The tray as it lies."""
    return _("The tray as it lies: filled, where a chick came of it")


def loss_axis() -> str:
    """What stands over the picture of the loss."""
    return _("% of set weight lost, by day; shaded: to what is aimed at")


def lost(aim: float) -> str:
    """What the eggs lost."""
    return _("What the eggs lost, toward {aim:g} % at lockdown", aim=aim)
