"""The command: stathmis [LOGBOOK] | --demo [--now TIME] [--pictures FOLDER] | a command without a window."""

from __future__ import annotations

import argparse
import os
import sys
from pathlib import Path

import stathmis
from stathmis.words import catalogue
from stathmis.words import starting as say
from stathmis.words.catalogue import _

COMMANDS = ("log", "import", "export", "now", "check", "report")
"""What is done without a window."""


def _arguments(argv: list[str]) -> argparse.Namespace:
    parser = argparse.ArgumentParser(
        prog="stathmis",
        description=say.A_HATCHING_KEEPERS_BENCH_FOR(),
        epilog=_("stathmis {commands} --help", commands=" | ".join(COMMANDS)),
    )
    parser.add_argument("logbook", metavar=_("logbook"), nargs="?", type=Path, help=say.LOGBOOK_FILE_MADE_WHEN_IT())
    parser.add_argument("--look", action="store_true", help=_("only look: a copy"))
    parser.add_argument("--demo", action="store_true", help=say.OPEN_THE_DEMO_LOGBOOK_NOTHING())
    parser.add_argument("--now", metavar=_("TIME"), help=say.PRETEND_IT_IS_THIS_TIME())
    parser.add_argument("--pictures", metavar=_("FOLDER"), type=Path, help=say.WRITE_THE_MAIN_VIEWS_AS())
    parser.add_argument("--theme", choices=("system", "light", "dark"), help=say.COLORS_OTHERWISE_AS_LEFT_LAST())
    parser.add_argument("--language", metavar=_("CODE"), help=say.LANGUAGE())
    version = _("stathmis {version}", version=stathmis.__version__)
    parser.add_argument("--version", action="version", version=version, help=say.SHOW_THE_VERSION())
    parser.add_argument("--text", metavar=_("SCALE"), type=float, help=say.TEXT_SIZE_IS_NORMAL())
    return parser.parse_args(argv)


def main(argv: list[str] | None = None) -> int:
    """Run the application; returns the exit code."""
    arguments = sys.argv[1:] if argv is None else argv
    catalogue.speak(catalogue.of_the_environment())
    if arguments[:1] and arguments[0] in COMMANDS:
        from stathmis import command

        return command.main(arguments)
    options = _arguments(arguments)
    if options.pictures is not None:
        os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
        # the same on every computer, however it draws its letters
        os.environ["FONTCONFIG_FILE"] = str(Path(stathmis.__file__).parent / "data" / "fonts" / "pictures.conf")
    from stathmis.ui.application import run

    return run(options)


if __name__ == "__main__":
    sys.exit(main())
