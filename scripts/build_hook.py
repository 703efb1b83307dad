"""Makes the catalogues the program reads, whenever it is packed."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Any

from hatchling.builders.hooks.plugin.interface import BuildHookInterface


class CustomBuildHook(BuildHookInterface):  # type: ignore[type-arg]
    """Runs before a package is built."""

    def initialize(self, version: str, build_data: dict[str, Any]) -> None:
        """Build every language's .mo."""
        sys.path.insert(0, str(Path(__file__).parent))
        import translations

        translations.build()
