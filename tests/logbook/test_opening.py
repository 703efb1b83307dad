"""What can be wrong with a logbook file, and what must survive."""

from __future__ import annotations

import os
import shutil
import signal
import sqlite3
import subprocess
import sys
import time
from concurrent.futures import ThreadPoolExecutor
from contextlib import closing
from pathlib import Path

import pytest

from stathmis.logbook import backups, tables
from stathmis.logbook.edits import edit
from stathmis.logbook.opening import Logbook, LogbookError, create_logbook, open_logbook
from stathmis.logbook.records import Incubator

SETTINGS = {"name": "Test", "time_zone": "UTC"}


def entered(logbook: Logbook, kind: type, **fields: object) -> int:
    """A record, as an edit enters it."""
    with edit(logbook, "entered", 0) as made:
        return made.add(kind, **fields)


@pytest.fixture
def path(tmp_path: Path) -> Path:
    """A closed logbook with one incubator."""
    made = tmp_path / "log.stathmis"
    logbook = create_logbook(made, SETTINGS)
    entered(logbook, Incubator, name="Cabinet", air="forced", set_point_c=37.5)
    logbook.close()
    return made


def refused(path: Path) -> str:
    before = path.read_bytes() if path.is_file() else b""
    with pytest.raises(LogbookError) as caught:
        open_logbook(path)
    if path.is_file():
        assert path.read_bytes() == before, "a refused file must not be touched"
    assert caught.value.to_do, "it must say what to do"
    return str(caught.value)


def test_what_was_entered_is_there_after_reopening(path: Path) -> None:
    logbook = open_logbook(path)
    assert [i.name for i in logbook.snapshot.records(Incubator)] == ["Cabinet"]
    assert logbook.snapshot.settings["time_zone"] == "UTC"
    logbook.close()
    logbook.close()


def test_missing_empty_foreign_and_text_files(tmp_path: Path) -> None:
    assert "no file" in refused(tmp_path / "nowhere.stathmis")
    for name, content in (("empty", b""), ("text", b"time;value\n"), ("short", b"SQLite format 3\x00")):
        file = tmp_path / name
        file.write_bytes(content)
        assert "not a Stathmis logbook" in refused(file)
    other = tmp_path / "other.db"
    with sqlite3.connect(other) as raw:
        raw.execute("CREATE TABLE t (x)")
    raw.close()
    assert "not a Stathmis logbook" in refused(other)


def test_a_newer_logbook_is_refused_untouched(path: Path) -> None:
    with sqlite3.connect(path) as raw:
        raw.execute(f"PRAGMA user_version = {tables.SCHEMA_VERSION + 1}")
    raw.close()
    assert "newer Stathmis" in refused(path)


def test_a_damaged_logbook_says_so(path: Path) -> None:
    content = bytearray(path.read_bytes())
    content[4096:12288] = os.urandom(8192)
    path.write_bytes(content)
    with pytest.raises(LogbookError, match="damaged"):
        open_logbook(path)


def test_a_logbook_never_finished_is_refused(path: Path) -> None:
    with sqlite3.connect(path) as raw:
        raw.execute("PRAGMA user_version = 0")
    raw.close()
    with pytest.raises(LogbookError, match="never finished"):
        open_logbook(path)


def test_open_twice(path: Path) -> None:
    first = open_logbook(path)
    with pytest.raises(LogbookError, match="already open in another window"):
        open_logbook(path)
    first.close()
    open_logbook(path).close()


def test_what_one_thread_opens_another_reads(path: Path) -> None:
    with (
        closing(open_logbook(path)) as logbook,
        closing(logbook.connect()) as connection,
        ThreadPoolExecutor(1) as pool,
    ):
        found = pool.submit(lambda: connection.execute("PRAGMA user_version").fetchone()).result()
    assert found[0] > 0


def test_read_only_can_be_read_and_refuses_to_log(path: Path) -> None:
    path.chmod(0o444)
    logbook = open_logbook(path)
    assert logbook.read_only
    assert logbook.snapshot.records(Incubator)
    with pytest.raises(LogbookError, match="read-only"):
        entered(logbook, Incubator, name="Other", air="still", set_point_c=None)
    assert backups.daily(logbook, "2026-05-18") is None
    logbook.close()


def test_nothing_is_overwritten_and_bad_places_are_named(path: Path, tmp_path: Path) -> None:
    with pytest.raises(LogbookError, match="already a file"):
        create_logbook(path, SETTINGS)
    with pytest.raises(LogbookError, match="cannot be made"):
        create_logbook(Path("/proc/nowhere/log.stathmis"), SETTINGS)


