"""The open archive: what goes in comes out identically; what is wrong with one is said, and nothing is half made."""

from __future__ import annotations

import csv
import io
import json
import shutil
import sqlite3
import zipfile
from concurrent.futures import CancelledError
from contextlib import closing
from pathlib import Path

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from stathmis.core.errors import UserError
from stathmis.exchange import archive_file
from stathmis.logbook import whole
from stathmis.logbook.opening import create_logbook, open_logbook
from stathmis.logbook.records import Batch
from stathmis.services.batch import batches as running
from stathmis.services.clock import FixedClock
from stathmis.services.desk import Desk
from stathmis.services.files import archive
from stathmis.services.findings import trace

NOW_MS = 1_779_093_600_000


def dump(path: Path) -> list[str]:
    """Everything in a logbook file; a new copy of it holds the same lines."""
    with closing(sqlite3.connect(path)) as connection:
        return sorted(connection.iterdump())


def test_the_demo_comes_back_identically(demo: Desk, tmp_path: Path) -> None:
    path = tmp_path / "all.zip"
    said = archive.write(demo, path)
    assert "rows of" in said
    assert "all.zip" in archive.restore(path, tmp_path / "again.stathmis")
    assert dump(tmp_path / "again.stathmis") == dump(demo.logbook.path)
    logbook = open_logbook(tmp_path / "again.stathmis")
    again = Desk(logbook, FixedClock(demo.now_ms))
    one, two = (running.running(d.book, d.book.incubators()[0]) for d in (demo, again))
    assert one is not None and two is not None
    shown = [trace.trace(d.book, c).humidity.judged for d, c in ((demo, one), (again, two))]
    assert shown[0] is not None and shown[1] is not None
    assert (shown[0].corrected == shown[1].corrected).all()
    logbook.close()


def test_anyone_can_read_it(demo: Desk, tmp_path: Path) -> None:
    path = tmp_path / "all.zip"
    archive.write(demo, path)
    with zipfile.ZipFile(path) as opened:
        description = json.loads(opened.read("description.json"))
        assert description["about"] == "Upper Terrace" and "UTC milliseconds" in description["what"]
        for table in description["tables"]:
            rows = list(csv.reader(io.TextIOWrapper(opened.open(f"{table['name']}.csv"), "utf-8", newline="")))
            assert rows[0] == table["columns"] and len(rows) - 1 == table["rows"]
            assert all(not c.startswith(("=", "+", "@")) for row in rows for c in row), "no cell is a formula"


TEXT = st.text(st.characters(codec="utf-8", exclude_characters="\x00"), max_size=30)


@settings(max_examples=25, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.dictionaries(TEXT.filter(bool), TEXT, max_size=6), st.floats(allow_nan=False, allow_infinity=False))
def test_any_text_and_number_survive(tmp_path: Path, kept: dict[str, str], number: float) -> None:
    for cell, kind in (*((v, "text") for v in kept.values()), (number, "real"), (None, "real"), (None, "text")):
        assert archive_file.value_of(archive_file.cell(cell), kind) == cell
    first, second, path = (tmp_path / n for n in ("one.stathmis", "two.stathmis", "all.zip"))
    for left in (first, second, path):
        left.unlink(missing_ok=True)
        shutil.rmtree(left.with_name(left.stem + " backups"), ignore_errors=True)
    logbook = create_logbook(first, kept)
    archive.write(Desk(logbook, FixedClock(NOW_MS)), path)
    logbook.close()
    archive.restore(path, second)
    assert dump(first) == dump(second)


