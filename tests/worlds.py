"""Foreign worlds lived once and kept: what forecasts and tried changes are held against.

With STATHMIS_KEEP=1 `./run-tests tests/services/test_ahead.py` lives them anew; a test says when their makers changed.
"""

from __future__ import annotations

import ast
import hashlib
import json
import os
from collections.abc import Iterator
from contextlib import contextmanager
from functools import cache
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import forecasts
import numpy as np
import pytest
import world

from stathmis.devices import simulated_incubator

KEPT = Path(__file__).parent / "services" / "kept_worlds.npz"
MADE_BY = (world, forecasts, simulated_incubator)
FANS = tuple((kind, 200 + seed) for kind in forecasts.KINDS for seed in range(6))
TRIES = tuple((kind, seed) for kind in forecasts.KINDS for seed in range(140, 147))


def made_by() -> str:
    """Stands for the code that makes the worlds, whatever is said in its comments and docstrings."""
    found = hashlib.sha1(usedforsecurity=False)
    for module in MADE_BY:
        tree = ast.parse(Path(str(module.__file__)).read_text(encoding="utf-8"))
        for node in ast.walk(tree):
            if isinstance(node, ast.Expr) and isinstance(node.value, ast.Constant):
                node.value.value = ""
        found.update(ast.dump(tree).encode())
    return found.hexdigest()


def _name(kind: str, seed: int, more: list[forecasts.Act]) -> str:
    return json.dumps([kind, seed, more])


def live_anew() -> None:
    """Live all of them and keep what came of each."""
    rows: dict[str, Any] = {"made by": np.array(made_by())}
    for kind, seed in (*FANS, *TRIES):
        futures: list[list[forecasts.Act]] = [[]]
        if (kind, seed) in TRIES:
            change = forecasts.CHANGES[seed % len(forecasts.CHANGES)](forecasts.ran(kind, seed, [])[0])
            amount = change.lasts_min if change.what in ("lid", "cool", "power") else change.amount
            futures.append([(0.0, change.what, amount)])
        for more in futures:
            box, done, truth = forecasts.ran(kind, seed, more)
            name = _name(kind, seed, more)
            rows[f"{name} truth"] = np.array(list(vars(truth).values()), dtype=np.float32)
            rows[f"{name} box"] = np.array(json.dumps([box.area, box.depth, done]))
    np.savez_compressed(KEPT, **rows)


@cache
def _kept() -> dict[str, Any]:
    if os.environ.get("STATHMIS_KEEP"):
        live_anew()
    with np.load(KEPT) as kept:
        return dict(kept)


def stale() -> bool:
    """Whether they were made by other code than there is now."""
    return str(_kept()["made by"]) != made_by()


def _ran(kind: str, seed: int, more: list[forecasts.Act]) -> tuple[Any, list[forecasts.Act], forecasts.Ran]:
    name = _name(kind, seed, more)
    area, depth, done = json.loads(str(_kept()[f"{name} box"]))
    truth = forecasts.Ran(*_kept()[f"{name} truth"].astype(np.float64))
    return SimpleNamespace(area=area, depth=depth), [tuple(act) for act in done], truth


@contextmanager
def kept_worlds() -> Iterator[None]:
    """Forecasts are held against the worlds that are kept."""
    _kept()
    with pytest.MonkeyPatch.context() as patched:
        patched.setattr(forecasts, "ran", _ran)
        yield
