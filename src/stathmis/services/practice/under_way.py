"""A practice hatch in its logbook: what the keeper logs is done to the world, and the world's loggers write into the
log.

All that is kept is the lesson, its number, and what was done when: the truth is lived through again from these.
"""

from __future__ import annotations

import json
from dataclasses import dataclass
from typing import Any

import numpy as np

from stathmis.core.errors import UserError
from stathmis.core.fixed_points import salt_humidity
from stathmis.core.hatch.embryos import Came
from stathmis.logbook import live
from stathmis.logbook.live import LiveReading
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
from stathmis.services.batch import batches
from stathmis.services.batch.course import Course
from stathmis.services.clock import DAY_MS, HOUR_MS, FixedClock
from stathmis.services.desk import Desk
from stathmis.services.plan import tasks
from stathmis.services.practice import keepers
from stathmis.services.practice.lessons import Display, lesson_of
from stathmis.services.practice.world import DAY_S, Act, Moment, World, shown
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
        # they were entered first, in this order; their names may be in another language, or changed since
        entered = zip(self._entered(), self.lesson.displays, strict=False)
        return [(d, i, c) for i, d in entered for c in self.desk.book.records(Channel, instrument_id=i.id)]

    def _entered(self) -> list[Instrument]:
        return sorted(self.desk.book.records(Instrument), key=lambda i: i.id)

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

    # going on

    def go_on(self, until_ms: int) -> Step:
        """Go on to a time (UTC ms), a day at most: what was logged since the last step is done to the world first."""
        until = min(until_ms, self.now_ms + round(WHOLE_RUN_H * HOUR_MS))
        acts = self._logged()
        self.advance((until - SET_MS) / 1000.0, acts)
        made = Step(self.now_ms, tuple(self._told()))
        self.keep()
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
            self.advance(min(stop, self.now_ms + LOOK_MS) / 1000.0 - SET_MS / 1000.0, acts)
            acts = []
            told = [] if self._counts() == before else [words.window(*self._counts())]
            told += [w for w in self._told() if w not in told]
        self.keep()
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

    def advance(self, until_s: float, acts: list[Act]) -> None:
        """Let the world go on to a time (s), with what is done first."""
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
        of_the_room = self._entered()[len(self.lesson.displays)]
        for channel in self.desk.book.records(Channel, instrument_id=of_the_room.id):
            for row in rows[::3]:
                true = row.room_c if channel.quantity == "temperature" else row.room_rh
                readings.append(
                    LiveReading(channel.id, _ms(row), round(true / channel.resolution) * channel.resolution)
                )
        live.store_live(self.desk.logbook, readings)
        live.seal_full(self.desk.logbook, self.clock.at_ms)
        self.desk.tell(frozenset({DENSE}))

    def do(self, what: str, amount: float = 0.0) -> None:
        """Something done now that is no entry of a log; what was logged before it is done first."""
        acts = [*self._logged(), Act(self.world.now_s, what, amount)]
        self.advance(self.world.now_s, acts)
        self.keep()

    def _logged(self) -> list[Act]:
        """What the keeper logged since the last step, as it is done to the world now."""
        made = []
        now = self.world.now_s
        for kind in RECORDS:
            for record in self.desk.book.records(kind):
                if record.id > self._seen[kind]:
                    made += self._acts_of(record, now)
        self.notice()
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
            wet = record.surface_cm2 or 0.0
            # no amount said: to the brim
            if record.water_ml is None:
                return [Act(now, "water", wet)]
            return [Act(now, "wet", wet), Act(now, "pour", record.water_ml)]
        if record.kind == "vent" and record.opening is not None:
            return [Act(now, "vent", record.opening)]
        if record.kind in ("lid", "cool") and record.detail != "open":
            return [Act(now, record.kind, record.minutes or 0.0)]
        return [Act(now, "turn")] if record.kind == "turn" else []

    def notice(self) -> None:
        """What is in the log now is known to the world."""
        for kind in RECORDS:
            self._seen[kind] = max((r.id for r in self.desk.book.records(kind)), default=self._seen[kind])

    def keep(self) -> None:
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
