"""How modules import one another, beyond what the import contracts say of packages."""

from __future__ import annotations

from graphlib import TopologicalSorter

import grimp


def test_no_module_outside_the_window_imports_one_that_imports_it():
    """Services ask words for what they refuse with, words say what services found: each module has its side."""
    graph = grimp.build_graph("stathmis", cache_dir=None)
    outside = {m for m in graph.modules if not m.startswith("stathmis.ui")}
    imports = {m: graph.find_modules_directly_imported_by(m) & outside for m in outside}
    assert len(imports) > 300
    # raises CycleError, which names the circle
    TopologicalSorter(imports).prepare()
