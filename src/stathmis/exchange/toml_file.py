"""A file of the keeper's own making: TOML of a page at most, which says what it is and from which version on."""

from __future__ import annotations

import tomllib
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from stathmis.core.errors import UserError

SIZE_LIMIT = 200_000
"""Such a file is a page of text; what is larger is something else."""


def read(path: Path, what: str, error: type[UserError]) -> str:
    """The text of a file that is to hold a "profile" or a "way" (what). Raises error."""
    try:
        if path.stat().st_size > SIZE_LIMIT:
            raise error(f"{path.name} is too large for a {what}.", f"Choose a {what} file.")
        return path.read_text(encoding="utf-8-sig")
    except OSError as failed:
        raise error(f"{path.name} cannot be read: {failed.strerror}.", "Is it still there?") from None
    except UnicodeDecodeError:
        raise error(f"{path.name} is no text file.", f"Choose a {what} file.") from None


def parsed(text: str, what: str, version: int, error: type[UserError]) -> dict[str, Any]:
    """What such a text holds, of this version or an older one. Raises error."""
    try:
        found = tomllib.loads(text)
    except (ValueError, RecursionError) as failed:
        # also numbers of thousands of digits, and tables nested without end
        raise error(f"This is no {what}: {failed}.", "Mend that place in the file, or ask for it again.") from None
    own = found.get(f"stathmis_{what}")
    if own is None:
        raise error(f"This is no {what}: it does not say so.", f"It begins with: stathmis_{what} = {version}")
    if type(own) is not int or own > version:
        raise error(f"This {what} was made by a newer Stathmis.", "Bring this one up to date first.")
    return found


def refused(what: str, faults: Sequence[str], error: type[UserError]) -> UserError:
    """What is to be raised for one with faults: all of them."""
    return error(f"This {what} cannot be used: {'; '.join(faults)}.", "Mend that in it.")
