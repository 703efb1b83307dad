"""Timing in one process: the median of several runs after a warm-up, and ratios in one line."""

from __future__ import annotations

import time
from collections.abc import Callable
from statistics import median


def seconds(work: Callable[[], object], runs: int = 7) -> float:
    """Median wall time of a piece of work, s."""
    work()
    taken = []
    for _ in range(runs):
        start = time.perf_counter()
        work()
        taken.append(time.perf_counter() - start)
    return median(taken)


def compare(what: str, ours: float, theirs: float, peer: str, goal: str) -> None:
    """Print one comparison: both times and how many times faster ours is."""
    unit, scale = ("ms", 1e3) if theirs > 1e-2 else ("µs", 1e6)
    times = f"{ours * scale:9.1f} {unit}   {peer} {theirs * scale:9.1f} {unit}"
    print(f"{what:34} {times}   {theirs / ours:6.1f} times faster   ({goal})")
