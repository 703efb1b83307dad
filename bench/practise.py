"""Practice hatches lived by script: a careful keeper who follows what the application says, a careless one, and one who
does nothing; over many worlds of every lesson. And whether the review names what was planted.

Usage: practise.py [lesson …] [--runs N]
"""

from __future__ import annotations

import sys
import time
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor
from contextlib import contextmanager, suppress
from functools import partial
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import NamedTuple

import numpy as np

from stathmis.core.errors import UserError
from stathmis.logbook.opening import open_logbook
from stathmis.logbook.records import Batch, Channel, Event, Instrument
from stathmis.services import rounds
from stathmis.services.advice import heat as heat_advice
from stathmis.services.advice import now as adviser
from stathmis.services.advice.heat import HeatAdvice
from stathmis.services.advice.moisture import MoistureAdvice
from stathmis.services.batch import batches
from stathmis.services.clock import DAY_MS, FixedClock
from stathmis.services.desk import Desk
from stathmis.services.eggs import review
from stathmis.services.findings import ahead, box
from stathmis.services.instruments import checking
from stathmis.services.instruments import draft as drafting
from stathmis.services.moisture import water
from stathmis.services.plan import lockdown, planning, tasks
from stathmis.services.practice import deeds, keepers, taking_over, under_way
from stathmis.services.practice.lessons import LESSONS
from stathmis.services.practice.under_way import Practice
from stathmis.services.practice.world import DAY_S, World, hatched
from stathmis.services.reading_field import interpret

DRY = ("hurry", "season")
VISITS_H = (7.0, 21.5)


class Ran(NamedTuple):
    """Chicks of each keeper; of a careful one who made the lesson's mistake the first two causes its review tells, and
    what it says to change."""

    careful: int
    careless: int
    nothing: int
    steady: int
    causes: tuple[str, ...]
    change: str
    longest_s: float


@contextmanager
def practice_of(key: str, seed: int) -> Iterator[Practice]:
    """A lesson as it is taken over."""
    with TemporaryDirectory() as folder:
        path = Path(folder) / "practice.stathmis"
        taking_over.begin(path, key, seed)
        clock = FixedClock(under_way.SET_MS)
        desk = Desk(open_logbook(path), clock)
        try:
            yield Practice.resume(desk, clock)
        finally:
            desk.logbook.close()


def _check_all(practice: Practice) -> None:
    """Every thermometer at the machine is compared with the reference, every hygrometer put over salt."""
    desk = practice.desk
    reference = next((i for i in desk.book.records(Instrument) if i.role == "reference"), None)
    for channel in desk.book.records(Channel):
        instrument = desk.book.instrument(channel.instrument_id)
        if instrument.role == "reference" or not any(d.name == instrument.name for d in practice.lesson.displays):
            continue
        shown = practice.bench(channel)
        if channel.quantity == "humidity":
            made = drafting.new_draft(channel, 0.0, "salt")
            drafting.choose(made.sets[0], channel, "jar_hours", "16")
            made.sets[0].rows = [drafting.Row(shown["salt"], {"salt": "NaCl", "jar": "21C"})]
        elif reference is not None:
            own, other = shown["beside"].split(" / ")
            made = drafting.new_draft(channel, 0.0, "side")
            made.sets[0].reference_id = next(
                c.id for c in desk.book.records(Channel) if c.instrument_id == reference.id
            )
            made.sets[0].rows = [drafting.Row(own, {"reference": other})]
        else:
            continue
        found = checking.evaluate(desk.book, made)
        with suppress(UserError):
            checking.put_to_use(desk, made, found, desk.now_ms)


def _read(practice: Practice) -> None:
    fields = {s.channel.id: interpret(s.text, s.channel) for s in practice.displays()}
    if fields:
        rounds.log_round(practice.desk, fields, practice.clock.at_ms)


