"""Shared by all tests: an offscreen Qt, a fixed clock, a fresh logbook, and the demo logbook built once."""

from __future__ import annotations

import logging
import os
import shutil
import tempfile
from collections.abc import Iterator
from pathlib import Path

# before Qt is loaded: no display, and letters drawn alike on every computer
os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
os.environ["FONTCONFIG_FILE"] = f"{Path(__file__).parent.parent}/src/stathmis/data/fonts/pictures.conf"
# sentences are looked for in English, whatever the language of the computer
os.environ["LANGUAGE"] = "en"

import pytest
from hypothesis import HealthCheck, settings

from stathmis.logbook.opening import create_logbook, open_logbook
from stathmis.services import notify
from stathmis.services.clock import FixedClock
from stathmis.services.desk import Desk

settings.register_profile(
    "stathmis", deadline=None, derandomize=True, database=None, suppress_health_check=[HealthCheck.too_slow]
)
settings.load_profile("stathmis")

NOW_MS = 1_779_093_600_000
"""2026-05-18 08:40 UTC, a Monday."""


@pytest.fixture
def short() -> Iterator[Path]:
    """A folder with a short path: a socket's has at most 107 characters, and those of tests grow with their number."""
    with tempfile.TemporaryDirectory(prefix="s-") as folder:
        yield Path(folder)


@pytest.fixture(scope="session", autouse=True)
def _runtime_folder(tmp_path_factory: pytest.TempPathFactory) -> None:
    """Windows listen for commands in a folder of the tests' own."""
    folder = tmp_path_factory.mktemp("run")
    folder.chmod(0o700)
    os.environ["XDG_RUNTIME_DIR"] = str(folder)


@pytest.fixture
def desk(tmp_path: Path) -> Iterator[Desk]:
    """An empty logbook in UTC with a clock that stands still."""
    logbook = create_logbook(tmp_path / "log.stathmis", {"name": "Test", "time_zone": "UTC", "altitude_m": "900"})
    yield Desk(logbook, FixedClock(NOW_MS))
    logbook.close()


@pytest.fixture(scope="session")
def demo_file(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The demo logbook as a file; copy it, do not open it."""
    from stathmis.demo.scenario import build

    path = tmp_path_factory.mktemp("demo") / "demo.stathmis"
    build(path, NOW_MS, "UTC")
    return path


@pytest.fixture
def demo(demo_file: Path, tmp_path: Path) -> Iterator[Desk]:
    """A copy of the demo logbook, opened."""
    path = tmp_path / "demo.stathmis"
    shutil.copy(demo_file, path)
    logbook = open_logbook(path)
    yield Desk(logbook, FixedClock(NOW_MS))
    logbook.close()


@pytest.fixture(autouse=True)
def no_unexpected_errors(caplog: pytest.LogCaptureFixture) -> Iterator[None]:
    """An error in our own log is a failed test; messages left for no window are dropped."""
    yield
    notify.listen(lambda message: None)
    notify.listen(None)
    errors = [r for r in caplog.get_records("call") if r.levelno >= logging.ERROR and r.name.startswith("stathmis")]
    assert not errors, errors
