"""Older logbooks: brought up to date whole or left alone, with the old file put aside."""

from __future__ import annotations

import sqlite3
from contextlib import closing
from pathlib import Path

import pytest

from stathmis.logbook import calibrations, migrations, tables
from stathmis.logbook.opening import LogbookError, create_logbook, open_logbook
from stathmis.logbook.records import Batch, CertificatePoint, Channel, EggFinding, Event
from stathmis.services.clock import FixedClock
from stathmis.services.desk import Desk
from stathmis.services.instruments.sheet import chain

NOW_MS = 1779093600000


@pytest.fixture(params=[1, 2, 3, 4, 5])
def old(tmp_path: Path, request: pytest.FixtureRequest) -> Path:
    """A file of each older version as the program of its time left it."""
    version: int = request.param
    path = tmp_path / "old.stathmis"
    with closing(sqlite3.connect(path)) as connection:
        text = Path(__file__).with_name(f"version_{version}.sql").read_text(encoding="utf-8")
        connection.executescript(text)
        connection.execute(f"PRAGMA application_id = {tables.APPLICATION_ID}")
        connection.execute(f"PRAGMA user_version = {version}")
        connection.execute("PRAGMA journal_mode = WAL")
    return path


def dump(path: Path) -> list[str]:
    with closing(sqlite3.connect(path)) as connection:
        return [*connection.iterdump(), str(connection.execute("PRAGMA user_version").fetchone())]


def shape(path: Path) -> dict[str, list[tuple[str, str, int]]]:
    """Columns of every table: name, type, and whether nothing is allowed."""
    with closing(sqlite3.connect(path)) as connection:
        names = [r[0] for r in connection.execute("SELECT name FROM sqlite_master WHERE type = 'table'")]
        return {
            n: sorted((c[1], c[2], c[3]) for c in connection.execute(f"PRAGMA table_info({n})")) for n in sorted(names)
        }


def test_an_old_logbook_keeps_all_it_says(old: Path) -> None:
    before = dump(old)
    logbook = open_logbook(old)
    desk = Desk(logbook, FixedClock(NOW_MS))
    lid = next(c for c in desk.book.records(Channel) if c.resolution == 0.1)
    corrected = desk.book.corrections.correct(lid, 37.0, NOW_MS - 3_600_000)
    # what the older program showed for this reading
    assert corrected.value == pytest.approx(37.47593220338984, abs=1e-9)
    assert pytest.approx(0.1624472752901525, rel=1e-7) == corrected.U
    assert [(b.name, b.day_count) for b in logbook.snapshot.records(Batch)] == [("12 chicken", "from 0")]
    assert [i.air for i in desk.book.incubators()] == ["forced"] and desk.book.room() is None
    assert [e.note for e in logbook.snapshot.records(Event)] == ["cup"]
    assert [p.drift_per_year for p in logbook.snapshot.records(CertificatePoint)] == [0.0, 0.0]
    kept = calibrations.calibrations(logbook.snapshot)
    assert len(kept) == 1, "the one undone stays undone"
    assert kept[0].conditions.notes == "sensors apart by up to ± 0.05"
    assert [p.source for p in calibrations.points_of(logbook.snapshot, kept[0].id)] == ["", ""]
    assert chain(desk.book, kept[0])[0].startswith("Against Lab, by its certificate")
    logbook.close()
    aside = list((old.parent / "old backups").glob("*.old-stathmis"))
    assert len(aside) == 1 and dump(aside[0]) == before
    open_logbook(old).close()
    assert len(list((old.parent / "old backups").iterdir())) == 1, "brought up to date once"


def test_old_and_new_files_have_one_shape(old: Path, tmp_path: Path) -> None:
    open_logbook(old).close()
    create_logbook(tmp_path / "new.stathmis", {}).close()
    assert shape(old) == shape(tmp_path / "new.stathmis")


