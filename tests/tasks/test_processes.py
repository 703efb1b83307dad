"""The application as a process: starting, what it loads, pictures without a display, a real one, being killed."""

from __future__ import annotations

import os
import shutil
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest

from making import environment

ROOT = Path(__file__).resolve().parents[2]


def python(code: str, **more: str) -> subprocess.CompletedProcess[str]:
    return subprocess.run(
        [sys.executable, "-c", code], capture_output=True, text=True, env=environment(**more), timeout=120, check=False
    )


def test_twenty_thousand_calls_that_return_nothing() -> None:
    """A binding that loses a reference to None at each such call aborts long before this many."""
    done = python(
        "import sys\n"
        "from PySide6.QtWidgets import QApplication, QLabel\n"
        "app = QApplication([])\n"
        "label = QLabel()\n"
        "for i in range(20_000):\n"
        "    label.setText('x')\n"
        "print('survived')"
    )
    assert done.stdout.strip() == "survived", done.stderr[-400:]


def test_everything_below_the_window_works_without_qt() -> None:
    done = python(
        "import sys, pkgutil, importlib\n"
        "for name in ('PySide6', 'shiboken6', 'pyqtgraph'): sys.modules[name] = None\n"
        "import stathmis\n"
        "names = [m.name for m in pkgutil.walk_packages(stathmis.__path__, 'stathmis.')\n"
        "         if not m.name.startswith(('stathmis.ui', 'stathmis.__main__'))]\n"
        "for name in names: importlib.import_module(name)\n"
        "print(len(names))\n"
        "print(' '.join(m for m in ('pandas', 'scipy.stats', 'scipy.optimize') if m in sys.modules))"
    )
    assert done.returncode == 0, done.stderr[-800:]
    count, heavy = done.stdout.split("\n")[:2]
    assert int(count) > 30
    assert heavy == "", "no module loads these just by being imported"


def test_the_first_paint_loads_nothing_heavy(demo_file: Path, tmp_path: Path) -> None:
    path = tmp_path / "d.stathmis"
    shutil.copy(demo_file, path)
    done = python(
        "import sys\n"
        "from pathlib import Path\n"
        "from PySide6.QtWidgets import QApplication\n"
        "app = QApplication([])\n"
        "from stathmis.logbook.opening import open_logbook\n"
        "from stathmis.services.desk import Desk\n"
        "from stathmis.services.clock import FixedClock\n"
        "from stathmis.ui.theme import Theme\n"
        "from stathmis.ui.window import Window\n"
        f"window = Window(Desk(open_logbook(Path({str(path)!r})), FixedClock(1_779_093_600_000)), Theme(app))\n"
        "window.show(); app.processEvents()\n"
        "print([m for m in ('pandas', 'scipy', 'pyqtgraph', 'sqlalchemy') if m in sys.modules])\n"
        "window.close()"
    )
    assert done.stdout.strip() == "[]", done.stdout + done.stderr[-400:]


@pytest.mark.heavy("a process of its own builds the demo logbook")
def test_pictures_without_a_display(tmp_path: Path) -> None:
    done = python(
        "import os, sys\n"
        "for name in ('DISPLAY', 'QT_QPA_PLATFORM'): os.environ.pop(name, None)\n"
        "from stathmis.ui import pictures\n"
        "pictures.PICTURED = ('round', 'live')\n"
        # a whole hatch is played for it: its picture has a test of its own
        "from PySide6.QtGui import QPixmap\n"
        "pictures.uncovering = lambda theme: QPixmap(8, 8)\n"
        "from stathmis.__main__ import main\n"
        f"sys.exit(main(['--demo', '--now', '2026-05-18T08:40', '--pictures', {str(tmp_path)!r}]))"
    )
    assert done.returncode == 0, done.stderr[-400:]
    assert done.stdout.split() == [str(tmp_path / f"{name}.png") for name in ("round", "live", "uncovering")]
    assert (tmp_path / "round.png").read_bytes()[1:4] == b"PNG"


