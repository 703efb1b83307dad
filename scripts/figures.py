"""Writes docs/figures.md: every figure that is taken as given, with what it is and where it comes from.

python scripts/figures.py
"""

from __future__ import annotations

import ast
import importlib
import pkgutil
from collections.abc import Iterator
from pathlib import Path
from typing import Any

ROOT = Path(__file__).parent.parent
PAGE = ROOT / "docs" / "figures.md"
HEAD = """# Figures taken as given

What the program takes for granted before it has read anything: limits, usual values and their doubt, by module, in the
units that each description or name says. Written by `scripts/figures.py`; a test holds the page against the code, so
that none is changed by a slip of the pen.
"""


def modules() -> list[str]:
    """Modules of the core and the services that name figures."""
    found = []
    for layer in ("stathmis.core", "stathmis.services"):
        package = importlib.import_module(layer)
        found += [m.name for m in pkgutil.walk_packages(package.__path__, f"{layer}.") if not m.ispkg]
    return [name for name in found if section(name)]


def section(name: str) -> str:
    """A module's part of the page, empty where it names no figures."""
    module = importlib.import_module(name)
    assert module.__file__ is not None
    rows = [
        f"| {key} | {_shown(getattr(module, key))} | {told} |"
        for key, told in _named(ast.parse(Path(module.__file__).read_text(encoding="utf-8")))
    ]
    head = f"\n## {name.removeprefix('stathmis.')}\n\n| figure | value | what it is |\n|---|---|---|\n"
    return head + "\n".join(rows) + "\n" if rows else ""


def _named(tree: ast.Module) -> Iterator[tuple[str, str]]:
    """Names of public constants with a number in them, and what stands under them or under the last of their group."""
    for i, node in enumerate(tree.body):
        if not isinstance(node, ast.Assign | ast.AnnAssign) or node.value is None:
            continue
        target = node.targets[0] if isinstance(node, ast.Assign) else node.target
        names = [n.id for n in (target.elts if isinstance(target, ast.Tuple) else [target]) if isinstance(n, ast.Name)]
        numbers = (type(n.value) in (int, float) for n in ast.walk(node.value) if isinstance(n, ast.Constant))
        if any(numbers) and all(n.isupper() and not n.startswith("_") for n in names):
            after = next((n for n in tree.body[i + 1 :] if not isinstance(n, ast.Assign | ast.AnnAssign)), None)
            told = after.value.value if isinstance(after, ast.Expr) and isinstance(after.value, ast.Constant) else ""
            yield from ((name, " ".join(str(told).split()).replace("|", "\\|")) for name in names)


def _shown(value: Any) -> str:
    if isinstance(value, bool | str) or value is None:
        return str(value)
    if isinstance(value, int | float):
        return f"{value:.12g}"
    if isinstance(value, dict):
        return "; ".join(f"{_shown(k)}: {_shown(v)}" for k, v in value.items())
    if isinstance(value, tuple) and hasattr(value, "_asdict"):
        return _shown(value._asdict())
    if isinstance(value, tuple | list):
        return "(" + ", ".join(_shown(v) for v in value) + ")"
    if hasattr(value, "tolist"):
        return f"{value.size} values, {value[0]:.12g} to {value[-1]:.12g}"
    return _shown({k: v for k, v in vars(value).items() if v not in ("", None)})


if __name__ == "__main__":
    PAGE.write_text(HEAD + "".join(section(name) for name in modules()), encoding="utf-8")