def test_an_archive_of_an_older_version_comes_in(demo: Desk, tmp_path: Path) -> None:
    """As version 4 wrote it: without the tables and columns that came later."""
    path, target = tmp_path / "all.zip", tmp_path / "again.stathmis"
    shapes = {s.name: s for s in whole.shapes(4)}
    assert "stay" not in shapes and "tray" not in shapes["batch"].columns
    tables = []
    for shape in shapes.values():
        names = next(s.columns for s in whole.shapes() if s.name == shape.name)
        kept = [names.index(c) for c in shape.columns]
        rows = [[row[i] for i in kept] for row in whole.rows(demo.logbook, shape.name)]
        tables.append((shape.name, shape.columns, shape.types, rows))
    archive_file.write_archive(path, tables, 4, "old")
    archive.restore(path, target)
    logbook = open_logbook(target)
    assert [b.tray for b in logbook.snapshot.records(Batch)] == ["grid"] * len(demo.book.records(Batch))
    logbook.close()


def changed(path: Path, name: str, text: str) -> None:
    """Replace one file of an archive."""
    with zipfile.ZipFile(path) as opened:
        files = {n: opened.read(n) for n in opened.namelist()}
    files[name] = text.encode()
    with zipfile.ZipFile(path, "w") as out:
        for n, raw in files.items():
            out.writestr(n, raw)


