"""Every public function of the core says what it takes and returns, and where it comes from; its examples run."""

from __future__ import annotations

import ast
import doctest
import importlib
import pkgutil
from pathlib import Path

import pytest

import stathmis.core

MODULES = [m.name for m in pkgutil.walk_packages(stathmis.core.__path__, "stathmis.core.") if not m.ispkg]


@pytest.mark.parametrize("name", MODULES)
def test_public_functions_name_their_source_and_examples_hold(name: str) -> None:
    module = importlib.import_module(name)
    assert module.__file__ is not None
    tree = ast.parse(Path(module.__file__).read_text(encoding="utf-8"))
    for node in tree.body:
        if isinstance(node, ast.FunctionDef) and not node.name.startswith("_"):
            text = ast.get_docstring(node) or ""
            assert "Source:" in text, f"{name}.{node.name} names no source"
            raises = any(isinstance(n, ast.Raise) for n in ast.walk(node))
            assert not raises or "Raises" in text, f"{name}.{node.name} does not say what it raises"
    results = doctest.testmod(module)
    assert results.failed == 0
