"""Which way two go from each other that stand in exactly one place."""

from __future__ import annotations

import numpy as np

from hailridge.core.kernels.compiling import helper

TURN = np.float32(2.3999632)
"""The golden angle, in radians: turns by it are spread evenly."""


@helper
def own_way(one, other):  # type: ignore[no-untyped-def]
    """A unit vector (x, y, z) float32 that belongs to a pair of numbers, the same each time: for one away from the other, for the other back."""
    low, high = min(one, other), max(one, other)
    side = np.float32(1) if one == low else np.float32(-1)
    z = np.float32(((low * 7 + high * 13) % 64) / 32.0 - 63.0 / 64.0)
    angle = TURN * np.float32((low + 3 * high) % 4096)
    flat = np.sqrt(np.float32(1) - z * z)
    return side * flat * np.cos(angle), side * flat * np.sin(angle), side * z
