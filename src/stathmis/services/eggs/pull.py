"""Taking the chicks off: who is ready, who is weak, their bands, the brooder they go to, and what follows."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from stathmis.core.errors import UserError
from stathmis.logbook.records import EggFinding
from stathmis.services import knowledge
from stathmis.services.batch.course import Course
from stathmis.services.book import Book
from stathmis.services.clock import HOUR_MS
from stathmis.services.desk import Desk
from stathmis.services.eggs.findings import check_time, fields_of
from stathmis.services.eggs.tray import WEAK, TraySheet, tray
from stathmis.services.plan import planning, tasks
from stathmis.words import dates
from stathmis.words import hatch as hatch_words
from stathmis.words.catalogue import _
from stathmis.words.eggs import outcome as say
from stathmis.words.eggs import young as young_words
from stathmis.words.eggs.young import young
from stathmis.words.numbers import count

DRY_AFTER_H = 12.0
"""So long after coming out a chick is dry as a rule. Source: common practice."""


@dataclass(frozen=True)
class TakeOff:
    """Chicks of a batch: marks (empty without marks) and number of those dry, those out but wet, taken off so far; eggs
    pipped and not out; weak ones by kind; until when the first must be fed (UTC ms)."""

    dry: tuple[str, ...]
    dry_count: int
    wet: int
    taken: int
    pipped: int
    weak: Mapping[str, int]
    fed_by_ms: int | None

    @property
    def hatched(self) -> int:
        """All chicks that came out."""
        return self.dry_count + self.wet + self.taken


def take_off(book: Book, course: Course, sheet: TraySheet) -> TakeOff:
    """The chicks of a batch as they stand now."""
    now = book.now_ms
    ready: list[str] = []
    wet = taken = pipped = 0
    for egg in sheet.eggs:
        out = egg.first_ms(("out", "dry"))
        if egg.state == "taken":
            taken += 1
        elif egg.state == "dry" or (egg.state == "out" and out is not None and now - out >= DRY_AFTER_H * HOUR_MS):
            ready.append(egg.mark)
        elif egg.state == "out":
            wet += 1
        elif egg.state in ("external pip", "zip") and not egg.out:
            pipped += 1
    dry = len(ready)
    if not sheet.eggs:
        taken = sum(f.count for f in sheet.counted if f.kind == "taken")
        long_out = [f for f in sheet.counted if f.kind == "out"]
        out_all = sum(f.count for f in long_out)
        seen_dry = sum(f.count for f in sheet.counted if f.kind == "dry")
        old = sum(f.count for f in long_out if now - f.time_ms >= DRY_AFTER_H * HOUR_MS)
        dry = max(0, min(out_all, max(old, seen_dry)) - taken)
        wet = max(0, out_all - taken - dry)
        gone = sum(f.count for f in sheet.counted if f.kind == "pipped dead")
        pipped = max(0, sum(f.count for f in sheet.counted if f.kind == "external pip") - out_all - gone)
    weak: dict[str, int] = {}
    for finding in sheet.all_findings:
        if finding.kind in WEAK:
            weak[finding.kind] = weak.get(finding.kind, 0) + finding.count
    waiting = [t for t in (*sheet.times("out"),) if t]
    fed_by = waiting[0] + round(course.way.feed_limit_h * HOUR_MS) if waiting and (dry or wet) else None
    return TakeOff(tuple(ready), dry, wet, taken, pipped, weak, fed_by)


def take(
    desk: Desk,
    course: Course,
    n: int,
    at_ms: int,
    bands: str = "",
    brooder: str = "",
    weak: Mapping[str, int] | None = None,
) -> int:
    """Take so many chicks off: with marks those that are dry, in order of the tray; undoable. Returns how many.

    bands: colors or numbers, as the keeper writes them; brooder: where they go; weak: how many of them are weak, by
    kind. Raises UserError for none, more than are out, more weak ones than are taken, times out of the batch, and one
    before a chick came out.
    """
    check_time(desk.book, course, at_ms)
    sheet = tray(desk.book, course.batch)
    found = take_off(desk.book, course, sheet)
    if n < 1:
        raise UserError(*young_words.how_many(course.species.kind))
    if n > found.dry_count + found.wet:
        left = found.dry_count + found.wet
        raise UserError(*young_words.fewer_out(course.species.kind, n, left))
    kinds = {k: v for k, v in (weak or {}).items() if v}
    if sum(kinds.values()) > n:
        raise UserError(*say.MORE_WEAK_ONES_THAN_ARE())
    note = "; ".join(
        part for part in (bands.strip(), _("to {brooder}", brooder=brooder.strip()) if brooder.strip() else "") if part
    )
    new: list[tuple[type[Any], dict[str, Any]]] = []
    if sheet.eggs:
        wet = [e.mark for e in sheet.eggs if e.state == "out" and e.mark not in found.dry]
        for mark in [*found.dry, *wet][:n]:
            egg = sheet.egg(mark)
            out = max((f.time_ms for f in egg.findings if f.kind in ("out", "dry")), default=0) if egg else 0
            if at_ms < out:
                when = desk.book.local(out)
                raise UserError(*young_words.out_later(course.species.kind, mark, dates.moment(when)))
            new.append((EggFinding, fields_of(desk.book, course, at_ms, mark, "taken", note)))
    else:
        new.append((EggFinding, fields_of(desk.book, course, at_ms, "", "taken", note, n)))
    new += [(EggFinding, fields_of(desk.book, course, at_ms, "", kind, "", v)) for kind, v in kinds.items()]
    desk.add(_("{counted} taken off", counted=young(course.species.kind, n)), new)
    return n


def lines(book: Book, course: Course, found: TakeOff) -> list[str]:
    """Whether to take off now, by when, and what they stand at, in words."""
    said = []
    if found.hatched:
        parts = [
            (found.dry_count, _("dry and ready")),
            (found.wet, say.OUT_AND_STILL_WET()),
            (found.taken, _("taken off")),
        ]
        said.append(
            f"{young(course.species.kind, found.hatched)}: "
            + ", ".join(f"{n} {words}" for n, words in parts if n)
            + "."
        )
    together = course.way.taken_off == "together"
    if together and found.dry_count and (found.wet or found.pipped):
        left = found.wet + found.pipped
        said.append(hatch_words.all_together(left))
    elif found.pipped and found.dry_count and course.species.kind == "bird":
        said.append(say.EGGS_PIPPED_LEAVE_THE_DRY(eggs=count(found.pipped, "{n} egg", "{n} eggs")))
    if found.fed_by_ms is not None and course.species.kind == "bird":
        by = book.local(found.fed_by_ms)
        left = found.fed_by_ms - book.now_ms
        until = _("in {left}", left=dates.duration(left)) if left > 0 else say.OVER_FEED_AND_WATER_THEM()
        said.append(say.THE_FIRST_ONE_NEEDS_FEED(by=dates.moment(by, weekday=True), until=until))
    words = knowledge.findings(course.species.kind)
    if found.weak:
        said += [f"{n} {words[k].word}: {words[k].look}." for k, n in found.weak.items()]
    return said


def afterwards(book: Book, course: Course) -> list[tuple[str, str, str]]:
    """What follows: the brooder, waiting for stragglers, cleaning: title, how, and the caution that stands at it."""
    plan = planning.plan_of(book, course.batch)
    told = []
    for kind in ("brooder warm", "latest", "clean", "first shed", "first meal"):
        step = plan.step(kind)
        if step is None:
            continue
        task = knowledge.tasks(course.species.kind)[kind]
        at = book.local(step.at_ms)
        how = tasks.in_unit(task.how, book.temperature_unit)
        caution = task.caution
        told.append((f"{task.title}: {dates.day(at, weekday=True)}", how, caution))
    return told
