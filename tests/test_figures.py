"""Figures taken as given stand in docs/figures.md as they stand in the code: none is changed by a slip of the pen."""

from __future__ import annotations

import importlib.util
from pathlib import Path
from types import ModuleType

import pytest

SCRIPT = Path(__file__).parent.parent / "scripts" / "figures.py"


def _script() -> ModuleType:
    spec = importlib.util.spec_from_file_location("figures", SCRIPT)
    assert spec is not None and spec.loader is not None
    made = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(made)
    return made


figures = _script()
PAGE = figures.PAGE.read_text(encoding="utf-8")


@pytest.mark.parametrize("name", figures.modules())
def test_the_page_has_the_codes_figures(name: str) -> None:
    assert figures.section(name) in PAGE, "say why, and run scripts/figures.py"


def test_the_page_has_nothing_else() -> None:
    told = {line.removeprefix("## ") for line in PAGE.splitlines() if line.startswith("## ")}
    assert told == {name.removeprefix("stathmis.") for name in figures.modules()}
