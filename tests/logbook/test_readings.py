"""Readings in rows and chunks come out together, in order, unaltered."""

from __future__ import annotations

import shutil
import sqlite3
from pathlib import Path

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

import making
from stathmis.logbook import live, readings, tables
from stathmis.logbook.opening import create_logbook
from stathmis.logbook.records import Channel, LoggerImport, Reading
from stathmis.logbook.snapshot import DENSE, Series
from stathmis.logbook.tables import CHUNK
from stathmis.services import setting_up
from stathmis.services.clock import FixedClock
from stathmis.services.desk import Desk
from stathmis.services.files import logger_import
from stathmis.services.setting_up import NewChannel


@pytest.fixture
def channel(desk: Desk) -> Channel:
    """A thermometer in °C."""
    setting_up.add_instrument(desk, "Probe", "probe", [NewChannel("temperature", "°C", 0.1, 0.5)])
    return desk.book.records(Channel)[0]


def test_rows_and_chunks_come_out_together(desk: Desk, channel: Channel) -> None:
    times = np.arange(10_000, dtype=np.int64) * 60_000
    shown = np.round(np.random.default_rng(0).normal(37.5, 0.2, times.size), 2)
    logger_import.keep_series(desk, "a.csv", {channel.id: Series(times, shown)})
    making.typed_in(desk, [(channel.id, 90_000, 99.5, "°F", "99.5F")])
    found = readings.series(desk.book.snapshot, channel, 0, 10**12)
    assert found.times_ms.size == 10_001
    assert found.shown[2] == 37.5  # typed in °F, given in the channel's unit
    np.testing.assert_array_equal(np.delete(found.shown, 2), shown)
    part = readings.series(desk.book.snapshot, channel, 60_000, 120_000)
    assert part.times_ms.tolist() == [60_000, 90_000, 120_000]


def test_raw_stays_as_typed(desk: Desk, channel: Channel) -> None:
    ids = making.typed_in(desk, [(channel.id, 5, 37.5, "°C", "37,5")])
    assert readings.hand_readings(desk.book.snapshot, channel.id, 0, 10)[0].typed == "37,5"
    desk.strike("struck", Reading, ids, "wrong display")
    assert readings.hand_readings(desk.book.snapshot, channel.id, 0, 10) == []
    with desk.logbook.reading() as connection:
        row = connection.execute("SELECT typed, value, withdrawn_why FROM reading").fetchone()
    assert row == ("37,5", 37.5, "wrong display")
    desk.undo()
    assert len(readings.hand_readings(desk.book.snapshot, channel.id, 0, 10)) == 1


def test_a_withdrawn_import_is_not_seen(desk: Desk, channel: Channel) -> None:
    made = logger_import.keep_series(desk, "a.csv", {channel.id: Series(np.array([1, 2]), np.array([37.0, 37.1]))})
    desk.strike("struck", LoggerImport, [made])
    assert readings.series(desk.book.snapshot, channel, 0, 10).times_ms.size == 0
    desk.undo()
    assert readings.series(desk.book.snapshot, channel, 0, 10).times_ms.size == 2


def test_one_faulty_reading_keeps_the_whole_round_out(desk: Desk, channel: Channel) -> None:
    bad = [(channel.id, 1, 37.5, "°C", "37.5"), (999, 1, 37.5, "°C", "37.5")]
    with pytest.raises(sqlite3.IntegrityError):
        making.typed_in(desk, bad)
    assert readings.hand_readings(desk.book.snapshot, channel.id, 0, 10) == []


@settings(max_examples=25)
@given(st.data())
def test_overlapping_imports_come_out_in_order(data: st.DataObject) -> None:
    rng = np.random.default_rng(data.draw(st.integers(0, 10**6)))
    pieces = data.draw(st.integers(1, 4))
    stretches = [
        np.sort(rng.choice(20_000, rng.integers(1, 9000), replace=False)).astype(np.int64) for _ in range(pieces)
    ]
    rows = [(t, float(t) / 1000) for part in stretches for t in part.tolist()]

    class Sink:
        def __init__(self) -> None:
            self.rows: list[dict] = []  # type: ignore[type-arg]

        def executemany(self, _statement: object, rows: list[tuple[object, ...]]) -> None:
            self.rows += [dict(zip(CHUNK.names[1:], row, strict=True)) for row in rows]

    sink = Sink()
    for i, part in enumerate(stretches):
        readings.seal(sink, 1, i, part, part / 1000)  # type: ignore[arg-type]
    total = sum(r["count"] for r in sink.rows)
    assert total == len(rows)
    for r in sink.rows:
        times = np.frombuffer(r["times"], "<i8")
        shown = np.frombuffer(r["shown"], "<f8")
        assert (r["first_ms"], r["last_ms"], r["count"]) == (times[0], times[-1], times.size)
        assert (r["least"], r["most"]) == (shown.min(), shown.max())
        assert r["total"] == pytest.approx(shown.sum())
        assert times.size <= readings.CHUNK_OF


