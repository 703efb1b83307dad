"""Simulated probes from the command line."""

from __future__ import annotations

import os
import threading
import time
from pathlib import Path

import pytest

from stathmis.devices.bench_command import main


def test_so_many_probes_speak_for_so_long(capsys: pytest.CaptureFixture[str]) -> None:
    ended: list[int] = []
    began = time.monotonic()
    running = threading.Thread(
        target=lambda: ended.append(main(["--probes", "2", "--lines", "20", "--seconds", "1.2"]))
    )
    running.start()
    devices: list[str] = []
    while len(devices) < 2 and time.monotonic() - began < 10:
        devices += capsys.readouterr().out.split()
        time.sleep(0.02)
    heard = []
    for device in devices:
        with os.fdopen(os.open(device, os.O_RDONLY | os.O_NOCTTY), "rb", buffering=0) as port:
            heard.append(port.read(200))
    running.join(20)
    assert ended == [0] and time.monotonic() - began >= 1.2
    assert len(set(devices)) == 2 and all(b"\n" in said or len(said) > 5 for said in heard)


@pytest.mark.parametrize("wrong", [["--probes", "0"], ["--lines", "0"], ["--speed", "0"]])
def test_what_cannot_be_is_refused(wrong: list[str], capsys: pytest.CaptureFixture[str]) -> None:
    with pytest.raises(SystemExit):
        main(wrong)
    assert "above 0" in capsys.readouterr().err


def test_control_c_ends_it_and_lets_go_of_the_ports(
    monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    def interrupted(_seconds: float) -> None:
        raise KeyboardInterrupt

    monkeypatch.setattr("stathmis.devices.bench_command.time.sleep", interrupted)
    assert main(["--speed", "0.001"]) == 0
    assert not Path(capsys.readouterr().out.strip()).exists()
