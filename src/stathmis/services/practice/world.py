"""The truth of a practice hatch: a box in a room with weather, eggs with fates of their own, displays that lie, and
mishaps. The same number gives the same world; what the keeper does to it is all that differs.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from math import inf
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from stathmis.core.hatch import embryos
from stathmis.core.hatch.embryos import Came, Eggs, Living, Met
from stathmis.core.moisture import term_conductance
from stathmis.core.psychrometrics import saturation_vapor_pressure
from stathmis.devices.simulated_incubator import SimulatedIncubator, SimulatedSensor
from stathmis.services import knowledge
from stathmis.services.practice.lessons import Lesson

Array = NDArray[np.float64]

DAY_S = 86_400.0
TICK_S = 60.0
STEP_S = 30.0
KEPT_S = 600.0
"""The truth is kept so often; in between only how dry it got."""
LID_S, HELPER_S = 180.0, 240.0
RESTED_S = 12 * 3600.0
LONGEST_D = 40
WARM_K, WARM_S = 7.0, 12 * 3600.0
"""A heater in the room: so much, for so long."""


class Act(NamedTuple):
    """Something the keeper did: s since the usual hour of setting, what, and how much (°C on the controller, cm² that
    are wet and full, opening, minutes)."""

    at_s: float
    what: str
    amount: float = 0.0


class Moment(NamedTuple):
    """The truth at a time: s, air, core and room °C, humidity inside, the driest since the moment before, and of the
    room, %; share of the water left; whether they were turned, whether the turner still moves them, °C asked."""

    at_s: float
    air_c: float
    core_c: float
    room_c: float
    rh: float
    driest_rh: float
    room_rh: float
    water: float
    turned: float
    turner: float


@dataclass(frozen=True)
class Room:
    """The weather of a room: °C and hPa so many s after setting; the same for the same number."""

    lesson: Lesson
    seed: int

    @cached_property
    def _hours(self) -> tuple[list[float], list[float]]:
        rng = np.random.default_rng([self.seed, 3])
        count = 24 * (LONGEST_D + 4)
        warm, moist = np.zeros(count), np.zeros(count)
        for i in range(1, count):
            warm[i] = 0.985 * warm[i - 1] + rng.normal(0.0, 0.17 * self.lesson.room_wander_k)
            moist[i] = 0.985 * moist[i - 1] + rng.normal(0.0, 0.18)
        hours = np.arange(count) - 48.0
        celsius = self.lesson.room_c + warm + self.lesson.room_swing_k * np.sin(2 * np.pi * (hours - 0.5) / 24.0)
        for mishap in self.lesson.mishaps:
            if mishap.what in ("cold night", "warm day"):
                since = hours - 24.0 * mishap.day
                there = (since >= 0.0) & (since <= mishap.hours)
                sign = -1.0 if mishap.what == "cold night" else 1.0
                shape = np.sin(np.pi * np.clip(since / mishap.hours, 0.0, 1.0))
                celsius = celsius + sign * mishap.amount * np.where(there, shape, 0.0)
        usual = float(saturation_vapor_pressure(self.lesson.room_c)) * self.lesson.room_rh / 100.0
        # one at a time is asked for, minute by minute: lists give that several times as quickly
        return celsius.tolist(), np.maximum(2.0, usual + moist).tolist()

    def at(self, at_s: float) -> tuple[float, float]:
        """°C and hPa."""
        place = at_s / 3600.0 + 48.0
        i = int(place)
        share = place - i
        celsius, hpa = self._hours
        return celsius[i] + share * (celsius[i + 1] - celsius[i]), hpa[i] + share * (hpa[i + 1] - hpa[i])


class World:
    """A lesson's world from its beginning on. The eggs go in at 0 s, or when the keeper puts them in."""

    def __init__(self, lesson: Lesson, seed: int, *, spared: frozenset[str] = frozenset()) -> None:
        """spared: mishaps that do not come."""
        self.lesson, self.seed = lesson, seed
        self._mishaps = {
            what: [m for m in lesson.mishaps if m.what == what and what not in spared]
            for what in ("power", "helper", "turner stuck")
        }
        self.species = knowledge.species()[lesson.species]
        self.room = Room(lesson, seed)
        self.begins_s = min(lesson.begins, 0.0) * DAY_S - 6 * 3600.0
        self._warmed_s = -inf
        machine = replace(lesson.machine, eggs=0, vent=lesson.vent)
        self.box = SimulatedIncubator(machine, 0.0, STEP_S, lambda s: self.room_at(s + self.begins_s))
        self.off_k = lesson.machine.set_point_c - self.species.set_c
        state = self.box.state
        state.air_c = state.egg_c = lesson.machine.set_point_c
        state.shell_c, state.vapor_hpa = state.air_c - 3.0, 26.0
        self.now_s = self.begins_s
        self.set_s: float | None = None
        self.done: list[Act] = []
        self.rows: list[Moment] = []
        self.turner_out = False
        self.turner_fixed_s = inf
        self.first_pip_s = inf
        self._driest, self._turned = 100.0, 0.0
        self._living: Living | None = None
        self._lived = 0

    def room_at(self, at_s: float) -> tuple[float, float]:
        """The room, with a heater in it where the keeper put one: °C and hPa."""
        celsius, hpa = self.room.at(at_s)
        return celsius + (WARM_K if self._warmed_s <= at_s < self._warmed_s + WARM_S else 0.0), hpa

    @property
    def rested(self) -> bool:
        """Whether posted eggs rested before they were set."""
        return self.set_s is not None and self.set_s - self.lesson.begins * DAY_S >= RESTED_S

    @cached_property
    def eggs(self) -> Eggs:
        """The eggs, as they were set."""
        lesson, egg_g = self.lesson, self.species.egg_g
        usual = term_conductance(egg_g, self.species.days)
        rng = np.random.default_rng([self.seed, 5])
        late_d = max(0.0, (self.set_s or 0.0) / DAY_S - min(0.0, lesson.begins))
        posted = lesson.posted * (embryos.RESTED if self.rested else 1.0)
        return embryos.laid(lesson.eggs, egg_g, usual, rng, lesson.age_d + late_d, posted)

    def go_on(self, until_s: float, acts: Sequence[Act] = ()) -> list[Moment]:
        """Go on to a time, with what the keeper does on the way, in order; returns what is kept of the truth."""
        todo = sorted(acts, key=lambda act: act.at_s)
        fresh: list[Moment] = []
        while self.now_s < until_s - 1e-6:
            while todo and todo[0].at_s <= self.now_s + 1e-6:
                self._do(todo.pop(0))
            self._befalls()
            self.box.step(TICK_S)
            self.now_s += TICK_S
            self._turn()
            self._driest = min(self._driest, self.box.rh)
            if round(self.now_s - self.begins_s) % round(KEPT_S) == 0:
                fresh.append(self.moment())
                self._driest, self._turned = 100.0, 0.0
        for act in todo:
            self._do(act)
        self.rows += fresh
        return fresh

    def brim_ml(self, surface_cm2: float) -> float:
        """What a wetted surface holds when it is full, ml."""
        return self.lesson.machine.trough_ml / self.lesson.machine.water_cm2 * surface_cm2

    def moment(self) -> Moment:
        """The truth as it is now."""
        state, m = self.box.state, self.box.machine
        room_c, room_hpa = self.room_at(self.now_s)
        room_rh = min(100.0, 100.0 * room_hpa / float(saturation_vapor_pressure(room_c)))
        left = state.water_ml / m.trough_ml if m.trough_ml else 0.0
        return Moment(
            self.now_s, state.air_c, state.egg_c, room_c, self.box.rh, self._driest, room_rh, left, self._turned,
            float(not self.turner_out),
        )  # fmt: skip

    @property
    def turner_stuck(self) -> bool:
        """Whether the turner stands still though it should not."""
        for mishap in self._mishaps["turner stuck"]:
            if mishap.day * DAY_S <= self.now_s < min(self.turner_fixed_s, mishap.day * DAY_S + 3600.0 * mishap.hours):
                return True
        return False

    def _turn(self) -> None:
        if not self._turned and not self.turner_out and self.set_s is not None and not self.turner_stuck:
            self._turned = 1.0

    def _befalls(self) -> None:
        """What comes by itself in the minute that begins."""
        for mishap in self._mishaps["power"]:
            if abs(self.now_s - mishap.day * DAY_S) < 0.5 * TICK_S:
                self.box.cut_power(3600.0 * mishap.hours)
        for mishap in self._mishaps["helper"]:
            if abs(self.now_s - mishap.day * DAY_S) < 0.5 * TICK_S:
                self._open(HELPER_S)

    def _open(self, seconds: float) -> None:
        """The lid is open for so long at least: what is done meanwhile does not shut it."""
        left = self.box.state.lid_until_s - self.box.state.seconds
        self.box.open_lid(max(seconds, left))

    def _do(self, act: Act) -> None:
        self.done.append(act)
        m = self.box.machine
        if act.what == "set point":
            m.set_point_c = act.amount + self.off_k
        elif act.what in ("water", "wet"):
            if act.amount > 0.0 and abs(act.amount - m.water_cm2) > 0.05:
                m.water_cm2, m.trough_ml = act.amount, self.brim_ml(act.amount)
                self.box.state.water_ml = min(m.trough_ml, self.box.state.water_ml)
            if act.what == "water":
                self.box.fill()
            self._open(60.0)
        elif act.what == "pour":
            self.box.state.water_ml = min(m.trough_ml, self.box.state.water_ml + act.amount)
            self._open(60.0)
        elif act.what == "vent":
            m.vent = min(1.0, max(0.0, act.amount))
        elif act.what in ("lid", "cool"):
            self._open(60.0 * act.amount if act.amount else LID_S)
        elif act.what == "turner out":
            self.turner_out = True
        elif act.what == "look at turner":
            if self.turner_stuck:
                self.turner_fixed_s = self.now_s
        elif act.what == "warm room":
            self._warmed_s = self.now_s
        elif act.what == "turn":
            self._turned = 1.0
        elif act.what == "eggs in":
            self.set_s = act.at_s
            m.eggs, m.egg_g = self.lesson.eggs, self.species.egg_g
            self.box.set_eggs(self.room_at(self.now_s)[0])
            self._open(LID_S)

    def came(self) -> Came | None:
        """What came of the eggs so far, by whole hours; None before they are set."""
        if self.set_s is None:
            return None
        if self._living is None:
            self._living = Living(self.eggs, self.species.days)
            self._lived = next((i for i, r in enumerate(self.rows) if r.at_s > self.set_s), len(self.rows))
        each = round(3600.0 / KEPT_S)
        hours = (len(self.rows) - self._lived) // each
        if hours:
            part = self.rows[self._lived : self._lived + hours * each]
            block = np.array(part).reshape(hours, each, len(Moment._fields))
            self._lived += hours * each
            field = {name: i for i, name in enumerate(Moment._fields)}
            mean = block.mean(axis=1)
            self._living.go_on(
                Met(
                    mean[:, field["core_c"]],
                    np.full(hours, self.species.set_c),
                    mean[:, field["air_c"]],
                    mean[:, field["rh"]],
                    block[:, :, field["driest_rh"]].min(axis=1),
                    block[:, :, field["turned"]].max(axis=1),
                    block[:, :, field["turner"]].min(axis=1),
                )
            )
        return self._living.came if self._living.hours else None

    def shows(self, name: str, sensor: SimulatedSensor, moment: Moment, quantity: str) -> float:
        """What a display shows at a moment; the same whenever it is asked."""
        true = moment.air_c if quantity == "temperature" else moment.rh
        return shown(name, sensor, true, moment.at_s, self.seed)


def shown(name: str, sensor: SimulatedSensor, true: float, at_s: float, seed: int) -> float:
    """What a display shows of a truth: its lie, its drift, its noise of that minute, and its steps."""
    digits = abs(hash_of(f"{name} {round(at_s / 60.0)} {seed}"))
    noise = float(np.random.default_rng(digits).standard_normal()) * sensor.noise
    raw = sensor.offset + sensor.slope * true + sensor.drift_per_day * max(0.0, at_s) / DAY_S + noise
    return round(raw / sensor.resolution) * sensor.resolution


def hash_of(text: str) -> int:
    """A number that stands for a text, the same on every computer and in every run."""
    made = 1469598103934665603
    for byte in text.encode():
        made = ((made ^ byte) * 1099511628211) & 0xFFFFFFFFFFFFFFFF
    return made


def hatched(came: Came | None) -> int:
    """Chicks that are out."""
    return 0 if came is None else int(np.isfinite(came.out_h).sum())
