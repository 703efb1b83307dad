"""The command: stathmis [LOGBOOK] | --demo [--now TIME] [--pictures FOLDER] | a command without a window."""

from __future__ import annotations

import argparse
import os
import sys
from pathlib import Path

import stathmis

COMMANDS = ("log", "import", "export", "now", "check", "report")
"""What is done without a window."""


def _arguments(argv: list[str]) -> argparse.Namespace:
    parser = argparse.ArgumentParser(
        prog="stathmis",
        description="A hatching keeper's bench for instruments, batches and judgement.",
        epilog=f"stathmis {' | '.join(COMMANDS)} --help",
    )
    parser.add_argument("logbook", nargs="?", type=Path, help="logbook file; made when it does not exist")
    parser.add_argument("--look", action="store_true", help="only look: a copy")
    parser.add_argument("--demo", action="store_true", help="open the demo logbook; nothing in it is kept")
    parser.add_argument("--now", metavar="TIME", help="pretend it is this time, such as 2026-05-18T08:40 (UTC)")
    parser.add_argument("--pictures", metavar="FOLDER", type=Path, help="write the main views as pictures and exit")
    parser.add_argument("--theme", choices=("system", "light", "dark"), help="colors; otherwise as left last time")
    parser.add_argument("--version", action="version", version=f"stathmis {stathmis.__version__}")
    parser.add_argument("--text", metavar="SCALE", type=float, help="text size, 1 is normal")
    return parser.parse_args(argv)


def main(argv: list[str] | None = None) -> int:
    """Run the application; returns the exit code."""
    arguments = sys.argv[1:] if argv is None else argv
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
