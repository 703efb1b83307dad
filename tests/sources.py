"""The program's sources, read and parsed once for all the tests that look at the code."""

from __future__ import annotations

import ast
from collections.abc import Iterator
from functools import cache
from pathlib import Path

import stathmis

ROOT = Path(stathmis.__file__).parent


@cache
def nodes(path: Path) -> tuple[ast.AST, ...]:
    """All of a file's nodes, the whole first."""
    return tuple(ast.walk(ast.parse(path.read_text(encoding="utf-8"))))


def every_file(*parts: str) -> Iterator[tuple[Path, tuple[ast.AST, ...]]]:
    """Each file of some folders of the program, all of it by default, with its nodes."""
    for part in parts or ("",):
        for path in sorted((ROOT / part).rglob("*.py")):
            yield path, nodes(path)
