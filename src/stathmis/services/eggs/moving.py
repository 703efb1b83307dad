"""Eggs that change places in the tray, or go to another machine; and which to move round, by the map of warm and cold
places."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Any

from stathmis.core.errors import UserError
from stathmis.core.units import difference_from_inside
from stathmis.logbook.edits import Edit
from stathmis.logbook.records import (
    Batch,
    Egg,
    EggFinding,
    EggSize,
    Event,
    Incubator,
    PlanMove,
    Stay,
    StoredPlan,
    Weighing,
)
from stathmis.services.batch.course import Course
from stathmis.services.book import Book
from stathmis.services.desk import Desk
from stathmis.services.eggs.findings import fields_of
from stathmis.services.eggs.laying import own_eggs
from stathmis.services.eggs.tray import EggStory, TraySheet, tray
from stathmis.services.eggs.tray_shape import Place, place_in, third
from stathmis.services.instruments.places import PLACES, WORTH_ROTATING_K, from_survey, newest_survey
from stathmis.services.moisture import weights
from stathmis.words import dates, typed
from stathmis.words.catalogue import _, begun
from stathmis.words.eggs import moving as say
from stathmis.words.numbers import count

MOST_SWAPS = 12
_AS_EVEN_K = 0.05
"""Two eggs whose means are nearer than this need not change places."""


@dataclass(frozen=True)
class Rotation:
    """Which eggs to swap: pairs of marks, warm against cold; the warmest and coldest place, and how far they are apart
    (K) with its U."""

    pairs: tuple[tuple[str, str], ...]
    warm: str
    cold: str
    spread_k: float
    U_k: float


def swap(desk: Desk, course: Course, pairs: Sequence[tuple[str, str]]) -> None:
    """Eggs change places two by two; undoable together; each egg's story says so.

    Raises UserError for an egg that is not there, or has left the machine.
    """
    own = {e.mark: e for e in own_eggs(desk.book, course)}
    sheet = tray(desk.book, course.batch)
    named = [m for pair in pairs for m in pair]
    for mark in named:
        egg = sheet.egg(mark)
        if egg is None:
            raise UserError(*say.THERE_IS_NO_EGG_MARK(mark=mark))
        if egg.out:
            raise UserError(*say.EGG_MARK_IS_OUT_OF(mark=mark))
    if any(one == two for one, two in pairs):
        raise UserError(*say.AN_EGG_DOES_NOT_CHANGE())
    if len(set(named)) < len(named):
        raise UserError(*say.AN_EGG_CHANGES_PLACES_ONCE())
    after = {m: own[o].place for one, two in pairs for m, o in ((one, two), (two, one))}
    _put(
        desk,
        course,
        after,
        say.EGGS_PAIRS_AND_PAIRS_CHANGED(one=pairs[0][0], other=pairs[0][1]) if len(pairs) == 1 else "",
    )


def _put(desk: Desk, course: Course, after: dict[str, str], label: str) -> None:
    own = {e.mark: e for e in own_eggs(desk.book, course)}
    with desk.edit(label or _("{eggs} moved round", eggs=count(len(after), "{n} egg", "{n} eggs"))) as edit:
        for mark, place in after.items():
            moved = fields_of(desk.book, course, desk.now_ms, mark, "moved", "")
            edit.add(EggFinding, **moved, from_place=own[mark].place, to_place=place)
            edit.change(Egg, own[mark].id, place=place)


def rotation(book: Book, course: Course, sheet: TraySheet) -> Rotation | None:
    """Which eggs to swap now, so that all have had the same warmth on average; None without a map of places, or where
    it is even enough.

    The tray is taken to fill the machine: its back, middle and front are those of the map.
    """
    kept = newest_survey(book, course.incubator, "places")
    lying = [e for e in sheet.eggs if not e.out]
    if kept is None or len(lying) < 2:
        return None
    result = from_survey(book, *kept)
    even = result.even
    if even is None or not even.seen or even.spread < WORTH_ROTATING_K:
        return None
    names = [_(f.cell.place) for f in result.found]
    off = dict(zip(names, even.deviation.tolist(), strict=True))
    all_places = [e.place for e in sheet.eggs]

    def warmth(place: Place) -> float:
        row, column = third(course.batch.tray, all_places, place)
        return float(off.get(PLACES[row][column], 0.0))

    felt = {e.mark: _felt(e, course, book.now_ms, warmth) for e in lying}
    by_warmth = sorted(lying, key=lambda e: (-felt[e.mark], e.mark))
    pairs: list[tuple[str, str]] = []
    cold = [e for e in reversed(by_warmth) if warmth(e.place) < 0]
    for egg in by_warmth:
        partner = next((c for c in cold if felt[egg.mark] - felt[c.mark] > _AS_EVEN_K), None)
        if warmth(egg.place) <= 0 or partner is None or len(pairs) >= MOST_SWAPS:
            continue
        pairs.append((egg.mark, partner.mark))
        cold.remove(partner)
    if not pairs:
        return None
    return Rotation(tuple(pairs), names[even.warmest], names[even.coldest], even.spread, even.U_spread)


def _felt(egg: EggStory, course: Course, now_ms: int, warmth: Callable[[Place], float]) -> float:
    """How much warmer than the machine's mean an egg lay since setting, K, over all places it lay at."""
    since, total, place = course.batch.set_ms, 0.0, egg.place
    moves = [f for f in egg.findings if f.kind == "moved"]
    for move in moves:
        total += warmth(place_in(move.from_place)) * (move.time_ms - since)
        since = move.time_ms
    total += warmth(place) * max(1, now_ms - since)
    return total / max(1, now_ms - course.batch.set_ms)


