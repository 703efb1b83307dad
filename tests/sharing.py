"""What the tests of one run share: logbooks made once for all processes, and what was found out from them.

A copy of the demo logbook begins at a mark: every copy holds the same records, so what follows from them is found once
in a process. What a test then changes is its own, and so is what follows from that.
"""

from __future__ import annotations

import fcntl
import shutil
import sqlite3
from collections.abc import Callable, Iterator
from contextlib import AbstractContextManager, closing, contextmanager
from dataclasses import replace
from itertools import count
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from cost import Shared
from stathmis.devices.simulated_incubator import Recorded
from stathmis.logbook.opening import Logbook, open_logbook
from stathmis.logbook.snapshot import Snapshot
from stathmis.services.book import Kept
from stathmis.services.clock import FixedClock
from stathmis.services.desk import Desk

NOW_MS = 1_779_093_600_000
"""2026-05-18 08:40 UTC, a Monday."""
_later = count(1)


def once_a_run(factory: pytest.TempPathFactory, name: str, make: Callable[[Path], object]) -> Path:
    """A file that the first process to need it makes for all of a run; to be copied or looked at, not changed."""
    base = factory.getbasetemp()
    folder = base.parent if base.name.startswith("popen-") else base
    path = folder / name
    with Shared(), (folder / f"making {name}").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        if not path.exists():
            make(folder / f"half-made {name}")
            (folder / f"half-made {name}").rename(path)
    return path


def air_beside(logbook: Path) -> Path:
    """Where the truth of the demo's machines is kept once it was lived."""
    return logbook.with_name("air of the demo.npz")


def build_demo(path: Path, air: Path) -> None:
    """The demo logbook in the language that is spoken. air: where the truth of its machines is kept, which is the same
    in every language: lived by the first to build it, and by the others taken from there."""
    from stathmis.demo import scenario

    with pytest.MonkeyPatch.context() as patched:
        if air.exists():
            with np.load(air) as kept:
                runs = [Recorded(*kept[name]) for name in sorted(kept.files)]
            patched.setattr(scenario, "record", lambda *_machine: runs.pop(0))
            scenario.build(path, NOW_MS, "UTC")
            return
        lived, live = list[Recorded](), scenario.record

        def noted(*machine: Any) -> Recorded:
            lived.append(live(*machine))
            return lived[-1]

        patched.setattr(scenario, "record", noted)
        scenario.build(path, NOW_MS, "UTC")
        np.savez(air, *(np.array(run) for run in lived))


class Version(int):
    """How often a kind of record was changed since the mark, in numbers that no other copy has."""

    def __add__(self, other: int) -> Version:
        return Version(next(_later))


class Found(Kept):
    """What is found: of the mark once for all copies, of what was changed since for one copy alone."""

    def __init__(self, mark: Kept) -> None:
        super().__init__()
        self._mark, self._latest = mark, dict[Any, Any]()

    def get(self, find: Any, key: Any, rests_on: Any, make: Callable[[Any], Any], most: int = 128) -> Any:
        if any(isinstance(version, Version) and version for version in rests_on):
            # what a kept run grows from may have been found at the mark
            before = self._latest.get((find, key))
            return super().get(find, key, rests_on, lambda own: make(before if own is None else own), most)
        made = self._latest[find, key] = self._mark.get(find, (key, rests_on), rests_on, make, 100 * most)
        return made


class _Either:
    """Reads from a copy while it is open, later from the file it was copied from, which holds the same."""

    def __init__(self, own: Logbook, whole: Logbook) -> None:
        self._own, self._whole = own, whole

    def reading(self) -> AbstractContextManager[sqlite3.Connection]:
        return (self._whole if self._own._closed else self._own).reading()


class Mark:
    """A logbook of which tests have copies, each with all that was found out from it so far."""

    def __init__(self, path: Path, own: Path) -> None:
        """own: where this process keeps a copy that it alone has open."""
        self.path = path
        self._whole = open_logbook(Path(shutil.copy(path, own)))
        self._state = self._whole.snapshot._state
        versions = dict.fromkeys(self._state.versions, Version(0))
        self._state = replace(self._state, versions=versions)
        self._found = Kept()

    @contextmanager
    def copy(self, path: Path, *, anew: bool = False) -> Iterator[Desk]:
        """A desk on a copy, to be changed at will; anew: everything is found anew."""
        with closing(open_logbook(Path(shutil.copy(self.path, path)))) as logbook:
            desk = Desk(logbook, FixedClock(NOW_MS))
            if not anew:
                logbook._snapshot = Snapshot(_Either(logbook, self._whole), self._state)
                desk._kept = Found(self._found)
            yield desk

    def close(self) -> None:
        """Let go of the file."""
        self._whole.close()
