"""Starting up: arguments to a logbook, a theme and a window; faults to the message strip and the log file."""

from __future__ import annotations

import argparse
import locale
import logging
import signal
import sys
import tempfile
import threading
from contextlib import nullcontext
from datetime import UTC, datetime
from functools import partial
from logging.handlers import RotatingFileHandler
from pathlib import Path
from urllib.parse import quote

import platformdirs
from PySide6.QtCore import QLocale, QSettings, QTimer
from PySide6.QtGui import QIcon
from PySide6.QtWidgets import QApplication

import stathmis
from stathmis.core.errors import UserError
from stathmis.logbook.opening import Logbook, back_up_daily, create_logbook, open_logbook
from stathmis.services import notify
from stathmis.services.clock import HOUR_MS, Clock, FixedClock, SystemClock, system_zone_name
from stathmis.services.desk import Desk
from stathmis.services.files import soundness
from stathmis.ui.starting import Starting
from stathmis.ui.theme import Theme
from stathmis.ui.window import Window
from stathmis.ui.work import Background
from stathmis.words import catalogue, damage, dates

log = logging.getLogger(__name__)


CHECK_AFTER_MS = 60_000
"""So long after the window stands the weekly check of the file may begin."""


def run(options: argparse.Namespace) -> int:
    """Open what was asked for and run until the window closes; returns the exit code."""
    app = QApplication(["stathmis"])
    # Qt takes the computer's: a logger's "AM" would then be read by its language
    locale.setlocale(locale.LC_TIME, "C")
    app.setApplicationName("stathmis")
    app.setApplicationDisplayName("Stathmis")
    app.setDesktopFileName("stathmis")
    app.setApplicationVersion(stathmis.__version__)
    app.setStyle("Fusion")
    icon = Path(__file__).parent.parent / "data" / "icons" / "stathmis.svg"
    app.setWindowIcon(QIcon(str(icon)))
    folder = tempfile.TemporaryDirectory(prefix="stathmis-demo-") if options.demo else nullcontext("")
    with folder as scratch:
        try:
            clock = _clock(options.now)
        except UserError as error:
            print(f"stathmis: {error}", file=sys.stderr)
            return 2
        desk = _begin(options, clock, Path(scratch))
        if desk is None:
            return 2
        if options.pictures is not None:
            from stathmis.ui.pictures import write_pictures

            theme = Theme(app, options.theme or "light", options.text or 1.0)
            for written in write_pictures(desk, theme, options.pictures):
                print(written)
            return 0
        _speak_like_the_computer()
        return _show(app, desk, options)


def _begin(options: argparse.Namespace, clock: Clock, scratch: Path) -> Desk | None:
    """The logbook at work; whatever is wrong with it is said, with ways on. None where the keeper gives up."""
    while True:
        try:
            desk = Desk(_logbook(options, clock, scratch), clock)
            # what every start reads: what cannot be read is said now, not by a window that does not come
            _ = desk.book.places(), desk.book.corrections
            return desk
        except UserError as error:
            found = error
        except Exception as error:
            log.exception("the logbook could not be opened")
            found = UserError(f"The logbook cannot be worked with ({type(error).__name__}: {error}).", "Try a backup.")
        print(f"stathmis: {found}", file=sys.stderr)
        if options.pictures is not None or options.demo:
            return None
        other = Starting(found, _path(options)).ask()
        if other is None:
            return None
        options.logbook = other


def _speak_like_the_computer() -> None:
    """Its user's language as far as there is a catalogue of it, and how they write days and times."""
    system = QLocale.system()
    catalogue.speak([name.replace("-", "_") for name in system.uiLanguages()])
    short = QLocale.FormatType.ShortFormat
    day, time = system.dateFormat(short), system.timeFormat(short)
    dates.use(dates.Style(twelve_hours="a" in time.lower(), month_first=day.lower().startswith("m")))


