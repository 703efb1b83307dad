"""Eggs that change places in the tray, or go to another machine; and which to move round, by the map of warm and cold
places."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Any

from stathmis.core.errors import UserError
from stathmis.core.units import difference_from_inside
from stathmis.logbook import keeping
from stathmis.logbook.records import Batch, Egg, EggFinding, EggSize, Event, Incubator, Stay, StoredPlan, Weighing
from stathmis.services.batches import Course
from stathmis.services.eggs.findings import fields_of
from stathmis.services.eggs.laying import own_eggs
from stathmis.services.eggs.tray import EggStory, TraySheet, tray
from stathmis.services.eggs.tray_shape import Place, place_in, third
from stathmis.services.instruments.places import PLACES, WORTH_ROTATING_K, from_survey, newest_survey
from stathmis.services.moisture import loss_words
from stathmis.services.wording import count
from stathmis.services.workbench import Workbench

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


def swap(bench: Workbench, course: Course, pairs: Sequence[tuple[str, str]]) -> None:
    """Eggs change places two by two; undoable together; each egg's story says so.

    Raises UserError for an egg that is not there, or has left the machine.
    """
    own = {e.mark: e for e in own_eggs(bench, course)}
    sheet = tray(bench, course.batch)
    named = [m for pair in pairs for m in pair]
    for mark in named:
        egg = sheet.egg(mark)
        if egg is None:
            raise UserError(f"There is no egg {mark} in this tray.", "Choose another.")
        if egg.out:
            raise UserError(f"Egg {mark} is out of the machine.", "Choose another.")
    if any(one == two for one, two in pairs):
        raise UserError("An egg does not change places with itself.", "Give another egg's mark.")
    if len(set(named)) < len(named):
        raise UserError("An egg changes places once at a time.", "Name each egg once.")
    after = {m: own[o].place for one, two in pairs for m, o in ((one, two), (two, one))}
    _put(bench, course, after, f"eggs {pairs[0][0]} and {pairs[0][1]} changed places" if len(pairs) == 1 else "")


def move_to(bench: Workbench, course: Course, mark: str, place: Place) -> None:
    """An egg goes to a free place; undoable. Raises UserError where it is taken, or there is no such egg."""
    own = {e.mark: e for e in own_eggs(bench, course)}
    if mark not in own:
        raise UserError(f"There is no egg {mark} in this tray.", "Choose another.")
    if place in {place_in(e.place) for e in own.values()}:
        raise UserError("Another egg lies there.", "Let the two change places.")
    _put(bench, course, {mark: f"{place[0]}/{place[1]}"}, f"egg {mark} moved")


def _put(bench: Workbench, course: Course, after: dict[str, str], label: str) -> None:
    own = {e.mark: e for e in own_eggs(bench, course)}
    before = {m: own[m].place for m in after}
    notes = [
        (EggFinding, fields_of(bench, course, bench.now_ms, m, "moved", f"from {before[m]} to {after[m]}"))
        for m in after
    ]
    made = keeping.add_all(bench.logbook, notes)

    def put(places: dict[str, str], withdrawn_ms: int | None) -> None:
        for mark, place in places.items():
            keeping.change(bench.logbook, Egg, own[mark].id, place=place)
        keeping.withdraw(bench.logbook, EggFinding, made, withdrawn_ms)

    put(after, None)
    bench.did(
        label or f"{count(len(after), 'egg')} moved round",
        undo=lambda: put(before, bench.now_ms),
        redo=lambda: put(after, None),
    )


def rotation(bench: Workbench, course: Course, sheet: TraySheet) -> Rotation | None:
    """Which eggs to swap now, so that all have had the same warmth on average; None without a map of places, or where
    it is even enough.

    The tray is taken to fill the machine: its back, middle and front are those of the map.
    """
    kept = newest_survey(bench, course.incubator, "places")
    lying = [e for e in sheet.eggs if not e.out]
    if kept is None or len(lying) < 2:
        return None
    result = from_survey(bench, *kept)
    even = result.even
    if even is None or not even.seen or even.spread < WORTH_ROTATING_K:
        return None
    names = [f.cell.place for f in result.found]
    off = dict(zip(names, even.deviation.tolist(), strict=True))
    all_places = [e.place for e in sheet.eggs]

    def warmth(place: Place) -> float:
        row, column = third(course.batch.tray, all_places, place)
        return float(off.get(PLACES[row][column], 0.0))

    felt = {e.mark: _felt(e, course, bench.now_ms, warmth) for e in lying}
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
        old = move.note.removeprefix("from ").partition(" to ")[0]
        total += warmth(place_in(old)) * (move.time_ms - since)
        since = move.time_ms
    total += warmth(place) * max(1, now_ms - since)
    return total / max(1, now_ms - course.batch.set_ms)


def rotation_words(bench: Workbench, found: Rotation) -> str:
    """The advice in words."""
    unit = bench.temperature_unit
    spread, U = (float(difference_from_inside(v, unit)) for v in (found.spread_k, found.U_k))
    pairs = ", ".join(f"{one} with {two}" for one, two in found.pairs[:6])
    more = f" and {count(len(found.pairs) - 6, 'more pair')}" if len(found.pairs) > 6 else ""
    return (
        f"{found.warm.capitalize()} is {spread:.2f} ± {U:.2f} {unit} warmer than {found.cold}. "
        f"Let these change places: {pairs}{more}."
    )


def marks_in(text: str) -> list[str] | None:
    """Marks as typed, "1-5, 8, A3"; None for all. Raises UserError for nothing."""
    if text.strip().lower() == "all":
        return None
    made = loss_words.marks_in(text)
    if not made:
        raise UserError("Which eggs?", "Write all, or their marks such as 1-5, 8.")
    return made


def move_batch(bench: Workbench, course: Course, incubator: Incubator, at_ms: int) -> None:
    """All eggs of a batch go to another machine at a time (UTC ms); undoable.

    Raises UserError for the machine they are in, the room, a time to come, and one before they came to where they are.
    """
    _check_move(bench, course, incubator, at_ms)
    batch, old = course.batch, course.incubator
    new: list[tuple[type[Any], dict[str, Any]]] = [
        (Stay, {"batch_id": batch.id, "incubator_id": old.id, "to_ms": at_ms}),
        *_events(course, incubator, at_ms, batch.name),
    ]
    ids = keeping.add_all(bench.logbook, new)

    def put(where: int, withdrawn_ms: int | None) -> None:
        keeping.change(bench.logbook, Batch, batch.id, incubator_id=where)
        for (kind, _), made in zip(new, ids, strict=True):
            keeping.withdraw(bench.logbook, kind, [made], withdrawn_ms)

    put(incubator.id, None)
    bench.did(
        f"{batch.name} to {incubator.name}",
        undo=lambda: put(old.id, bench.now_ms),
        redo=lambda: put(incubator.id, None),
    )


def move_some(bench: Workbench, course: Course, marks: Sequence[str], incubator: Incubator, at_ms: int) -> int:
    """Some eggs of a batch go to another machine: they are a batch of their own from then on, with all that was found
    at them; undoable. Returns the new batch's id.

    Raises UserError as move_batch, for no eggs, for eggs that are not there or have left, and for all of them.
    """
    _check_move(bench, course, incubator, at_ms)
    sheet = tray(bench, course.batch)
    for mark in marks:
        egg = sheet.egg(mark)
        if egg is None or egg.out:
            raise UserError(f"Egg {mark} does not lie in this machine.", "Choose others.")
    chosen = set(marks)
    if not chosen:
        raise UserError("Which eggs go?", "Give their marks.")
    if len(chosen) >= sum(not e.out for e in sheet.eggs):
        raise UserError("These are all the eggs that are in.", "Move the whole batch.")
    batch = course.batch
    name = f"{batch.name}, {count(len(chosen), 'egg')} in {incubator.name}"
    part = replace(batch, incubator_id=incubator.id, name=name, eggs=len(chosen))
    fields = {n: getattr(part, n) for n in Batch.__dataclass_fields__ if n != "id"}
    new_id = keeping.add(bench.logbook, Batch, **fields)
    new: list[tuple[type[Any], dict[str, Any]]] = [
        *((Stay, {"batch_id": new_id, "incubator_id": i.id, "to_ms": to}) for i, to in course.before),
        (Stay, {"batch_id": new_id, "incubator_id": course.incubator.id, "to_ms": at_ms}),
        *_events(course, incubator, at_ms, count(len(chosen), "egg")),
    ]
    plan = next((p for p in bench.records(StoredPlan) if p.batch_id == batch.id), None)
    if plan is not None:
        same = {n: getattr(plan, n) for n in StoredPlan.__dataclass_fields__ if n != "id"}
        new.append((StoredPlan, {**same, "batch_id": new_id, "name": name, "eggs": len(chosen)}))
    ids = keeping.add_all(bench.logbook, new)
    kinds: tuple[type[Any], ...] = (Egg, EggFinding, EggSize, Weighing)
    theirs = [
        (kind, record.id)
        for kind in kinds
        for record in bench.records(kind)
        if record.batch_id == batch.id and record.mark in chosen
    ]

    def put(owner: int, left: int, withdrawn_ms: int | None) -> None:
        keeping.change(bench.logbook, Batch, batch.id, eggs=left)
        for kind, record_id in theirs:
            keeping.change(bench.logbook, kind, record_id, batch_id=owner)
        keeping.withdraw(bench.logbook, Batch, [new_id], withdrawn_ms)
        for (kind, _), made in zip(new, ids, strict=True):
            keeping.withdraw(bench.logbook, kind, [made], withdrawn_ms)

    left = max(1, batch.eggs - len(chosen))
    put(new_id, left, None)
    bench.did(
        f"{count(len(chosen), 'egg')} to {incubator.name}",
        undo=lambda: put(batch.id, batch.eggs, bench.now_ms),
        redo=lambda: put(new_id, left, None),
    )
    return new_id


def _check_move(bench: Workbench, course: Course, incubator: Incubator, at_ms: int) -> None:
    if course.batch.ended_ms is not None:
        raise UserError("This batch has ended.", "")
    if incubator.id == course.incubator.id:
        raise UserError(f"They lie in {incubator.name} already.", "Choose another machine.")
    if incubator.air == "room":
        raise UserError("Eggs do not hatch in the room.", "Choose a machine.")
    if at_ms > bench.now_ms:
        raise UserError("That time has not come yet.", "Mend the time.")
    since = course.before[-1][1] if course.before else course.batch.set_ms
    if at_ms < since:
        when = bench.local(since)
        raise UserError(f"They came to {course.incubator.name} on {when.day} {when:%b %H:%M}.", "Give a later time.")


def _events(course: Course, incubator: Incubator, at_ms: int, what: str) -> list[tuple[type[Any], dict[str, Any]]]:
    old = course.incubator
    return [
        (Event, {"incubator_id": i, "time_ms": at_ms, "kind": "moved", "note": note, "set_point_c": None})
        for i, note in ((old.id, f"{what} to {incubator.name}"), (incubator.id, f"{what} from {old.name}"))
    ]
