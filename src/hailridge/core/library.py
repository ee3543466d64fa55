"""Loading the registry: every module below these packages registers its kinds on import; adding a file is all it takes to add a kind."""

from __future__ import annotations

import importlib
import pkgutil

PACKAGES = ("amounts", "quantities", "conditions", "urges", "handing", "actions", "shapes", "fields", "births", "looks")


def load() -> None:
    """Import every module that declares kinds."""
    for name in PACKAGES:
        package = importlib.import_module(f"hailridge.core.kinds.{name}")
        for module in sorted(info.name for info in pkgutil.iter_modules(package.__path__)):
            importlib.import_module(f"hailridge.core.kinds.{name}.{module}")
