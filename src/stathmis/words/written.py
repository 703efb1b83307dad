"""Typing back from paper, in words."""

from __future__ import annotations

from stathmis.words.catalogue import _
from stathmis.words.numbers import count


def no_time() -> tuple[str, str]:
    """A row without a time."""
    return _("When was that?"), _("Type it as it stands there, such as 18 May 8:10, then 20:30 alone.")


def no_hour(text: str) -> tuple[str, str]:
    """A day without its hour."""
    return _("At what hour of {day}?", day=text), _("Write it behind, such as 8:10.")


def to_come(text: str) -> tuple[str, str]:
    """A time that has not come."""
    return _("{text} has not come yet.", text=text), _("Is the day right?")


def mend_first() -> tuple[str, str]:
    """Rows that cannot be logged as they stand."""
    return _("Some rows are not clear yet."), _("Mend what is marked; nothing was logged.")


def nothing_new() -> tuple[str, str]:
    """Nothing to log."""
    return _("There is nothing new here."), _("Type what stands on the paper.")


def label(visits: int) -> str:
    """What the edit is called."""
    return _("{visits} typed back", visits=count(visits, "{n} visit", "{n} visits"))


def button(readings: int, visits: int) -> str:
    """What the button does."""
    if not readings:
        return _("&Log them")
    return _(
        "&Log {readings} of {visits}",
        readings=count(readings, "{n} reading", "{n} readings"),
        visits=count(visits, "{n} visit", "{n} visits"),
    )


def logged(readings: int, visits: int) -> str:
    """What was logged."""
    return _(
        "{readings} of {visits} logged. Ctrl+Z takes them back.",
        readings=count(readings, "{n} reading", "{n} readings"),
        visits=count(visits, "{n} visit", "{n} visits"),
    )


def there() -> str:
    """A reading that is in the log."""
    return _("in the log already")
