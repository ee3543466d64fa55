"""Numba kernels: they only compute. Validation and documentation live in the modules that call them.

Numba reads what it compiles for, and where it keeps that, from the environment when it is first imported: it is said here, before any of them.
"""

from __future__ import annotations

import os

from hailridge.core.kernels.cached import ByContents
from hailridge.core.kernels.processor import widest

os.environ.setdefault("NUMBA_CACHE_LOCATOR_CLASSES", f"{ByContents.__module__}.{ByContents.__qualname__},UserWideCacheLocator")
if (features := widest()) is not None:
    os.environ.setdefault("NUMBA_CPU_FEATURES", features)
