"""The eggs as they came, in words: what was noted, what cannot be, and what of a bad hatch was in them already."""

from __future__ import annotations

from stathmis.core.course import schedule
from stathmis.logbook.records import Delivery
from stathmis.services.book import TemperatureUnit
from stathmis.words.catalogue import _, filled_in, ngettext
from stathmis.words.numbers import number

COOL_C, WARM_C = 8.0, 20.0
"""Eggs are best kept at 12-18 °C; beyond these they suffer. Source: common practice, approximate."""
RESTED_H = 12.0
"""Posted eggs rest so long before they are set. Source: common practice."""


def called(name: str) -> str:
    """What a field is called."""
    return {
        "received": _("Eggs received"),
        "cracked": _("Of them cracked"),
        "dirty": _("Of them dirty"),
        "odd": _("Of them odd in size or shape"),
        "inked": _("Of them marked in ink"),
        "source": _("Where they come from"),
        "kept_c": _("How warm they were kept"),
        "rested_h": _("Hours they rested"),
    }[name]


def noted(name: str) -> str:
    """The edit that notes it."""
    return _("eggs of {name} as they came", name=name)


def more_than_came(received: int) -> tuple[str, str]:
    """More bad ones than eggs."""
    came = ngettext("{n} egg came.", "{n} eggs came.", received, n=received)
    return came, _("No more of them can be cracked, dirty, odd or inked.")


def no_number(text: str) -> tuple[str, str]:
    """It is no number."""
    return _("“{text}” is no number.", text=text), _("Write it as 14 or 14.5.")


def no_count(text: str) -> tuple[str, str]:
    """It is no count of eggs."""
    return _("“{text}” is no count.", text=text), _("Write a whole number, such as 12.")


def not_so(name: str, text: str) -> tuple[str, str]:
    """Eggs are not kept at that, nor rest so long."""
    what = _("{what}: {text}?", what=called(name), text=text)
    return what, _("Eggs rest up to four days.") if name == "rested_h" else _("That is no temperature of a store.")


def cause() -> str:
    """Of a bad hatch: what was in the eggs when they came."""
    return _("Many eggs were poor when they came")


def change() -> str:
    """What to do about it the next time."""
    return _("Talk to whoever they come from, and set only whole, clean eggs of normal size.")


def unknown() -> str:
    """What was not noted."""
    return _("how the eggs came")


def measured(share_of_all: float) -> str:
    """The share (0 to 1) of poor eggs."""
    return _("{percent:.0f} % cracked, dirty, odd or inked", percent=100 * share_of_all)


def share(found: Delivery | None, stored_days: float | None, eggs: int, unit: TemperatureUnit) -> list[str]:
    """What of a bad hatch was in the eggs before they were set: the dealer's share, and the store's.

    eggs: how many were set. Source of the store's share: core.course.schedule.storage_loss.
    """
    said = []
    if found is not None:
        words = {"cracked": _("cracked"), "dirty": _("dirty"), "odd": _("odd"), "inked": _("inked")}
        flaws = [(getattr(found, flaw), word) for flaw, word in words.items()]
        bad = ", ".join(f"{n} {word}" for n, word in flaws if n)
        came = ngettext("{n} egg came", "{n} eggs came", found.received, n=found.received)
        of_them = _("{came}, {eggs} set", came=came, eggs=eggs)
        if found.source:
            of_them = _("{came} from {source}, {eggs} set", came=came, source=found.source, eggs=eggs)
        lost = sum(n for n, _word in flaws) / found.received
        dealers = _("; {bad}: {lost:.0f} % were poor before you had them", bad=bad, lost=100 * lost) if bad else ""
        said.append(f"{of_them}{dealers}.")
        if found.kept_c is not None and not COOL_C <= found.kept_c <= WARM_C:
            at = number(found.kept_c, "temperature", unit)
            warm = _("Kept at {at}: germs begin to grow in the warm, and they age faster.", at=at)
            said.append(warm if found.kept_c > WARM_C else _("Kept at {at}: too cold a store costs germs.", at=at))
        if found.rested_h is not None and found.rested_h < RESTED_H:
            said.append(_("They rested {hours:g} h; posted eggs want 12 to 24.", hours=found.rested_h))
    if stored_days is not None and stored_days > schedule.BEST_STORED_DAYS:
        low, high = schedule.storage_loss(stored_days)
        if high > 0.5:
            kept = _("Kept {days:.0f} days: that alone costs about {low:.0f} to {high:.0f} of 100 (approximate).")
            said.append(filled_in(kept, days=stored_days, low=low, high=high))
    return said
