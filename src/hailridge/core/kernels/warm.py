"""Compiling all kernels before anyone needs them: a visible step of set-up, about a second from the cache later."""

from __future__ import annotations

import time
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor, as_completed
from multiprocessing import get_context

from hailridge.core.kernels import (
    apart,
    around,
    contact,
    curves,
    forces,
    formulas,
    memory,
    motion,
    neighbours,
    noise,
    pairs,
    passing,
    philox,
    steering,
    trails,
    tree,
    vectors,
)
from hailridge.core.kernels.cached import forget_old, ready_file
from hailridge.core.kernels.compiling import KERNELS
from hailridge.core.kernels.threads import number_of_threads

MODULES = (
    apart, around, contact, curves, forces, formulas, memory, motion, neighbours, noise, pairs, passing, philox, steering, trails, tree, vectors
)  # fmt: skip
"""Every module with kernels; importing it is what registers them."""

MOST_COMPILERS = 4
"""Processes that compile side by side; each takes some 250 MB."""


def warm(progress: Callable[[str, int, int], None] | None = None) -> float:
    """Compile or load every kernel. Returns the seconds that it took.

    `progress(name, done, total)` is called after each kernel. What is not in the cache is compiled by several processes at once.
    """
    started = time.perf_counter()
    total = len(KERNELS)
    if not ready_file().exists():
        # The longest first, so that none is left for the end.
        longest = sorted(KERNELS, key=lambda kernel: -len(kernel.function.__code__.co_code))
        with ProcessPoolExecutor(min(number_of_threads(), MOST_COMPILERS), get_context("spawn")) as compilers:
            asked = {compilers.submit(_compile, kernel.name): kernel.name for kernel in longest}
            for done, each in enumerate(as_completed(asked), 1):
                each.result()
                if progress is not None:
                    progress(asked[each], done, total)
        ready_file().touch()
        forget_old()
    load()
    return time.perf_counter() - started


def load() -> None:
    """Make every kernel ready in this process; what is in the cache is loaded."""
    for kernel in KERNELS:
        kernel.ready()


def _compile(name: str) -> None:
    next(kernel for kernel in KERNELS if kernel.name == name).ready()