def careful(practice: Practice, slip: bool = False) -> None:
    """Reads, checks, follows the advice, does the tasks, and leaves the lid shut at the pip; slip: but makes the one
    mistake the lesson is about."""
    desk, incubator, key = practice.desk, practice.incubator, practice.key if slip else ""
    if key not in ("believe", "dry cupboard", "season"):
        _check_all(practice)
    if practice.world.set_s is None:
        if key != "posted eggs":
            practice.go_on(practice.to_hour(VISITS_H[0]))
        deeds.set_eggs(practice)
    end = practice.world.species.days_high + 1.0
    while practice.course is None or practice.course.day(practice.now_ms) < end:
        visit = min(VISITS_H, key=lambda h: practice.to_hour(h))
        practice.go_on(practice.to_hour(visit))
        course = practice.course
        assert course is not None
        day = course.day(practice.now_ms)
        if day > 0.9 * course.species.days:
            deeds.look_in(practice)
        _read(practice)
        pipping = day > 0.955 * course.species.days
        if visit == VISITS_H[0] and not pipping:
            _tasks(practice, dry=key in DRY)
        if key in DRY and day > (course.lockdown_day or 0.0):
            continue
        if key == "dry cupboard" and day < (course.lockdown_day or 0.0) - 1.0:
            # the display says it is moist enough
            continue
        sheet = rounds.sheet(desk.book, incubator)
        found = box.box_sheet(desk.book, incubator, course) if visit == VISITS_H[0] else None
        verdicts = [sheet.verdict(q) for q in ("temperature", "humidity")]
        for advice in adviser.advise(desk.book, sheet, verdicts[0], verdicts[1], found):
            _follow(practice, advice, pipping)
        centered = heat_advice.advise(desk.book, incubator)
        if visit == VISITS_H[0] and centered.kind == "center" and centered.centering is not None:
            _set(practice, centered.centering.set_point)
        if visit == VISITS_H[0] and not pipping and found is not None:
            # the look ahead costs most of a run's time: taken where the water is the lesson
            coming = ahead.ahead(desk.book, incubator, course) if practice.key == "dry cupboard" else None
            if tasks.refill(desk.book, found, coming) is not None:
                _fill(practice)
        if visit == VISITS_H[1] and practice.world.room_at(practice.world.now_s)[0] < 16.5 and key != "cold night":
            # the room's own thermometer says so
            deeds.warm_room(practice)
        if visit == VISITS_H[1] and round(day) % 2 == 0:
            deeds.look_at_turner(practice)
        if key == "at the pip" and pipping:
            _open(practice)
    deeds.finish(practice)


def _open(practice: Practice) -> None:
    base = {"incubator_id": practice.incubator.id, "time_ms": practice.clock.at_ms, "note": ""}
    practice.desk.add("lid", [(Event, {**base, "kind": "lid", "minutes": 5.0})])


def _tasks(practice: Practice, dry: bool = False) -> None:
    desk = practice.desk
    course = practice.course
    assert course is not None
    plan = planning.plan_of(desk.book, course.batch)
    due = lockdown.due(desk.book, plan) and course.day(practice.now_ms) >= (course.lockdown_day or 99.0) - 0.3
    for task in tasks.today(desk.book):
        if task.state != "open" or task.due_ms > practice.now_ms + DAY_MS // 2:
            continue
        with suppress(UserError):
            if task.step.startswith("weigh"):
                deeds.weigh(practice)
            elif task.step.startswith("candle"):
                deeds.candle(practice)
    if due and dry:
        lockdown.tick(desk, lockdown.run(desk.book, plan), "turner")
    elif due:
        run = lockdown.run(desk.book, plan)
        for step in run.steps:
            if step.done_ms is None:
                lockdown.tick(desk, lockdown.run(desk.book, plan), step.key)
        own = water.surfaces(desk.book, practice.incubator)
        _wet(practice, {s.id: 1.0 for s in own}, None)


def _fill(practice: Practice) -> None:
    rounds.log_event(practice.desk, practice.incubator, "water", "filled", practice.clock.at_ms)


def _wet(practice: Practice, wet: dict[int, float], opening: float | None) -> None:
    """These surfaces are wet and full from now on."""
    try:
        water.log_change(practice.desk, practice.incubator, wet, opening, practice.desk.now_ms)
    except UserError:
        # they were already: then they are filled up
        _fill(practice)


def _set(practice: Practice, celsius: float) -> None:
    rounds.log_event(practice.desk, practice.incubator, "set_point", "", practice.clock.at_ms, round(celsius, 1))


def _follow(practice: Practice, advice: object, pipping: bool) -> None:
    desk, incubator = practice.desk, practice.incubator
    if isinstance(advice, HeatAdvice):
        point = advice.set_point_c
        if advice.kind in ("move", "look") and point is not None and advice.step_k:
            _set(practice, point + round(advice.step_k, 1))
        elif advice.kind == "danger":
            rounds.log_event(desk, incubator, "lid", "", practice.clock.at_ms)
        return
    if not isinstance(advice, MoistureAdvice) or pipping:
        return
    own = water.surfaces(desk.book, incubator)
    if advice.kind == "mix" and advice.change is not None:
        cell = advice.change.cell
        wet = {s.id: 1.0 for s in own if s.name in cell.combination.names}
        _wet(practice, wet, cell.opening)
    elif advice.kind in ("more water", "doubt"):
        _fill(practice)
    elif advice.kind == "less water":
        _wet(practice, {own[0].id: 1.0}, 0.75)


