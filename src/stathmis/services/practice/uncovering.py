"""The cover comes off: what was true all along, which decision cost which eggs, and what others would have hatched."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from stathmis.core.course.profile import Band
from stathmis.core.hatch.embryos import HARDSHIPS, Came
from stathmis.core.uncertainty import NORMAL_95
from stathmis.core.units import Quantity
from stathmis.logbook.records import Batch
from stathmis.services.batch import batches
from stathmis.services.findings.runs import Run, recorded
from stathmis.services.practice import keepers
from stathmis.services.practice.lessons import Lesson, lesson_of
from stathmis.services.practice.under_way import SET_MS, Practice
from stathmis.services.practice.world import DAY_S, KEPT_S, Act, World, hatched

Array = NDArray[np.float64]

KINDS: dict[str, tuple[str, ...]] = {
    "heat": ("set point", "warm room"),
    "water": ("water", "vent"),
    "lids": ("lid", "cool"),
    "lockdown": ("turner out",),
}
"""Decisions of a keeper, each with what is done for it."""
MISHAPS = ("power", "helper", "turner stuck", "cold night")
STRAGGLERS_D = 2.0
HOUR = round(3600.0 / KEPT_S)
LIVES = 12
"""So many lives of worlds are kept: those that one uncovering asks of."""
Hand = Callable[[World, float], None]


@dataclass(frozen=True, eq=False)
class Curve:
    """A truth over time, hour by hour: UTC ms, °C or %; asked: bands from and to, UTC ms; believed: of the same what
    the log says, corrected, None where not read."""

    quantity: Quantity
    times_ms: NDArray[np.int64]
    true: Array
    asked: tuple[tuple[int, int, Band], ...]
    believed: Run | None


@dataclass(frozen=True)
class Belief:
    """How far what a display said, corrected, lay from the truth on average, and its U (95 %), °C or %."""

    name: str
    quantity: Quantity
    off: float
    U: float


@dataclass(frozen=True, eq=False)
class Uncovered:
    """A practice hatch with its cover off. out, steady, nothing: chicks of the keeper, of a steady hand that sees the
    truth, and with nothing done, in the same world; died: eggs by what they died of, the most first; cost: chicks that
    each kind of decision, or mishap, cost (below 0: saved), by its name; curves, beliefs: see Curve, Belief; begins_ms:
    when the keeper took over."""

    lesson: Lesson
    seed: int
    out: int
    steady: int
    nothing: int
    died: tuple[tuple[str, int], ...]
    infertile: int
    cost: tuple[tuple[str, int], ...]
    curves: tuple[Curve, ...]
    beliefs: tuple[Belief, ...]
    begins_ms: int

    @property
    def score(self) -> int:
        """Of 100: chicks beside those of the steady hand."""
        return round(100.0 * self.out / self.steady) if self.steady else 0


def uncover(
    practice: Practice, progress: Callable[[float], object] = lambda share: None,
    cancelled: Callable[[], bool] = lambda: False,
) -> Uncovered:  # fmt: skip
    """Take the cover off a practice hatch: its world is lived through again for each kind of decision, with the steady
    hand's in its place, and for each mishap, without it. Some seconds; progress: share done; cancelled: whether to stop
    (what was found by then is told)."""
    lesson, key, seed = practice.lesson, practice.key, practice.seed
    end = (practice.world.species.days_high + STRAGGLERS_D) * DAY_S
    own = lived(key, seed, practice.acts, end)
    steady = lived(key, seed, keepers.steady_hand, end)
    progress(0.3)
    nothing = lived(key, seed, keepers.nothing_done, end)
    progress(0.4)
    came = own.came()
    out = hatched(came)
    cost: list[tuple[str, int]] = []
    own_acts = practice.acts
    tried = [(name, _instead(own_acts, steady.done, name), frozenset[str]()) for name in KINDS]
    there = {m.what for m in lesson.mishaps}
    tried += [(_MISHAP_NAMES.get(what, what), list(own_acts), frozenset({what})) for what in MISHAPS if what in there]
    for at, (name, acts, spared) in enumerate(tried):
        if cancelled():
            break
        cost.append((name, hatched(lived(key, seed, acts, end, spared).came()) - out))
        progress(0.4 + 0.6 * (at + 1) / len(tried))
    return Uncovered(
        lesson, seed, out, hatched(steady.came()), hatched(nothing.came()), _died(came), int(own.eggs.infertile.sum()),
        tuple(sorted(cost, key=lambda c: -abs(c[1]))), _curves(practice, own), _beliefs(practice, own),
        SET_MS + round(1000.0 * lesson.begins * DAY_S),
    )  # fmt: skip


_MISHAP_NAMES = {"turner stuck": "turner"}


def lived(
    key: str, seed: int, hand: Sequence[Act] | Hand, until_s: float, spared: frozenset[str] = frozenset()
) -> World:
    """A lesson's world lived through by a hand, or with these acts; spared: mishaps that do not come. It is lived once
    however often it is asked of: to be looked at, not to be gone on with."""
    return _lived(key, seed, hand if callable(hand) else tuple(hand), until_s, spared)


@lru_cache(maxsize=LIVES)
def _lived(key: str, seed: int, hand: tuple[Act, ...] | Hand, until_s: float, spared: frozenset[str]) -> World:
    world = World(lesson_of(key, seed), seed, spared=spared)
    if callable(hand):
        hand(world, until_s)
        return world
    for act in sorted(hand, key=lambda a: a.at_s):
        world.go_on(max(world.now_s, act.at_s))
        world.go_on(world.now_s, [act])
    world.go_on(max(until_s, world.now_s))
    return world


def _instead(own: Sequence[Act], steady: Sequence[Act], name: str) -> list[Act]:
    """A keeper's acts with the steady hand's in place of one kind; a steady hand opens no lid."""
    what = KINDS[name]
    kept = [a for a in own if a.what not in what] + [a for a in steady if a.what in what]
    # what was done at the same time stays in its order
    return sorted(kept, key=lambda a: a.at_s)


def _died(came: Came | None) -> tuple[tuple[str, int], ...]:
    if came is None:
        return ()
    counts = [(HARDSHIPS[i], int((came.of == i).sum())) for i in range(len(HARDSHIPS))]
    return tuple(sorted(((n, c) for n, c in counts if c), key=lambda pair: -pair[1]))


def _curves(practice: Practice, own: World) -> tuple[Curve, ...]:
    rows = np.array([(r.at_s, r.air_c, r.rh) for r in own.rows])
    rows = rows[: rows.shape[0] // HOUR * HOUR].reshape(-1, HOUR, 3).mean(axis=1)
    times = SET_MS + np.round(1000.0 * rows[:, 0]).astype(np.int64)
    there = times <= practice.now_ms
    book, made = practice.desk.book, []
    batch = next(iter(book.records(Batch)), None)
    course = batches.course_by_id(book, batch.id) if batch is not None else None
    quantities: tuple[Quantity, Quantity] = ("temperature", "humidity")
    for at, quantity in enumerate(quantities, 1):
        found = recorded(book, [(practice.incubator, int(times[0]), practice.now_ms)], quantity, SET_MS).judged
        asked = []
        for phase in course.phases if course is not None else ():
            band = phase.temperature_c if quantity == "temperature" else phase.humidity
            if course is not None and band is not None and phase.name != "warm-up":
                asked.append((course.at_ms(phase.start_day), course.at_ms(phase.end_day), band))
        made.append(Curve(quantity, times[there], rows[there, at], tuple(asked), found))
    return tuple(made)


def _beliefs(practice: Practice, own: World) -> tuple[Belief, ...]:
    """Of each display at the machine: its mean beside the truth over all it was read."""
    rows = np.array([(r.at_s, r.air_c, r.rh) for r in own.rows])
    at_ms = SET_MS + 1000.0 * rows[:, 0]
    book, made = practice.desk.book, []
    for quantity in ("temperature", "humidity"):
        place = [(practice.incubator, int(at_ms[0]), practice.now_ms)]
        for run in recorded(book, place, quantity, SET_MS).runs:
            true = np.interp(run.times_ms, at_ms, rows[:, 1 if quantity == "temperature" else 2])
            off = float(np.median(run.corrected - true))
            made.append(Belief(run.instrument.name, quantity, off, NORMAL_95 * float(np.median(run.u))))
    return tuple(made)
