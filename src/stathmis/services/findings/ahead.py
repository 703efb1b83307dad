"""The next two days of a machine, if nothing is done: a fan of what its readings will be, and when they leave the band.

Worked out from its twin (see twin): 95 % of what will be read lies in the fan. Air that does what this machine never
did is another matter: then only its last readings are carried on, for as long as they tell.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from stathmis.core.course import forecast
from stathmis.core.course.profile import Band
from stathmis.core.twin.box import STEP_S, Ways
from stathmis.core.units import Quantity
from stathmis.logbook.records import Incubator
from stathmis.services.batch.course import Course
from stathmis.services.batch.power_cut import BOX_HOURS
from stathmis.services.book import Book, finding
from stathmis.services.clock import HOUR_MS
from stathmis.services.findings import twin as twins
from stathmis.services.findings.runs import Run, lately
from stathmis.services.findings.twin import RESTS_ON, Twin

Array = NDArray[np.float64]
Times = NDArray[np.int64]

EVERY = 3
"""A point of the fan every so many steps."""
ENDS = (2.5, 50.0, 97.5)
SMOOTHED = 2
"""The ends of a fan are means of so many points on either side: an hour and a quarter."""
LIKELY = 0.75
"""What is coming is told where three in four ways come to it."""
OUT_MIN = 60.0
"""Air that is out of its band for less is a swing."""
STRANGE = 4.0
"""Air further off than so many standard deviations of what the machine did is strange. Source: our own."""
LEAST_STRANGE: dict[Quantity, float] = {"temperature": 0.5, "humidity": 8.0}
STRANGE_H = 3.0
"""Its last readings tell of so many hours."""
RECENT_MS: dict[Quantity, int] = {"temperature": 40 * 60_000, "humidity": 75 * 60_000}
QUICK_S = 20 * 60.0
"""With its heater at work a box comes to rest so quickly, or as its walls let it. Source: common practice."""
DRYING_RESPONSES_S = (2 * 3600.0, 12 * 3600.0)
"""A vent moved or a lid ajar comes to rest so quickly; a trough runs dry so slowly. Source: common practice."""
WORTH: dict[Quantity, float] = {"temperature": 0.15, "humidity": 2.0}
"""What changes less than this (K, %) over three hours stands still. Source: our own."""
ROUNDED_MS = 10 * 60_000
"""One look ahead serves for so long."""


@dataclass(frozen=True, eq=False)
class Fan:
    """What will be read (°C, %) at times (UTC ms): 95 % of it from low to high; middle: its mean."""

    times_ms: Times
    low: Array
    middle: Array
    high: Array

    @property
    def spans_h(self) -> float:
        """How far it reaches, h."""
        return float(self.times_ms[-1] - self.times_ms[0]) / HOUR_MS

    def moves(self, quantity: Quantity) -> bool:
        """Whether its mean goes anywhere in the next hours."""
        first, last = self.next_hours[0][1], self.next_hours[-1][1]
        return abs(last - float(self.middle[0])) >= WORTH[quantity] and (last - first) * (first - self.middle[0]) >= 0

    @property
    def next_hours(self) -> tuple[tuple[float, float, float], ...]:
        """Low, middle and high after one, two and three hours."""
        return tuple(self.at(min(self.times_ms[0] + h * HOUR_MS, int(self.times_ms[-1]))) for h in (1, 2, 3))

    def at(self, at_ms: float) -> tuple[float, float, float]:
        """Low, middle and high at a time, straight between two points; nan beyond them."""
        low, middle, high = (
            float(np.interp(at_ms, self.times_ms, v, left=np.nan, right=np.nan))
            for v in (self.low, self.middle, self.high)
        )
        return low, middle, high


@dataclass(frozen=True)
class When:
    """When something comes about (UTC ms): half of the ways have come to it by then; 95 % of those that do, between
    soonest and latest; share: of all ways, within the time looked at."""

    at_ms: int
    soonest_ms: int
    latest_ms: int
    share: float


@dataclass(frozen=True)
class Leaving:
    """A quantity leaves its band ("low" or "high" of it); edge: °C or %; already: it has, and does not come back by
    itself."""

    quantity: Quantity
    side: str
    edge: float
    when: When
    already: bool = False


@dataclass(frozen=True)
class Lacking:
    """A stage to come asks what the air will not be: from at_ms on (UTC ms) a band, while it is low to high (95 %)."""

    quantity: Quantity
    phase: str
    at_ms: int
    band: Band
    low: float
    high: float


@dataclass(frozen=True, eq=False)
class Ahead:
    """The next two days of a machine from an instant (UTC ms) on.

    fans: by quantity, as far as it is read; core: of the eggs; dry: the water runs dry; leaving: what leaves its band
    within the phase under way; lacking: what a stage that begins meanwhile asks in vain; strange: quantities that do
    what this machine never did, whose fan is short; known: whether its own log has taught what its water gives.
    """

    incubator: Incubator
    at_ms: int
    fans: dict[Quantity, Fan]
    core: Fan | None
    dry: When | None
    leaving: tuple[Leaving, ...]
    lacking: tuple[Lacking, ...]
    strange: tuple[Quantity, ...]
    known: bool


def ahead(book: Book, incubator: Incubator, course: Course | None) -> Ahead | None:
    """The next two days of a machine as far as its log tells; None where too little was read."""
    return _ahead(book, incubator, course, book.now_ms // ROUNDED_MS * ROUNDED_MS)


@finding(*RESTS_ON, most=12)
def _ahead(book: Book, incubator: Incubator, course: Course | None, at_ms: int) -> Ahead | None:
    found = twins.twin(book, incubator, course, at_ms)
    if found is None:
        return None
    ways = twins.go_on(found)
    fans: dict[Quantity, Fan] = {}
    strange: list[Quantity] = []
    for quantity in found.off:
        gone = _strange(book, found, quantity)
        if gone is not None:
            strange.append(quantity)
        fans[quantity] = gone or fan(found, ways.air_c if quantity == "temperature" else ways.rh, quantity)
    eggs = course is not None and course.batch.set_ms <= at_ms and "temperature" in fans
    core = fan(found, ways.core_c, None) if eggs and "temperature" not in strange else None
    return Ahead(
        incubator, at_ms, fans, core, dry(found, ways), leaving(found, course, ways, strange),
        lacking(found, course, fans), tuple(strange), found.known,
    )  # fmt: skip


def fan(found: Twin, ways: Array, quantity: Quantity | None) -> Fan:
    """95 % of what will be read: the ways, and what single readings are off from them."""
    some = ways[EVERY - 1 :: EVERY]
    middle = some.mean(axis=1)
    if quantity is not None:
        rng = np.random.default_rng(17)
        # what is off by turns is dealt out to the ways anew at every time
        swing = np.quantile(found.swing[quantity], (np.arange(some.shape[1]) + 0.5) / some.shape[1])
        order = rng.permuted(np.broadcast_to(np.arange(some.shape[1]), some.shape), axis=1)
        some = some + swing[order]
        if quantity == "humidity":
            some = np.clip(some, 0.0, 100.0)
    low, high = (_smooth(edge) for edge in np.percentile(some, (ENDS[0], ENDS[2]), axis=1))
    return Fan(found.times_ms[EVERY - 1 :: EVERY], low, middle, high)


def _smooth(edge: Array) -> Array:
    """An edge without the jitter of a few ways."""
    padded = np.pad(edge, SMOOTHED, mode="edge")
    made: Array = np.convolve(padded, np.full(2 * SMOOTHED + 1, 1.0 / (2 * SMOOTHED + 1)), mode="valid")
    return made


def _strange(book: Book, found: Twin, quantity: Quantity) -> Fan | None:
    """Where the air does what the machine never did, how it goes on for some hours; None where it does as usual."""
    run = _recent(book, found, quantity)
    if run is None:
        return None
    start, newest = found.off[quantity][0], float(np.mean(run.corrected[-5:]))
    expected = twins.now(found, quantity)
    usual = float(np.std(start)) + float(np.std(found.swing[quantity]))
    off = abs(newest - expected)
    if off < max(LEAST_STRANGE[quantity], STRANGE * usual):
        return None
    warm = (3600.0 * BOX_HOURS[found.incubator.air], QUICK_S) if quantity == "temperature" else DRYING_RESPONSES_S
    gone = forecast.going_on(run.times_ms / 1000.0, run.corrected, warm, 3600.0 * STRANGE_H, STEP_S * EVERY)
    u = 1.96 * np.hypot(gone.u, float(np.std(found.swing[quantity])))
    return Fan((gone.times_s * 1000.0).astype(np.int64), gone.values - u, gone.values, gone.values + u)


def _recent(book: Book, found: Twin, quantity: Quantity) -> Run | None:
    run = lately(book, found.incubator, quantity, found.at_ms - RECENT_MS[quantity], found.at_ms)
    if run is None or not run.dense or run.times_ms.size < forecast.LEAST:
        return None
    return run


def dry(found: Twin, ways: Ways) -> When | None:
    """When the water is so low that the surface shrinks to half; None where it is not known, or lasts."""
    if found.depth_ml_cm2 is None or not found.doings.surface_cm2[0]:
        return None
    return when(found, found.boxes.wet(ways.water) < 0.5)


def when(found: Twin, out: NDArray[np.bool_]) -> When | None:
    """When something is so for the first time (steps, members); None where three in four ways do not come to it."""
    ever = out.any(axis=0)
    share = float(ever.mean())
    if share < LIKELY:
        return None
    first = np.where(ever, out.argmax(axis=0), out.shape[0] - 1)
    soonest, middle, latest = np.percentile(first[ever], ENDS).astype(int)
    times = found.times_ms
    return When(int(times[middle]), int(times[soonest]), int(times[latest]), share)


def leaving(found: Twin, course: Course | None, ways: Ways, without: Sequence[Quantity] = ()) -> tuple[Leaving, ...]:
    """What leaves the band of the phase under way, the soonest first: the mean of an hour, not a swing; without: what
    is left out."""
    made = []
    for quantity in found.off if course is not None else ():
        if course is not None and quantity not in without:
            made += _leaving(found, course, quantity, ways)
    return tuple(sorted(made, key=lambda one: one.when.at_ms))


def _leaving(found: Twin, course: Course, quantity: Quantity, ways: Ways) -> list[Leaving]:
    """What leaves the band of the phase under way: the mean of an hour, not a swing."""
    phase = course.phase(found.at_ms)
    band = course.band(quantity, found.at_ms)
    if phase is None or band is None:
        return []
    values = ways.air_c if quantity == "temperature" else ways.rh
    until = int(np.searchsorted(found.times_ms, course.at_ms(phase.end_day)))
    hour = round(OUT_MIN * 60.0 / STEP_S)
    if until <= hour:
        return []
    sums = np.concatenate([np.zeros((1, values.shape[1])), np.cumsum(values[:until], axis=0)])
    means = (sums[hour:] - sums[:-hour]) / hour
    made = []
    for side, edge, out in (("low", band.low, means < band.low), ("high", band.high, means > band.high)):
        at = when(found, out)
        if at is None:
            continue
        already = at.at_ms - found.at_ms <= HOUR_MS // 2
        if not already or float(out[hour:].all(axis=0).mean()) >= LIKELY:
            made.append(Leaving(quantity, side, edge, at, already))
    return made


def lacking(found: Twin, course: Course | None, fans: Mapping[Quantity, Fan]) -> tuple[Lacking, ...]:
    """What a stage that begins within the two days will ask in vain, if nothing is done."""
    made = []
    for phase in course.phases if course is not None else ():
        begins = course.at_ms(phase.start_day) if course is not None else 0
        if not found.at_ms < begins < int(found.times_ms[-1]):
            continue
        for quantity, fan in fans.items():
            band = phase.temperature_c if quantity == "temperature" else phase.humidity
            low, middle, high = fan.at(min(begins + HOUR_MS, int(fan.times_ms[-1])))
            if band is not None and np.isfinite(middle) and not band.low <= middle <= band.high:
                made.append(Lacking(quantity, phase.name, begins, band, low, high))
    return tuple(made)
