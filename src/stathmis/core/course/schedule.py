"""The plan of a batch: which steps on which day, from checking the instruments to cleaning the machine.

Days are elapsed days from the set instant, negative before it, so that clock changes do not move them. A step that is
moved takes the ones that hang on it along; the order of the steps is never broken.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import NamedTuple

import numpy as np

from stathmis.core.course.profile import Species
from stathmis.core.course.way import CANDLINGS, Way

BEST_STORED_DAYS, MOST_STORED_DAYS = 7.0, 10.0
"""Eggs are best within a week of laying; ten days are the usual limit. Source: common practice."""
STRAGGLERS_DAYS = 2.0
"""Nothing is switched off before so long after the expected day. Source: common practice."""


@dataclass(frozen=True)
class Step:
    """A step of a plan: what, when (elapsed days), and from when to when it may be done.

    after: the key of the step it must not come before, and by how many days it follows it at least; moved: the keeper
    put it there.
    """

    key: str
    day: float
    earliest: float
    latest: float
    after: str = ""
    gap: float = 0.0
    moved: bool = False

    @property
    def kind(self) -> str:
        """The key without its number: "candle" of "candle 2"."""
        return self.key.rstrip("0123456789 ")


def plan(species: Species, way: Way, lockdown_day: float | None = None) -> tuple[Step, ...]:
    """All steps of a batch in order, as way and species (with the days it is expected to take) have it.

    lockdown_day: when turning stops (elapsed); the species' usual by default.
    Raises ValueError for a habit that is none. Source: common practice.
    """
    if way.candling not in CANDLINGS:
        raise ValueError(f"no such habit of candling: {way.candling}")
    steps = _before(way, reptile=species.kind == "reptile")
    steps += _reptile(species, way) if species.kind == "reptile" else _bird(species, way, lockdown_day)
    return tuple(sorted(steps, key=lambda s: (s.day, s.key)))


def _before(way: Way, *, reptile: bool) -> list[Step]:
    # what prepares hangs on what it prepares: it must be done before it
    steps = [Step("set", 0.0, -0.25, 0.5), Step("check instruments", -21.0, -60.0, -3.0)]
    steps.append(Step("warm dry", -2.0, -7.0, -1.5, "check instruments", 0.5))
    steps.append(Step("warm wet", -1.0, -6.0, -0.25, "warm dry", 0.5))
    if reptile:
        return steps
    steps.append(Step("collect", -way.collecting_days, -MOST_STORED_DAYS, -0.2))
    if way.posted:
        steps.append(Step("rest", -1.0, -2.0, -0.5, "collect", 0.0))
    steps.append(Step("room warm", -1 / 3, -0.5, -1 / 6, "rest" if way.posted else "collect", 1 / 6))
    return steps


def _bird(species: Species, way: Way, lockdown_day: float | None) -> list[Step]:
    term = species.days
    stop = lockdown_day if lockdown_day is not None else species.stop_turning_day or term - 3.0
    steps = [Step("lockdown", stop, stop - 0.5, stop + 1.0, "set", 1.0)]
    if way.turning == "machine":
        steps.append(Step("turner", 1.0, 0.1, 3.0, "set", 0.1))
    before = "set"
    # the last candling belongs to lockdown
    for i, day in enumerate((d for d in way.candled(term) if d < stop - 0.01), start=1):
        steps.append(Step(f"candle {i}", day, day - 1.0, day + 2.0, before, 1.0))
        before = f"candle {i}"
    if way.weighing and species.loss_percent is not None:
        days = [*np.arange(0.0, stop - 1.0, way.weigh_every_days).tolist(), stop]
        steps += [Step(f"weigh {i}", d, d - 1.0, d + 1.0, "set") for i, d in enumerate(days, start=1)]
    low, high = species.days_low, species.days_high
    steps += [
        Step("brooder", stop - way.brooder_days, stop - way.brooder_days - 3.0, low, "set"),
        Step("brooder warm", max(stop, low - 1.0), stop, low, "lockdown"),
        Step("hatch", term, low, high, "lockdown", 0.5),
        Step("take off", term + 1.0, term + 0.5, high + 1.5, "hatch", 0.5),
        Step("latest", max(term + STRAGGLERS_DAYS, high), term + STRAGGLERS_DAYS, high + 3.0, "hatch", 1.0),
        Step("clean", max(term + STRAGGLERS_DAYS, high) + 1.0, term + 1.0, high + 14.0, "latest"),
    ]
    return steps


def _reptile(species: Species, way: Way) -> list[Step]:
    term, low, high = species.days, species.days_low, species.days_high
    weeks = np.arange(7.0, term, 7.0).tolist()
    steps = [Step(f"air {i}", d, d - 1.0, d + 2.0, "set") for i, d in enumerate(weeks, start=1)]
    if species.sex_by_temperature:
        # geckos lay again after two to three weeks
        steps.append(Step("next clutch", 19.0, 16.0, 22.0, "set", 10.0))
    steps += [
        Step("candle 1", 10.0, 7.0, 14.0, "set", 5.0),
        Step("hatch", term, low, high, "set", 20.0),
        Step("latest", high + 7.0, high, high + 14.0, "hatch"),
        Step("first shed", term + 7.0, term + 3.0, term + 14.0, "hatch"),
        Step("first meal", term + 10.0, term + 5.0, term + 21.0, "first shed"),
    ]
    return steps


def moved(steps: Sequence[Step], moves: Mapping[str, float]) -> tuple[Step, ...]:
    """The plan with some steps put on other days, and those that hang on them pushed along where they must.

    moves: elapsed days by key; keys the plan does not have are left aside. Steps before the set instant make way to the
    front, those after it to the back; a moved step itself gives way only where the order would be broken.
    Source: definition (a partial order, resolved with the least change).
    """
    by_key = {s.key: s for s in steps}
    placed = {k: replace(s, day=moves[k], moved=True) if k in moves else s for k, s in by_key.items()}
    # nothing that prepares comes after setting, nothing that follows before it
    for key, step in placed.items():
        if key == "set":
            placed[key] = replace(step, day=0.0, moved=False)
        elif by_key[key].day < 0:
            placed[key] = replace(step, day=min(step.day, -1 / 24))
        else:
            placed[key] = replace(step, day=max(step.day, 0.0))
    for _ in range(len(placed)):
        changed = False
        for key, step in placed.items():
            before = placed.get(step.after)
            if before is None or step.day >= before.day + step.gap - 1e-9:
                continue
            changed = True
            if step.day < 0:
                # what comes first makes way: it is done earlier
                placed[before.key] = replace(before, day=step.day - step.gap)
            else:
                placed[key] = replace(step, day=before.day + step.gap)
        if not changed:
            break
    return tuple(sorted(placed.values(), key=lambda s: (s.day, s.key)))


def storage_loss(days_stored: float) -> tuple[float, float]:
    """Hatchability lost by keeping eggs before setting, percentage points, from and to; approximate.

    days_stored: above or equal 0. Nothing to speak of within 7 days, about 1 to 2 a day to the tenth, 2 to 5 a day
    after. Raises ValueError for a negative time. Source: common practice.

    >>> storage_loss(5.0), storage_loss(12.0)
    ((0.0, 0.0), (7.0, 16.0))
    """
    if days_stored < 0:
        raise ValueError("eggs are stored for no less than no time")
    middle = min(max(days_stored - BEST_STORED_DAYS, 0.0), MOST_STORED_DAYS - BEST_STORED_DAYS)
    late = max(days_stored - MOST_STORED_DAYS, 0.0)
    return middle * 1.0 + late * 2.0, min(100.0, middle * 2.0 + late * 5.0)


class Span(NamedTuple):
    """One batch in one machine: what it occupies (elapsed or absolute days, one scale), how many eggs, its warmth and
    when it turns: until turn_end (nan: never) it is turned and wants drier air."""

    start: float
    end: float
    eggs: int
    set_c: float
    half_band_k: float
    turn_end: float
    reptile: bool


class Clash(NamedTuple):
    """Two spans that get in each other's way: "lockdown", "temperature", "kinds", or one with "capacity" (-1)."""

    kind: str
    first: int
    second: int
    start: float
    end: float


