"""What is handed about does not change under anybody's hands."""

from __future__ import annotations

import dataclasses
import importlib
import inspect
import pkgutil

import pytest

import stathmis

CHANGING = {
    "stathmis.core.twin.box": {"Standing"},
    "stathmis.devices.growing_file": {"Place"},
    "stathmis.devices.line_protocol": {"LineSplitter"},
    "stathmis.devices.simulated_incubator": {"Machine", "State", "SimulatedSensor"},
    "stathmis.exchange.logger_csv": {"Faults"},
    "stathmis.services.batch.own_species": {"Interpreted"},
    "stathmis.services.batch.profile_draft": {"Interpreted"},
    "stathmis.services.eggs.break_out": {"Draft"},
    "stathmis.services.instruments.draft": {"Draft", "PointSet", "Row"},
}
"""Drafts that are filled in, and the state of what is simulated or read."""
MODULES = [
    m.name
    for m in pkgutil.walk_packages(stathmis.__path__, "stathmis.")
    if not m.ispkg and not m.name.startswith("stathmis.ui") and not m.name.endswith("__main__")
]


@pytest.mark.parametrize("name", MODULES)
def test_values_are_frozen_and_only_drafts_and_states_change(name: str) -> None:
    module = importlib.import_module(name)
    own = [c for c in vars(module).values() if isinstance(c, type) and c.__module__ == name]
    changing = {c.__name__ for c in own if dataclasses.is_dataclass(c) and not c.__dataclass_params__.frozen}  # type: ignore[attr-defined]
    assert changing == CHANGING.get(name, set())
    # what names its fields is made of them
    named = [c for c in own if inspect.get_annotations(c) and not issubclass(c, tuple | BaseException)]
    without = [c.__name__ for c in named if not dataclasses.is_dataclass(c) and not getattr(c, "_is_protocol", False)]
    assert without == []
