"""Live readings in: a tail of rows that is still growing, sealed into chunks when there are enough of them."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from stathmis.logbook import checksums, edits
from stathmis.logbook.opening import Logbook
from stathmis.logbook.readings import CHUNK_OF
from stathmis.logbook.records import LoggerImport
from stathmis.logbook.snapshot import Series
from stathmis.logbook.tables import LIVE

LIVE_NAME = "live"
"""Stands where an import has its file's name."""


class LiveReading(NamedTuple):
    """One live reading: channel id, UTC ms, value as shown in the channel's unit."""

    channel_id: int
    time_ms: int
    shown: float


def store_live(logbook: Logbook, found: Sequence[LiveReading]) -> None:
    """Write live readings in one transaction; when this returns they survive a pulled plug."""
    if not found:
        return
    with logbook.writing() as work:
        # as the file gives them back: a whole number would read as another text
        rows = [(int(r.channel_id), int(r.time_ms), float(r.shown)) for r in found]
        work.connection.executemany(
            LIVE.insert((*checksums.OF_LIVE, "crc")), [(*r, checksums.of_row(*r)) for r in rows]
        )
        for channel_id in dict.fromkeys(r.channel_id for r in found):
            own = sorted((r.time_ms, r.shown) for r in found if r.channel_id == channel_id)
            times = np.array([t for t, _ in own], dtype=np.int64)
            work.arrived.append((channel_id, times, np.array([v for _, v in own], dtype=np.float64)))


def seal_full(logbook: Logbook, sealed_ms: int, at_least: int = CHUNK_OF) -> int:
    """Seal the tails of channels that have enough rows, each in one transaction; returns how many readings.

    sealed_ms: UTC ms, for the record of the chunk's origin.
    """
    snapshot, total = logbook.snapshot, 0
    channels = [c for c in snapshot.live_channels() if snapshot.tail(c).times_ms.size >= at_least]
    for channel_id in channels:
        with edits.edit(logbook, "live readings sealed", sealed_ms, undoable=False) as work:
            run = work.work.connection.execute
            asked = "SELECT time_ms, shown FROM live_reading WHERE channel_id = ? ORDER BY time_ms, id"
            rows = run(asked, (channel_id,)).fetchall()
            times, shown = np.array([t for t, _ in rows], dtype=np.int64), np.array([v for _, v in rows])
            made = work.add(
                LoggerImport, file_name=LIVE_NAME, imported_ms=sealed_ms, good=len(rows), duplicate=0, bad=0
            )
            work.seal(made, channel_id, Series(times, shown))
            run("DELETE FROM live_reading WHERE channel_id = ?", (channel_id,))
            total += len(rows)
    return total