def clashes(spans: Sequence[Span], capacity: int | None = None) -> tuple[Clash, ...]:
    """Where batches of one machine cannot go together.

    capacity: eggs it holds, None where not known. Source: common practice: one temperature near enough for all, never
    one in lockdown while another still needs turning, birds not with clutches that must lie still.
    """
    found = []
    for i, a in enumerate(spans):
        for j, b in enumerate(spans):
            start, end = max(a.start, b.start), min(a.end, b.end)
            if i == j or end <= start:
                continue
            if i < j and a.reptile != b.reptile:
                found.append(Clash("kinds", i, j, start, end))
            elif i < j and abs(a.set_c - b.set_c) > a.half_band_k + b.half_band_k:
                found.append(Clash("temperature", i, j, start, end))
            if np.isfinite(a.turn_end) and np.isfinite(b.turn_end) and not (a.reptile or b.reptile):
                first, last = max(a.turn_end, b.start), min(a.end, b.turn_end)
                if last > first + 0.25:
                    found.append(Clash("lockdown", i, j, first, last))
    if capacity is not None:
        edges = sorted({s.start for s in spans})
        for at in edges:
            inside = [i for i, s in enumerate(spans) if s.start <= at < s.end]
            if sum(spans[i].eggs for i in inside) > capacity:
                found.append(Clash("capacity", inside[-1], -1, at, min(spans[i].end for i in inside)))
    return tuple(found)


TERM_SPREAD = 0.12
"""Clutches of one temperature differ by so much from what is expected, relative half-range. Source: common practice."""


def term_for(
    species_points: Sequence[tuple[float, float]], temperature_c: float, spread: float = TERM_SPREAD
) -> tuple[float, float, float]:
    """Days to the hatch of a clutch kept at a temperature: soonest, expected, latest.

    species_points: (°C, days), rising in °C; beyond them the nearest holds; spread: relative half-range.
    Raises ValueError for no points. Source: common practice, approximate.

    >>> [round(d) for d in term_for([(26.0, 75.0), (32.0, 42.0)], 29.0)]
    [51, 58, 66]
    """
    if not species_points:
        raise ValueError("points of temperature and days are needed")
    celsius, days = (np.array(c) for c in zip(*species_points, strict=True))
    expected = float(np.interp(temperature_c, celsius, days))
    return expected * (1.0 - spread), expected, expected * (1.0 + spread)


MALES = ((26.0, 0.0), (28.5, 5.0), (30.0, 30.0), (31.0, 50.0), (32.5, 75.0), (33.5, 55.0), (34.5, 10.0), (36.0, 0.0))
"""Share of males among leopard geckos by the temperature of the sensitive middle third, percent. Source: Viets and
co-workers (1993), from memory; approximate."""


def male_share(temperature_c: float) -> tuple[float, float]:
    """Expected share of males of leopard geckos, percent, and its standard uncertainty; approximate.

    temperature_c: mean over the middle third of the term. Source: MALES; ± 15 percentage points for flock and swing.

    >>> male_share(27.0)[0] < 5 < 70 < male_share(32.5)[0]
    True
    """
    celsius, share = (np.array(c) for c in zip(*MALES, strict=True))
    return float(np.interp(temperature_c, celsius, share)), 15.0
