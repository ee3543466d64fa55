"""Small loops over vectors that NumPy is slow at, since it works along their short axis."""

from __future__ import annotations

from typing import Any

import numpy as np

from hailridge.core.kernels.array_types import Bools, Float32, Float32Rows, Float32s, Float64, Float64Rows, Float64s, Int64, Int64s
from hailridge.core.kernels.compiling import helper, kernel, whole


@helper
def _lengths(vectors):  # type: ignore[no-untyped-def]
    """Lengths of vectors (n, 3): (n,) of the same type."""
    out = np.empty(len(vectors), vectors.dtype)
    for i in range(len(vectors)):
        x, y, z = vectors[i, 0], vectors[i, 1], vectors[i, 2]
        out[i] = np.sqrt(x * x + y * y + z * z)
    return out


@whole
def lengths_single(vectors: Float32Rows) -> Any:
    """Lengths of vectors (n, 3): (n,) float32."""
    return _lengths(vectors)


@whole
def lengths_double(vectors: Float64Rows) -> Any:
    """Lengths of vectors (n, 3): (n,) float64."""
    return _lengths(vectors)


@whole
def bounds(places: Float32Rows) -> Any:
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


@kernel()
def add_scaled(begin: Int64, end: Int64, pile: Float32Rows, rows: Int64s, start: Int64, vectors: Float32Rows, factors: Float32s) -> None:
    """Add vectors (k, 3) or (1, 3) times factors (k,) or (1,) to rows of a pile (n, 3), float32: to `rows` (k,), or, where that has none, to
    those from `start` on. No row is named twice."""
    for j in range(begin, end):
        i = rows[j] if len(rows) else start + j
        v = j if len(vectors) > 1 else 0
        factor = factors[j] if len(factors) > 1 else factors[0]
        pile[i, 0] += vectors[v, 0] * factor
        pile[i, 1] += vectors[v, 1] * factor
        pile[i, 2] += vectors[v, 2] * factor


@kernel()
def fill(begin: Int64, end: Int64, pile: Float32Rows, row: Float32Rows) -> None:
    """Every row of a pile (n, w) becomes the one given (1, w)."""
    for i in range(begin, end):
        for k in range(row.shape[1]):
            pile[i, k] = row[0, k]


@kernel()
def closest_on_ball(begin: Int64, end: Int64, points: Float32Rows, centre: Float64s, radius: Float64, out: Float64Rows, distances: Float64s) -> None:
    """The nearest places of a ball's surface to points (n, 3) float32: out (n, 3) and distances (n,), float64, below zero inside.

    At the centre itself: the centre. Where only distances are wanted, `out` has no rows.
    """
    for i in range(begin, end):
        x, y, z = points[i, 0] - centre[0], points[i, 1] - centre[1], points[i, 2] - centre[2]
        far = np.sqrt(x * x + y * y + z * z)
        share = radius / max(far, 1e-12)
        if len(out):
            out[i, 0], out[i, 1], out[i, 2] = centre[0] + x * share, centre[1] + y * share, centre[2] + z * share
        distances[i] = far - radius



@kernel()
def about_axes(
    begin: Int64, end: Int64, axes: Float32Rows, along: Float64s, across: Float64s, onward: Float64s, out: Float32Rows
) -> None:
    """What lies `along` each unit axis (n, 3) or (1, 3), and `across` and `onward` (n,) in two directions square to it and to each other: (n, 3).

    The two are found without branches (Duff et al. 2017, "Building an orthonormal basis, revisited").
    """
    one = np.float32(1)
    for i in range(begin, end):
        j = i if len(axes) > 1 else 0
        x, y, z = axes[j, 0], axes[j, 1], axes[j, 2]
        sign = np.float32(np.copysign(one, z))
        a = np.float32(-one / (sign + z))
        b = x * y * a
        for k in range(3):
            side = one + sign * x * x * a if k == 0 else sign * b if k == 1 else -sign * x
            up = b if k == 0 else sign + y * y * a if k == 1 else -y
            out[i, k] = np.float32(axes[j, k] * along[i] + side * across[i] + up * onward[i])


@kernel()
def meets_box(
    begin: Int64, end: Int64, places: Float32Rows, rows: Int64s, radii: Float32s, least: Float32, slack: Float32, low: Float64s, high: Float64s,
    out: Bools,
) -> None:  # fmt: skip
    """Whether balls of these rows (k,), of `least` radius and `slack` more, meet a box between two corners (3,): out (k,)."""
    for j in range(begin, end):
        i = rows[j]
        reach = max(radii[i], least) + slack
        inside = True
        for k in range(3):
            place = places[i, k]
            inside = inside and np.float64(place + reach) >= low[k] and np.float64(place - reach) <= high[k]
        out[j] = inside
