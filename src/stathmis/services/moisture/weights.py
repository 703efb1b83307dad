"""Weighing the eggs: what is typed, row by row, with every doubt at its row; and what was weighed so far."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass

from stathmis.core.errors import UserError
from stathmis.core.units import NotANumberError, parse_typed
from stathmis.logbook.records import Weighing
from stathmis.services.batch.course import Course
from stathmis.services.book import Book
from stathmis.services.desk import Desk
from stathmis.words import dates, weighing
from stathmis.words.numbers import count

GRAMS = {"g": 1.0, "kg": 1000.0, "oz": 28.349523125}
"""Source: definition."""
_TYPED = re.compile(r"^\s*(\d{1,6}(?:[.,]\d{1,4})?)\s*(g|kg|oz)?\s*$", re.IGNORECASE)
OF_AN_EGG_G = (0.1, 5000.0)
"""No egg that is set is lighter or heavier: that is a slip, whatever the keeper says."""
PLAUSIBLE = (0.45, 1.8)
"""An egg lies between these times its species' usual mass. Source: common practice, wide."""
DAILY_PERCENT = 1.6
"""No sound egg loses more than this of its mass a day. Source: common practice, wide."""


@dataclass(frozen=True)
class OnScale:
    """One line of the scale: mark "" for the whole tray; eggs on the scale; what was typed; whether a doubt about it
    was answered with "it is right"."""

    mark: str
    eggs: int
    text: str
    sure: bool = False


@dataclass(frozen=True)
class Weighed:
    """What a row comes to: mass of all on the scale in g, or None with a problem; a doubt can be overruled."""

    row: OnScale
    mass_g: float | None = None
    problem: str = ""
    doubt: str = ""

    @property
    def good(self) -> bool:
        """Whether it can be logged."""
        return self.mass_g is not None and (not self.doubt or self.row.sure)


def name_of(mark: str) -> str:
    """The keeper's word for what was on the scale."""
    return f"egg {mark}" if mark else "whole tray"


def weighings(book: Book, batch_id: int) -> list[Weighing]:
    """All weighings of a batch in order of time."""
    return sorted((w for w in book.records(Weighing) if w.batch_id == batch_id), key=lambda w: (w.time_ms, w.id))


def last_of(book: Book, batch_id: int, mark: str) -> Weighing | None:
    """The newest weighing of the tray or of an egg."""
    own = [w for w in weighings(book, batch_id) if w.mark == mark]
    return own[-1] if own else None


def marks(book: Book, batch_id: int) -> list[str]:
    """The marks of single eggs that were weighed, in the order they first were."""
    return list(dict.fromkeys(w.mark for w in weighings(book, batch_id) if w.mark))


def mass_in(text: str) -> float | None:
    """A mass as typed, g: "58,3", "2.06oz", "0.4 kg"; None for anything else."""
    match = _TYPED.match(text)
    return float(match[1].replace(",", ".")) * GRAMS[(match[2] or "g").lower()] if match else None


def interpret(book: Book, course: Course, row: OnScale, at_ms: int) -> Weighed | None:
    """What a row comes to, weighed at a time (UTC ms); None for an empty one."""
    if not row.text.strip():
        return None
    mass = mass_in(row.text)
    if mass is None:
        return Weighed(row, problem=f"{row.text.strip()} is no mass; write one such as 58.3 or 2.06oz.")
    if row.eggs < 1:
        return Weighed(row, problem="How many eggs lie on the scale?")
    each, usual = mass / row.eggs, course.species.egg_g
    if not OF_AN_EGG_G[0] <= each <= OF_AN_EGG_G[1]:
        return Weighed(row, problem=weighing.no_egg(each, *OF_AN_EGG_G))
    if not PLAUSIBLE[0] * usual <= each <= PLAUSIBLE[1] * usual:
        return Weighed(row, mass, doubt=_odd_mass(mass, row, usual, row.text.strip()[-1].isalpha()))
    before = last_of(book, course.batch.id, row.mark)
    if before is not None and at_ms <= before.time_ms:
        return Weighed(row, mass, problem=f"The last weighing of the {name_of(row.mark)} is later than this one.")
    doubt = _against(book, before, row, mass, at_ms) if before is not None else ""
    return Weighed(row, mass, doubt=doubt)


