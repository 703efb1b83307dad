"""The loss line of a batch: what the eggs lost so far, what they will lose, and the humidity the rest asks for."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from stathmis.core import moisture
from stathmis.core.moisture import Accumulated, Conductance, HumidityTarget
from stathmis.core.psychrometrics import relative_humidity_at
from stathmis.logbook.records import Weighing
from stathmis.logbook.snapshot import SETTINGS
from stathmis.services.batch.course import Course
from stathmis.services.batch.species import species_of
from stathmis.services.book import Book, finding
from stathmis.services.clock import DAY_MS
from stathmis.services.findings.drying_air import DryingAir, air_runs, drying_air
from stathmis.services.findings.runs import MOST_RUNS, READ, Run, lately

Array = NDArray[np.float64]

LOSS_HALF_RANGE = 2.0
"""Losses this far to either side of the aim hatch well, percentage points. Source: common practice (13 %, 11-15)."""
AIMED_SHARE = 0.5
"""The humidity is held for the middle half of that range: the rest is for what comes. Source: our own, cautious."""
WEIGHING_U = 0.0003
"""Standard uncertainty of a mass beside the scale's steps, relative: water on the shell, the level, the draft. Source:
our own."""


SLIP_G = 2.0
"""Standard uncertainty of what lies on the scale, for slips that nobody can see while there are two weighings. Source:
our own; more would say nothing at all."""


@dataclass(frozen=True)
class EggLine:
    """The line of one marked egg: its conductance, and its loss at lockdown if the aim is held, percent."""

    mark: str
    conductance: Conductance
    loss_at_lockdown: float
    unlike: bool


@dataclass(frozen=True)
class Point:
    """A weighing on the picture: day, loss in percent of the mass at setting, and its standard uncertainty."""

    day: float
    loss: float
    u: float
    mark: str


@dataclass(frozen=True)
class OddWeighing:
    """A weighing that is likely wrong: by how much an egg, g; the loss at lockdown without it with its standard
    uncertainty, percent, None where the humidity was not read."""

    weighing: Weighing
    off_g: float
    without: tuple[float, float] | None


@dataclass(frozen=True)
class LossSheet:
    """Everything about a batch's loss at a time. Days are elapsed days; losses percent; humidity percent.

    now: accumulated deficit until now; known: share of the time it was read; mean_rh, u_mean_rh: over the last day,
    None where it was not read; forecast: loss at lockdown if that is held, with its standard uncertainty.
    """

    course: Course
    day_now: float
    lockdown_day: float
    wanted: tuple[float, float, float]
    weighed: int
    conductance: Conductance | None
    now: Accumulated
    loss_now: tuple[float, float] | None
    mean_rh: float | None
    u_mean_rh: float
    temperature_c: float
    target: HumidityTarget | None
    forecast: tuple[float, float] | None
    points: tuple[Point, ...]
    eggs: tuple[EggLine, ...]
    room_rh: float | None
    compromise_rh: float | None
    odd: OddWeighing | None = None

    @property
    def known_percent(self) -> float:
        """How much of the time since setting the humidity was read, percent."""
        return 100.0 * float(self.now.known[0])


def wanted(course: Course) -> tuple[float, float, float] | None:
    """Lowest, aimed at and highest loss at lockdown, percent; None for eggs without a lockdown."""
    aim = course.species.loss_percent
    if aim is None or course.lockdown_day is None:
        return None
    return aim - LOSS_HALF_RANGE, aim, aim + LOSS_HALF_RANGE


def _fit(book: Book, course: Course, found: Sequence[Weighing], x: Array) -> Conductance | None:
    """One line for weighings of the same eggs, mean mass of an egg; a changed count begins a new group."""
    if not found:
        return None
    masses, u, known, groups = _observed(book, course, found)
    if len(found) == 2:
        # a slip of the scale or the finger cannot be seen yet
        u = np.hypot(u, SLIP_G / np.array([w.eggs for w in found]))
    fitted = moisture.fit_conductance(x, masses, u, known, groups)
    # where the weighings scatter more than the scale's steps allow, the line is as unsure as they show
    if fitted.degrees_of_freedom > 0 and fitted.chi_square > fitted.degrees_of_freedom:
        wider = fitted.chi_square / fitted.degrees_of_freedom
        return fitted._replace(u=fitted.u * float(np.sqrt(wider)), covariance=fitted.covariance * wider)
    return fitted


def _observed(
    book: Book, course: Course, found: Sequence[Weighing]
) -> tuple[Array, Array, tuple[float, float], list[int]]:
    """Mean mass of an egg at each weighing, its standard uncertainty, what is known of the shells before, and which
    weighings are of the same eggs."""
    masses = np.array([w.mass_g / w.eggs for w in found])
    u = np.hypot([w.scale_g / np.sqrt(12.0) / w.eggs for w in found], WEIGHING_U * masses)
    counts = [w.eggs for w in found]
    groups = np.concatenate([[0], np.cumsum(np.diff(counts) != 0)]).astype(int).tolist()
    usual = moisture.term_conductance(float(masses[0]), species_of(book, course.batch.species).days, book.pressure_hpa)
    # own shells of earlier hatches say more than the species does
    ratio, u_ratio = course.learned.shells or (1.0, moisture.TERM_SPREAD)
    return masses, u, (ratio * usual, u_ratio * usual), groups


def _lines(
    book: Book, course: Course, found: Sequence[Weighing], air: DryingAir
) -> dict[str, tuple[Conductance, list[Weighing], Accumulated]]:
    lines = {}
    for mark in dict.fromkeys(w.mark for w in found):
        own = [w for w in found if w.mark == mark]
        x = air.until([w.time_ms for w in own], course.batch.set_ms)
        fitted = _fit(book, course, own, x.deficit)
        if fitted is not None:
            lines[mark] = (fitted, own, x)
    return lines


def _of_batch(lines: dict[str, tuple[Conductance, list[Weighing], Accumulated]]) -> Conductance | None:
    """The mean egg of the batch: from the whole tray where it was weighed, else from the marked eggs."""
    if "" in lines:
        return lines[""][0]
    if not lines:
        return None
    fits = [found for found, _, _ in lines.values()]
    g, m = np.array([f.value for f in fits]), np.array([f.mass_g for f in fits])
    own = float(np.sqrt(np.mean([f.u**2 for f in fits]) / len(fits)))
    spread = float(g.std(ddof=1) / np.sqrt(g.size)) if g.size > 1 else moisture.TERM_SPREAD * float(g[0])
    u = float(np.hypot(own, spread))
    u_m = float(np.sqrt(np.mean([f.covariance[0, 0] for f in fits]) / len(fits)))
    return Conductance(float(g.mean()), u, float(m.mean()), np.diag([u_m**2, u**2]), 0.0, len(fits) - 1)


def loss_sheet(book: Book, course: Course, found: Sequence[Weighing], at_ms: int | None = None) -> LossSheet | None:
    """All about the loss of a batch's eggs at a time (UTC ms; now, or when it ended, by default).

    None for eggs without a lockdown.
    """
    return _loss_sheet(book, course, tuple(found), at_ms)


@finding(*READ, SETTINGS, each_minute=True, most=MOST_RUNS)
def _loss_sheet(book: Book, course: Course, found: tuple[Weighing, ...], at_ms: int | None) -> LossSheet | None:
    want = wanted(course)
    if want is None or course.lockdown_day is None:
        return None
    ended = course.batch.ended_ms
    now = at_ms if at_ms is not None else book.now_ms if ended is None else min(book.now_ms, ended)
    warm, moist = air_runs(book, course, now)
    air = drying_air(course, warm, moist, now)
    lines = _lines(book, course, found, air)
    conductance = _of_batch(lines)
    so_far = air.until([now], course.batch.set_ms)
    x, u_x = float(so_far.deficit[0]), float(so_far.u[0])
    days_left = course.lockdown_day - max(0.0, course.day(now))
    saturated = air.saturated
    mean_rh, u_mean_rh = _lately(moist, now)
    floor = room_humidity(book, now, air.temperature_c)
    target, forecast, loss_now = None, None, None
    if conductance is not None:
        loss_now = _pair(moisture.loss_percent(conductance, x, u_x))
        if days_left > 0:
            aim = want[1]
            half = AIMED_SHARE * LOSS_HALF_RANGE
            off = _off(book, course, found, air, now, days_left, aim, mean_rh)
            u_rest = float(np.hypot(u_x, 0.01 * off[1] * days_left * saturated))
            begun, celsius = x + days_left * air.own, air.temperature_c
            target = moisture.humidity_for_loss(
                conductance, begun, days_left, celsius, aim - half, aim, aim + half, u_rest, floor or 0.0
            )
            if mean_rh is not None:
                ahead = days_left * (saturated * (1.0 - mean_rh / 100.0) + air.own)
                value, u = _pair(moisture.loss_percent(conductance, x + ahead, u_x))
                forecast = (value, float(np.hypot(u, off[0])))
    odd, rest = _odd(book, course, found, lines, at_ms)
    if rest is not None and rest.target is not None:
        # what is likely a slip asks for no humidity
        target = rest.target
    x_ahead = x + max(days_left, 0.0) * air.own
    eggs, compromise = _single(lines, want, x_ahead, max(days_left, 0.0) * saturated, target)
    return LossSheet(
        course,
        max(0.0, course.day(now)),
        course.lockdown_day,
        want,
        len(found),
        conductance,
        so_far,
        loss_now,
        mean_rh,
        u_mean_rh,
        air.temperature_c,
        target,
        forecast,
        _points(course, lines),
        eggs,
        floor,
        compromise,
        odd,
    )


def _odd(
    book: Book,
    course: Course,
    found: tuple[Weighing, ...],
    lines: dict[str, tuple[Conductance, list[Weighing], Accumulated]],
    at_ms: int | None,
) -> tuple[OddWeighing | None, LossSheet | None]:
    """A weighing of the whole tray that is likely a slip, and what the others say."""
    if "" not in lines:
        return None, None
    _fitted, own, x = lines[""]
    placed = moisture.odd_weighing(x.deficit, *_observed(book, course, own))
    if placed is None:
        return None, None
    one = own[placed[0]]
    rest = _loss_sheet(book, course, tuple(w for w in found if w.id != one.id), at_ms)
    return OddWeighing(one, placed[1], rest.forecast if rest is not None else None), rest


def _off(
    book: Book,
    course: Course,
    found: Sequence[Weighing],
    air: DryingAir,
    now: int,
    days_left: float,
    aim: float,
    mean_rh: float | None,
) -> tuple[float, float]:
    """Standard uncertainty of the loss at lockdown (percentage points) and of the humidity to be shown (percent) from
    what the air may be off by all the time: the weighings were fitted to it, so most of it cancels while nothing
    changes."""

    def outcome(of: DryingAir, ahead: float) -> tuple[float, float]:
        conductance = _of_batch(_lines(book, course, found, of))
        assert conductance is not None
        x = float(of.until([now], course.batch.set_ms).deficit[0]) + days_left * of.own
        needed = aim / 100.0 * conductance.mass_g * 1000.0 / conductance.value - x
        asked = 100.0 * (1.0 - needed / (days_left * of.saturated))
        lost = x + days_left * (of.saturated * (1.0 - 0.01 * (mean_rh if mean_rh is not None else 50.0)) + ahead)
        # what is held is what the instrument shows
        extra = 100.0 * ahead / of.saturated
        return float(moisture.loss_percent(conductance, lost)[0]), asked + extra

    usual = outcome(air, 0.0)
    moved = [outcome(air.shifted(d), d.ahead) for d in air.doubts]
    loss, rh = (np.array([m[i] - usual[i] for m in moved]) for i in (0, 1))
    return float(np.sqrt((loss**2).sum())), float(np.sqrt((rh**2).sum()))


def _pair(found: tuple[Array, Array]) -> tuple[float, float]:
    return float(found[0]), float(found[1])


def _lately(moist: Run | None, now_ms: int) -> tuple[float | None, float]:
    """Mean humidity over the last day it was read in, None where that is long ago, and its standard uncertainty.

    What an instrument is off by it is off by all day: no averaging.
    """
    if moist is None or now_ms - int(moist.times_ms[-1]) > DAY_MS:
        return None, 0.0
    day = moist.times_ms >= moist.times_ms[-1] - DAY_MS
    return float(moist.corrected[day].mean()), float(np.median(moist.u[day]))


def room_humidity(book: Book, at_ms: int, inside_c: float) -> float | None:
    """What the room's own air gives at the temperature inside, percent, from its readings of the last two days."""
    room = book.room()
    if room is None:
        return None
    start = at_ms - 2 * DAY_MS
    warm, moist = (lately(book, room, q, start, at_ms) for q in ("temperature", "humidity"))
    if warm is None or moist is None:
        return None
    return float(relative_humidity_at(float(moist.corrected.mean()), float(warm.corrected.mean()), inside_c))


