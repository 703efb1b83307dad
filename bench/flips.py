"""Bits flipped at random in the demo's logbook: how many are noticed, and whether one alters an entry unnoticed.

python bench/flips.py [flips]
"""

from __future__ import annotations

import random
import sqlite3
import sys
import tempfile
import time
from collections import Counter
from contextlib import closing
from pathlib import Path

from stathmis.demo.scenario import build
from stathmis.logbook import checking, tables

NOW_MS = 1779093600000
SEED = 15
NOT_COVERED = ("state_ms of edit",)


def opened(path: Path) -> sqlite3.Connection:
    return sqlite3.connect(f"file:{path}?mode=ro&immutable=1", uri=True, isolation_level=None)


def contents(path: Path) -> dict[str, object]:
    """All values of all tables, by column or table; of what cannot be read, why."""
    found: dict[str, object] = {}
    with closing(opened(path)) as raw:
        for table in tables.tables():
            covered = [name for name in table.names if name != "state_ms"]
            for what, names in ((table.name, covered), (f"state_ms of {table.name}", ["state_ms"])):
                if set(names) <= set(table.names):
                    statement = f'SELECT {tables.quoted(names)} FROM "{table.name}" ORDER BY "{table.key}"'
                    try:
                        found[what] = raw.execute(statement).fetchall()
                    except sqlite3.DatabaseError as error:
                        found[what] = str(error)
    return found


def main(flips: int) -> None:
    chance, count = random.Random(SEED), Counter[str]()
    with tempfile.TemporaryDirectory() as folder:
        whole, path = Path(folder) / "demo.stathmis", Path(folder) / "flipped.stathmis"
        build(whole, NOW_MS, "UTC")
        sound, before = whole.read_bytes(), contents(whole)
        began = time.perf_counter()
        with closing(opened(whole)) as raw:
            complaints = checking.damages(raw)
        took = time.perf_counter() - began
        print(f"{len(sound) / 1e6:.1f} MB; sound: {len(complaints)} complaints, {took * 1000:.0f} ms")
        for _ in range(flips):
            altered = bytearray(sound)
            altered[chance.randrange(len(altered))] ^= 1 << chance.randrange(8)
            path.write_bytes(altered)
            try:
                with closing(opened(path)) as raw:
                    noticed = bool(checking.damages(raw))
            except sqlite3.DatabaseError:
                noticed = True
            after = {} if noticed else contents(path)
            changed = [name for name in after if after[name] != before[name]]
            if noticed:
                count["noticed"] += 1
            elif not changed:
                count["where nothing is kept"] += 1
            elif all(name in NOT_COVERED for name in changed):
                count[f"not covered: {', '.join(changed)}"] += 1
            else:
                count[f"UNNOTICED in {', '.join(changed)}"] += 1
    print(f"{flips} bits:", ", ".join(f"{n} {what}" for what, n in count.most_common()))


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 300)