def _odd_mass(mass: float, row: OnScale, usual: float, unit_given: bool) -> str:
    each = mass / row.eggs
    as_ounces = each * GRAMS["oz"]
    if not unit_given and PLAUSIBLE[0] * usual <= as_ounces <= PLAUSIBLE[1] * usual:
        return f"{row.text.strip()} g? As ounces it would be {as_ounces:.1f} g an egg: write {row.text.strip()}oz."
    if row.mark == "" and each > usual:
        return f"{each:.0f} g an egg, and {usual:.0f} g is usual: was the tray weighed with them?"
    return f"{each:.1f} g an egg, and {usual:.0f} g is usual: is the count of {row.eggs} right?"


def _against(book: Book, before: Weighing, row: OnScale, mass: float, at_ms: int) -> str:
    """What does not fit with the weighing before it."""
    when = book.local(before.time_ms)
    last = f"{before.mass_g / before.eggs:.2f} g an egg on {dates.day(when)}"
    if row.eggs != before.eggs:
        if row.eggs > before.eggs:
            return f"{before.eggs} eggs the last time, {row.eggs} now: the same eggs belong on the scale each time."
        return f"{count(before.eggs - row.eggs, 'egg')} fewer than the last time: were they taken out for good?"
    each, then = mass / row.eggs, before.mass_g / before.eggs
    if each > then + before.scale_g / row.eggs:
        return f"Heavier than before ({last}); eggs only lose weight. Another egg, the tray with it, or water on it?"
    days = (at_ms - before.time_ms) / 86_400_000
    if (then - each) / then * 100.0 > DAILY_PERCENT * max(days, 0.5) + 0.3:
        return f"Much lighter than before ({last}): another egg, a cracked one, or a slip of the finger?"
    return ""


def log_weighings(desk: Desk, course: Course, found: Sequence[Weighed], at_ms: int, scale_g: float) -> int:
    """Log what was weighed at a time with a scale of this step (g), and what the loss asks for from then on.

    All in one transaction, undoable. Returns how many were logged. Raises UserError for nothing to log, a time that
    has not come, one before setting, and a step not above 0.
    """
    good = [w for w in found if w.good]
    if not good:
        raise UserError("There is nothing to log.", "Type what the scale shows.")
    if at_ms > desk.now_ms or at_ms < course.batch.set_ms - 86_400_000:
        raise UserError("The eggs are weighed from their setting until now.", "Mend the time.")
    if not 0.0 < scale_g <= 50.0:
        raise UserError("The scale's step is a number such as 0.1 g.", "It is the smallest step its display makes.")
    new = [
        {
            "batch_id": course.batch.id,
            "time_ms": at_ms,
            "mark": w.row.mark,
            "eggs": w.row.eggs,
            "mass_g": w.mass_g,
            "scale_g": scale_g,
            "typed": w.row.text.strip(),
        }
        for w in good
    ]
    desk.add(f"{count(len(new), 'weighing')} logged", [(Weighing, fields) for fields in new])
    return len(new)


def strike_weighing(desk: Desk, found: Weighing) -> None:
    """Leave a wrong weighing out from now on; undoable."""
    desk.strike("weighing struck", Weighing, [found.id])


def step_in(text: str) -> float:
    """The scale's step as typed, g. Raises UserError."""
    try:
        return parse_typed(text).value
    except NotANumberError:
        raise UserError("The scale's step is a number such as 0.1 g.", "It is the smallest step it shows.") from None


def marks_in(text: str) -> list[str]:
    """Marks as typed: "7", "3, 5, 9" or "1-12"."""
    found: list[str] = []
    for part in re.split(r"[,;\s]+", text.strip()):
        ends = re.fullmatch(r"(\d{1,4})-(\d{1,4})", part)
        if ends and 0 < int(ends[2]) - int(ends[1]) < 500:
            found += [str(n) for n in range(int(ends[1]), int(ends[2]) + 1)]
        elif part:
            found.append(part)
    return list(dict.fromkeys(found))
