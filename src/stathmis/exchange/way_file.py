"""The way of a batch as a file to keep and pass on: what is done otherwise than usual, read with every fault named.

The file is TOML, made to be read and written by people; docs/file-format.md shows one.
"""

from __future__ import annotations

from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

import tomli_w

from stathmis.core.course.way import Way, made, possible
from stathmis.core.errors import UserError
from stathmis.exchange import toml_file
from stathmis.words.catalogue import _

VERSION = 1


class WayFileError(UserError):
    """The text is no way; the message lists every fault."""


@dataclass(frozen=True)
class PassedOn:
    """A way with the species (by name) it was made for."""

    species: str
    way: Way


def read_way(path: Path) -> PassedOn:
    """A way from a file. Raises WayFileError."""
    return parse_way(toml_file.read(path, "way", WayFileError))


def parse_way(text: str) -> PassedOn:
    """A way from its text. Raises WayFileError with every fault found."""
    found = toml_file.parsed(text, "way", VERSION, WayFileError)
    kept = found.get("way", {})
    if not isinstance(kept, dict):
        raise toml_file.refused("way", [_("[way]: no table")], WayFileError)
    known = Way.__dataclass_fields__
    faults = [_("{name} is not known", name=name) for name in kept if name not in known]
    faults += [
        _("{name} cannot be {value}", name=name, value=repr(value))[:80]
        for name, value in kept.items()
        if not _good(name, value)
    ]
    if faults:
        raise toml_file.refused("way", faults, WayFileError)
    return PassedOn(str(found.get("species", "")).strip(), made(kept))


def _good(name: str, value: Any) -> bool:
    return name not in Way.__dataclass_fields__ or possible(name, value)


def way_text(passed: PassedOn) -> str:
    """The text of a way's file: what is otherwise than usual."""
    usual = asdict(Way())
    own = {name: value for name, value in asdict(passed.way).items() if value != usual[name] and value is not None}
    return tomli_w.dumps({"stathmis_way": VERSION, "species": passed.species, "way": own})
