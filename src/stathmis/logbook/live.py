"""Live readings in and out: a tail of rows that is still growing, sealed into chunks when there are enough of them."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from sqlalchemy import delete, func, select

from stathmis.logbook import schema
from stathmis.logbook.opening import Logbook
from stathmis.logbook.readings import CHUNK, seal


class LiveReading(NamedTuple):
    """One live reading: channel id, UTC ms, value as shown in the channel's unit."""

    channel_id: int
    time_ms: int
    shown: float


def store_live(logbook: Logbook, found: Sequence[LiveReading]) -> None:
    """Write live readings in one transaction; when this returns they survive a pulled plug."""
    if found:
        with logbook.writing() as connection:
            connection.execute(schema.live_reading.insert(), [r._asdict() for r in found])


def seal_full(logbook: Logbook, sealed_ms: int, at_least: int = CHUNK) -> int:
    """Seal the tails of channels that have enough rows, each in one transaction; returns how many readings.

    sealed_ms: UTC ms, for the record of the chunk's origin.
    """
    table, total = schema.live_reading, 0
    with logbook.reading() as connection:
        counted = select(table.c.channel_id).group_by(table.c.channel_id).having(func.count() >= at_least)
        channels = list(connection.execute(counted).scalars())
    for channel_id in channels:
        with logbook.writing() as connection:
            rows = connection.execute(
                select(table.c.id, table.c.time_ms, table.c.shown).where(table.c.channel_id == channel_id)
            ).all()
            times = np.array([r.time_ms for r in rows], dtype=np.int64)
            shown = np.array([r.shown for r in rows])
            order = np.argsort(times, kind="stable")
            made = connection.execute(
                schema.logger_import.insert().values(
                    file_name="live", imported_ms=sealed_ms, good=len(rows), duplicate=0, bad=0
                )
            ).inserted_primary_key
            seal(connection, channel_id, int(made[0]), times[order], shown[order])  # type: ignore[index]
            last = max(r.id for r in rows)
            connection.execute(delete(table).where(table.c.channel_id == channel_id, table.c.id <= last))
            total += len(rows)
    return total
