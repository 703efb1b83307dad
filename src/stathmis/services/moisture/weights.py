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
from stathmis.words.catalogue import _
from stathmis.words.moisture import weights as say
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
    return _("egg {mark}", mark=mark) if mark else _("whole tray")


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
        return Weighed(row, problem=say.TEXT_IS_NO_MASS_WRITE(text=row.text.strip()))
    if row.eggs < 1:
        return Weighed(row, problem=say.HOW_MANY_EGGS_LIE_ON())
    each, usual = mass / row.eggs, course.species.egg_g
    if not OF_AN_EGG_G[0] <= each <= OF_AN_EGG_G[1]:
        return Weighed(row, problem=weighing.no_egg(each, *OF_AN_EGG_G))
    if not PLAUSIBLE[0] * usual <= each <= PLAUSIBLE[1] * usual:
        return Weighed(row, mass, doubt=_odd_mass(mass, row, usual, row.text.strip()[-1].isalpha()))
    before = last_of(book, course.batch.id, row.mark)
    if before is not None and at_ms <= before.time_ms:
        return Weighed(row, mass, problem=say.THE_LAST_WEIGHING_OF_THE(name_of=name_of(row.mark)))
    doubt = _against(book, before, row, mass, at_ms) if before is not None else ""
    return Weighed(row, mass, doubt=doubt)


def _odd_mass(mass: float, row: OnScale, usual: float, unit_given: bool) -> str:
    each = mass / row.eggs
    as_ounces = each * GRAMS["oz"]
    if not unit_given and PLAUSIBLE[0] * usual <= as_ounces <= PLAUSIBLE[1] * usual:
        return say.TEXT_G_AS_OUNCES_IT(text=row.text.strip(), as_ounces=as_ounces)
    if row.mark == "" and each > usual:
        return say.EACH_G_AN_EGG_AND(each=each, usual=usual)
    return say.EACH_G_AN_EGG_AND_USUAL(each=each, usual=usual, eggs=row.eggs)


def _against(book: Book, before: Weighing, row: OnScale, mass: float, at_ms: int) -> str:
    """What does not fit with the weighing before it."""
    when = book.local(before.time_ms)
    last = _("{mass_g:.2f} g an egg on {when}", mass_g=before.mass_g / before.eggs, when=dates.day(when))
    if row.eggs != before.eggs:
        if row.eggs > before.eggs:
            return say.EGGS_EGGS_THE_LAST_TIME(then=before.eggs, now=row.eggs)
        return say.EGGS_FEWER_THAN_THE_LAST(eggs=count(before.eggs - row.eggs, "{n} egg", "{n} eggs"))
    each, then = mass / row.eggs, before.mass_g / before.eggs
    if each > then + before.scale_g / row.eggs:
        return say.HEAVIER_THAN_BEFORE_LAST_EGGS(last=last)
    days = (at_ms - before.time_ms) / 86_400_000
    if (then - each) / then * 100.0 > DAILY_PERCENT * max(days, 0.5) + 0.3:
        return say.MUCH_LIGHTER_THAN_BEFORE_LAST(last=last)
    return ""


def log_weighings(desk: Desk, course: Course, found: Sequence[Weighed], at_ms: int, scale_g: float) -> int:
    """Log what was weighed at a time with a scale of this step (g), and what the loss asks for from then on.

    All in one transaction, undoable. Returns how many were logged. Raises UserError for nothing to log, a time that
    has not come, one before setting, and a step not above 0.
    """
    good = [w for w in found if w.good]
    if not good:
        raise UserError(*say.THERE_IS_NOTHING_TO_LOG())
    if at_ms > desk.now_ms or at_ms < course.batch.set_ms - 86_400_000:
        raise UserError(*say.THE_EGGS_ARE_WEIGHED_FROM())
    if not 0.0 < scale_g <= 50.0:
        raise UserError(*say.THE_SCALES_STEP_IS_A())
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
    desk.add(
        _("{weighings} logged", weighings=count(len(new), "{n} weighing", "{n} weighings")),
        [(Weighing, fields) for fields in new],
    )
    return len(new)


def strike_weighing(desk: Desk, found: Weighing) -> None:
    """Leave a wrong weighing out from now on; undoable."""
    desk.strike(_("weighing struck"), Weighing, [found.id])


def step_in(text: str) -> float:
    """The scale's step as typed, g. Raises UserError."""
    try:
        return parse_typed(text).value
    except NotANumberError:
        raise UserError(*say.THE_SCALES_STEP_IS_A_NUMBER()) from None


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