hour = st.integers(0, 100).map(lambda h: h * 3_600_000)


@settings(max_examples=80, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    st.lists(st.tuples(st.integers(0, 1), hour, st.booleans()), max_size=8),
    st.lists(st.tuples(st.integers(0, 1), hour, st.integers(1, 30), st.booleans()), max_size=5),
    st.lists(st.tuples(st.integers(0, 1), hour), max_size=6),
    hour,
    hour,
)
def test_the_newest_reading_is_the_last_of_all(
    tmp_path: Path,
    typed: list[tuple[int, int, bool]],
    imports: list[tuple[int, int, int, bool]],
    live_rows: list[tuple[int, int]],
    start: int,
    length: int,
) -> None:
    """Typed, brought in, live; struck and withdrawn ones among them; one question answers for every channel."""
    shutil.rmtree(tmp_path / "l", ignore_errors=True)
    (tmp_path / "l").mkdir()
    logbook = create_logbook(tmp_path / "l" / "l.stathmis", {})
    try:
        own = Desk(logbook, FixedClock(0))
        kinds = [NewChannel("temperature", "°C", 0.1, 0.5), NewChannel("temperature", "°F", 0.1, 0.5)]
        setting_up.add_instrument(own, "Two", "probe", kinds)
        channels = logbook.snapshot.records(Channel)
        for i, (which, at, struck) in enumerate(typed):
            ids = making.typed_in(own, [(channels[which].id, at, 37.0 + i, "°C", "x")])
            if struck:
                own.strike("struck", Reading, ids, "wrong")
        for i, (which, at, n, withdrawn) in enumerate(imports):
            series = Series(at + np.arange(n, dtype=np.int64) * 600_000, 20.0 + i + np.arange(n) / 100.0)
            made = logger_import.keep_series(own, f"{i}.csv", {channels[which].id: series})
            if withdrawn:
                own.strike("struck", LoggerImport, [made])
        for i, (which, at) in enumerate(live_rows):
            live.store_live(logbook, [live.LiveReading(channels[which].id, at, 50.0 + i)])
        found = readings.newest(logbook.snapshot, channels, start, start + length)
        for channel in channels:
            whole = readings.series(logbook.snapshot, channel, start, start + length)
            if not whole.times_ms.size:
                assert channel.id not in found
                continue
            at, shown = found[channel.id]
            assert at == whole.times_ms[-1]
            assert shown in whole.shown[whole.times_ms == at], "one of those read at that instant"
            typed_then = readings.hand_readings(logbook.snapshot, channel.id, at, at)
            arrived = readings.live_tail(logbook.snapshot, channel.id, at, at).shown
            if typed_then:
                assert shown == readings.in_unit(typed_then[-1], channel.unit), "typed before a logger's"
            elif arrived.size:
                assert shown == arrived[-1]
    finally:
        logbook.close()


def test_no_record_can_be_altered_in_hand() -> None:
    """Snapshots share them, and threads the snapshots."""
    kinds = [table.kind for table in tables.tables() if table.kind is not None]
    assert len(kinds) > 20 and all(vars(kind)["__dataclass_params__"].frozen for kind in kinds)


def test_only_readings_tell_of_readings(desk: Desk, channel: Channel) -> None:
    """What rests on sealed and live readings is left alone by every other edit."""
    seen = [desk.logbook.snapshot.versions[DENSE]]

    def moved() -> bool:
        seen.append(desk.logbook.snapshot.versions[DENSE])
        return seen[-1] != seen[-2]

    setting_up.set_place(desk, "Shed", 100.0)
    making.typed_in(desk, [(channel.id, desk.now_ms, 37.0, "°C", "37")])
    assert not moved()
    live.store_live(desk.logbook, [live.LiveReading(channel.id, desk.now_ms, 37.0)])
    assert moved()
    live.seal_full(desk.logbook, desk.now_ms, 1)
    assert moved()
