"""The way of a batch as a file to keep and pass on: what is done otherwise than usual, read with every fault named.

The file is TOML, made to be read and written by people; docs/file-format.md shows one.
"""

from __future__ import annotations

import tomllib
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

import tomli_w

from stathmis.core.course.way import Way, made, possible
from stathmis.core.errors import UserError

VERSION = 1
SIZE_LIMIT = 200_000
"""A way is half a page of text; what is larger is something else."""


class WayFileError(UserError):
    """The text is no way; the message lists every fault."""


@dataclass(frozen=True)
class PassedOn:
    """A way with the species (by name) it was made for."""

    species: str
    way: Way


def read_way(path: Path) -> PassedOn:
    """A way from a file. Raises WayFileError."""
    try:
        if path.stat().st_size > SIZE_LIMIT:
            raise WayFileError(f"{path.name} is too large for a way.", "Choose a way file.")
        text = path.read_text(encoding="utf-8-sig")
    except OSError as error:
        raise WayFileError(f"{path.name} cannot be read: {error.strerror}.", "Is it still there?") from None
    except UnicodeDecodeError:
        raise WayFileError(f"{path.name} is no text file.", "Choose a way file.") from None
    return parse_way(text)


def parse_way(text: str) -> PassedOn:
    """A way from its text. Raises WayFileError with every fault found."""
    try:
        found = tomllib.loads(text)
    except (ValueError, RecursionError) as error:
        # also numbers of thousands of digits, and tables nested without end
        raise WayFileError(f"This is no way: {error}.", "Mend that place in the file, or ask for it again.") from None
    version = found.get("stathmis_way")
    if version is None:
        raise WayFileError("This is no way: it does not say so.", "A way begins with: stathmis_way = 1")
    if type(version) is not int or version > VERSION:
        raise WayFileError("This way was made by a newer Stathmis.", "Bring this one up to date first.")
    kept = found.get("way", {})
    if not isinstance(kept, dict):
        raise WayFileError("This way cannot be used: way is no table.", "Ask for it again.")
    known = Way.__dataclass_fields__
    faults = [f"{name} is not known" for name in kept if name not in known]
    faults += [f"{name} cannot be {value!r}"[:80] for name, value in kept.items() if not _good(name, value)]
    if faults:
        raise WayFileError("This way cannot be used: " + "; ".join(faults) + ".", "Mend that in it.")
    return PassedOn(str(found.get("species", "")).strip(), made(kept))


def _good(name: str, value: Any) -> bool:
    return name not in Way.__dataclass_fields__ or possible(name, value)


def way_text(passed: PassedOn) -> str:
    """The text of a way's file: what is otherwise than usual."""
    usual = asdict(Way())
    own = {name: value for name, value in asdict(passed.way).items() if value != usual[name] and value is not None}
    return tomli_w.dumps({"stathmis_way": VERSION, "species": passed.species, "way": own})
