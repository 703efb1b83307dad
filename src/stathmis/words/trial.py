"""What is typed of a change to try, where it cannot be read."""

from __future__ import annotations

from stathmis.words.catalogue import _


def no_set_point(amount: str) -> tuple[str, str]:
    """No controller is set to that."""
    return _("{amount} is no set point for eggs.", amount=amount), _("Write one such as 37.6 or 99.7F.")


def how_much() -> tuple[str, str]:
    """No number was typed."""
    return _("How much?"), _("Write a number.")


def how_long() -> tuple[str, str]:
    """No length of time was typed."""
    return _("How long?"), _("Write minutes such as 20, or 1.5 h; two days at most.")


def by_itself() -> tuple[str, str]:
    """What no keeper does."""
    return _("That comes by itself."), _("Log what you do about it.")


def foreseen() -> str:
    """The edit that keeps a forecast."""
    return _("what comes was foreseen")
