"""The room beside a batch: its temperature, what its air alone gives inside, and the dew point inside."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from stathmis.core.checks.side_by_side import at_times
from stathmis.core.psychrometrics import dew_point, relative_humidity_at
from stathmis.services.batch.course import Course
from stathmis.services.book import Book
from stathmis.services.findings.runs import Run, recorded
from stathmis.services.findings.trace import BatchTrace

Array = NDArray[np.float64]
MOST = 100_000
"""A curve of air worked out from others needs no more points than this."""


@dataclass(frozen=True)
class AirCurve:
    """Something worked out over time: UTC ms, °C or %, and the longest gap that is bridged, s."""

    times_ms: NDArray[np.int64]
    values: Array
    max_gap_s: float


@dataclass(frozen=True)
class RoomAir:
    """Room temperature (°C), what the room's vapor gives at the air inside (%), and the dew point inside (°C)."""

    temperature: Run | None
    humidity_inside: AirCurve | None
    dew_point: AirCurve | None


def room_air(book: Book, course: Course, traced: BatchTrace) -> RoomAir:
    """The room over a batch, as far as it is read."""
    room = book.room()
    warm = moist = None
    if room is not None:
        warm, moist = (
            recorded(book, [(room, course.start_ms, traced.until_ms)], q, course.batch.set_ms).judged
            for q in ("temperature", "humidity")
        )
    air = traced.temperature.judged
    return RoomAir(warm, _inside(warm, moist, air), _dew(air, traced.humidity.judged))


def _thin(run: Run) -> tuple[NDArray[np.int64], Array]:
    step = 1 + run.times_ms.size // MOST
    return run.times_ms[::step], run.corrected[::step]


def _beside(times_ms: NDArray[np.int64], run: Run) -> Array:
    return at_times(times_ms / 1000.0, run.times_ms / 1000.0, run.corrected, run.max_gap_s)


def _inside(warm: Run | None, moist: Run | None, air: Run | None) -> AirCurve | None:
    """The room's own vapor at the temperature inside, percent."""
    if warm is None or moist is None or air is None:
        return None
    times, rh = _thin(moist)
    room_c, inside_c = _beside(times, warm), _beside(times, air)
    known = np.isfinite(room_c) & np.isfinite(inside_c)
    found = np.asarray(relative_humidity_at(rh[known], room_c[known], inside_c[known]))
    return AirCurve(times[known], found, moist.max_gap_s)


def _dew(air: Run | None, moist: Run | None) -> AirCurve | None:
    if air is None or moist is None:
        return None
    times, rh = _thin(moist)
    inside_c = _beside(times, air)
    known = np.isfinite(inside_c) & (rh > 1.0)
    return AirCurve(times[known], np.asarray(dew_point(inside_c[known], rh[known])), moist.max_gap_s)
