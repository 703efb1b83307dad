"""What was altered by accident is found and named; what is sound is not complained of."""

from __future__ import annotations

import random
import sqlite3
from contextlib import closing
from pathlib import Path

import numpy as np
import pytest

from stathmis.logbook import backups, checking, edits, live, whole
from stathmis.logbook.opening import open_logbook
from stathmis.logbook.records import Channel, Incubator, LoggerImport, Reading
from stathmis.logbook.snapshot import Series
from stathmis.services import setting_up
from stathmis.services.desk import Desk
from stathmis.services.files import soundness
from stathmis.words import damage

SEED = 11
FLIPS = 60


def filled(desk: Desk) -> int:
    """Readings by hand, weighings, a logger's file, edits taken back; returns the channel's id."""
    box = setting_up.add_incubator(desk, "Box", "forced")
    now = desk.now_ms
    setting_up.add_instrument(desk, "Lid", "built-in", [setting_up.NewChannel("temperature", "°C", 0.1, 0.5)])
    (channel,) = (c.id for c in desk.book.records(Channel))
    for i in range(40):
        with edits.edit(desk.logbook, f"round {i}", now + i) as work:
            row = {"channel_id": channel, "time_ms": now + i * 60_000, "logged_ms": now, "typed": "x"}
            work.add(Reading, **row, value=37.0 + i / 100, unit="°C")
    with edits.edit(desk.logbook, "logger's file", now) as work:
        made = work.add(LoggerImport, file_name="a.csv", imported_ms=now, good=9000, duplicate=0, bad=0)
        times = now + np.arange(9000, dtype=np.int64) * 1000
        work.seal(made, channel, Series(times, 37.0 + np.sin(np.arange(9000.0))))
    with edits.edit(desk.logbook, "renamed", now) as work:
        work.change(Incubator, box, name="Other")
    edits.undo(desk.logbook, now)
    edits.undo(desk.logbook, now)
    edits.redo(desk.logbook, now)
    live.store_live(desk.logbook, [live.LiveReading(channel, now + i * 1000, 37 + i) for i in range(9)])
    return channel


def test_a_sound_logbook_has_nothing_altered(desk: Desk, tmp_path: Path) -> None:
    filled(desk)
    assert checking.check(desk.logbook) == []
    edits.undo(desk.logbook, desk.now_ms)
    setting_up.set_place(desk, "Shed", 300.0)
    assert checking.check(desk.logbook) == []
    tables = {s.name: (s.columns, list(whole.rows(desk.logbook, s.name))) for s in whole.shapes()}
    whole.create_from(tmp_path / "again.stathmis", tables)
    with closing(open_logbook(tmp_path / "again.stathmis")) as again:
        assert checking.check(again) == []


def test_a_file_from_before_checksums_gets_them_with_what_no_edit_told_of(desk: Desk) -> None:
    filled(desk)
    desk.logbook.close()
    before = contents(desk.logbook.path)
    with closing(sqlite3.connect(desk.logbook.path)) as raw, raw:
        # what a file holds that is older than its journal
        raw.execute("DELETE FROM edit_row WHERE edit_id IN (SELECT id FROM edit WHERE label LIKE 'round 1%')")
        raw.execute("DELETE FROM edit WHERE label LIKE 'round 1%'")
        for table in ("chunk", "edit", "live_reading", "setting"):
            raw.execute(f"ALTER TABLE {table} DROP COLUMN crc")
        for table in ("own_species", "earlier_way", "delivery", "pairing", "shell_series", "forecast"):
            raw.execute(f"DROP TABLE {table}")
        raw.execute("ALTER TABLE placement DROP COLUMN batch_id")
        raw.execute("ALTER TABLE calibration DROP COLUMN flicker")
        raw.execute("ALTER TABLE plan DROP COLUMN subject")
        raw.execute("ALTER TABLE probe DROP COLUMN kind")
        raw.execute("PRAGMA user_version = 6")
    with closing(open_logbook(desk.logbook.path)) as opened:
        assert checking.check(opened) == []
        newest = edits.history(opened)[0]
        assert (newest.label, newest.state, newest.touched) == ("taken over from an older file", "noted", 11)
        with closing(sqlite3.connect(opened.path)) as raw, raw:
            raw.execute("UPDATE reading SET value = 38.5 WHERE typed = 'x' AND id = 12")
        assert [d.of for d in checking.check(opened)] == ["reading"]
    assert contents(desk.logbook.path)[:2] == before[:2]


