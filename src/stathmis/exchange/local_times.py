"""Local times of a zone to UTC, many at once: by the stretches between its changes of the clock."""

from __future__ import annotations

from datetime import UTC, datetime
from zoneinfo import ZoneInfo

import numpy as np
from numpy.typing import NDArray

DAY_MS = 86_400_000
STEP_MS = DAY_MS // 4
"""No zone changes its clock twice within this."""


def either(local_ms: NDArray[np.int64], zone: str, never: int) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """UTC ms of local ms since 1970: by the first and by the second time that hour came, equal where it came once;
    never where the clock change skipped it (and where it is never already).

    Raises ZoneInfoNotFoundError for a zone there is not.
    """
    first, second = np.full_like(local_ms, never), np.full_like(local_ms, never)
    known = np.flatnonzero(local_ms != never)
    if not known.size:
        return first, second
    times = local_ms[known]
    starts, offsets = _stretches(int(times.min()) - DAY_MS, int(times.max()) + DAY_MS, ZoneInfo(zone))
    ends = np.append(starts[1:], np.iinfo(np.int64).max // 2)
    local_starts, local_ends = starts + offsets, ends + offsets
    # the first stretch whose local clock has not passed this time yet, and the last that had begun
    at = np.searchsorted(local_ends, times, side="right")
    first[known] = np.where(times >= local_starts[at], times - offsets[at], never)
    at = np.searchsorted(local_starts, times, side="right") - 1
    second[known] = np.where(times < local_ends[at], times - offsets[at], never)
    return first, second


def _stretches(start_ms: int, stop_ms: int, zone: ZoneInfo) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """From when on (UTC ms) the zone's clock is how far east of UTC (ms)."""
    starts, offsets = [start_ms], [_offset(start_ms, zone)]
    for at in range(start_ms, stop_ms, STEP_MS):
        following = min(at + STEP_MS, stop_ms)
        if _offset(following, zone) != offsets[-1]:
            low, high = at, following
            while high - low > 1:
                middle = (low + high) // 2
                low, high = (middle, high) if _offset(middle, zone) == offsets[-1] else (low, middle)
            starts.append(high)
            offsets.append(_offset(high, zone))
    return np.array(starts, dtype=np.int64), np.array(offsets, dtype=np.int64)


def _offset(ms: int, zone: ZoneInfo) -> int:
    there = datetime.fromtimestamp(ms / 1000.0, UTC).astimezone(zone).utcoffset()
    return round(there.total_seconds() * 1000.0) if there is not None else 0
