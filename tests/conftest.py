"""Shared by all tests: an offscreen Qt, a fixed clock, a fresh logbook, and the demo logbook built once."""

from __future__ import annotations

import gc
import logging
import os
import tempfile
from collections.abc import Callable, Iterator
from pathlib import Path

# before Qt is loaded: no display, and letters drawn alike on every computer
os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
os.environ["FONTCONFIG_FILE"] = f"{Path(__file__).parent.parent}/src/stathmis/data/fonts/pictures.conf"
# sentences are looked for in English, whatever the language of the computer
os.environ["LANGUAGE"] = "en"

import pytest
from hypothesis import HealthCheck, settings

import cost
from sharing import NOW_MS, Mark, air_beside, build_demo, once_a_run
from stathmis.logbook.opening import create_logbook
from stathmis.services import notify
from stathmis.services.clock import FixedClock
from stathmis.services.desk import Desk

settings.register_profile(
    "stathmis", deadline=None, derandomize=True, database=None, suppress_health_check=[HealthCheck.too_slow]
)
settings.load_profile("stathmis")


def pytest_addoption(parser: pytest.Parser) -> None:
    parser.addoption("--long", action="store_true", help="before a release: everything, counted over 10,000 trials")


def pytest_configure(config: pytest.Config) -> None:
    config.pluginmanager.register(cost, "cost")
    if config.getoption("--long"):
        os.environ.setdefault("STATHMIS_TRIALS", "10000")


def pytest_collection_finish(session: pytest.Session) -> None:
    # what is loaded by now stays: looking through it again and again for garbage takes a tenth of a run
    gc.collect()
    gc.freeze()
    gc.set_threshold(20_000, 20, 50)


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
    return once_a_run(tmp_path_factory, "demo.stathmis", lambda path: build_demo(path, air_beside(path)))


@pytest.fixture(scope="session")
def demo_mark(demo_file: Path, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Mark]:
    """What the demo logbook is before a test does anything to it."""
    mark = Mark(demo_file, tmp_path_factory.mktemp("mark") / "demo.stathmis")
    yield mark
    mark.close()


@pytest.fixture
def demo(demo_mark: Mark, tmp_path: Path, request: pytest.FixtureRequest) -> Iterator[Desk]:
    """A copy of the demo logbook, opened. Who alters the code for a test finds everything anew."""
    anew = bool({"monkeypatch", "found_anew"} & set(request.fixturenames))
    with demo_mark.copy(tmp_path / "demo.stathmis", anew=anew) as desk:
        yield desk


@pytest.fixture
def found_anew() -> None:
    """The demo logbook with nothing found out yet, for tests of how things are found."""


@pytest.fixture(scope="session")
def lessons(tmp_path_factory: pytest.TempPathFactory) -> Callable[[str, int], Path]:
    """The logbook of a lesson as it is taken over, lived up to there once a run; to be copied."""
    from stathmis.services.practice import taking_over

    return lambda key, seed: once_a_run(
        tmp_path_factory, f"{key} {seed}.stathmis", lambda path: taking_over.begin(path, key, seed)
    )


@pytest.fixture(autouse=True)
def no_unexpected_errors(caplog: pytest.LogCaptureFixture) -> Iterator[None]:
    """An error in our own log is a failed test; messages left for no window are dropped."""
    yield
    notify.listen(lambda message: None)
    notify.listen(None)
    errors = [r for r in caplog.get_records("call") if r.levelno >= logging.ERROR and r.name.startswith("stathmis")]
    assert not errors, errors
