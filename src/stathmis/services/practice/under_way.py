"""A practice hatch in its logbook: what the keeper logs is done to the world, and the world's loggers write into the
log.

All that is kept is the lesson, its number, and what was done when: the truth is lived through again from these.
"""

from __future__ import annotations

import json
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from stathmis.core.errors import UserError
from stathmis.core.fixed_points import salt_humidity
from stathmis.core.hatch.embryos import Came
from stathmis.logbook import live
from stathmis.logbook.live import LiveReading
from stathmis.logbook.opening import create_logbook
from stathmis.logbook.records import (
    Batch,
    Channel,
    EggFinding,
    Event,
    Incubator,
    Instrument,
    TaskMark,
    Weighing,
)
from stathmis.logbook.snapshot import DENSE
from stathmis.services import setting_up
from stathmis.services.batch import batches
from stathmis.services.batch.course import Course
from stathmis.services.clock import DAY_MS, HOUR_MS, FixedClock
from stathmis.services.desk import Desk
from stathmis.services.eggs import findings, pull
from stathmis.services.eggs.tray import tray
from stathmis.services.moisture import water, weights
from stathmis.services.moisture.weights import OnScale
from stathmis.services.plan import planning, tasks
from stathmis.services.practice import keepers
from stathmis.services.practice.lessons import Display, Lesson, lesson_of
from stathmis.services.practice.world import DAY_S, Act, Moment, World, shown
from stathmis.services.setting_up import NewChannel
from stathmis.services.watch import alarms
from stathmis.words import practice as words
from stathmis.words.numbers import typed_text

SETTING = "practice"
SET_MS = 1_772_442_000_000
"""The usual hour of setting: a Monday, 2 March 2026, 9:00 UTC."""
MORNING_H, EVENING_H = 7.0, 21.5
WHOLE_RUN_H = 24.0
"""No step of practice is longer."""
LOOK_MS = 2 * HOUR_MS
SCALE_G = 1.0
WEIGHED_D = (1 / 3, 5.0, 10.0, 15.0)
RECORDS: tuple[type[Any], ...] = (Event, TaskMark, EggFinding, Weighing, Batch)
BENCH_C = 21.0


@dataclass(frozen=True)
class Step:
    """What a step of practice brought: until when (UTC ms), and what came, in words."""

    until_ms: int
    came: tuple[str, ...] = ()


@dataclass(frozen=True)
class Shown:
    """What a display shows at a visit, as it would be typed, with its instrument and channel."""

    instrument: Instrument
    channel: Channel
    text: str


def begin(path: Path, key: str, seed: int) -> None:
    """Write the logbook of a lesson (or a free run) to a new file, as it is taken over. Raises LogbookError."""
    lesson = lesson_of(key, seed)
    kept = {"name": words.title(key), "time_zone": "UTC", "altitude_m": "0"}
    logbook = create_logbook(path, kept)
    try:
        world = World(lesson, seed)
        clock = FixedClock(SET_MS + round(1000.0 * world.begins_s))
        desk = Desk(logbook, clock)
        _furnish(desk, lesson)
        made = Practice(desk, clock, key, seed, world)
        made.take_over()
    finally:
        logbook.close()


def _furnish(desk: Desk, lesson: Lesson) -> None:
    """The machine, its water, the room and the drawer."""
    from stathmis.services import knowledge

    species = knowledge.species()[lesson.species]
    machine = setting_up.add_incubator(desk, words.MACHINE, "forced", species.set_c)
    setting_up.add_incubator(desk, words.ROOM, "room")
    incubator = desk.book.one(Incubator, machine)
    ids = [water.add_surface(desk, incubator, name, f"{area:g}", f"{ml:g}") for name, area, ml in lesson.surfaces]
    water.log_change(desk, incubator, {ids[0]: 1.0}, lesson.vent, desk.now_ms)
    for display in lesson.displays:
        channels = []
        for quantity, sensor in display.shows:
            unit = "°C" if quantity == "temperature" else "%"
            accuracy = setting_up.typical(display.kind, quantity)[1]
            channels.append(NewChannel(quantity, unit, sensor.resolution, accuracy))  # type: ignore[arg-type]
        setting_up.add_instrument(
            desk, display.name, display.kind, channels, reference=display.reference,
            incubator_id=None if display.reference else machine,
        )  # fmt: skip
    room = desk.book.room()
    assert room is not None
    both = [NewChannel("temperature", "°C", 0.1, 0.5), NewChannel("humidity", "%", 1.0, 3.0)]
    setting_up.add_instrument(desk, words.ROOM_LOGGER, "logger", both, incubator_id=room.id)


