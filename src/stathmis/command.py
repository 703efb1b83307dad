"""The commands of a terminal or a script: stathmis log | import | export | now | check | report.

Exit codes: 0 done; 1 something is amiss (an alarm, an altered file); 2 the command or what it names is wrong, nothing
was written; 3 the logbook cannot be opened, or a window holds it and does not answer.
"""

from __future__ import annotations

import argparse
import json
import os
import sys
import time
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path

from stathmis.core.errors import UserError
from stathmis.logbook.opening import HeldError, Logbook, LogbookError, look_beside, open_logbook, usual_path
from stathmis.services.clock import Clock, SystemClock, fixed_at
from stathmis.services.command import handing_over
from stathmis.services.command.verbs import Import, Log, Verb
from stathmis.services.desk import Desk
from stathmis.words import command as words
from stathmis.words.catalogue import _

DONE, AMISS, WRONG, SHUT = range(4)
WAIT_S = 5.0
"""So long another command that writes is waited for."""


def main(argv: Sequence[str]) -> int:
    """Run a command; returns the exit code."""
    options = parser().parse_args(argv)
    try:
        code: int = options.run(options)
    except LogbookError as error:
        print(f"stathmis: {error}", file=sys.stderr)
        return SHUT
    except UserError as error:
        print(f"stathmis: {error}", file=sys.stderr)
        return WRONG
    return code


def parser() -> argparse.ArgumentParser:
    """All commands with what they take."""
    made = argparse.ArgumentParser(
        prog="stathmis",
        description=words.help_of("commands"),
        epilog=words.help_of("codes"),
    )
    commands = made.add_subparsers(metavar=_("COMMAND"), required=True)

    def command(name: str, run: Callable[[argparse.Namespace], int]) -> argparse.ArgumentParser:
        says = words.help_of(name)
        one = commands.add_parser(name, help=says, description=says)
        one.add_argument("--logbook", type=Path, default=None, metavar=_("FILE"), help=words.help_of("--logbook"))
        one.add_argument("--now", metavar=_("TIME"), help=words.help_of("--now"))
        one.set_defaults(run=run)
        return one

    one = command("log", _log)
    one.add_argument("instrument", metavar=_("instrument"), help=words.help_of("instrument"))
    one.add_argument("values", nargs="+", metavar=_("VALUE"), help=words.help_of("value"))
    one.add_argument("--at", default="", metavar=_("WHEN"), help=words.help_of("--at"))
    command("import", _import).add_argument("file", metavar=_("file"), type=Path)
    for name, run in (("export", _export), ("report", _report)):
        one = command(name, run)
        one.add_argument("file", metavar=_("file"), type=Path)
        one.add_argument("--batch", default="", metavar=_("NAME"), help=words.help_of("--batch"))
    command("now", _now).add_argument("--json", action="store_true", help=words.help_of("--json"))
    command("check", _check)
    return made


def _path(options: argparse.Namespace) -> Path:
    return options.logbook or usual_path()


def _clock(options: argparse.Namespace) -> Clock:
    return SystemClock() if options.now is None else fixed_at(options.now)


@contextmanager
def _looking(options: argparse.Namespace) -> Iterator[Desk]:
    """The logbook as it stands, only to be read; a window may have it open."""
    logbook = look_beside(_path(options))
    try:
        yield Desk(logbook, _clock(options))
    finally:
        logbook.close()


def _write(options: argparse.Namespace, verb: Verb) -> int:
    """By the window that has the logbook open, where one has; else here."""
    path = _path(options)
    said = handing_over.ask(path, verb) if options.now is None else None
    if said is None:
        logbook = _opened(path)
        try:
            said = verb.run(Desk(logbook, _clock(options)))
        finally:
            logbook.close()
    print(said)
    return DONE


def _opened(path: Path) -> Logbook:
    """The logbook for this process alone; another command that writes just now is waited for."""
    until = time.monotonic() + WAIT_S
    while True:
        try:
            return open_logbook(path)
        except HeldError as error:
            if time.monotonic() > until:
                raise HeldError(*words.held()) from error
        time.sleep(0.05)


def _log(options: argparse.Namespace) -> int:
    return _write(options, Log(options.instrument, tuple(options.values), options.at))


def _import(options: argparse.Namespace) -> int:
    return _write(options, Import(str(options.file.absolute())))


def _now(options: argparse.Namespace) -> int:
    from stathmis.services import standing
    from stathmis.services.watch.alarms import alarms
    from stathmis.words import standing as standing_words

    with _looking(options) as desk:
        book = desk.book
        stands, due = standing.everything(book)
        loud = alarms(book)
        if options.json:
            print(json.dumps(standing_words.figures(book, stands, due, loud), ensure_ascii=False, indent=1))
        else:
            print("\n".join(standing_words.lines(book, stands, due, loud)))
    return AMISS if loud else DONE


def _check(options: argparse.Namespace) -> int:
    from stathmis.services.files import soundness
    from stathmis.words import damage

    with _looking(options) as desk:
        found, backup = soundness.checked(desk, lambda fraction: None, lambda: False)
        print(
            "\n".join([damage.summary(found, backup), *damage.lines(desk.book, found)] if found else [damage.sound()])
        )
    return AMISS if found else DONE


def _export(options: argparse.Namespace) -> int:
    from stathmis.services.command import writing_out

    with _looking(options) as desk:
        print(writing_out.export(desk, options.file, options.batch))
    return DONE


def _report(options: argparse.Namespace) -> int:
    from stathmis.exchange.report_page import write_html
    from stathmis.services.command import writing_out
    from stathmis.services.report.batch_report import batch_report

    kind = writing_out.ending(options.file, (".pdf", ".html"))
    with _looking(options) as desk:
        report = batch_report(desk.book, writing_out.batch_named(desk.book, options.batch))
    if kind == ".html":
        write_html(report, options.file)
    else:
        os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
        from stathmis.ui.paper import without_window
        from stathmis.ui.report_pdf import write_pdf

        with without_window():
            write_pdf(report, options.file)
    print(options.file.name)
    return DONE
