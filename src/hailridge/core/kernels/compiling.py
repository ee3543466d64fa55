"""How kernels are compiled: a writable cache chosen before Numba loads, and a serial and a parallel build of each kernel.

Numba reads its cache folder from the environment when it is first imported, so this module has to come before any other use of it.
"""

from __future__ import annotations

import os
import tempfile
from collections.abc import Callable
from pathlib import Path
from types import FunctionType
from typing import Any


def _cache_folder() -> Path:
    """The first folder that can be written: HAILRIDGE_CACHE, then the user's cache, then a temporary one."""
    named = os.environ.get("HAILRIDGE_CACHE")
    home = Path(os.environ.get("XDG_CACHE_HOME") or Path.home() / ".cache") / "hailridge"
    for folder in ([Path(named)] if named else []) + [home, Path(tempfile.gettempdir()) / "hailridge-cache"]:
        try:
            folder.mkdir(parents=True, exist_ok=True)
            if os.access(folder, os.W_OK):
                return folder
        except OSError:
            continue
    return Path(tempfile.mkdtemp(prefix="hailridge-"))


CACHE_FOLDER = _cache_folder()
os.environ.setdefault("NUMBA_CACHE_DIR", str(CACHE_FOLDER / "kernels"))
# The work-queue layer is slower than serial code on few cores (measured); OpenMP is present wherever Numba's wheels are.
os.environ.setdefault("NUMBA_THREADING_LAYER", "omp")

import numba  # noqa: E402  (the environment above has to be set first)

SERIAL_BELOW = 10_000
"""Particles below which starting threads costs more than they save; kernels with more work for each particle start them earlier."""

parallel_range = numba.prange
"""`range`, shared out among threads in the parallel build."""

helper = numba.njit(inline="always", cache=True, error_model="numpy")
"""For small functions called inside kernels."""

compiled = numba.njit(cache=True, nogil=True, error_model="numpy")
"""For functions that are serial by nature, such as building a tree."""

KERNELS: list[Kernel] = []


class Kernel:
    """One loop over particles in two builds; the count decides which runs. Both give the same bits: no fast math, no float sums across threads."""

    def __init__(self, function: Callable[..., Any], serial_below: int = SERIAL_BELOW) -> None:
        self.serial_below = serial_below
        self.name = function.__name__
        options: dict[str, Any] = {"cache": True, "nogil": True, "error_model": "numpy"}
        self.serial = numba.njit(**options)(function)
        self.parallel = numba.njit(parallel=True, **options)(_renamed(function, "_parallel"))
        KERNELS.append(self)

    def __call__(self, count: int, *arguments: Any) -> Any:
        return (self.serial if count < self.serial_below else self.parallel)(*arguments)


def _renamed(function: Callable[..., Any], suffix: str) -> Callable[..., Any]:
    # Numba's cache tells functions apart by name and line only, not by options: the parallel build needs a name of its own.
    assert isinstance(function, FunctionType)
    twin = FunctionType(function.__code__, function.__globals__, function.__name__ + suffix, function.__defaults__, function.__closure__)
    twin.__qualname__ = function.__qualname__ + suffix
    twin.__module__ = function.__module__
    return twin