def test_what_is_wrong_is_said_and_nothing_is_half_made(demo: Desk, tmp_path: Path) -> None:
    path, target = tmp_path / "all.zip", tmp_path / "again.stathmis"
    said = archive.write(demo, path)
    with zipfile.ZipFile(path) as opened:
        rows = sum(t["rows"] for t in json.loads(opened.read("description.json"))["tables"])
    assert said == f"{rows:,} rows of {len(whole.shapes())} tables written to all.zip.".replace(",", " ")
    whole_text = path.read_bytes()

    def refused(says: str) -> None:
        with pytest.raises(UserError, match=says):
            archive.restore(path, target)
        assert not target.exists() and not list(tmp_path.glob("again*"))
        path.write_bytes(whole_text)

    path.write_bytes(b"PK nothing")
    refused("is no archive")
    path.write_bytes(whole_text[: len(whole_text) // 2])
    refused("is no archive")
    with zipfile.ZipFile(path) as opened:
        description = json.loads(opened.read("description.json"))
    changed(path, "description.json", json.dumps({**description, "format": 99}))
    refused("newer Stathmis")
    for version in (3, whole.VERSION + 1, "4", None):
        changed(path, "description.json", json.dumps({**description, "logbook_version": version}))
        refused(f"version {version}; this is {whole.VERSION}")
    fewer = [t for t in description["tables"] if t["name"] != "egg"]
    changed(path, "description.json", json.dumps({**description, "tables": fewer}))
    refused("lacks egg")
    changed(path, "batch.csv", "id,name\n1,x\n")
    refused("does not have its columns")
    changed(path, "chunk_reading.csv", "chunk_id,time_ms,shown\n1,2,abc\n")
    refused("line 2 cannot be read")
    changed(path, "chunk_reading.csv", "chunk_id,time_ms,shown\n1,2,37.0\n")
    refused("do not fit together")
    with pytest.raises(UserError, match="cannot be written"):
        archive.write(demo, tmp_path / "no" / "all.zip")
    target.write_bytes(b"kept")
    with pytest.raises(UserError):
        archive.restore(path, target)
    assert target.read_bytes() == b"kept", "a file that is there is left alone"


def test_every_table_is_in_it(demo: Desk) -> None:
    names = {s.name for s in whole.shapes()}
    with closing(sqlite3.connect(demo.logbook.path)) as connection:
        kept = {r[0] for r in connection.execute("SELECT name FROM sqlite_master WHERE type = 'table'")}
    assert names - {whole.UNFOLDED} == {n for n in kept if not n.startswith("sqlite_")}


def test_a_restoring_that_is_stopped_leaves_nothing(demo: Desk, tmp_path: Path) -> None:
    path, target = tmp_path / "all.zip", tmp_path / "again.stathmis"
    archive.write(demo, path)
    for after in (0, 1, 5, 20):
        looked: list[float] = []
        with pytest.raises(CancelledError):
            archive.restore(path, target, looked.append, lambda n=after, seen=looked: len(seen) > n)  # type: ignore[misc]
        assert [p.name for p in tmp_path.iterdir() if "again" in p.name] == [] and looked == sorted(looked)
    assert archive.restore(path, target) == "again.stathmis holds what was in all.zip."


@pytest.fixture(scope="module")
def packed(demo_file: Path, tmp_path_factory: pytest.TempPathFactory) -> bytes:
    """The demo's archive, without its loggers' readings."""
    path = tmp_path_factory.mktemp("packed") / "a.zip"
    desk = Desk(open_logbook(Path(shutil.copy(demo_file, path.with_name("demo.stathmis")))), FixedClock(NOW_MS))
    try:
        tables = [(s.name, s.columns, s.types, list(whole.rows(desk.logbook, s.name))) for s in whole.shapes()]
    finally:
        desk.logbook.close()
    small = [(n, c, t, [] if n in ("chunk", whole.UNFOLDED) else rows) for n, c, t, rows in tables]
    archive_file.write_archive(path, small, whole.VERSION, "Demo")
    return path.read_bytes()


def test_damaged_archives_are_restored_or_refused_in_words(packed: bytes, tmp_path: Path) -> None:
    rng = np.random.default_rng(9)
    source, target = tmp_path / "hurt.zip", tmp_path / "new.stathmis"
    for _ in range(60):
        data = bytearray(packed)
        for _ in range(int(rng.integers(1, 6))):
            data[int(rng.integers(0, len(data)))] ^= 1 << int(rng.integers(0, 8))
        source.write_bytes(bytes(data[: len(data) if rng.random() < 0.8 else int(rng.integers(1, len(data)))]))
        try:
            archive.restore(source, target)
        except UserError as error:
            assert error.what and error.to_do
        else:
            target.unlink()
        assert sorted(p.name for p in tmp_path.iterdir()) == ["hurt.zip"], "nothing half-made is left"


@pytest.mark.parametrize(
    ("table", "column", "value"),
    [
        ("setting", "value", "Nowhere/Land"),
        ("batch", "species", "unicorn"),
        ("calibration", "coefficients", "[1, 2"),
        ("incubator", "capacity", "9" * 40),
        ("placement", "incubator_id", "4711"),
    ],
)
def test_what_no_window_would_let_in_no_archive_brings_in(
    packed: bytes, tmp_path: Path, table: str, column: str, value: str
) -> None:
    source = tmp_path / "changed.zip"
    with zipfile.ZipFile(io.BytesIO(packed)) as old, zipfile.ZipFile(source, "w", zipfile.ZIP_DEFLATED) as new:
        for info in old.infolist():
            text = old.read(info).decode()
            if info.filename == f"{table}.csv":
                rows = list(csv.reader(io.StringIO(text)))
                at = rows[0].index(column)
                wanted = next(r for r in rows[1:] if table != "setting" or r[0] == "time_zone")
                wanted[at] = value
                out = io.StringIO()
                csv.writer(out).writerows(rows)
                text = out.getvalue()
            new.writestr(info.filename, text)
    with pytest.raises(UserError):
        archive.restore(source, tmp_path / "new.stathmis")
    assert not (tmp_path / "new.stathmis").exists()


def test_an_archive_that_unfolds_without_measure_is_refused_at_once(packed: bytes, tmp_path: Path) -> None:
    source = tmp_path / "bomb.zip"
    with zipfile.ZipFile(io.BytesIO(packed)) as old, zipfile.ZipFile(source, "w", zipfile.ZIP_DEFLATED) as new:
        for info in old.infolist():
            new.writestr(info.filename, b"0" * 400_000_000 if info.filename == "event.csv" else old.read(info))
    with pytest.raises(UserError, match="is no archive of a logbook"):
        archive.restore(source, tmp_path / "new.stathmis")