def _points(course: Course, lines: dict[str, tuple[Conductance, list[Weighing], Accumulated]]) -> tuple[Point, ...]:
    made = []
    for mark, (fitted, own, _) in lines.items():
        newest = own[-1].eggs
        for w in own:
            if w.eggs != newest:
                # other eggs lay on the scale then: their mass at setting is not this line's
                continue
            each = w.mass_g / w.eggs
            u = 100.0 * w.scale_g / np.sqrt(12.0) / w.eggs / fitted.mass_g
            made.append(Point(course.day(w.time_ms), 100.0 * (1.0 - each / fitted.mass_g), float(u), mark))
    return tuple(made)


def _single(
    lines: dict[str, tuple[Conductance, list[Weighing], Accumulated]],
    want: tuple[float, float, float],
    x: float,
    deficit_at_zero_rh: float,
    target: HumidityTarget | None,
) -> tuple[tuple[EggLine, ...], float | None]:
    """The marked eggs one by one, those unlike the rest named, and the humidity that suits most of them."""
    marked = [(mark, fitted) for mark, (fitted, own, _) in lines.items() if mark and len(own) > 1]
    if not marked:
        return (), None
    named = moisture.unlike([f.value for _, f in marked], [f.u for _, f in marked])
    aim_rh = target.rh if target is not None else 50.0

    def at(fitted: Conductance, rh: float) -> float:
        return float(moisture.loss_percent(fitted, x + deficit_at_zero_rh * (1.0 - rh / 100.0))[0])

    eggs = tuple(EggLine(mark, f, at(f, aim_rh), i in named) for i, (mark, f) in enumerate(marked))
    if len(marked) < 2 or deficit_at_zero_rh <= 0:
        return eggs, None
    grid = np.arange(15.0, 85.5, 0.5)
    losses = np.array([[at(f, float(rh)) for _, f in marked] for rh in grid])
    return eggs, float(grid[moisture.best_for_all(losses, *want)])


def target_after(book: Book, course: Course, found: Sequence[Weighing], at_ms: int) -> HumidityTarget | None:
    """What the loss asks for after weighings, None before there are two of the same eggs some days apart."""
    times = sorted({w.time_ms for w in found})
    if len(times) < 2 or times[-1] - times[0] < DAY_MS:
        return None
    sheet = loss_sheet(book, course, found, at_ms)
    if sheet is None or sheet.target is None:
        return None
    floor, most = sheet.room_rh or 5.0, moisture.HIGHEST_RH
    low, high = (float(np.clip(v, floor, most)) for v in (sheet.target.low, sheet.target.high))
    # what no box can hold is asked for as near as it comes
    if high - low < 2.0:
        low, high = (most - 4.0, most) if sheet.target.rh > most else (floor, floor + 4.0)
    return sheet.target._replace(low=low, high=high)