def test_a_creation_cut_short_leaves_no_half_logbook(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    path = tmp_path / "log.stathmis"

    def full(*_arguments: object) -> None:
        raise OSError(28, "No space left on device")

    with monkeypatch.context() as patched:
        patched.setattr(tables, "tables", full)
        with pytest.raises(LogbookError, match="cannot be made"):
            create_logbook(path, SETTINGS)
    assert list(tmp_path.glob("log.stathmis*")) == []
    create_logbook(path, SETTINGS).close()


def test_odd_characters_in_the_name(tmp_path: Path) -> None:
    odd = tmp_path / "büro 100% #1?.stathmis"
    logbook = create_logbook(odd, SETTINGS)
    assert {p.name for p in tmp_path.iterdir()} >= {odd.name}
    with logbook.reading() as connection:
        assert connection.execute("PRAGMA database_list").fetchall()[0][2] == str(odd)
    entered(logbook, Incubator, name="Ä", air="still", set_point_c=None)
    logbook.close()
    again = open_logbook(odd)
    assert again.snapshot.records(Incubator)[0].name == "Ä"
    again.close()


def test_a_full_disk_keeps_what_was_there_and_says_so(path: Path) -> None:
    logbook = open_logbook(path)
    with logbook.writing() as work:
        pages = work.connection.execute("PRAGMA page_count").fetchone()[0]
        # SQLite's own limit stands in for a disk with no room left: the same error comes back
        work.connection.execute(f"PRAGMA max_page_count = {pages}")
    with pytest.raises(LogbookError, match="disk is full"):
        for _ in range(400):
            entered(logbook, Incubator, name="x" * 4000, air="still", set_point_c=None)
    kept = logbook.snapshot.records(Incubator)
    assert kept[0].name == "Cabinet"
    logbook.close()


def test_backups_are_daily_and_the_newest_ten_stay(path: Path) -> None:
    logbook = open_logbook(path)
    for day in range(1, 14):
        assert backups.daily(logbook, f"2026-05-{day:02d}") is not None
    assert backups.daily(logbook, "2026-05-13") is None
    folder = path.with_name("log backups")
    kept = sorted(folder.iterdir())
    assert [p.stem[-2:] for p in kept] == [f"{d:02d}" for d in range(4, 14)]
    logbook.close()
    copy = open_logbook(kept[-1])
    assert copy.snapshot.records(Incubator)
    copy.close()


def test_a_backup_that_cannot_be_written_leaves_nothing_half(path: Path) -> None:
    logbook = open_logbook(path)
    path.with_name("log backups").write_text("a file where the folder should be")
    with pytest.raises(LogbookError, match="backup"):
        backups.daily(logbook, "2026-05-18")
    assert not list(path.parent.glob("**/*.part"))
    logbook.close()


KILLED = """
import sys
from pathlib import Path
from stathmis.logbook.opening import open_logbook
from stathmis.logbook.edits import edit
from stathmis.logbook.records import Reading
logbook = open_logbook(Path(sys.argv[1]))
n = 0
while True:
    with edit(logbook, "3 readings logged", n) as made:
        for i in range(3):
            made.add(Reading, channel_id=1, time_ms=n * 1000 + i, value=37.5, unit="°C", typed="37.5", logged_ms=n)
    n += 1
    print(n, flush=True)
"""


@pytest.mark.parametrize("after", [5, 40, 150])
def test_killed_in_the_middle_everything_acknowledged_is_there(path: Path, after: int) -> None:
    with sqlite3.connect(path) as raw:
        raw.execute("INSERT INTO instrument (id, name, role, kind) VALUES (1, 'Probe', 'working', 'probe')")
        raw.execute(
            "INSERT INTO channel (id, instrument_id, quantity, unit, resolution, accuracy, low, high) "
            "VALUES (1, 1, 'temperature', '°C', 0.1, 0.5, -10, 60)"
        )
    raw.close()
    writer = subprocess.Popen([sys.executable, "-c", KILLED, str(path)], stdout=subprocess.PIPE, text=True)
    assert writer.stdout is not None
    acknowledged = 0
    while acknowledged < after:
        acknowledged = int(writer.stdout.readline())
    writer.send_signal(signal.SIGKILL)
    acknowledged = max([acknowledged, *(int(line) for line in writer.stdout.read().split("\n") if line.strip())])
    writer.wait()
    writer.stdout.close()
    logbook = open_logbook(path)
    with logbook.reading() as connection:
        count = int(connection.execute("SELECT count(*) FROM reading").fetchone()[0])
    logbook.close()
    # whole rounds only, none lost; the last may have been kept without its word getting out
    assert count % 3 == 0
    assert acknowledged * 3 <= count <= (acknowledged + 1) * 3


def test_the_lock_does_not_outlive_its_process(path: Path) -> None:
    holder = subprocess.Popen(
        [
            sys.executable,
            "-c",
            "import sys,time; from pathlib import Path; from stathmis.logbook.opening import open_logbook;"
            "l = open_logbook(Path(sys.argv[1])); print('open', flush=True); time.sleep(60)",
            str(path),
        ],
        stdout=subprocess.PIPE,
        text=True,
    )
    assert holder.stdout is not None
    holder.stdout.readline()
    with pytest.raises(LogbookError, match="already open"):
        open_logbook(path)
    holder.kill()
    holder.wait()
    holder.stdout.close()
    time.sleep(0.05)
    open_logbook(path).close()


def test_a_copy_opens_by_itself(path: Path, tmp_path: Path) -> None:
    copy = tmp_path / "elsewhere" / "copy.stathmis"
    copy.parent.mkdir()
    shutil.copy(path, copy)
    logbook = open_logbook(copy)
    assert logbook.snapshot.records(Incubator)
    logbook.close()


def test_a_read_only_copy_with_its_log_beside_it_is_shown_whole(path: Path, tmp_path: Path) -> None:
    logbook = open_logbook(path)
    for n in range(30):
        entered(logbook, Incubator, name=f"No. {n}", air="still", set_point_c=None)
    aside = tmp_path / "stick"
    aside.mkdir()
    for file in tmp_path.glob("log.stathmis*"):
        if not file.name.endswith(".lock"):
            shutil.copyfile(file, aside / file.name)
    logbook.close()
    copy = aside / path.name
    assert copy.with_name(copy.name + "-wal").stat().st_size > 0
    copy.chmod(0o444)
    before = sorted((p.name, p.read_bytes()) for p in aside.iterdir())
    shown = open_logbook(copy)
    assert shown.read_only and len(shown.snapshot.records(Incubator)) == 31
    shown.close()
    assert sorted((p.name, p.read_bytes()) for p in aside.iterdir()) == before, "nothing beside it is touched"


@pytest.mark.parametrize("how", ["moved", "deleted", "replaced"])
def test_nothing_is_acknowledged_once_the_file_is_gone(path: Path, how: str) -> None:
    logbook = open_logbook(path)
    kept = path.with_name("elsewhere.stathmis")
    if how == "replaced":
        shutil.copyfile(path, kept)
        kept.replace(path)
    else:
        path.rename(kept)
        if how == "deleted":
            kept.unlink()
    with pytest.raises(LogbookError, match=r"moved, renamed, deleted or replaced; nothing was logged.*Put it back"):
        entered(logbook, Incubator, name="Other", air="still", set_point_c=None)
    if how == "moved":
        kept.rename(path)
        entered(logbook, Incubator, name="Other", air="still", set_point_c=None)
        assert len(logbook.snapshot.records(Incubator)) == 2
    logbook.close()


def test_one_file_is_open_once_whatever_it_is_called(path: Path, tmp_path: Path) -> None:
    elsewhere = tmp_path / "other folder"
    elsewhere.mkdir()
    link, twin = elsewhere / "link.stathmis", elsewhere / "twin.stathmis"
    link.symlink_to(path)
    twin.hardlink_to(path)
    first = open_logbook(path)
    for name in (link, twin):
        with pytest.raises(LogbookError, match="already open in another window"):
            open_logbook(name)
    entered(first, Incubator, name="Other", air="still", set_point_c=None)
    first.close()
    second = open_logbook(link)
    with pytest.raises(LogbookError, match="already open in another window"):
        open_logbook(path)
    second.close()


def test_a_logbook_is_its_owners_and_a_pipe_is_none(path: Path, tmp_path: Path) -> None:
    logbook = open_logbook(path)
    made = backups.daily(logbook, "2026-05-18")
    logbook.close()
    assert made is not None
    assert [p.stat().st_mode & 0o777 for p in (path, made)] == [0o600, 0o600]
    own = made.with_name("log before the move.stathmis")
    shutil.copyfile(made, own)
    logbook = open_logbook(path)
    for day in range(1, 14):
        backups.daily(logbook, f"2026-06-{day:02d}")
    logbook.close()
    assert own.exists() and len(list(own.parent.iterdir())) == 11, "a keeper's own copy is not pruned"
    pipe = tmp_path / "pipe.stathmis"
    os.mkfifo(pipe)
    with pytest.raises(LogbookError, match="is not a Stathmis logbook"):
        open_logbook(pipe)


@pytest.mark.parametrize(
    ("fault", "says"),
    [
        ("disk I/O error", "cannot be read or written just now; nothing was logged"),
        ("unable to open database file", "moved, renamed, deleted or replaced; nothing was logged"),
        ("database or disk is full", "The disk is full; nothing was logged"),
        ("database disk image is malformed", "is damaged"),
    ],
)
def test_each_fault_of_a_disk_has_its_words(path: Path, fault: str, says: str) -> None:
    logbook = open_logbook(path)
    with pytest.raises(LogbookError, match=says) as error, logbook.writing():
        raise sqlite3.OperationalError(fault)
    assert error.value.to_do
    assert len(logbook.snapshot.records(Incubator)) == 1
    logbook.close()