@pytest.mark.parametrize(
    ("statement", "says"),
    [
        ("UPDATE reading SET value = 38.5 WHERE id = 3", "reading x: value 38.5, was 37.02"),
        ("DELETE FROM reading WHERE id = 3", "reading x: is not there any more"),
        ("UPDATE reading SET withdrawn_ms = 5 WHERE id = 3", "reading x: withdrawn"),
        ("UPDATE edit SET label = 'round X' WHERE label = 'round 4'", "what was noted about “round X”"),
        ("UPDATE edit SET state = 'dole' WHERE label = 'round 4'", "what was noted about “round 4”"),
        ("UPDATE edit_row SET after = NULL WHERE id = 9", "what was noted about “"),
        ("UPDATE live_reading SET shown = 47.1 WHERE id = 1", "live reading 47.1 of Lid, "),
        ("UPDATE setting SET value = 'Asia/Oral' WHERE key = 'time_zone'", "the setting time_zone: Asia/Oral"),
        ("UPDATE chunk SET least = 1.0 WHERE id = 2", "logger readings of Lid, "),
        ("UPDATE chunk SET times = CAST(times AS TEXT) WHERE id = 1", "logger readings of Lid, "),
    ],
)
def test_what_was_altered_is_named_and_a_good_backup_offered(desk: Desk, statement: str, says: str) -> None:
    filled(desk)
    first, second = (backups.daily(desk.logbook, f"2026-05-1{d}") for d in (6, 7))
    assert first is not None and second is not None
    for path in (desk.logbook.path, second):
        with closing(sqlite3.connect(path)) as raw, raw:
            raw.execute("PRAGMA ignore_check_constraints = ON")
            raw.execute(statement)
    found = soundness.checked(desk, lambda done: None, lambda: False)
    assert says in "\n".join(damage.lines(desk.book, found.damages))
    assert found.backup == first and first.name in damage.summary(found.damages, first)


def test_no_flipped_bit_alters_a_record_unnoticed(desk: Desk, tmp_path: Path) -> None:
    """Every bit of the file is as likely; where no alarm is raised, all that was entered reads as before."""
    filled(desk)
    desk.logbook.close()
    sound, path = desk.logbook.path.read_bytes(), tmp_path / "flipped.stathmis"
    before = contents(desk.logbook.path)
    chance = random.Random(SEED)
    noticed = 0
    for _ in range(FLIPS):
        altered = bytearray(sound)
        at = chance.randrange(len(altered))
        altered[at] ^= 1 << chance.randrange(8)
        path.write_bytes(altered)
        try:
            with closing(sqlite3.connect(f"file:{path}?mode=ro&immutable=1", uri=True, isolation_level=None)) as raw:
                raised = bool(checking.damages(raw))
        except sqlite3.DatabaseError:
            raised = True
        noticed += raised
        assert raised or contents(path) == before, f"the bit at {at} went unnoticed"
    assert noticed > FLIPS / 3


def contents(path: Path) -> list[object]:
    with closing(sqlite3.connect(f"file:{path}?mode=ro&immutable=1", uri=True)) as raw:
        kinds = ("incubator", "channel", "reading", "weighing", "logger_import", "chunk", "edit_row", "live_reading")
        return [raw.execute(f"SELECT * FROM {name} ORDER BY id").fetchall() for name in kinds]


def test_a_week_goes_by_between_checks() -> None:
    week = soundness.EVERY_MS
    assert soundness.is_due(None, 5) and soundness.is_due(0, week) and soundness.is_due(week, 5)
    assert not soundness.is_due(0, week - 1)
