"""What must not go wrong when something does: a full disk in the middle of an edit, a file from a newer program."""

from __future__ import annotations

import shutil
import sqlite3
from contextlib import closing
from pathlib import Path

import pytest

import making
from stathmis.logbook import edits
from stathmis.logbook.opening import LogbookError, open_logbook
from stathmis.services import rounds
from stathmis.services.batch import batches
from stathmis.services.clock import FixedClock
from stathmis.services.desk import Desk
from stathmis.services.eggs import records
from stathmis.services.findings import judgement
from stathmis.services.plan import planning
from stathmis.words import changes

NOW_MS = 1_779_093_600_000


def everything(path: Path) -> list[str]:
    """The whole file as statements."""
    with closing(sqlite3.connect(path)) as file:
        return list(file.iterdump())


@pytest.mark.parametrize("room", [0, 1, 2, 4])
def test_a_full_disk_in_the_middle_of_an_edit_keeps_all_or_nothing(demo: Desk, room: int) -> None:
    """An edit of many rows, with room for only so many pages more: nothing of it is there, and the next one works."""
    incubator = demo.book.incubators()[0]
    before = everything(demo.logbook.path)
    snapshot = demo.logbook.snapshot
    with demo.logbook.writing() as work:
        pages = work.connection.execute("PRAGMA page_count").fetchone()[0]
        work.connection.execute(f"PRAGMA max_page_count = {pages + room}")
    with pytest.raises(LogbookError, match="disk is full"), demo.edit("a day's notes") as edit:
        for i in range(300):
            edit.add(
                rounds.Event, incubator_id=incubator.id, time_ms=NOW_MS + i, kind="note", note="x" * 500, detail=""
            )
    assert everything(demo.logbook.path) == before
    assert demo.logbook.snapshot.versions == snapshot.versions and edits.to_undo(demo.logbook) is not None
    with demo.logbook.writing() as work:
        work.connection.execute("PRAGMA max_page_count = 1000000")
    rounds.log_event(demo, incubator, "note", "there is room again", NOW_MS)
    assert demo.undo() is not None and demo.book.versions(rounds.Event) != (0,)


def test_what_a_newer_program_wrote_is_kept_and_nothing_fails_for_it(demo_file: Path, tmp_path: Path) -> None:
    """Another kind of record, a field more, kinds of events and findings this one does not know; an edit about them."""
    path = Path(shutil.copy(demo_file, tmp_path / "newer.stathmis"))
    with closing(sqlite3.connect(path)) as file:
        file.execute("CREATE TABLE moon (id INTEGER PRIMARY KEY, phase TEXT)")
        file.execute("INSERT INTO moon (phase) VALUES ('full')")
        file.execute("UPDATE event SET kind = 'sang_to', detail = 'twice' WHERE id IN (SELECT id FROM event LIMIT 3)")
        file.execute("INSERT INTO setting (key, value) VALUES ('lunar', 'yes')")
        file.execute("INSERT INTO edit (at_ms, label, state, state_ms) VALUES (?, 'moon', 'done', ?)", (NOW_MS, NOW_MS))
        file.execute(
            "INSERT INTO edit_row (edit_id, \"of\", \"row\", before, after) VALUES (last_insert_rowid(), 'moon', '1', "
            'NULL, \'{"id": 1, "phase": "full"}\')'
        )
        file.commit()
    desk = Desk(open_logbook(path), FixedClock(NOW_MS))
    try:
        book = desk.book
        for incubator in book.incubators():
            sheet = rounds.sheet(book, incubator)
            rounds.logged_lately(book, sheet, 50)
            course = batches.running(book, incubator)
            if course is not None:
                assert judgement.judged_run(book, course).trace.course == course
        assert planning.plans(book)
        records.all_batches(book)
        shown = edits.history(desk.logbook)
        assert shown[0].label == "moon" and "moon" in " ".join(
            changes.lines(book, shown[0], edits.rows_of(desk.logbook, shown[0], 9))
        )
        with pytest.raises(LogbookError, match="does not know"):
            desk.undo()
        making.put_setting(desk, "name", "Still mine")
        with closing(sqlite3.connect(path)) as file:
            assert file.execute("SELECT phase FROM moon").fetchone() == ("full",)
            assert file.execute("SELECT value FROM setting WHERE key = 'lunar'").fetchone() == ("yes",)
    finally:
        desk.logbook.close()


@pytest.mark.parametrize("broken", ["{", "[1]", '{"id": 1}', '"word"', "nul"])
def test_a_journal_that_cannot_be_read_is_said_in_words(demo: Desk, broken: str) -> None:
    rounds.log_event(demo, demo.book.incubators()[0], "note", "mine", demo.now_ms)
    with demo.logbook.writing() as work:
        work.connection.execute("UPDATE edit_row SET after = ? WHERE edit_id = (SELECT max(id) FROM edit)", (broken,))
    before = everything(demo.logbook.path)
    with pytest.raises(LogbookError, match="cannot be taken back"):
        demo.undo()
    assert everything(demo.logbook.path) == before
    (newest, *_rest) = edits.history(demo.logbook)
    rows = edits.rows_of(demo.logbook, newest, 9)
    assert changes.lines(demo.book, newest, rows), "shown as far as it can be"
