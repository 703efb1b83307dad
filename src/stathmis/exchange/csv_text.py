"""A logger's file as text: decoded, cut into lines, and each line into cells."""

from __future__ import annotations

import csv
import re
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from stathmis.core.errors import UserError
from stathmis.words import tables_read as say

LARGEST_BYTES = 64 * 1024 * 1024
_HEAD, _PART, _PLACES = 30_000, 600, 60
SEPARATORS = (";", "\t", ",", "|")
_WHOLE = re.compile(r"\s*[+\-−]?\d+\s*")
_TAIL = re.compile(r"\s*\d{1,3}\s*(°?\s*[CcFf]|%.*)?\s*")


class CsvError(UserError):
    """The file cannot be read as a table of readings."""


@dataclass(frozen=True)
class Cut:
    """How a line is cut into cells. quoted: quotes hold a cell together; paired: a number's decimal comma cuts it in
    two where commas part the cells, and the two are joined again; holding: the file's quotes hold separators, so that
    one inside a cell parts nothing."""

    separator: str
    quoted: bool = False
    paired: bool = False
    holding: bool = False

    def cells(self, line: str, first_value: int = 0) -> list[str]:
        """The cells of a line; a quote that is never closed is a letter like any other and swallows nothing, unless the
        file's quotes hold separators: what follows it may then be half a number, and stays one cell.

        first_value: where paired, the first cell that may be a number.
        """
        if self.quoted and '"' in line and (self.holding or line.count('"') % 2 == 0):
            try:
                found = next(csv.reader([line], delimiter=self.separator), [])
            except csv.Error:
                found = line.split(self.separator)
        else:
            found = line.replace('"', "").split(self.separator)
        return _joined(found, first_value) if self.paired else found


def _joined(cells: list[str], first_value: int) -> list[str]:
    """Numbers that their decimal comma cut in two, joined again; as they were where they do not all go in pairs."""
    times, numbers = cells[:first_value], cells[first_value:]
    if len(numbers) % 2 or not numbers:
        return cells
    pairs = list(zip(numbers[::2], numbers[1::2], strict=True))
    if not all(_pair(whole, tail) for whole, tail in pairs):
        return cells
    return [*times, *(f"{whole.strip()},{tail.strip()}".strip(",") for whole, tail in pairs)]


def _pair(whole: str, tail: str) -> bool:
    empty = not whole.strip() and not tail.strip()
    return empty or (_WHOLE.fullmatch(whole) is not None and _TAIL.fullmatch(tail) is not None)


def read_text(path: Path) -> tuple[str, str]:
    """A file's text, its lines ended by line feeds alone, and its encoding.

    Raises CsvError for a file that is missing, empty, too large, or no text.
    """
    try:
        size = path.stat().st_size
        if size > LARGEST_BYTES:
            raise CsvError(
                *say.PATH_IS_SIZE_MB_LOGGER(path=path.name, size=size / 2**20, largest_bytes=LARGEST_BYTES / 2**20)
            )
        content = path.read_bytes()
    except (OSError, ValueError) as error:
        # a name no file can have is a ValueError
        why = error.strerror if isinstance(error, OSError) else error
        raise CsvError(*say.PATH_CANNOT_BE_READ_WHY(path=path.name, why=why)) from error
    text, encoding = _decoded(content, path)
    # a form feed or another sign that Python takes for the end of a line is none here
    text = text.replace("\r\n", "\n").replace("\r", "\n") if "\r" in text else text
    if not text or text.isspace():
        raise CsvError(*say.PATH_IS_EMPTY(path=path.name))
    return text, encoding


def sampled(path: Path) -> tuple[list[tuple[int, str]], str]:
    """Lines from the whole of a file, and its encoding: all of a small one; of a large one its head, each line with its
    number (from 0), then some from everywhere, numbered -1. Raises CsvError as read_text."""
    try:
        size = path.stat().st_size
        with path.open("rb") as file:
            head = file.read(_HEAD)
            large = size > 30 * _HEAD and b"\x00" not in head
            places = range(_HEAD, size, max(1, size // _PLACES)) if large and size <= LARGEST_BYTES else ()
            parts = [file.read(_PART) for place in places if file.seek(place)]
    except (OSError, ValueError):
        # said in words by what reads all of it
        parts = []
    if not parts:
        text, encoding = read_text(path)
        return list(enumerate(text.removesuffix("\n").split("\n"))), encoding
    # the first and the last line of a part are cut somewhere
    whole = [head[: head.rfind(b"\n")], *(b"\n".join(p.split(b"\n")[1:-1]) for p in parts)]
    text, encoding = _decoded(b"\n\x1e\n".join(whole), path)
    first, *others = text.replace("\r\n", "\n").replace("\r", "\n").split("\n\x1e\n")
    return [*enumerate(first.split("\n")), *((-1, line) for part in others for line in part.split("\n"))], encoding


def _decoded(content: bytes, path: Path) -> tuple[str, str]:
    encodings: Sequence[str] = ("utf-8-sig", "cp1252")
    if content[:2] in (b"\xff\xfe", b"\xfe\xff"):
        encodings = ("utf-16",)
    elif b"\x00" in content:
        # without its mark: every other byte of plain letters is nothing
        empty = [content[side::2].count(0) for side in (0, 1)]
        if max(empty) < 0.4 * len(content) / 2 or min(empty) > 0.1 * len(content) / 2:
            raise CsvError(*say.PATH_IS_NOT_A_TEXT(path=path.name))
        encodings = ("utf-16-le",) if empty[1] > empty[0] else ("utf-16-be",)
    for encoding in encodings[:-1]:
        try:
            return content.decode(encoding), encoding
        except UnicodeDecodeError:
            continue
    return content.decode(encodings[-1], errors="replace"), encodings[-1]