class Practice:
    """A practice hatch under way. desk: its logbook, whose clock is the practice's own."""

    def __init__(self, desk: Desk, clock: FixedClock, key: str, seed: int, world: World | None = None) -> None:
        self.desk, self.clock, self.key, self.seed = desk, clock, key, seed
        self.lesson = lesson_of(key, seed)
        self.world = world if world is not None else World(self.lesson, seed)
        self.acts: list[Act] = []
        self._seen: dict[type, int] = dict.fromkeys(RECORDS, 0)
        self.over = False

    @classmethod
    def resume(cls, desk: Desk, clock: FixedClock) -> Practice:
        """Go on with a practice logbook where it was left: its world is lived through again. Raises UserError where
        what is kept of it cannot be read."""
        try:
            kept = json.loads(desk.book.snapshot.settings[SETTING])
            made = cls(desk, clock, kept["lesson"], int(kept["seed"]))
            acts = [Act(float(a), str(w), float(v)) for a, w, v in kept["acts"]]
            until, seen = float(kept["now_s"]), kept["seen"]
            made._seen = {kind: int(seen[kind.__name__]) for kind in RECORDS}
        except (KeyError, TypeError, ValueError) as error:
            raise UserError(*words.unreadable()) from error
        world = made.world
        for act in acts:
            # to the minute it was done in, then it
            world.go_on(max(world.now_s, act.at_s))
            world.go_on(world.now_s, [act])
        world.go_on(until)
        made.acts, made.over = acts, bool(kept.get("over"))
        clock.at_ms = made.now_ms
        return made

    @property
    def now_ms(self) -> int:
        """UTC ms in the practice's own time."""
        return SET_MS + round(1000.0 * self.world.now_s)

    @property
    def incubator(self) -> Incubator:
        """The one machine."""
        return self.desk.book.incubators()[0]

    @property
    def course(self) -> Course | None:
        """The batch, None before it is set."""
        return batches.running(self.desk.book, self.incubator)

    def take_over(self) -> None:
        """Live up to where the keeper takes over, with a steady hand that logs what it does."""
        lesson, world = self.lesson, self.world
        until = lesson.begins * DAY_S
        if lesson.posted:
            set_ms = SET_MS + DAY_MS
            planning.add_plan(
                self.desk, self.incubator, lesson.species, "steady", lesson.eggs, set_ms,
                words.batch(lesson.eggs), SET_MS - round(lesson.age_d * DAY_MS), "",
            )  # fmt: skip
        while world.now_s < until - 1.0:
            acts = keepers.visit(world) if world.now_s >= 0.0 else []
            for act in acts:
                self._log_act(act)
            # before the eggs go in there is nothing to do; then they are weighed as a steady hand does
            if any(abs(world.now_s - d * DAY_S) < 1.0 for d in WEIGHED_D):
                self.weigh()
            self._advance(min(until, world.now_s + keepers.VISIT_S if world.now_s >= 0.0 else 0.0), acts)
        if not lesson.posted and world.set_s is None:
            act = Act(world.now_s, "eggs in")
            self._log_act(act)
            self._advance(world.now_s, [act])
        self._see()
        self._keep()

    def _log_act(self, act: Act) -> None:
        """What the hand before did stands in the log."""
        self.clock.at_ms = SET_MS + round(1000.0 * act.at_s)
        base = {"incubator_id": self.incubator.id, "time_ms": self.clock.at_ms, "note": ""}
        if act.what == "eggs in":
            self.set_eggs()
        elif act.what == "set point":
            self.desk.add("set", [(Event, {**base, "kind": "set_point", "set_point_c": act.amount})])
        elif act.what == "water":
            own = water.surfaces(self.desk.book, self.incubator)
            wet = next(
                (w for w in _subsets(len(own)) if abs(sum(own[i].surface_cm2 for i in w) - act.amount) < 0.6), (0,)
            )
            water.log_change(self.desk, self.incubator, {own[i].id: 1.0 for i in wet}, None, self.clock.at_ms, 100.0)
        elif act.what == "vent":
            self.desk.add("vent", [(Event, {**base, "kind": "vent", "opening": act.amount})])

    def set_eggs(self) -> None:
        """Put the eggs in now, and log it."""
        plan = next((p for p in planning.plans(self.desk.book) if p.batch is None), None)
        if plan is not None:
            planning.set_eggs(self.desk, plan, self.clock.at_ms)
            return
        setting_up.set_batch(
            self.desk, self.incubator, words.batch(self.lesson.eggs), self.lesson.species, "steady",
            self.lesson.eggs, self.clock.at_ms,
        )  # fmt: skip

    def displays(self) -> list[Shown]:
        """What each display at the machine shows now; what a logger writes is in the log."""
        made = []
        moment = self._now()
        for display, instrument, channel in self._channels():
            if not display.logger and not display.reference:
                sensor = next(s for q, s in display.shows if q == channel.quantity)
                value = self.world.shows(display.name, sensor, moment, channel.quantity)
                made.append(Shown(instrument, channel, typed_text(value, channel.resolution)))
        return made

    def bench(self, channel: Channel) -> dict[str, str]:
        """What an instrument shows in a check now: "ice" and "salt", and "beside": with the reference's own after it
        where there is one."""
        display = next(d for d, _i, c in self._channels() if c.id == channel.id)
        sensor = next(s for q, s in display.shows if q == channel.quantity)
        now_s, moment = self.world.now_s, self._now()

        def shows(true: float, of: Display = display, how: Any = sensor) -> str:
            return typed_text(shown(of.name, how, true, now_s, self.seed), how.resolution)

        if channel.quantity == "humidity":
            return {"salt": shows(float(salt_humidity("NaCl", BENCH_C)[0]))}
        made = {"ice": shows(0.0)}
        reference = next((d for d in self.lesson.displays if d.reference), None)
        if reference is not None and not display.reference:
            made["beside"] = f"{shows(moment.air_c)} / {shows(moment.air_c, reference, reference.shows[0][1])}"
        return made

    def _channels(self) -> list[tuple[Display, Instrument, Channel]]:
        named = {d.name: d for d in self.lesson.displays}
        instruments = {i.id: i for i in self.desk.book.records(Instrument)}
        return [
            (named[instruments[c.instrument_id].name], instruments[c.instrument_id], c)
            for c in self.desk.book.records(Channel)
            if instruments[c.instrument_id].name in named
        ]

    def instruments(self) -> list[tuple[Instrument, Channel]]:
        """Every instrument of the lesson with what it shows."""
        return [(instrument, channel) for _display, instrument, channel in self._channels()]

    def open_task(self) -> str:
        """The first task that is open; empty where none is."""
        return next((t.title for t in tasks.today(self.desk.book) if t.state == "open"), "")

    def _now(self) -> Moment:
        return self.world.moment()

    def came(self) -> Came | None:
        """What came of the eggs so far; the truth."""
        return self.world.came()

    # what the keeper does that is no entry of a log

    def look_at_turner(self) -> str:
        """Watch the turner for an hour: whether it moves; one that is stuck is put right."""
        stuck = self.world.turner_stuck
        self._do("look at turner")
        return words.turner(stuck=stuck, out=self.world.turner_out)

    def warm_room(self) -> str:
        """A heater in the room until the morning."""
        self._do("warm room")
        base = {"incubator_id": self.incubator.id, "time_ms": self.clock.at_ms, "kind": "note"}
        self.desk.add("room warmed", [(Event, {**base, "note": words.warmed()})])
        return words.warmed()

    def candle(self) -> str:
        """Hold the light to every egg, with the lid open; what is seen is logged as counts. Raises UserError before the
        third day, and once the lockdown is over."""
        course, came = self.course, self.came()
        if course is None or came is None or not 3.0 <= course.day(self.clock.at_ms) < course.species.days - 1.5:
            raise UserError(*words.no_candling())
        self._do("lid", 5.0)
        base = {"incubator_id": self.incubator.id, "time_ms": self.clock.at_ms, "kind": "lid"}
        with self.desk.edit(words.candled()) as edit:
            edit.add(Event, **base, note=words.candled(), minutes=5.0)
            for kind, number in self._seen_inside(course, came).items():
                fields = findings.fields_of(self.desk.book, course, self.clock.at_ms, "", kind, "", number)
                edit.add(EggFinding, **fields)
        self._see()
        return words.candled()

    def _seen_inside(self, course: Course, came: Came) -> dict[str, int]:
        """What is new since the last candling."""
        day = course.day(self.clock.at_ms) / course.species.days
        dead = np.isfinite(came.died_h)
        true = {
            "clear": int(self.world.eggs.infertile.sum()) if day >= 0.25 else 0,
            "early dead": int((dead & (came.stage == 0)).sum()),
            "late dead": int((dead & (came.stage == 1)).sum()),
        }
        sheet = tray(self.desk.book, course.batch)
        known = {k: sum(f.count for f in sheet.counted if f.kind == k) for k in true}
        return {k: n - known[k] for k, n in true.items() if n > known[k]}

    def weigh(self) -> str:
        """Weigh the whole tray on a kitchen scale, with the lid open. Raises UserError before the eggs are set, or
        twice in an hour."""
        course = self.course
        if course is None:
            raise UserError(*words.no_eggs())
        mass = self._mass_g()
        rng = np.random.default_rng([self.seed, round(self.world.now_s - self.world.begins_s)])
        eggs = self.lesson.eggs - self._taken_out(course)
        row = OnScale("", eggs, f"{round((mass + rng.normal(0, 0.5)) / SCALE_G) * SCALE_G:.0f}", sure=True)
        found = weights.interpret(self.desk.book, course, row, self.clock.at_ms)
        if found is None or found.problem:
            raise UserError(found.problem if found is not None else words.no_eggs()[0], "")
        self._do("lid", 3.0)
        weights.log_weighings(self.desk, course, [found], self.clock.at_ms, SCALE_G)
        self._see()
        return words.weighed(found.mass_g or 0.0)

    def _taken_out(self, course: Course) -> int:
        sheet = tray(self.desk.book, course.batch)
        return sum(f.count for f in sheet.counted if f.kind in ("clear", "early dead", "late dead"))

    def _mass_g(self) -> float:
        """What the eggs that are still in weigh now, g."""
        eggs, came = self.world.eggs, self.came()
        lost = came.lost if came is not None else np.zeros(eggs.count)
        dead = np.isfinite(came.died_h) if came is not None else np.zeros(eggs.count, dtype=bool)
        course = self.course
        taken = self._taken_out(course) if course is not None else 0
        order = np.argsort(~(eggs.infertile | dead), kind="stable")
        left = order[taken:]
        return float((eggs.mass_g * (1.0 - lost))[left].sum())

    def look_in(self) -> str:
        """Through the window: how many are pipped and out; what is new is logged as counts."""
        course, came = self.course, self.came()
        if course is None or came is None:
            return words.window(0, 0)
        pipped, out = int(np.isfinite(came.pipped_h).sum()), int(np.isfinite(came.out_h).sum())
        sheet = tray(self.desk.book, course.batch)
        for kind, number in (("external pip", pipped), ("out", out)):
            before = sum(f.count for f in sheet.counted if f.kind == kind)
            if number > before:
                findings.log_count(self.desk, course, kind, number - before, self.clock.at_ms)
        self._see()
        return words.window(pipped, out)

    def finish(self) -> str:
        """Take off what is out, open what is left, and end the batch: the review can begin. Raises UserError before any
        chick can be out."""
        course, came = self.course, self.came()
        if course is None or came is None or course.day(self.clock.at_ms) < course.species.days_low - 0.5:
            raise UserError(*words.too_early())
        self.look_in()
        out = int(np.isfinite(came.out_h).sum())
        weak = int(came.weak.sum())
        with self.desk.edit(words.ended()):
            if out:
                pull.take(self.desk, course, out, self.clock.at_ms, "", "", {"weak": weak} if weak else None)
            sheet = tray(self.desk.book, course.batch)
            seen = {k: sum(f.count for f in sheet.counted if f.kind == k) for k in ("clear", "early dead", "late dead")}
            dead = ~self.world.eggs.infertile & ~np.isfinite(came.out_h)
            # what lived to the end without coming out died in the shell
            stage = np.where(came.stage < 0, 2, came.stage)
            for kind, number in (
                ("clear", int(self.world.eggs.infertile.sum())),
                ("early dead", int((dead & (stage == 0)).sum())),
                ("late dead", int((dead & (stage == 1)).sum())),
                ("pipped dead", int((dead & (stage == 2)).sum())),
            ):
                left = number - seen.get(kind, 0)
                if left > 0:
                    findings.log_count(self.desk, course, kind, left, self.clock.at_ms)
            setting_up.end_batch(self.desk, self.desk.book.one(Batch, course.batch.id))
        self.over = True
        self._see()
        self._keep()
        return words.ended()

    # going on

    def go_on(self, until_ms: int) -> Step:
        """Go on to a time (UTC ms), a day at most: what was logged since the last step is done to the world first."""
        until = min(until_ms, self.now_ms + round(WHOLE_RUN_H * HOUR_MS))
        acts = self._logged()
        self._advance((until - SET_MS) / 1000.0, acts)
        made = Step(self.now_ms, tuple(self._told()))
        self._keep()
        return made

    def to_hour(self, hour: float) -> int:
        """The next time it is so late on the clock, UTC ms."""
        local = self.desk.book.local(self.now_ms)
        since = (hour - local.hour - local.minute / 60.0) % 24.0
        return self.now_ms + round((since if since > 0.2 else since + 24.0) * HOUR_MS)

    def to_next_task(self) -> int:
        """When the next task is due, UTC ms; a day from now where none is."""
        now = self.now_ms
        due = [
            t.due_ms for t in (*tasks.today(self.desk.book), *tasks.coming(self.desk.book, 2.0)) if t.state == "open"
        ]
        later = [d for d in due if d > now + HOUR_MS // 2]
        return min(min(later, default=now + DAY_MS), now + DAY_MS)

    def until_something(self) -> Step:
        """Go on, looking every other hour, until something happens: an alarm, a pip, a chick, the hour of a task; a
        day at most."""
        stop = min(self.now_ms + DAY_MS, self.to_next_task())
        acts = self._logged()
        before = self._counts()
        told: list[str] = []
        while self.now_ms < stop and not told:
            self._advance(min(stop, self.now_ms + LOOK_MS) / 1000.0 - SET_MS / 1000.0, acts)
            acts = []
            told = [] if self._counts() == before else [words.window(*self._counts())]
            told += [w for w in self._told() if w not in told]
        self._keep()
        return Step(self.now_ms, tuple(told))

    def _counts(self) -> tuple[int, int]:
        if self.world.set_s is None or self.world.now_s - self.world.set_s < 0.9 * self.world.species.days * DAY_S:
            return 0, 0
        came = self.came()
        if came is None:
            return 0, 0
        return int(np.isfinite(came.pipped_h).sum()), int(np.isfinite(came.out_h).sum())

    def _told(self) -> list[str]:
        """Alarms there are now, in words."""
        from stathmis.words import alarms as alarm_words

        book = self.desk.book
        return [alarm_words.said(book, a).words for a in alarms.alarms(book)]

    def _advance(self, until_s: float, acts: list[Act]) -> None:
        self.acts += acts
        rows = self.world.go_on(until_s, acts)
        self.clock.at_ms = self.now_ms
        self._write(rows)

    def _write(self, rows: list[Moment]) -> None:
        """Loggers write what they show."""
        if not rows:
            return
        readings = []
        for display, _instrument, channel in self._channels():
            if display.logger:
                sensor = next(s for q, s in display.shows if q == channel.quantity)
                for row in rows:
                    value = self.world.shows(display.name, sensor, row, channel.quantity)
                    readings.append(LiveReading(channel.id, _ms(row), value))
        for channel in self.desk.book.records(Channel):
            if self.desk.book.instrument(channel.instrument_id).name == words.ROOM_LOGGER:
                for row in rows[::3]:
                    true = row.room_c if channel.quantity == "temperature" else row.room_rh
                    readings.append(
                        LiveReading(channel.id, _ms(row), round(true / channel.resolution) * channel.resolution)
                    )
        live.store_live(self.desk.logbook, readings)
        live.seal_full(self.desk.logbook, self.clock.at_ms)
        self.desk.tell(frozenset({DENSE}))

    def _do(self, what: str, amount: float = 0.0) -> None:
        """Something done now that is no entry of a log; what was logged before it is done first."""
        acts = [*self._logged(), Act(self.world.now_s, what, amount)]
        self._advance(self.world.now_s, acts)
        self._keep()

    def _logged(self) -> list[Act]:
        """What the keeper logged since the last step, as it is done to the world now."""
        made = []
        now = self.world.now_s
        for kind in RECORDS:
            for record in self.desk.book.records(kind):
                if record.id > self._seen[kind]:
                    made += self._acts_of(record, now)
        self._see()
        return made

    def _acts_of(self, record: Any, now: float) -> list[Act]:
        if isinstance(record, Batch):
            return [Act(now, "eggs in")] if self.world.set_s is None else []
        if isinstance(record, TaskMark):
            if record.state != "done":
                return []
            steps = {
                "lockdown/turner": [Act(now, "turner out")],
                "lockdown": [Act(now, "turner out"), Act(now, "lid", 8.0)],
                "lockdown/water": [Act(now, "water", keepers.surfaces(self.lesson)[-1])],
            }
            if record.step.startswith("turner"):
                return [Act(now, "look at turner")]
            return steps.get(record.step, [])
        if not isinstance(record, Event) or record.incubator_id != self.incubator.id:
            return []
        if record.kind == "set_point" and record.set_point_c is not None:
            return [Act(now, "set point", record.set_point_c)]
        if record.kind == "water":
            return [Act(now, "water", record.surface_cm2 or 0.0)]
        if record.kind == "vent" and record.opening is not None:
            return [Act(now, "vent", record.opening)]
        if record.kind in ("lid", "cool") and record.detail != "open":
            return [Act(now, record.kind, record.minutes or 0.0)]
        return [Act(now, "turn")] if record.kind == "turn" else []

    def _see(self) -> None:
        for kind in RECORDS:
            self._seen[kind] = max((r.id for r in self.desk.book.records(kind)), default=self._seen[kind])

    def _keep(self) -> None:
        """What the world is lived through again from."""
        kept = {
            "lesson": self.key,
            "seed": self.seed,
            "now_s": self.world.now_s,
            "acts": [[a.at_s, a.what, a.amount] for a in self.acts],
            "seen": {kind.__name__: n for kind, n in self._seen.items()},
            "over": self.over,
        }
        with self.desk.edit(words.kept(), undoable=False) as edit:
            edit.set(SETTING, json.dumps(kept))


def _ms(row: Moment) -> int:
    return SET_MS + round(1000.0 * row.at_s)


def _subsets(count: int) -> list[tuple[int, ...]]:
    return [tuple(i for i in range(count) if mask >> i & 1) for mask in range(1, 1 << count)]
