"""Pairs of females and males, in words: what was noted, and what cannot be."""

from __future__ import annotations

from stathmis.words.catalogue import _


def noted(mother: str) -> str:
    """The edit that notes a pair."""
    return _("{mother} paired", mother=mother)


def struck() -> str:
    """The edit that strikes one."""
    return _("pairing struck")


def no_name() -> tuple[str, str]:
    """Nobody was named."""
    return _("Which female?"), _("Write her name.")


def not_yet() -> tuple[str, str]:
    """The day lies ahead."""
    return _("That day is still to come."), _("Note a pairing once it was seen.")
