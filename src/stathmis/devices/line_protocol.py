"""What a probe sends: newline-ended text lines with named values, values apart by separators, or JSON.

"t=37.52 rh=48.1", "37.52;48.1", "37,52 48,1" and {"t": 37.52, "rh": 48.1} all become {"t": 37.52, ...} or
{"1": 37.52, ...}. A line that makes no sense, or that makes two ("37,52": one number or two), gives nothing; it never
stops the reader.
"""

from __future__ import annotations

import json
import math
import re
from dataclasses import dataclass, field
from typing import Literal

Layout = Literal["named", "columns", "json"]

LAYOUTS: tuple[Layout, ...] = ("json", "named", "columns")

LONGEST_LINE = 1024
"""A longer line is garbage; it is dropped up to its end, and counted."""
DEEPEST = 4
"""Objects deeper within a JSON object say nothing."""
NO_TEXT = "\N{REPLACEMENT CHARACTER}"
"""Stands for a line that is no text, or longer than any."""

_NAMED = re.compile(r"([A-Za-z_][\w.]*)\s*[=:]\s*([+\-]?\d+(?:[.,]\d+)?(?:[eE][+\-]?\d+)?)")
_NUMBER = re.compile(r"^[+\-]?\d+(?:[.,]\d+)?(?:[eE][+\-]?\d+)?$")


@dataclass
class LineSplitter:
    """Bytes as they come, in any pieces, to whole lines; garbage that is no text is dropped with its line."""

    _rest: bytearray = field(default_factory=bytearray)
    _skipping: bool = False

    def feed(self, data: bytes) -> list[str]:
        """Whole lines finished by these bytes, without their ends; what is not finished waits."""
        lines = []
        self._rest += data
        while (end := self._rest.find(b"\n")) >= 0:
            raw = bytes(self._rest[:end]).rstrip(b"\r")
            del self._rest[: end + 1]
            try:
                lines.append(NO_TEXT if self._skipping else raw.decode("utf-8"))
            except UnicodeDecodeError:
                lines.append(NO_TEXT)
            self._skipping = False
        if len(self._rest) > LONGEST_LINE:
            self._rest.clear()
            self._skipping = True
        return lines

    @property
    def waiting(self) -> int:
        """Bytes of a line that is not finished."""
        return len(self._rest)


def guess_layout(line: str) -> Layout | None:
    """How a line is laid out, None where nothing can be read in it."""
    for layout in LAYOUTS:
        if values_in(line, layout):
            return layout
    return None


def values_in(line: str, layout: Layout) -> dict[str, float]:
    """Finite numbers of a line by name (or by column from "1"); empty for a line that is not of this layout."""
    text = line.strip()
    if not text:
        return {}
    if layout == "json":
        return _from_json(text)
    if layout == "named":
        found = {name: number(value) for name, value in _NAMED.findall(text)}
        return {k: v for k, v in found.items() if v is not None}
    return {str(i): v for i, v in enumerate(map(number, _cells(text)), start=1) if v is not None}


def _cells(text: str) -> list[str]:
    """What stands apart in a line of columns; nothing where a comma may be a decimal sign or part two numbers."""
    for separator in (";", "\t"):
        if separator in text:
            return [c.strip() for c in text.split(separator)]
    words = text.split()
    if "," not in text or (len(words) > 1 and all(_NUMBER.match(w) for w in words)):
        return words
    cells = [c.strip() for c in text.split(",")]
    bare = all(re.fullmatch(r"[+\-]?\d+", c) for c in cells)
    return [] if bare and len(cells) % 2 == 0 and ", " not in text else cells


def _from_json(text: str) -> dict[str, float]:
    try:
        # whole numbers as floats too: one of hundreds of digits is endless, not an error
        found = json.loads(text, parse_int=float)
    except (ValueError, RecursionError):
        return {}
    return {k: v for k, v in flat(found).items() if isinstance(v, float)}


def flat(found: object, begin: str = "", *, text: bool = False) -> dict[str, str | float]:
    """The finite numbers in a JSON object by name, those of objects within it by "outer.inner"; text: its words too."""
    kept: dict[str, str | float] = {}
    for name, value in found.items() if isinstance(found, dict) else ():
        if isinstance(value, dict) and begin.count(".") < DEEPEST:
            kept |= flat(value, f"{begin}{name}.", text=text)
        elif isinstance(value, float) and math.isfinite(value):
            kept[f"{begin}{name}"] = value
        elif isinstance(value, str):
            # some send their numbers in quotes
            as_number = number(value.strip())
            if as_number is not None or text:
                kept[f"{begin}{name}"] = as_number if as_number is not None else value
    return kept


def number(text: str) -> float | None:
    """A finite number with a decimal point or comma; None for anything else."""
    if not _NUMBER.match(text):
        return None
    value = float(text.replace(",", "."))
    return value if math.isfinite(value) else None
