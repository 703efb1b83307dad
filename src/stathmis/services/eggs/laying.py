"""Eggs given their marks and places: so many in one go, or one by one with what is known of each."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from stathmis.core.errors import UserError
from stathmis.core.units import count_typed
from stathmis.logbook.records import Batch, Egg, TrayShape, Weighing
from stathmis.services import clock
from stathmis.services.batch.course import Course
from stathmis.services.book import Book
from stathmis.services.clock import DAY_MS
from stathmis.services.desk import Desk
from stathmis.services.eggs.tray import usual_width
from stathmis.services.eggs.tray_shape import SHAPES, place_in, places_for
from stathmis.services.moisture import weights
from stathmis.services.plan.planning import OLDEST_STORED_DAYS
from stathmis.words.catalogue import _
from stathmis.words.eggs import laying as say
from stathmis.words.numbers import count

LARGEST = 2000
LONGEST_MARK = 12
SCALE_G = 0.1
"""Step of a scale that weighs single eggs, where the keeper said none. Source: common practice."""


@dataclass(frozen=True)
class Described:
    """What is known of an egg, as typed; all may be empty."""

    breed: str = ""
    mother: str = ""
    source: str = ""
    laid: str = ""
    mass: str = ""
    about: str = ""


def own_eggs(book: Book, course: Course) -> list[Egg]:
    """The eggs of a batch that have places."""
    return [e for e in book.records(Egg) if e.batch_id == course.batch.id]


def lay_out(desk: Desk, course: Course, eggs: int, columns: int = 0, known: Described | None = None) -> int:
    """Give eggs their marks and places in one go, after those that have some; undoable. Returns how many.

    columns: eggs in a row of the tray, or in its outer ring; nearly square by default. known: holds for all of them.
    Raises UserError for no eggs, too many, or a day they cannot be laid on.
    """
    if not 1 <= eggs <= LARGEST:
        raise UserError(*say.HOW_MANY_EGGS_LIE_IN(largest=LARGEST))
    own = own_eggs(desk.book, course)
    first_row = max((place_in(e.place)[0] for e in own), default=0) + 1
    number = max((count_typed(e.mark) or 0 for e in own), default=0)
    fields = _known(desk.book, course, known or Described())
    places = places_for(course.batch.tray, eggs, columns if columns > 0 else usual_width(eggs), first_row)
    new = []
    for i, (row, column) in enumerate(places, start=1):
        place = f"{row}/{column}"
        new.append((Egg, {"batch_id": course.batch.id, "mark": str(number + i), "place": place, **fields}))
    desk.add(_("{eggs} laid out", eggs=count(eggs, "{n} egg", "{n} eggs")), new)
    return eggs


def add_egg(desk: Desk, course: Course, mark: str, known: Described) -> str:
    """One more egg, at the next free place; undoable, its mass too. Returns its mark.

    mark: its pencil mark, the next number by default. Raises UserError for a mark that is there already, a day it
    cannot be laid on, and what is no mass.
    """
    own = own_eggs(desk.book, course)
    if len(own) >= LARGEST:
        raise UserError(*say.THE_TRAY_IS_FULL())
    named = mark.strip() or str(max((count_typed(e.mark) or 0 for e in own), default=0) + 1)
    if len(named) > LONGEST_MARK:
        raise UserError(*say.A_PENCIL_MARK_HAS_LONGEST(longest_mark=LONGEST_MARK))
    if named in {e.mark for e in own}:
        raise UserError(*say.EGG_NAMED_IS_IN_THE(named=named))
    fields = _known(desk.book, course, known)
    taken = {place_in(e.place) for e in own}
    wide = max((c for _, c in taken), default=usual_width(course.batch.eggs))
    free = next(p for p in places_for(course.batch.tray, len(own) + 2 * wide, wide) if p not in taken)
    egg = {"batch_id": course.batch.id, "mark": named, "place": f"{free[0]}/{free[1]}", **fields}
    new: list[tuple[type[Any], dict[str, Any]]] = [(Egg, egg)]
    if known.mass.strip():
        new.append((Weighing, _weighed(desk.book, course, named, known.mass)))
    desk.add(say.EGG_NAMED_IN_THE_TRAY(named=named), new)
    return named


def describe(desk: Desk, course: Course, mark: str, known: Described) -> None:
    """Change what is known of an egg (not its mass); undoable. Raises UserError as add_egg does."""
    egg = next((e for e in own_eggs(desk.book, course) if e.mark == mark), None)
    if egg is None:
        raise UserError(*say.THERE_IS_NO_EGG_MARK(mark=mark))
    after = _known(desk.book, course, known)
    with desk.edit(_("egg {mark} described", mark=mark)) as edit:
        edit.change(Egg, egg.id, **after)


def _known(book: Book, course: Course, known: Described) -> dict[str, Any]:
    laid = laid_in(book, course, known.laid)
    words = {name: getattr(known, name).strip() for name in ("breed", "mother", "source", "about")}
    return {**words, "laid_ms": laid}


def laid_in(book: Book, course: Course, text: str) -> int | None:
    """The day an egg was laid, as typed, UTC ms; a day without a year is the last such day before setting.

    Raises UserError for what is no day, one after setting, and one too long before.
    """
    if not text.strip():
        return None
    laid = clock.parse_day(text, course.batch.set_ms - 60 * DAY_MS, book.zone)
    if laid > course.batch.set_ms + DAY_MS // 2:
        raise UserError(*say.THE_EGG_WOULD_BE_LAID())
    if course.batch.set_ms - laid > OLDEST_STORED_DAYS * DAY_MS:
        raise UserError(*say.EGGS_THAT_OLD_HARDLY_HATCH())
    return laid


def _weighed(book: Book, course: Course, mark: str, typed: str) -> dict[str, Any]:
    """The weighing of an egg as it was set."""
    at = min(course.batch.set_ms, book.now_ms)
    found = weights.interpret(book, course, weights.OnScale(mark, 1, typed), at)
    if found is None or found.mass_g is None or found.problem or found.doubt:
        raise UserError(
            found.problem or found.doubt if found is not None else say.THAT_IS_NO_MASS(), _("Mend the mass.")
        )
    return {
        "batch_id": course.batch.id,
        "time_ms": at,
        "mark": mark,
        "eggs": 1,
        "mass_g": found.mass_g,
        "scale_g": SCALE_G,
        "typed": typed.strip(),
    }


def change_shape(desk: Desk, course: Course, shape: TrayShape) -> None:
    """The tray is of another shape; the eggs keep their order in it; undoable.

    Raises KeyError for a shape that is none. Source of the order: rows from the back, rings from the outside.
    """
    before = course.batch.tray
    if shape not in SHAPES:
        raise KeyError(shape)
    own = sorted(own_eggs(desk.book, course), key=lambda e: place_in(e.place))
    wide = max((place_in(e.place)[1] for e in own), default=1)
    if shape == "ring" or before == "ring":
        # an outer ring that leaves no hole larger than an egg, or rows nearly square
        wide = usual_width(len(own)) * (3 if shape == "ring" else 1)
    new = places_for(shape, len(own), min(wide, max(1, len(own))))
    with desk.edit(_("tray in {shapes}", shapes=SHAPES[shape])) as edit:
        edit.change(Batch, course.batch.id, tray=shape)
        for egg, (row, column) in zip(own, new, strict=True):
            edit.change(Egg, egg.id, place=f"{row}/{column}")
