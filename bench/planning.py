"""Planning 200 batches in six machines: their steps, today's tasks and what is in the way."""

from __future__ import annotations

import tempfile
import time
from pathlib import Path

from stathmis.logbook.opening import create_logbook
from stathmis.services import setting_up
from stathmis.services.clock import DAY_MS, FixedClock
from stathmis.services.desk import Desk
from stathmis.services.plan import conflicts, planning, tasks

BATCHES, MACHINES = 200, 6
NOW_MS = 1_779_093_600_000


def best(job, times: int = 5) -> float:  # type: ignore[no-untyped-def]
    """Seconds of the quickest of some runs."""
    found = []
    for _ in range(times):
        start = time.perf_counter()
        job()
        found.append(time.perf_counter() - start)
    return min(found)


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        settings = {"name": "Bench", "time_zone": "Europe/Vienna"}
        desk = Desk(create_logbook(Path(folder) / "l.stathmis", settings), FixedClock(NOW_MS))
        for i in range(MACHINES):
            setting_up.add_incubator(desk, f"Machine {i}", "forced", 37.5)
        machines = desk.book.incubators()
        for i in range(BATCHES):
            planning.add_plan(desk, machines[i % MACHINES], "chicken", "steady", 12, NOW_MS + (i + 1) * DAY_MS)
        plans = planning.plans(desk.book)
        print(f"steps of {len(plans)} batches: {best(lambda: planning.plans(desk.book)):.3f} s (goal 0.2 s)")
        print(f"today's tasks: {best(lambda: tasks.today(desk.book)):.3f} s")
        found = conflicts.conflicts(desk.book, plans)
        print(f"what is in the way ({len(found)} found): {best(lambda: conflicts.conflicts(desk.book, plans)):.3f} s")
        desk.logbook.close()


if __name__ == "__main__":
    main()