@pytest.mark.parametrize(
    ("arguments", "says"),
    [
        (["--demo", "--now", "soon", "--pictures", "x"], "soon is no time. Write it as 2026-05-18T08:40."),
        (["README.md", "--pictures", "x"], "README.md is not a Stathmis logbook."),
    ],
)
def test_refusals_on_the_command_line(arguments: list[str], says: str) -> None:
    done = subprocess.run(
        [sys.executable, "-m", "stathmis", *arguments],
        capture_output=True, text=True, env=environment(), cwd=ROOT, timeout=60, check=False,
    )  # fmt: skip
    assert done.returncode == 2
    assert says in done.stderr


def _open_window(path: Path, home: Path, **more: str) -> subprocess.Popen[str]:
    home.mkdir(mode=0o700, exist_ok=True)
    names = ("XDG_CONFIG_HOME", "XDG_DATA_HOME", "XDG_STATE_HOME", "XDG_RUNTIME_DIR")
    folders = dict.fromkeys(names, str(home))
    return subprocess.Popen(
        [sys.executable, "-m", "stathmis", str(path)],
        env=environment(**folders, **more), stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True,
    )  # fmt: skip


def _wait_for(condition, seconds: float = 20.0) -> bool:  # type: ignore[no-untyped-def]
    until = time.monotonic() + seconds
    while time.monotonic() < until:
        if condition():
            return True
        time.sleep(0.05)
    return False


def test_the_window_opens_a_logbook_backs_it_up_and_closes_on_request(tmp_path: Path) -> None:
    path = tmp_path / "mine.stathmis"
    process = _open_window(path, tmp_path / "home")
    assert _wait_for(lambda: list((tmp_path / "mine backups").glob("*.stathmis")))
    process.send_signal(signal.SIGTERM)
    _, error = process.communicate(timeout=20)
    assert process.returncode == 0, error[-400:]
    assert "Traceback" not in error
    from stathmis.logbook.opening import open_logbook

    open_logbook(path).close()


def test_killed_while_open_it_opens_again_with_what_a_command_logged(
    demo_file: Path, tmp_path: Path, short: Path
) -> None:
    """A command goes through the open window; killed the moment it was told "logged", the reading is there."""
    path, home = tmp_path / "d.stathmis", short / "home"
    shutil.copy(demo_file, path)
    process = _open_window(path, home)
    assert _wait_for(lambda: list((tmp_path / "d backups").glob("*.stathmis")))
    done = subprocess.run(
        [sys.executable, "-m", "stathmis", "log", "--logbook", str(path), "Long stick", "37.9"],
        capture_output=True, text=True, env=environment(XDG_RUNTIME_DIR=str(home)), timeout=60, check=False,
    )  # fmt: skip
    process.kill()
    process.communicate()
    assert done.returncode == 0, done.stderr
    assert done.stdout.startswith("Long stick: 37.9 °C logged")
    from stathmis.logbook.opening import open_logbook
    from stathmis.logbook.records import Incubator, Reading

    logbook = open_logbook(path)
    assert len(logbook.snapshot.records(Incubator)) == 4
    assert max(logbook.snapshot.records(Reading), key=lambda r: r.id).typed == "37.9"
    logbook.close()


@pytest.mark.heavy("two whole tasks again, in a process of its own")
@pytest.mark.xvfb
@pytest.mark.skipif(shutil.which("Xvfb") is None, reason="no virtual display on this machine")
def test_the_main_flows_on_a_real_display(tmp_path: Path) -> None:
    """The keeper's day and a whole batch again, in real windows on an X display of their own."""
    read_end, write_end = os.pipe()
    display = subprocess.Popen(
        ["Xvfb", "-displayfd", str(write_end), "-screen", "0", "1400x900x24", "-nolisten", "tcp"],
        pass_fds=[write_end], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
    )  # fmt: skip
    os.close(write_end)
    try:
        with os.fdopen(read_end) as pipe:
            number = pipe.readline().strip()
        done = subprocess.run(
            [sys.executable, "-m", "pytest", "-p", "no:xdist", "--basetemp", str(tmp_path / "inner"),
             "tests/tasks/test_keepers_day.py", "tests/ui/test_whole_batch.py"],
            capture_output=True, text=True, cwd=ROOT, timeout=240, check=False,
            env=environment(DISPLAY=f":{number}", QT_QPA_PLATFORM="xcb"),
        )  # fmt: skip
        assert done.returncode == 0, done.stdout[-3000:] + done.stderr[-500:]
        assert " passed" in done.stdout
    finally:
        display.terminate()
        display.wait()
