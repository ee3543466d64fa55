"""Small loops over vectors that NumPy is slow at, since it works along their short axis."""

from __future__ import annotations

from typing import Any

import numpy as np

from hailridge.core.kernels.compiling import Kernel, compiled, parallel_range


@compiled
def lengths(vectors: Any) -> Any:
    """Lengths of vectors (n, 3), contiguous: (n,) of the same type."""
    out = np.empty(len(vectors), vectors.dtype)
    for i in range(len(vectors)):
        x, y, z = vectors[i, 0], vectors[i, 1], vectors[i, 2]
        out[i] = np.sqrt(x * x + y * y + z * z)
    return out


@compiled
def bounds(places: Any) -> Any:
    """Lowest and highest corner of the finite ones among places (n, 3) float32: (2, 3) float64, zero where there is none."""
    out = np.zeros((2, 3))
    found = False
    for i in range(len(places)):
        x, y, z = np.float64(places[i, 0]), np.float64(places[i, 1]), np.float64(places[i, 2])
        if not np.isfinite(x + y + z):
            continue
        if not found:
            found = True
            out[0, 0], out[0, 1], out[0, 2] = x, y, z
            out[1, 0], out[1, 1], out[1, 2] = x, y, z
        out[0, 0], out[0, 1], out[0, 2] = min(out[0, 0], x), min(out[0, 1], y), min(out[0, 2], z)
        out[1, 0], out[1, 1], out[1, 2] = max(out[1, 0], x), max(out[1, 1], y), max(out[1, 2], z)
    return out


def _add_scaled(pile: Any, rows: Any, start: Any, count: Any, vectors: Any, factors: Any) -> None:
    """Add vectors (k, 3) or (1, 3) times factors (k,) or (1,) to rows of a pile (n, 3), float32: to `rows` (k,), or, where that has none, to
    `count` of them from `start` on. No row is named twice."""
    for j in parallel_range(count):
        i = rows[j] if len(rows) else start + np.int64(j)
        v = np.int64(j) if len(vectors) > 1 else np.int64(0)
        factor = factors[j] if len(factors) > 1 else factors[0]
        pile[i, 0] += vectors[v, 0] * factor
        pile[i, 1] += vectors[v, 1] * factor
        pile[i, 2] += vectors[v, 2] * factor


def _closest_on_ball(points: Any, centre: Any, radius: Any, out: Any, distances: Any) -> None:
    """The nearest places of a ball's surface to points (n, 3) float32: out (n, 3) and distances (n,), float64, below zero inside.

    At the centre itself: the centre. Where only distances are wanted, `out` has no rows.
    """
    for i in parallel_range(len(points)):
        x, y, z = points[i, 0] - centre[0], points[i, 1] - centre[1], points[i, 2] - centre[2]
        far = np.sqrt(x * x + y * y + z * z)
        share = radius / max(far, 1e-12)
        if len(out):
            out[i, 0], out[i, 1], out[i, 2] = centre[0] + x * share, centre[1] + y * share, centre[2] + z * share
        distances[i] = far - radius


add_scaled = Kernel(_add_scaled)
closest_on_ball = Kernel(_closest_on_ball)
