"""The guide for keepers, in parts: read from the file that ships, found by page or by words."""

from __future__ import annotations

import re
from dataclasses import dataclass
from pathlib import Path

import stathmis
from stathmis.words.catalogue import N_, Spoken, language, once_a_language

_SHIPPED = Path(stathmis.__file__).parent / "data" / "guide"
_BESIDE = Path(stathmis.__file__).parents[2] / "docs"
PARTS = Spoken(
    {
        "start": N_("The first reading"),
        "round": N_("Round"),
        "planner": N_("Planner"),
        "instruments": N_("Instruments"),
        "trace": N_("Trace"),
        "moisture": N_("Moisture"),
        "eggs": N_("Eggs"),
        "hatch": N_("Hatch"),
        "records": N_("Records"),
        "way": N_("Your way"),
        "changes": N_("What was changed"),
        "live": N_("Live probes"),
        "written": N_("From paper"),
        "bring_in": N_("A logger's file"),
        "enter": N_("Enter or change"),
        "backups": N_("Backups"),
        "try": N_("Try it first"),
        "practise": N_("Practise"),
        "uncovering": N_("Practise"),
    }
)
"""The part of each page, by how its heading begins."""


@dataclass(frozen=True)
class Part:
    """A part of the guide: its title, and its text as Markdown, heading included."""

    title: str
    text: str


def folder() -> Path:
    """Where the guide and its pictures are: shipped with the program, or beside it where it runs from its sources."""
    return _SHIPPED if _SHIPPED.exists() else _BESIDE


@once_a_language
def parts() -> tuple[Part, ...]:
    """The guide, part by part, in its order."""
    own = folder() / f"guide.{language()}.md"
    whole = (own if own.exists() else folder() / "guide.md").read_text(encoding="utf-8")
    pieces = re.split(r"^## ", whole, flags=re.MULTILINE)[1:]
    return tuple(Part(piece.partition("\n")[0].partition(" (")[0].strip(), f"## {piece.strip()}") for piece in pieces)


def part_of(page: str) -> Part:
    """The part that tells of a page; the first where none does."""
    title = PARTS.get(page, "")
    return next((p for p in parts() if title and p.title.startswith(title)), parts()[0])


def with_words(typed: str) -> list[Part]:
    """Parts in which every one of these words stands, those with it in the title first; all where none are given."""
    wanted = typed.lower().split()
    found = [p for p in parts() if all(w in p.text.lower() for w in wanted)]
    return sorted(found, key=lambda p: not all(w in p.title.lower() for w in wanted)) if wanted else found
