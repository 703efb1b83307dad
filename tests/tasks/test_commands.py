"""Commands without a window: what they write is there, they refuse like Round, and there is one writer at a time."""

from __future__ import annotations

import shutil
import subprocess
import sys
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import pytest

from making import environment
from stathmis import command
from stathmis.core.errors import UserError
from stathmis.logbook.opening import LogbookError, look_beside, open_logbook
from stathmis.logbook.records import Reading
from stathmis.services.clock import FixedClock
from stathmis.services.command import handing_over
from stathmis.services.command.handing_over import Listener
from stathmis.services.command.verbs import Import, Log
from stathmis.services.desk import Desk

THEN = "2026-05-18T08:40"


@pytest.fixture(autouse=True)
def _own_runtime_folder(short: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("XDG_RUNTIME_DIR", str(short))


def run(path: Path, *arguments: str) -> int:
    verb, *more = arguments
    return command.main([verb, "--logbook", str(path), "--now", THEN, *more])


def test_a_reading_is_logged_and_refused_like_on_round(demo: Desk, capsys: pytest.CaptureFixture[str]) -> None:
    path = demo.logbook.path
    demo.logbook.close()
    assert run(path, "log", "long stick", "37.4") == command.DONE
    assert "Long stick: 37.4 °C logged, 18 May 08:40." in capsys.readouterr().out
    for arguments, says in (
        (["log", "Long stick", "99.5"], "Is that °F? 99.5 °F is 37.5 °C. Write 99.5F."),
        (["log", "Long stick", "warm"], "Type a number"),
        (["log", "Shelf logger", "37.4"], "Shelf logger shows temperature and humidity: which is 37.4?"),
        (["log", "Nobody", "37.4"], "There are: Bench hygrometer, "),
        (["log", "Long stick", "37.4", "48"], "Long stick shows 1 value."),
        (["log", "Long stick", "37.4", "--at", "23:30"], "For yesterday, write: yesterday 23:30."),
        (["import", "none.csv"], "none.csv"),
        (["export", "readings.doc"], "Its ending says it: .csv, .ics, .zip."),
        (["report", "r.pdf", "--batch", "Nobody's"], "No batch is called “Nobody's”."),
    ):
        assert run(path, *arguments) == command.WRONG
        assert says in capsys.readouterr().err
    assert run(path, "log", "Shelf logger", "48%", "37.4C", "--at", "yesterday 21:30") == command.DONE
    with open_logbook_at(path) as desk:
        newest = sorted(desk.book.records(Reading), key=lambda r: r.id)[-3:]
        assert [(r.typed, r.unit) for r in newest] == [("37.4", "°C"), ("48%", "%"), ("37.4C", "°C")]
        assert desk.undo() == "2 readings logged"


class open_logbook_at:  # noqa: N801  a context, named like what it does
    def __init__(self, path: Path) -> None:
        self.logbook = open_logbook(path)

    def __enter__(self) -> Desk:
        return Desk(self.logbook, FixedClock(1_779_093_600_000))

    def __exit__(self, *_: object) -> None:
        self.logbook.close()


@pytest.mark.heavy("a process of its own builds the demo logbook")
def test_files_are_written_and_read(demo: Desk, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    path = demo.logbook.path
    for name, begins in (("r.csv", b"\xef\xbb\xbftime"), ("a.zip", b"PK"), ("p.ics", b"BEGIN:VCALENDAR")):
        assert run(path, "export", str(tmp_path / name)) == command.DONE
        assert (tmp_path / name).read_bytes().startswith(begins)
    assert run(path, "report", str(tmp_path / "r.html")) == command.DONE
    assert (tmp_path / "r.html").read_text(encoding="utf-8").startswith("<!DOCTYPE html>")
    # on paper in a process of its own, without a display: it draws
    asked = ["report", str(tmp_path / "r.pdf"), "--logbook", str(path), "--now", THEN]
    subprocess.run([sys.executable, "-m", "stathmis", *asked], env=environment(), timeout=60, check=True)
    assert (tmp_path / "r.pdf").read_bytes().startswith(b"%PDF")
    assert run(path, "check") == command.DONE
    assert "as it was written" in capsys.readouterr().out


def test_looking_beside_writes_nothing(demo: Desk) -> None:
    beside = look_beside(demo.logbook.path)
    try:
        with pytest.raises(LogbookError, match="read-only"):
            Log("Long stick", ("37.4",)).run(Desk(beside, demo.clock))
    finally:
        beside.close()


def test_a_command_is_handed_to_the_window(demo: Desk, capsys: pytest.CaptureFixture[str]) -> None:
    """As many as come at once: each is there when it is told so, and the window is told of each."""
    told: list[str] = []
    path, before = demo.logbook.path, len(demo.book.records(Reading))
    with Listener(demo, told.append):
        assert oct(handing_over.socket_path(path).stat().st_mode)[-3:] == "600"
        assert oct(handing_over.socket_path(path).parent.stat().st_mode)[-3:] == "700"
        with ThreadPoolExecutor(4) as pool:
            said = list(pool.map(lambda i: handing_over.ask(path, Log("Long stick", (f"37.{i}",))), range(8)))
        assert len(demo.book.records(Reading)) == before + 8
        assert sorted(map(str, said)) == sorted(told) and len(told) == 8
        with pytest.raises(UserError, match="Is that °F"):
            handing_over.ask(path, Log("Long stick", ("99.5",)))
        with pytest.raises(UserError, match="none"):
            handing_over.ask(path, Import(str(path.with_name("none.csv"))))
    assert not handing_over.socket_path(path).exists()
    assert handing_over.ask(path, Log("Long stick", ("37.4",))) is None


@pytest.mark.parametrize(
    "garbage", [b"", b"\n", b"{}\n", b"[1]\n", b"\xff\xfe\n", b"x" * 100_000, b'{"version": "0.0", "verb": "log"}\n']
)
def test_garbage_does_not_end_the_listener(demo: Desk, garbage: bytes) -> None:
    import socket

    path = demo.logbook.path
    with Listener(demo, lambda said: None):
        with socket.socket(socket.AF_UNIX) as link:
            link.connect(str(handing_over.socket_path(path)))
            try:
                link.sendall(garbage)
                link.shutdown(socket.SHUT_WR)
            except OSError:
                pass  # it may have been dropped meanwhile
        assert "logged" in str(handing_over.ask(path, Log("Long stick", ("37.4",))))


def test_a_window_that_does_not_answer_is_told(
    demo: Desk, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    monkeypatch.setattr(command, "WAIT_S", 0.1)
    assert run(demo.logbook.path, "log", "Long stick", "37.4") == command.SHUT
    assert "it does not answer. Nothing was written." in capsys.readouterr().err


def test_scripts_that_write_at_once_wait_for_each_other(demo_file: Path, tmp_path: Path) -> None:
    path = tmp_path / "d.stathmis"
    shutil.copy(demo_file, path)
    calls = [
        subprocess.Popen(
            [sys.executable, "-m", "stathmis", "log", "--logbook", str(path), "--now", THEN, "Long stick", f"37.{i}"],
            env=environment(), stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True,
        )
        for i in range(4)
    ]  # fmt: skip
    for call in calls:
        _out, error = call.communicate(timeout=60)
        assert call.returncode == 0, error
        assert "Traceback" not in error
    with open_logbook_at(path) as desk:
        typed = [r.typed for r in sorted(desk.book.records(Reading), key=lambda r: r.id)[-4:]]
        assert sorted(typed) == ["37.0", "37.1", "37.2", "37.3"]
