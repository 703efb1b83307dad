"""Writes docs/figures.md: every figure that is taken as given, with what it is and where it comes from.

python scripts/figures.py
"""

from __future__ import annotations

import ast
import importlib
import pkgutil
from collections.abc import Iterator
from pathlib import Path
from types import ModuleType
from typing import Any

ROOT = Path(__file__).parent.parent
PAGE = ROOT / "docs" / "figures.md"
PLAIN = {"float", "np"}
HEAD = """# Figures taken as given

What the program takes for granted before it has read anything: limits, usual values and their doubt, by module, in the
units that each description or name says. Written by `scripts/figures.py`; a test holds the page against the code, so
that none is changed by a slip of the pen.
"""


def modules() -> list[str]:
    """Modules that name figures, but for those of the window and of words."""
    found = []
    for layer in (f"stathmis.{part}" for part in ("core", "services", "logbook", "exchange", "devices")):
        package = importlib.import_module(layer)
        found += [m.name for m in pkgutil.walk_packages(package.__path__, f"{layer}.") if not m.ispkg]
    return [name for name in found if section(name)]


def section(name: str) -> str:
    """A module's part of the page, empty where it names no figures."""
    module = importlib.import_module(name)
    assert module.__file__ is not None
    rows = [
        f"| {key} | {_shown(_value(module, key))} | {told} |"
        for key, told in _named(ast.parse(Path(module.__file__).read_text(encoding="utf-8")))
    ]
    head = f"\n## {name.removeprefix('stathmis.')}\n\n| figure | value | what it is |\n|---|---|---|\n"
    return head + "\n".join(rows) + "\n" if rows else ""


def _value(module: ModuleType, key: str) -> Any:
    owner, _, field = key.rpartition(".")
    if not owner:
        return getattr(module, field)
    kind = getattr(module, owner)
    return kind._field_defaults[field] if issubclass(kind, tuple) else getattr(kind, field)


def _named(tree: ast.Module) -> Iterator[tuple[str, str]]:
    """Names of public constants with a number in them, and what stands under them; and what fields of
    values are where nothing is said."""
    for i, node in enumerate(tree.body):
        if isinstance(node, ast.ClassDef) and not node.name.startswith("_"):
            for field in node.body:
                if isinstance(field, ast.AnnAssign) and isinstance(field.target, ast.Name) and _number(field.value):
                    yield f"{node.name}.{field.target.id}", "where nothing else is said"
        if not isinstance(node, ast.Assign | ast.AnnAssign) or node.value is None:
            continue
        target = node.targets[0] if isinstance(node, ast.Assign) else node.target
        names = [n.id for n in (target.elts if isinstance(target, ast.Tuple) else [target]) if isinstance(n, ast.Name)]
        inside = list(ast.walk(node.value))
        numbers = any(type(n.value) in (int, float) for n in inside if isinstance(n, ast.Constant))
        made = any(isinstance(n, ast.Name) and n.id[:1].islower() and n.id not in PLAIN for n in inside)
        if numbers and not made and all(n.isupper() and not n.startswith("_") for n in names):
            after = tree.body[i + 1] if i + 1 < len(tree.body) else None
            told = after.value.value if isinstance(after, ast.Expr) and isinstance(after.value, ast.Constant) else ""
            yield from ((name, " ".join(str(told).split()).replace("|", "\\|")) for name in names)


def _number(node: ast.expr | None) -> bool:
    value = node.operand if isinstance(node, ast.UnaryOp) else node
    return isinstance(value, ast.Constant) and type(value.value) in (int, float) and value.value != 0


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
        return f"{value.size} values" + (f", {value[0]:.12g} to {value[-1]:.12g}" if value.size else "")
    return _shown({k: v for k, v in vars(value).items() if v not in ("", None)})


if __name__ == "__main__":
    PAGE.write_text(HEAD + "".join(section(name) for name in modules()), encoding="utf-8")
