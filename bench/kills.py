"""What a SIGKILL at any moment leaves of a logbook: nothing half, nothing that was acknowledged lost or twice.

Every act is done in a process of its own and killed at a random moment of the time it usually takes.
"""

from __future__ import annotations

import hashlib
import os
import random
import shutil
import signal
import sqlite3
import sys
import tempfile
import time
from collections import Counter
from collections.abc import Callable
from contextlib import closing
from pathlib import Path

from stathmis.core.errors import UserError
from stathmis.demo.scenario import build
from stathmis.logbook import backups
from stathmis.logbook.opening import open_logbook
from stathmis.logbook.records import Channel, Reading
from stathmis.services import rounds, setting_up
from stathmis.services.clock import FixedClock
from stathmis.services.desk import Desk
from stathmis.services.files import archive, logger_import
from stathmis.services.reading_field import interpret

NOW_MS = 1_779_093_600_000
OLD = Path(__file__).parent.parent / "tests" / "logbook" / "version_5.sql"
Act = Callable[[Path], None]


def opened(path: Path) -> Desk:
    """A logbook at work."""
    return Desk(open_logbook(path), FixedClock(NOW_MS))


def digest(path: Path) -> str:
    """All that a logbook holds, as one number; "" where there is none."""
    if not path.exists():
        return ""
    open_logbook(path).close()
    with closing(sqlite3.connect(path)) as connection:
        return hashlib.sha256("\n".join(connection.iterdump()).encode()).hexdigest()


def enter(path: Path) -> None:
    """Enter an instrument with two channels, hung in a machine."""
    desk = opened(path)
    both = [setting_up.NewChannel("temperature", "°C", 0.1, 0.5), setting_up.NewChannel("humidity", "%", 1.0, 5.0)]
    setting_up.add_instrument(desk, "New one", "display", both, incubator_id=desk.book.incubators()[0].id)


def bring_in(path: Path) -> None:
    """Bring in a logger's file."""
    desk = opened(path)
    plan = logger_import.propose(desk.book, path.with_name("log.csv"))
    logger_import.store(desk, logger_import.examine(desk.book, plan))


def restore(path: Path) -> None:
    """Restore an archive beside it."""
    archive.restore(path.with_name("whole.zip"), path.with_name("restored.stathmis"))


def back_up(path: Path) -> None:
    """Copy it into its backups folder."""
    backups.daily(opened(path).logbook, "2026-05-18")


def go_back(path: Path) -> None:
    """Put the backup of the day before in its place."""
    backups.go_back(path, backups.daily_of(path)[0], "2026-05-18 084000")


def migrate(path: Path) -> None:
    """Open a file of an older program."""
    open_logbook(path.with_name("old.stathmis"))


RESULT = {restore: "restored.stathmis", migrate: "old.stathmis"}


def killed(act: Act, path: Path, after_s: float) -> bool:
    """Do it in a process of its own and kill that; returns whether it was killed before it was done."""
    child = os.fork()
    if child == 0:
        try:
            act(path)
        finally:
            os._exit(0)
    time.sleep(after_s)
    os.kill(child, signal.SIGKILL)
    return os.WIFSIGNALED(os.waitpid(child, 0)[1])


def whole_or_not_there(act: Act, kind: Path, folder: Path, times: int, chance: random.Random) -> Counter[str]:
    """Kill an act so many times; what it works on must be as before or as after it."""

    def fresh(name: str) -> Path:
        shutil.copytree(kind, folder / name)
        return folder / name / "log.stathmis"

    def held(path: Path) -> str:
        return digest(path.with_name(RESULT.get(act, path.name)))

    path = fresh("usual")
    old = act is migrate
    before = "" if old else held(path)
    began = time.perf_counter()
    act(path)
    usual_s = time.perf_counter() - began
    path = fresh("after")
    killed(act, path, 20 * usual_s + 1.0)
    after = held(path)
    found: Counter[str] = Counter()
    for i in range(times):
        path = fresh(f"{act.__name__} {i}")
        found["killed"] += killed(act, path, chance.uniform(0.0, 1.3 * usual_s))
        try:
            state = held(path)
            # brought up to date by now, if it was not before
            good = state == after if old else state in (before, after)
            found["after" if state == after else "before" if good else "HALF"] += 1
            for copy in (*backups.daily_of(path), *path.parent.glob("* backups/*put aside*.stathmis")):
                found["bad backups"] += backups.held(copy).faults != 0
        except (UserError, sqlite3.Error) as error:
            found[f"UNOPENABLE {error}"] += 1
        shutil.rmtree(path.parent)
    return found


