"""Starting up: arguments to a logbook, a theme and a window; faults to the message strip and the log file."""

from __future__ import annotations

import argparse
import locale
import logging
import shutil
import signal
import sys
import tempfile
import threading
from collections.abc import Callable
from contextlib import nullcontext
from functools import partial
from logging.handlers import RotatingFileHandler
from pathlib import Path
from typing import TYPE_CHECKING
from urllib.parse import quote

import platformdirs
from PySide6.QtCore import QLocale, QSettings, QTimer
from PySide6.QtGui import QIcon
from PySide6.QtWidgets import QApplication

import stathmis
from stathmis.core.errors import UserError
from stathmis.logbook import backups, edits
from stathmis.logbook.opening import Logbook, create_logbook, open_logbook, usual_path
from stathmis.services import notify
from stathmis.services.clock import HOUR_MS, Clock, FixedClock, SystemClock, fixed_at, system_zone_name
from stathmis.services.command.handing_over import Listener
from stathmis.services.desk import Desk
from stathmis.services.files import backing_up, soundness
from stathmis.ui import language
from stathmis.ui.starting import Starting
from stathmis.ui.theme import Theme
from stathmis.ui.window import Window
from stathmis.ui.work import Background
from stathmis.words import backups as backup_words
from stathmis.words import catalogue, damage
from stathmis.words import command as command_words
from stathmis.words.catalogue import _

if TYPE_CHECKING:
    from stathmis.services.practice.under_way import Practice

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
    passing = options.demo or options.look
    with tempfile.TemporaryDirectory(prefix="stathmis-") if passing else nullcontext("") as scratch:
        try:
            clock = _clock(options.now)
        except UserError as error:
            print(f"stathmis: {error}", file=sys.stderr)
            return 2
        settings = _settings()
        pictures = options.pictures is not None
        language.speak(options.language or (catalogue.ENGLISH if pictures else language.chosen(settings)))
        chosen = "light" if options.pictures is not None else str(settings.value("theme", "system"))
        kept = 1.0 if options.pictures is not None else float(str(settings.value("scale", 1.0)))
        theme = Theme(app, options.theme or chosen, options.text or kept)
        if options.pictures is None and settings.value("contrast") == "more":
            theme.switch_contrast()
        desk = _begin(options, clock, Path(scratch), theme)
        if desk is None:
            return 2
        if options.pictures is not None:
            from stathmis.ui.pictures import write_pictures

            for written in write_pictures(desk, theme, options.pictures):
                print(written)
            return 0
        _log_to_file()
        _catch_faults()
        stand = None
        while desk is not None:
            window, code = _show(app, theme, settings, desk, options, stand)
            stand = window.stood
            if window.language_wanted is not None:
                settings.setValue(language.KEY, window.language_wanted)
                language.speak(window.language_wanted)
                desk = _opened_again(desk, options, clock, Path(scratch), theme)
                continue
            if window.back_to is None:
                return code
            told = _go_back(desk, window.back_to)
            desk = _begin(options, clock, Path(scratch), theme)
            # once its window listens
            QTimer.singleShot(0, told)
        return 2


def _go_back(desk: Desk, backup: Path) -> Callable[[], None]:
    """Put a backup in the place of a logbook that was closed; returns what is to be said of it."""
    path, at = desk.logbook.path, desk.book.local(desk.now_ms)
    try:
        aside = backups.go_back(path, backup, f"{at:%Y-%m-%d %H%M%S}")
    except UserError as error:
        return partial(notify.tell_error, error)
    day = backup_words.name(backup, backups.folder_of(path))
    return partial(notify.tell, "info", backup_words.gone_back(day, aside))


def _begin(options: argparse.Namespace, clock: Clock, scratch: Path, theme: Theme | None = None) -> Desk | None:
    """The logbook at work; whatever is wrong with it is said, with ways on. None where the keeper gives up."""
    while True:
        try:
            logbook = _logbook(options, clock, scratch)
            # a backup is shown as things stood then: its eggs have not been in for months
            desk = Desk(logbook, _then(logbook) if options.look and not options.now else clock)
            # what every start reads: what cannot be read is said now, not by a window that does not come
            _read = desk.book.places(), desk.book.corrections
            return desk
        except UserError as error:
            found = error
        except Exception as error:
            log.exception("the logbook could not be opened")
            found = UserError(
                _("The logbook cannot be worked with ({name}: {error}).", name=type(error).__name__, error=error),
                _("Try a backup."),
            )
        print(f"stathmis: {found}", file=sys.stderr)
        if options.pictures is not None or options.demo:
            return None
        question = Starting(found, _path(options))
        if theme is not None:
            theme.dress(question)
        other = question.ask()
        if other is None:
            return None
        options.logbook = other


def _settings() -> QSettings:
    return QSettings(str(Path(platformdirs.user_config_dir("stathmis")) / "window.ini"), QSettings.Format.IniFormat)


