"""A file of the keeper's own making: TOML of a page at most, which says what it is and from which version on."""

from __future__ import annotations

import tomllib
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from stathmis.core.errors import UserError
from stathmis.words import archives as say
from stathmis.words.catalogue import _

SIZE_LIMIT = 200_000
"""Such a file is a page of text; what is larger is something else."""


def read(path: Path, what: str, error: type[UserError]) -> str:
    """The text of a file that is to hold a "profile" or a "way" (what). Raises error."""
    try:
        if path.stat().st_size > SIZE_LIMIT:
            raise error(*say.TOO_LARGE(path=path.name, what=_(what)))
        return path.read_text(encoding="utf-8-sig")
    except OSError as failed:
        raise error(*say.CANNOT_BE_READ(path=path.name, why=failed.strerror)) from None
    except UnicodeDecodeError:
        raise error(*say.NO_TEXT_FILE(path=path.name, what=_(what))) from None


def parsed(text: str, what: str, version: int, error: type[UserError]) -> dict[str, Any]:
    """What such a text holds, of this version or an older one. Raises error."""
    try:
        found = tomllib.loads(text)
    except (ValueError, RecursionError) as failed:
        # also numbers of thousands of digits, and tables nested without end
        raise error(*say.NOT_WELL_FORMED(what=_(what), why=failed)) from None
    own = found.get(f"stathmis_{what}")
    if own is None:
        raise error(*say.DOES_NOT_SAY_SO(what=_(what), begins=f"stathmis_{what} = {version}"))
    if type(own) is not int or own > version:
        raise error(*say.OF_A_NEWER_STATHMIS(what=_(what)))
    return found


def refused(what: str, faults: Sequence[str], error: type[UserError]) -> UserError:
    """What is to be raised for one with faults: all of them."""
    return error(*say.CANNOT_BE_USED(what=_(what), faults="; ".join(faults)))