def test_a_step_that_fails_leaves_the_file_as_it_was(old: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    before = dump(old)

    version = int(before[-1].strip("(),"))
    step = migrations.STEPS[version + 1]

    def failing(connection: sqlite3.Connection) -> None:
        step(connection)
        raise sqlite3.OperationalError("database or disk is full")

    monkeypatch.setitem(migrations.STEPS, version + 1, failing)
    with pytest.raises(LogbookError, match="left as it was"):
        open_logbook(old)
    assert dump(old) == before
    monkeypatch.undo()
    open_logbook(old).close()


def test_without_room_for_the_copy_nothing_is_touched(old: Path) -> None:
    before = dump(old)
    (old.parent / "old backups").write_text("in the way")
    with pytest.raises(LogbookError, match="left as it was"):
        open_logbook(old)
    assert dump(old) == before


def test_a_read_only_old_file_is_refused_and_untouched(old: Path) -> None:
    before = dump(old)
    old.chmod(0o444)
    with pytest.raises(LogbookError, match="Make a copy"):
        open_logbook(old)
    assert dump(old) == before


def test_what_stood_in_sentences_becomes_fields(tmp_path: Path) -> None:
    path = tmp_path / "five.stathmis"
    told = [
        ("turn", "X up"),
        ("turn", "o up, by my son"),
        ("lid", "opened for lockdown"),
        ("lid", "shut after 12 min"),
        ("alarm", "seen: too warm"),
        ("power", "power off for 3 h, room 64.4 °F"),
        ("power", "since breakfast"),
        ("note", "shut after 12 min"),
    ]
    with closing(sqlite3.connect(path)) as connection:
        connection.executescript(Path(__file__).with_name("version_5.sql").read_text(encoding="utf-8"))
        connection.execute("DELETE FROM event")
        for kind, note in told:
            connection.execute(
                "INSERT INTO event (incubator_id, time_ms, kind, note) VALUES (1, 5, ?, ?)", (kind, note)
            )
        connection.execute(
            "INSERT INTO egg_finding (batch_id, time_ms, mark, kind, count, note, logged_ms) "
            "VALUES (1, 5, '1', 'moved', 1, 'from 1/1 to 2/3', 5)"
        )
        connection.execute(f"PRAGMA application_id = {tables.APPLICATION_ID}")
        connection.execute("PRAGMA user_version = 5")
        connection.commit()
        connection.execute("PRAGMA journal_mode = WAL")
    logbook = open_logbook(path)
    found = [(e.detail, e.minutes, e.room_c, e.note) for e in logbook.snapshot.records(Event)]
    assert found[:5] == [
        ("X", None, None, ""),
        ("O", None, None, "o up, by my son"),
        ("open", None, None, ""),
        ("shut", 12.0, None, ""),
        ("seen", None, None, "too warm"),
    ]
    assert found[5][1] == 180.0 and found[5][2] == pytest.approx(18.0)
    assert found[6:] == [("", None, None, "since breakfast"), ("", None, None, "shut after 12 min")]
    (moved,) = logbook.snapshot.records(EggFinding, kind="moved")
    assert (moved.from_place, moved.to_place, moved.note) == ("1/1", "2/3", "")
    logbook.close()


def test_a_kind_of_event_from_a_newer_program_is_shown_by_its_name(desk: Desk) -> None:
    from stathmis.services import rounds, setting_up
    from stathmis.words.events import event_words

    setting_up.add_incubator(desk, "Box", "forced")
    desk.add("x", [(Event, {"incubator_id": 1, "time_ms": desk.now_ms, "kind": "fan_cleaned", "note": "dust"})])
    assert event_words(desk.book, desk.book.records(Event)[0]) == "Fan cleaned: dust"
    sheet = rounds.sheet(desk.book, desk.book.incubators()[0])
    assert rounds.logged_lately(desk.book, sheet, 5)[0].words == "Fan cleaned: dust"