def _show(app: QApplication, desk: Desk, options: argparse.Namespace) -> int:
    settings = QSettings(str(Path(platformdirs.user_config_dir("stathmis")) / "window.ini"), QSettings.Format.IniFormat)
    _log_to_file()
    _catch_faults()
    scale = options.text or float(str(settings.value("scale", 1.0)))
    theme = Theme(app, options.theme or str(settings.value("theme", "system")), scale)
    window = Window(desk, theme, None if options.demo else settings)
    window.show()
    window.get_ready()
    # Ctrl+C in a terminal closes as the window's own button does; Python sees it only between Qt's events
    signal.signal(signal.SIGINT, lambda *_: window.close())
    signal.signal(signal.SIGTERM, lambda *_: window.close())
    heartbeat = QTimer()
    heartbeat.timeout.connect(lambda: None)
    heartbeat.start(500)
    daily = QTimer()
    if not options.demo:
        window.closing.connect(lambda: _back_up_at_closing(desk))
        daily.timeout.connect(lambda: _back_up_beside(desk))
        daily.start(HOUR_MS)
        daily.timeout.connect(lambda: _check_weekly(desk, settings))
        QTimer.singleShot(2000, lambda: _back_up_beside(desk))
        QTimer.singleShot(CHECK_AFTER_MS, daily, lambda: _check_weekly(desk, settings))
    return app.exec()


def _back_up(desk: Desk, *, again: bool = False) -> None:
    """Today's backup; again: as it is by now. Raises LogbookError where it cannot be written."""
    back_up_daily(desk.logbook, f"{desk.book.local(desk.now_ms):%Y-%m-%d}", again=again)


def _back_up_at_closing(desk: Desk) -> None:
    try:
        _back_up(desk, again=True)
    except UserError:
        # there is no window left to say it in; the backups before it are there
        log.exception("no backup at closing")


def _back_up_beside(desk: Desk) -> None:
    job = Background(lambda progress, cancelled: _back_up(desk))
    job.failed.connect(notify.tell_error)
    job.start()


def _check_weekly(desk: Desk, settings: QSettings) -> None:
    """Once a week the file is checked beside other work; what was altered is said, what was not is not."""
    key = "checked/" + quote(str(desk.logbook.path.absolute()), safe="")
    last = str(settings.value(key, ""))
    if not soundness.is_due(int(last) if last.isdecimal() else None, desk.now_ms):
        return

    def tell(found: soundness.Checked) -> None:
        # one that was cut off is made up for
        settings.setValue(key, str(desk.now_ms))
        if found.damages:
            words = damage.summary(found.damages, found.backup)
            notify.tell("error", " ".join([words, *damage.lines(desk.book, found.damages)[:1]]))

    job = Background(partial(soundness.checked, desk))
    job.done.connect(tell)
    job.failed.connect(notify.tell_error)
    job.start()


def _clock(now: str | None) -> Clock:
    if now is None:
        return SystemClock()
    try:
        at = datetime.fromisoformat(now)
    except ValueError:
        raise UserError(f"{now} is no time.", "Write it as 2026-05-18T08:40.") from None
    if at.tzinfo is None:
        at = at.replace(tzinfo=UTC)
    return FixedClock(round(at.timestamp() * 1000))


def _logbook(options: argparse.Namespace, clock: Clock, scratch: Path) -> Logbook:
    if options.demo:
        from stathmis.demo.scenario import build

        path = scratch / "demo.stathmis"
        build(path, clock.now_ms(), "UTC" if options.now else system_zone_name())
        return open_logbook(path)
    path = _path(options)
    if path.exists():
        return open_logbook(path)
    return create_logbook(path, {"name": "", "time_zone": system_zone_name()})


def _path(options: argparse.Namespace) -> Path:
    return options.logbook or Path(platformdirs.user_data_dir("stathmis")) / "logbook.stathmis"


def _log_to_file() -> None:
    folder = Path(platformdirs.user_state_dir("stathmis"))
    try:
        folder.mkdir(parents=True, exist_ok=True)
        handler = RotatingFileHandler(folder / "stathmis.log", maxBytes=500_000, backupCount=2, encoding="utf-8")
        (folder / "stathmis.log").chmod(0o600)
    except OSError:
        return
    handler.setFormatter(logging.Formatter("%(asctime)s %(levelname)s %(name)s: %(message)s"))
    logging.getLogger().addHandler(handler)


def _catch_faults() -> None:
    def told(error: BaseException) -> None:
        QTimer.singleShot(0, lambda: notify.tell_error(error))

    sys.excepthook = lambda kind, error, trace: told(error)
    threading.excepthook = lambda args: told(args.exc_value) if args.exc_value else None
