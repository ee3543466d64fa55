"""Compiling all kernels before anyone needs them: a visible step of set-up, about a second from the cache later."""

from __future__ import annotations

import time
from collections.abc import Callable

import numpy as np

from hailridge.core.kernels import contact, curves, forces, memory, motion, neighbours, noise, philox, trails, tree, vectors
from hailridge.core.kernels.compiling import KERNELS

MODULES = (contact, curves, forces, memory, motion, neighbours, noise, philox, trails, tree, vectors)
"""Every module with kernels; importing it is what registers them."""


def _arguments() -> dict[str, tuple[object, ...]]:
    """Tiny arguments with exactly the types that the core passes, one set for each kernel."""
    keys = np.zeros(1, np.uint64)
    word = np.uint64(0)
    points, three, one = np.zeros((1, 3), np.float32), np.zeros((1, 3), np.float32), np.zeros(1, np.float32)
    four = np.zeros((1, 4), np.float32)
    corners = np.array([[[0, 0, 0], [1, 0, 0], [0, 0, 1]]], np.float64)
    _order, bounds, links = tree.build(corners.min(axis=1), corners.max(axis=1))
    triangles = np.zeros((1, 13))
    table = np.zeros((1, 5))
    varied = np.zeros((1, 1), np.float32)
    nine, whole = np.zeros((1, 9), np.int64), np.zeros(1, np.int64)
    neighbours.keys_of(points, np.zeros(3), 1.0, np.ones(3, np.int64), whole.copy())
    neighbours.sorted_order(whole)
    vectors.bounds(points)
    memory.edges(np.zeros(1, np.uint8), whole, 0, np.zeros(1, np.bool_))
    memory.elapsed(one.copy(), one.copy(), whole, 0, 1, np.float32(0), np.float32(0), one.copy())
    for kind in (np.float32, np.float64):
        vectors.lengths(np.zeros((1, 3), kind))
    return {
        "_count": (nine, nine, np.zeros(2, np.int64), whole, points, one, points, one, whole, np.zeros(1, np.int32)),
        "_nearest": (
            nine, nine, np.zeros(2, np.int64), whole, points, one, points, whole, whole, np.zeros((1, 1), np.int64), np.zeros((1, 1), np.float32)
        ),
        "_runs": (whole, whole, np.zeros(9, np.int64), nine.copy(), nine.copy()),
        "_uniforms": (keys, word, word, word, np.empty((1, 4), np.float32)),
        "_descend": (keys, keys.copy(), word, word, word, np.empty(1, np.uint64)),
        "_words": (np.zeros((1, 4), np.uint64), np.zeros((1, 2), np.uint64), np.empty((1, 4), np.uint64)),
        "_noise": (points, np.uint32(0), np.empty((1, 4), np.float32)),
        "_lay": (
            np.zeros(1, np.int32), np.zeros(1, np.int32), np.array([0, 1]), np.zeros(1, np.int32), points, np.zeros((1, 0), np.float32), three, one,
            np.zeros(1), np.int64(1), np.float32(0), np.full(1, 2), np.float64(0), whole.copy(), whole.copy(), np.zeros((0, 3), np.float32),
            np.zeros((0, 2), np.int32), np.zeros(0, np.float32), np.zeros(0),
        ),
        "_dress": (
            np.array([0, 2]), np.zeros((2, 3), np.float32), np.zeros((2, 2), np.int32), np.zeros(2, np.float32), np.zeros(2),
            np.zeros((1, 4), np.uint8), one, np.int64(0), one, one, np.float64(0), np.float64(0), one, np.zeros((0, 3), np.float32),
            np.zeros((4, 4), np.float32), np.zeros((4, 4), np.uint8),
        ),
        "_layered": (points, 0, 1, 0.5, np.zeros(3, np.float32), np.zeros(1, np.uint32), one.copy()),
        "_cells": (points, np.uint32(0), one.copy()),
        "_curl": (points, np.float32(1), np.int64(1), np.float32(0.5), np.float32(0), np.uint32(0), np.empty((1, 3), np.float32)),
        "_vortex": (points, np.zeros(3), np.array([0.0, 1.0, 0.0]), 1.0, 0.0, 0.0, one, one, points.copy()),
        "_move": (three.copy(), three, one, three, one, four, one, one, three.copy(), three.copy()),
        "_turn": (four.copy(), three, one),
        "_curve": (np.zeros(1), np.zeros(1), np.zeros((1, 1)), np.zeros(1, np.uint8), np.zeros((1, 4)), np.empty((1, 1))),
        "_inside": (np.zeros((1, 3)), triangles, bounds, links, np.empty(1, np.uint8)),
        "_add_scaled": (three.copy(), whole, 0, 0, points, one),
        "_closest_on_ball": (points, np.zeros(3), 1.0, np.empty((1, 3)), np.empty(1)),
        "_sample": (
            np.zeros((1, 4), np.float32), np.ones(1), np.zeros((3, 3), np.float32), np.zeros((1, 3), np.int32), three.copy(), np.empty(1, np.int32)
        ),
        "_strays": (points, three, np.float32(1e5), np.empty(1, np.uint8)),
        "_closest": (np.zeros((1, 3)), triangles, bounds, links, np.float64(1), np.empty((1, 3)), np.empty(1), np.empty(1, np.int32)),
        "_resolve": (
            points.copy(), three.copy(), three, three, one, one, np.ones((1, 1), np.uint8), varied, varied, table, np.zeros((1, 50)), np.float64(0),
            triangles, bounds, links, keys, keys, keys.copy(), keys.copy(), np.empty(1, np.int16), np.empty(1, np.float32), three.copy(),
        ),
    }  # fmt: skip


def warm(progress: Callable[[str, int, int], None] | None = None, quietly: bool = False) -> float:
    """Compile or load every kernel in both builds. Returns the seconds that it took.

    `progress(name, done, total)` is called before each kernel.
    """
    started = time.perf_counter()
    arguments = _arguments()
    odd = {kernel.name for kernel in KERNELS} ^ set(arguments)
    if odd and not quietly:
        raise LookupError(f"kernels and warm-up arguments do not match: {sorted(odd)}; some would compile at the first play")
    total = 2 * len(KERNELS)
    for index, kernel in enumerate(KERNELS):
        for twin, build in enumerate((kernel.serial, kernel.parallel)):
            if progress is not None:
                progress(kernel.name.strip("_"), 2 * index + twin, total)
            if kernel.name in arguments:
                build(*arguments[kernel.name])
    return time.perf_counter() - started
