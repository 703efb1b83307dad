"""The largest logger file that is taken in, in several forms: rows, seconds, and the memory at most.

Each form runs in a process of its own, so that what one keeps does not count for the other.
"""

from __future__ import annotations

import datetime
import resource
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from contextlib import closing
from dataclasses import replace
from pathlib import Path

from stathmis.core.errors import UserError
from stathmis.exchange.csv_text import LARGEST_BYTES
from stathmis.logbook.opening import create_logbook
from stathmis.services import setting_up
from stathmis.services.clock import FixedClock
from stathmis.services.desk import Desk
from stathmis.services.files import logger_import

START_S, NOW_MS = 1_700_000_000, 1_800_000_000_000


def _utc(n: int) -> datetime.datetime:
    return datetime.datetime.fromtimestamp(START_S + 2 * n, datetime.UTC)


FORMS: dict[str, Callable[[int], str]] = {
    "date and clock": lambda n: f"{_utc(n):%Y-%m-%d %H:%M:%S},37.{n % 10},48.{n % 10}",
    "seconds since 1970": lambda n: f"{START_S + 2 * n},37.{n % 10}",
    "day first, in words": lambda n: f"{_utc(n):%d %b %Y %I:%M:%S %p},37.{n % 10}",
    "own offset, every fourth value bad": lambda n: (
        f"{_utc(n):%Y-%m-%dT%H:%M:%S}+02:00,{'lost' if n % 4 == 3 else '37.1'}"
    ),
    "decimal commas, quoted": lambda n: f'"{_utc(n):%d.%m.%Y}","{_utc(n):%H:%M:%S}","37,{n % 10}","48,{n % 10}"',
}


def _take_in(form: str) -> None:
    with tempfile.TemporaryDirectory() as folder:
        path, size, rows = Path(folder) / "largest.csv", 0, 0
        with path.open("w", encoding="utf-8") as file:
            while size < LARGEST_BYTES - 200:
                size += file.write(FORMS[form](rows) + "\n")
                rows += 1
        made = create_logbook(Path(folder) / "a.stathmis", {"name": "a", "time_zone": "Europe/Berlin"})
        with closing(made) as logbook:
            desk = Desk(logbook, FixedClock(NOW_MS))
            kinds = [
                setting_up.NewChannel("temperature", "°C", 0.1, 0.5),
                setting_up.NewChannel("humidity", "%", 0.1, 3.0),
            ]
            setting_up.add_instrument(desk, "Logger", "logger", kinds)
            began = time.perf_counter()
            try:
                plan = logger_import.propose(desk.book, path)
                plan = replace(plan, order=plan.order or plan.layout.date_order)
                examined = logger_import.examine(desk.book, plan)
                logger_import.store(desk, examined)
                told = f"{examined.good:9,} rows taken in, {examined.faults.total:9,} bad"
            except UserError as error:
                told = f"refused: {error}"
            took = time.perf_counter() - began
        peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
        print(f"{form:28} {rows:9,} rows  {took:6.1f} s  {peak:5.0f} MB at most  {told}", flush=True)


def main() -> None:
    """Every form in turn."""
    if len(sys.argv) > 1:
        _take_in(sys.argv[1])
        return
    for form in FORMS:
        subprocess.run([sys.executable, __file__, form], check=True)


if __name__ == "__main__":
    main()
