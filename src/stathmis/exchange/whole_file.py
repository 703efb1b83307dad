"""Files written whole or not at all: beside the old one first, and put in its place when all of it is there."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

from stathmis.core.errors import UserError
from stathmis.words import archives as say


@contextmanager
def replacing(path: Path) -> Iterator[Path]:
    """A file to write to, which takes the place of path at the end; after any failure path is as it was.

    Raises UserError where it cannot be written; other errors pass through.
    """
    partial = path.with_name(path.name + ".part")
    try:
        yield partial
        partial.replace(path)
    except OSError as error:
        with suppress(OSError):
            partial.unlink()
        why = error.strerror or str(error)
        raise UserError(*say.PATH_CANNOT_BE_WRITTEN_WHY(path=path.name, why=why)) from error
    except BaseException:
        with suppress(OSError):
            partial.unlink()
        raise
