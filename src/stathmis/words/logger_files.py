"""What is asked about a logger's file that fits in two ways, in words: both outcomes side by side."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import TYPE_CHECKING

from stathmis.words import dates
from stathmis.words.catalogue import _

if TYPE_CHECKING:
    from stathmis.exchange.csv_layout import FileUnit, Question


def unit_words(unit: FileUnit) -> str:
    """A column's unit in words."""
    return _("as a fraction of 1") if unit == "of 1" else unit


def choose() -> str:
    """What to do about it."""
    return _("Choose which; nothing is taken in before.")


def asked(question: Question) -> str:
    """A question with both its answers."""
    if question.about == "decimal sign":
        return _("Does a comma end a cell, or is it the decimal sign? Both fit this file.")
    if question.about == "order":
        days = (dates.day(datetime.fromtimestamp(ms / 1000.0, UTC), year=True) for ms in question.first_days_ms)
        return _("Day or month first? Its first day is {days}.", days=f" {_('or')} ".join(days))
    both = f" {_('or')} ".join(f"{question.first_value} {unit_words(unit)}" for unit in question.units)
    return _("{column}: {both}? Both fit.", column=question.column, both=both)
