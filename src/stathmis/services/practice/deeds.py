"""What a keeper of a practice hatch does at the machine that is no entry of a log: looked, held to the light, weighed,
taken off. What is seen is logged, as a keeper would.
"""

from __future__ import annotations

import numpy as np

from stathmis.core.errors import UserError
from stathmis.core.hatch.embryos import Came
from stathmis.logbook.records import Batch, EggFinding, Event
from stathmis.services import setting_up
from stathmis.services.batch.course import Course
from stathmis.services.eggs import findings, pull
from stathmis.services.eggs.tray import tray
from stathmis.services.moisture import weights
from stathmis.services.moisture.weights import OnScale
from stathmis.services.plan import planning
from stathmis.services.practice.under_way import Practice
from stathmis.words import practice as words
from stathmis.words.catalogue import _

SCALE_G = 1.0


def set_eggs(practice: Practice) -> None:
    """Put the eggs in now, and log it."""
    plan = next((p for p in planning.plans(practice.desk.book) if p.batch is None), None)
    if plan is not None:
        planning.set_eggs(practice.desk, plan, practice.clock.at_ms)
        return
    setting_up.set_batch(
        practice.desk, practice.incubator, words.batch(practice.lesson.eggs), practice.lesson.species, "steady",
        practice.lesson.eggs, practice.clock.at_ms,
    )  # fmt: skip


def look_at_turner(practice: Practice) -> str:
    """Watch the turner for an hour: whether it moves; one that is stuck is put right."""
    stuck = practice.world.turner_stuck
    practice.do("look at turner")
    return words.turner(stuck=stuck, out=practice.world.turner_out)


def warm_room(practice: Practice) -> str:
    """A heater in the room until the morning."""
    practice.do("warm room")
    base = {"incubator_id": practice.incubator.id, "time_ms": practice.clock.at_ms, "kind": "note"}
    practice.desk.add(_("room warmed"), [(Event, {**base, "note": words.warmed()})])
    return words.warmed()


def candle(practice: Practice) -> str:
    """Hold the light to every egg, with the lid open; what is seen is logged as counts. Raises UserError before the
    third day, and once the lockdown is over."""
    course, came = practice.course, practice.came()
    if course is None or came is None or not 3.0 <= course.day(practice.clock.at_ms) < course.species.days - 1.5:
        raise UserError(*words.no_candling())
    practice.do("lid", 5.0)
    base = {"incubator_id": practice.incubator.id, "time_ms": practice.clock.at_ms, "kind": "lid"}
    with practice.desk.edit(words.candled()) as edit:
        edit.add(Event, **base, note=words.candled(), minutes=5.0)
        for kind, number in _seen_inside(practice, course, came).items():
            fields = findings.fields_of(practice.desk.book, course, practice.clock.at_ms, "", kind, "", number)
            edit.add(EggFinding, **fields)
    practice.notice()
    return words.candled()


def _seen_inside(practice: Practice, course: Course, came: Came) -> dict[str, int]:
    """What is new since the last candling."""
    day = course.day(practice.clock.at_ms) / course.species.days
    dead = np.isfinite(came.died_h)
    true = {
        "clear": int(practice.world.eggs.infertile.sum()) if day >= 0.25 else 0,
        "early dead": int((dead & (came.stage == 0)).sum()),
        "late dead": int((dead & (came.stage == 1)).sum()),
    }
    sheet = tray(practice.desk.book, course.batch)
    known = {k: sum(f.count for f in sheet.counted if f.kind == k) for k in true}
    return {k: n - known[k] for k, n in true.items() if n > known[k]}


def weigh(practice: Practice) -> str:
    """Weigh the whole tray on a kitchen scale, with the lid open. Raises UserError before the eggs are set, or
    twice in an hour."""
    course = practice.course
    if course is None:
        raise UserError(*words.no_eggs())
    mass = mass_g(practice)
    rng = np.random.default_rng([practice.seed, round(practice.world.now_s - practice.world.begins_s)])
    eggs = practice.lesson.eggs - _taken_out(practice, course)
    row = OnScale("", eggs, f"{round((mass + rng.normal(0, 0.5)) / SCALE_G) * SCALE_G:.0f}", sure=True)
    found = weights.interpret(practice.desk.book, course, row, practice.clock.at_ms)
    if found is None or found.problem:
        raise UserError(found.problem if found is not None else words.no_eggs()[0], "")
    practice.do("lid", 3.0)
    weights.log_weighings(practice.desk, course, [found], practice.clock.at_ms, SCALE_G)
    practice.notice()
    return words.weighed(found.mass_g or 0.0)


def _taken_out(practice: Practice, course: Course) -> int:
    sheet = tray(practice.desk.book, course.batch)
    return sum(f.count for f in sheet.counted if f.kind in ("clear", "early dead", "late dead"))


def mass_g(practice: Practice) -> float:
    """What the eggs that are still in weigh now, g."""
    eggs, came = practice.world.eggs, practice.came()
    lost = came.lost if came is not None else np.zeros(eggs.count)
    dead = np.isfinite(came.died_h) if came is not None else np.zeros(eggs.count, dtype=bool)
    course = practice.course
    taken = _taken_out(practice, course) if course is not None else 0
    order = np.argsort(~(eggs.infertile | dead), kind="stable")
    left = order[taken:]
    return float((eggs.mass_g * (1.0 - lost))[left].sum())


def look_in(practice: Practice) -> str:
    """Through the window: how many are pipped and out; what is new is logged as counts."""
    course, came = practice.course, practice.came()
    if course is None or came is None:
        return words.window(0, 0)
    pipped, out = int(np.isfinite(came.pipped_h).sum()), int(np.isfinite(came.out_h).sum())
    sheet = tray(practice.desk.book, course.batch)
    for kind, number in (("external pip", pipped), ("out", out)):
        before = sum(f.count for f in sheet.counted if f.kind == kind)
        if number > before:
            findings.log_count(practice.desk, course, kind, number - before, practice.clock.at_ms)
    practice.notice()
    return words.window(pipped, out)


def finish(practice: Practice) -> str:
    """Take off what is out, open what is left, and end the batch: the review can begin. Raises UserError before any
    chick can be out."""
    course, came = practice.course, practice.came()
    if course is None or came is None or course.day(practice.clock.at_ms) < course.species.days_low - 0.5:
        raise UserError(*words.too_early())
    look_in(practice)
    out = int(np.isfinite(came.out_h).sum())
    weak = int(came.weak.sum())
    with practice.desk.edit(words.ended()):
        if out:
            pull.take(practice.desk, course, out, practice.clock.at_ms, "", "", {"weak": weak} if weak else None)
        sheet = tray(practice.desk.book, course.batch)
        seen = {k: sum(f.count for f in sheet.counted if f.kind == k) for k in ("clear", "early dead", "late dead")}
        dead = ~practice.world.eggs.infertile & ~np.isfinite(came.out_h)
        # what lived to the end without coming out died in the shell
        stage = np.where(came.stage < 0, 2, came.stage)
        for kind, number in (
            ("clear", int(practice.world.eggs.infertile.sum())),
            ("early dead", int((dead & (stage == 0)).sum())),
            ("late dead", int((dead & (stage == 1)).sum())),
            ("pipped dead", int((dead & (stage == 2)).sum())),
        ):
            left = number - seen.get(kind, 0)
            if left > 0:
                findings.log_count(practice.desk, course, kind, left, practice.clock.at_ms)
        setting_up.end_batch(practice.desk, practice.desk.book.one(Batch, course.batch.id))
    practice.over = True
    practice.notice()
    practice.keep()
    return words.ended()
