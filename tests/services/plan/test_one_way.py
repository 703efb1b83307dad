"""What is asked of a batch comes from its course and its way; nothing else asks the species or a constant for it."""

from __future__ import annotations

import ast
from pathlib import Path

import stathmis

ROOT = Path(stathmis.__file__).parent
BELONGS = (
    "core/course/",
    "services/batch/course.py",
    "services/batch/profiles.py",
    "services/batch/species.py",
    "logbook/",
    "services/knowledge.py",
    "demo/",
)
ASKED = {
    "set_c", "half_band_k", "setting_rh", "lockdown_rh", "loss_percent", "STILL_AIR_OFFSET_K", "CANDLINGS",
}  # fmt: skip
REASONS = {
    ("services/findings/judgement.py", "set_c"): "embryos grow by the species, whatever is held",
    **{
        (f"services/practice/{name}.py", "set_c"): "the truth of a world: its eggs grow by the species"
        for name in ("keepers", "taking_over", "world")
    },
    ("services/instruments/by_hatches.py", "set_c"): "the same: what a day of the hatch says of the air",
    ("services/findings/loss.py", "loss_percent"): "of the course: what its way aims at",
    ("services/eggs/review.py", "loss_percent"): "the same",
    ("ui/moisture/loss_chart.py", "loss_percent"): "the same",
    ("words/way.py", "CANDLINGS"): "what can be chosen",
    **{
        ("services/batch/own_species.py", name): "what a keeper types of a species"
        for name in ("set_c", "half_band_k", "setting_rh", "lockdown_rh")
    },
    ("services/plan/way_fields.py", "loss_percent"): "what is meant where nothing is typed",
    ("services/plan/way_fields.py", "STILL_AIR_OFFSET_K"): "the same",
    ("words/way.py", "setting_rh"): "what a school is compared with",
    ("words/box.py", "setting_rh"): "the edges of the schools, for the words of water",
}


def test_nothing_asks_the_species_for_what_the_way_says() -> None:
    found = set()
    for path in sorted(ROOT.rglob("*.py")):
        name = str(path.relative_to(ROOT))
        if name.startswith(BELONGS):
            continue
        for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
            read = node.attr if isinstance(node, ast.Attribute) else node.id if isinstance(node, ast.Name) else ""
            if read in ASKED:
                found.add((name, read))
    assert found == set(REASONS), "a reason is missing, or is needed no more"