def rotation_words(book: Book, found: Rotation) -> str:
    """The advice in words."""
    unit = book.temperature_unit
    spread, U = (float(difference_from_inside(v, unit)) for v in (found.spread_k, found.U_k))
    pairs = ", ".join(_("{one} with {two}", one=one, two=two) for one, two in found.pairs[:6])
    more = (
        _(" and {mores}", mores=count(len(found.pairs) - 6, "{n} more pair", "{n} more pairs"))
        if len(found.pairs) > 6
        else ""
    )
    return say.WARM_IS_SPREAD_U_UNIT(
        warm=begun(found.warm), spread=spread, u=U, unit=unit, cold=found.cold, pairs=pairs, more=more
    )


def marks_in(text: str) -> list[str] | None:
    """Marks as typed, "1-5, 8, A3"; None for all. Raises UserError for nothing."""
    if typed.english(text.strip().lower(), "all") == "all":
        return None
    made = weights.marks_in(text)
    if not made:
        raise UserError(*say.WHICH_EGGS())
    return made


def move_batch(desk: Desk, course: Course, incubator: Incubator, at_ms: int) -> None:
    """All eggs of a batch go to another machine at a time (UTC ms); undoable.

    Raises UserError for the machine they are in, the room, a time to come, and one before they came to where they are.
    """
    _check_move(desk.book, course, incubator, at_ms)
    batch, old = course.batch, course.incubator
    with desk.edit(_("{batch} to {incubator}", batch=batch.name, incubator=incubator.name)) as edit:
        edit.add(Stay, batch_id=batch.id, incubator_id=old.id, to_ms=at_ms)
        _note_moved(edit, course, incubator, at_ms, batch.name)
        edit.change(Batch, batch.id, incubator_id=incubator.id)


def move_some(desk: Desk, course: Course, marks: Sequence[str], incubator: Incubator, at_ms: int) -> int:
    """Some eggs of a batch go to another machine: they are a batch of their own from then on, with all that was found
    at them; undoable. Returns the new batch's id.

    Raises UserError as move_batch, for no eggs, for eggs that are not there or have left, and for all of them.
    """
    _check_move(desk.book, course, incubator, at_ms)
    sheet = tray(desk.book, course.batch)
    for mark in marks:
        egg = sheet.egg(mark)
        if egg is None or egg.out:
            raise UserError(*say.EGG_MARK_DOES_NOT_LIE(mark=mark))
    chosen = set(marks)
    if not chosen:
        raise UserError(*say.WHICH_EGGS_GO())
    if len(chosen) >= sum(not e.out for e in sheet.eggs):
        raise UserError(*say.THESE_ARE_ALL_THE_EGGS())
    batch = course.batch
    name = _(
        "{batch}, {eggs} in {incubator}",
        batch=batch.name,
        eggs=count(len(chosen), "{n} egg", "{n} eggs"),
        incubator=incubator.name,
    )
    part = replace(batch, incubator_id=incubator.id, name=name, eggs=len(chosen))
    fields = {n: getattr(part, n) for n in Batch.__dataclass_fields__ if n != "id"}
    plan = next((p for p in desk.book.records(StoredPlan) if p.batch_id == batch.id), None)
    kinds: tuple[type[Any], ...] = (Egg, EggFinding, EggSize, Weighing)
    with desk.edit(
        _("{eggs} to {incubator}", eggs=count(len(chosen), "{n} egg", "{n} eggs"), incubator=incubator.name)
    ) as edit:
        new_id = edit.add(Batch, **fields)
        for machine, to_ms in (*course.before, (course.incubator, at_ms)):
            edit.add(Stay, batch_id=new_id, incubator_id=machine.id, to_ms=to_ms)
        _note_moved(edit, course, incubator, at_ms, count(len(chosen), "{n} egg", "{n} eggs"))
        if plan is not None:
            same = {n: getattr(plan, n) for n in StoredPlan.__dataclass_fields__ if n != "id"}
            copy = edit.add(StoredPlan, **{**same, "batch_id": new_id, "name": name, "eggs": len(chosen)})
            for move in desk.book.records(PlanMove):
                if move.plan_id == plan.id:
                    edit.add(PlanMove, plan_id=copy, step=move.step, at_ms=move.at_ms)
        for kind in kinds:
            for record in desk.book.records(kind):
                if record.batch_id == batch.id and record.mark in chosen:
                    edit.change(kind, record.id, batch_id=new_id)
        edit.change(Batch, batch.id, eggs=max(1, batch.eggs - len(chosen)))
    return new_id


def _check_move(book: Book, course: Course, incubator: Incubator, at_ms: int) -> None:
    if course.batch.ended_ms is not None:
        raise UserError(*say.THIS_BATCH_HAS_ENDED())
    if incubator.id == course.incubator.id:
        raise UserError(*say.THEY_LIE_IN_INCUBATOR_ALREADY(incubator=incubator.name))
    if incubator.air == "room":
        raise UserError(*say.EGGS_DO_NOT_HATCH_IN())
    if at_ms > book.now_ms:
        raise UserError(*say.THAT_TIME_HAS_NOT_COME())
    since = course.before[-1][1] if course.before else course.batch.set_ms
    if at_ms < since:
        when = book.local(since)
        raise UserError(*say.THEY_CAME_TO_INCUBATOR_ON(incubator=course.incubator.name, when=dates.moment(when)))


def _note_moved(edit: Edit, course: Course, incubator: Incubator, at_ms: int, what: str) -> None:
    old = course.incubator
    for machine, note in (
        (old, _("{what} to {incubator}", what=what, incubator=incubator.name)),
        (incubator, _("{what} from {old}", what=what, old=old.name)),
    ):
        edit.add(Event, incubator_id=machine.id, time_ms=at_ms, kind="moved", note=note)