def _show(
    app: QApplication,
    theme: Theme,
    settings: QSettings,
    desk: Desk,
    options: argparse.Namespace,
    stand: language.Stand | None,
) -> tuple[Window, int]:
    """Run the window until it closes, where the keeper stood before; returns it, which says why, and the exit code."""
    practice = _practice(desk)
    passing = options.demo or options.look or practice is not None
    window = Window(desk, theme, None if passing else settings, practice)
    if options.look:
        window.setWindowTitle(backup_words.only_looked_at(_path(options)))
    if stand is not None:
        window.stand_at(stand)
    window.show()
    if stand is not None:
        language.type_again(window, stand.typed)
    window.get_ready()
    # Ctrl+C in a terminal closes as the window's own button does; Python sees it only between Qt's events
    signal.signal(signal.SIGINT, lambda *_: window.close())
    signal.signal(signal.SIGTERM, lambda *_: window.close())
    heartbeat = QTimer()
    heartbeat.timeout.connect(lambda: None)
    heartbeat.start(500)
    daily = QTimer()
    if not passing:
        # whoever goes back to today's backup wants it as it is
        window.closing.connect(lambda: _back_up_at_closing(desk) if window.goes_for_good else None)
        told: set[str] = set()
        daily.timeout.connect(lambda: _back_up_beside(desk, told))
        daily.start(HOUR_MS)
        daily.timeout.connect(lambda: _check_weekly(desk, settings))
        QTimer.singleShot(2000, daily, lambda: _back_up_beside(desk, told))
        QTimer.singleShot(CHECK_AFTER_MS, daily, lambda: _check_weekly(desk, settings))

    def commanded(said: str) -> None:
        desk.deliver(partial(notify.tell, "info", command_words.told_in_window(said)))

    with Listener(desk, commanded) if not passing else nullcontext():
        code = app.exec()
    heartbeat.stop()
    daily.stop()
    return window, code


def _practice(desk: Desk) -> Practice | None:
    """The practice hatch a logbook is of, in whose own time it is then; None for a real one."""
    if not desk.book.snapshot.settings.get("practice"):
        return None
    # few windows are of practice
    from stathmis.services.practice.under_way import Practice

    before, clock = desk.clock, FixedClock(desk.now_ms)
    desk.clock = clock
    try:
        return Practice.resume(desk, clock)
    except UserError as error:
        # its log can still be looked at; said once a window listens
        desk.clock = before
        notify.tell_error(error)
        return None


def _back_up_at_closing(desk: Desk) -> None:
    try:
        backing_up.back_up(desk, again=True)
    except UserError:
        # there is no window left to say it in; the backups before it are there
        log.exception("no backup at closing")


def _back_up_beside(desk: Desk, told: set[str]) -> None:
    """Today's backup, beside other work; what keeps it from being written is told once a day."""

    def tell(error: BaseException) -> None:
        words = f"{desk.book.local(desk.now_ms):%Y-%m-%d} {error}"
        if words not in told:
            told.add(words)
            notify.tell_error(error)

    job = Background(lambda progress, cancelled: backing_up.back_up(desk))
    job.failed.connect(tell)
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
            notify.tell("error", damage.in_short(desk.book, found.damages, found.backup))

    job = Background(partial(soundness.checked, desk))
    job.done.connect(tell)
    job.failed.connect(notify.tell_error)
    job.start()


def _clock(now: str | None) -> Clock:
    return SystemClock() if now is None else fixed_at(now)


def _logbook(options: argparse.Namespace, clock: Clock, scratch: Path) -> Logbook:
    if options.demo:
        from stathmis.demo.scenario import build

        path = scratch / "demo.stathmis"
        build(path, clock.now_ms(), "UTC" if options.now else system_zone_name())
        return open_logbook(path)
    path = _path(options)
    if options.look:
        return _looked_at(path, scratch)
    if path.exists():
        return open_logbook(path)
    return create_logbook(path, {"name": "", "time_zone": system_zone_name(), "temperature_unit": _usual_unit()})


def _opened_again(desk: Desk, options: argparse.Namespace, clock: Clock, scratch: Path, theme: Theme) -> Desk | None:
    """The same logbook at work again in another language; where it is gone meanwhile, as at the start."""
    try:
        logbook = open_logbook(desk.logbook.path)
    except UserError:
        return _begin(options, clock, scratch, theme)
    return Desk(logbook, _then(logbook) if options.look and not options.now else clock)


def _usual_unit() -> str:
    """°F where the computer counts so; the first questions offer the other."""
    american = QLocale.MeasurementSystem.ImperialUSSystem
    return "°F" if QLocale.system().measurementSystem() == american else "°C"


def _looked_at(path: Path, scratch: Path) -> Logbook:
    """A copy of a logbook that can only be looked at; one of an older program is brought up to date in it."""
    copy = scratch / path.name
    try:
        shutil.copyfile(path, copy)
    except OSError as error:
        raise UserError(
            _("{path} cannot be read: {strerror}.", path=path.name, strerror=error.strerror), _("Is it still there?")
        ) from error
    open_logbook(copy).close()
    copy.chmod(0o400)
    return open_logbook(copy)


def _then(logbook: Logbook) -> Clock:
    """A clock that stands at the newest thing a logbook holds."""
    tails = [logbook.snapshot.tail(channel).times_ms for channel in logbook.snapshot.live_channels()]
    newest = [*(done.at_ms for done in edits.history(logbook, 1)), *(int(tail[-1]) for tail in tails)]
    return FixedClock(max(newest)) if newest else SystemClock()


def _path(options: argparse.Namespace) -> Path:
    return options.logbook or usual_path()


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