def logging(kind: Path, folder: Path, times: int, chance: random.Random) -> Counter[str]:
    """Log readings one after another; what was acknowledged is there, once."""
    found: Counter[str] = Counter()
    for i in range(times):
        shutil.copytree(kind, folder / f"logging {i}")
        path = folder / f"logging {i}" / "log.stathmis"
        said = path.with_name("said")

        def log(path: Path, said: Path = said) -> None:
            desk = opened(path)
            channel = desk.book.records(Channel)[0]
            with said.open("ab", buffering=0) as told:
                for n in range(100_000):
                    desk.clock.at_ms += 1000  # type: ignore[attr-defined]
                    rounds.log_round(desk, {channel.id: interpret(f"{37 + n % 10 / 10:.1f}", channel)}, desk.now_ms)
                    told.write(f"{desk.now_ms}\n".encode())

        found["killed"] += killed(log, path, chance.uniform(0.1, 0.6))
        told = said.read_text().splitlines() if said.exists() else []
        desk = opened(path)
        stored = Counter(str(r.time_ms) for r in desk.book.records(Reading) if r.time_ms > NOW_MS)
        desk.logbook.close()
        found["acknowledged"] += len(told)
        found["LOST"] += sum(t not in stored for t in told)
        found["TWICE"] += sum(n > 1 for n in stored.values())
        found["not yet acknowledged"] += len(stored) - len(told)
        shutil.rmtree(path.parent)
    return found


def main() -> int:
    """Kill, count, and say so."""
    times = max(1, (int(sys.argv[1]) if len(sys.argv) > 1 else 200) // 7)
    chance = random.Random(15)
    bad = 0
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        kind = folder / "kind"
        kind.mkdir()
        path = kind / "log.stathmis"
        build(path, NOW_MS, "UTC")
        rows = [
            f"2026-03-{1 + i // 1440:02d} {i // 60 % 24:02d}:{i % 60:02d},37.{i % 10},48.{i % 7}" for i in range(40_000)
        ]
        (kind / "log.csv").write_text("time,temperature °C,humidity %\n" + "\n".join(rows), encoding="utf-8")
        desk = opened(path)
        archive.write(desk, kind / "whole.zip")
        backups.daily(desk.logbook, "2026-05-17")
        rounds.log_event(desk, desk.book.incubators()[0], "note", "since then", NOW_MS)
        desk.logbook.close()
        with closing(sqlite3.connect(kind / "old.stathmis")) as old:
            old.executescript(OLD.read_text(encoding="utf-8"))
            old.execute("PRAGMA application_id = 0x53544D53")
            old.execute("PRAGMA user_version = 5")
        found = logging(kind, folder, times, chance)
        for act in (None, enter, bring_in, restore, migrate, back_up, go_back):
            if act is not None:
                found = whole_or_not_there(act, kind, folder / act.__name__, times, chance)
            wrong = sum(n for what, n in found.items() if what.isupper() or what.startswith(("UNOPEN", "bad")))
            bad += wrong
            told = ", ".join(f"{n} {what}" for what, n in found.items())
            print(f"{act.__name__ if act else 'logging':10} {times} times: {told}", flush=True)
    print(f"lost, doubled, half or unopenable: {bad}")
    return 1 if bad else 0


if __name__ == "__main__":
    sys.exit(main())