def careless(practice: Practice) -> None:
    """Looks once a day with the lid open, believes the lid display, chases it, pours when it looks dry, locks down
    late, and opens again and again at the hatch."""
    desk, incubator = practice.desk, practice.incubator
    if practice.world.set_s is None:
        deeds.set_eggs(practice)
    end = practice.world.species.days + 0.7
    locked = False
    held = practice.world.species.set_c
    while practice.course is None or practice.course.day(practice.now_ms) < end:
        course = practice.course
        assert course is not None
        day = course.day(practice.now_ms)
        late = day > 0.95 * course.species.days
        hours = 3.0 if late else 24.0
        practice.go_on(practice.now_ms + round(hours * 3_600_000))
        if late:
            deeds.look_in(practice)
        rows = {s.channel.quantity: float(s.text) for s in practice.displays() if s.instrument.kind == "lid display"}
        _read(practice)
        _open(practice)
        point = rounds.set_point(desk.book, incubator, practice.now_ms) or held
        if abs(rows["temperature"] - held) >= 0.3:
            _set(practice, float(np.clip(point + held - rows["temperature"], 34.0, 40.0)))
        if rows.get("humidity", 50.0) < 35.0 or round(day) % 4 == 0:
            _fill(practice)
        if not locked and day >= (course.lockdown_day or 18.0) + 1.0:
            plan = planning.plan_of(desk.book, course.batch)
            lockdown.tick(desk, lockdown.run(desk.book, plan), "turner")
            locked = True
    deeds.finish(practice)


def one(key: str, seed: int) -> Ran:
    """One world, lived by all of them."""
    lesson = LESSONS[key]
    longest = 0.0
    counts = []
    causes: tuple[str, ...] = ()
    change = ""
    for keeper in (careful, careless, partial(careful, slip=True)):
        with practice_of(key, seed) as practice:
            going = practice.go_on

            def timed(until: int, going=going) -> under_way.Step:  # type: ignore[no-untyped-def]
                nonlocal longest
                begun = time.perf_counter()
                made = going(until)
                longest = max(longest, time.perf_counter() - begun)
                return made

            practice.go_on = timed  # type: ignore[method-assign]
            keeper(practice)
            came = practice.came()
            counts.append(hatched(came))
            if keeper not in (careful, careless):
                book = practice.desk.book
                course = batches.course_by_id(book, book.records(Batch)[0].id)
                assert course is not None
                told = review.batch_review(book, course)
                if told.weighed is not None:
                    causes = tuple(w.cause.key for w in told.weighed.weighed[:2])
                    change = review.change(book, told)
    end = (practice.world.species.days_high + 2.0) * DAY_S
    nothing, steady = World(lesson, seed), World(lesson, seed)
    keepers.nothing_done(nothing, end)
    keepers.steady_hand(steady, end)
    return Ran(counts[0], counts[1], hatched(nothing.came()), hatched(steady.came()), causes, change, longest)


def main() -> None:
    """Print the table."""
    runs = int(sys.argv[sys.argv.index("--runs") + 1]) if "--runs" in sys.argv else 50
    asked = [a for a in sys.argv[1:] if a in LESSONS] or list(LESSONS)
    for key in asked:
        with ProcessPoolExecutor(2) as pool:
            found = list(pool.map(partial(one, key), range(runs)))
        care, less, none, best = (float(np.mean([f[i] for f in found])) for i in range(4))
        planted = LESSONS[key].planted
        named = np.mean([planted in f.causes or ("temp" in planted and "thermometer" in f.change) for f in found])
        first = np.mean([f.causes[:1] == (planted,) for f in found])
        worse = sum(f.careful < f.nothing for f in found)
        print(
            f"{key:20} careful {care:5.1f}  careless {less:5.1f}  nothing {none:4.1f}  steady {best:5.1f} of "
            f"{LESSONS[key].eggs}  {care / max(less, 0.1):4.1f} times  worse than nothing {worse}  "
            f"names {planted} {named:.2f} (first {first:.2f})  longest step {max(f.longest_s for f in found):.2f} s",
            flush=True,
        )


if __name__ == "__main__":
    main()
