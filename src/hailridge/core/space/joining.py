"""Corners in one place as one, and the edges between them, as whole numbers that sort fast."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

Indices = NDArray[np.intp]


def joined(vertices: NDArray[Any], digits: int) -> tuple[Indices, Indices]:
    """Vertices (v, 3) that are the same to so many digits after the point, as one: the first of each place (p,), places in order of x, y and z, and
    which place each vertex has (v,)."""
    rounded = np.round(vertices, digits)
    order = np.lexsort(rounded.T[::-1])
    ordered = rounded[order]
    fresh = np.ones(len(order), np.bool_)
    fresh[1:] = np.any(ordered[1:] != ordered[:-1], axis=1)
    which = np.empty(len(order), np.intp)
    which[order] = np.cumsum(fresh) - 1
    return order[fresh], which


def edges(faces: NDArray[Any], number: int) -> tuple[Indices, Indices, Indices]:
    """The edges of triangles (f, 3) between `number` corners: their ends (e, 2), the lower first, in order; which edge each side is (3 f,): first all
    those from the first corner to the second, then to the third, then back; how many triangles meet at each (e,)."""
    sides = np.concatenate([faces[:, [0, 1]], faces[:, [1, 2]], faces[:, [2, 0]]]).astype(np.int64)
    keys = sides.min(axis=1) * number + sides.max(axis=1)
    unique, which, shares = np.unique(keys, return_inverse=True, return_counts=True)
    return np.stack(np.divmod(unique, max(number, 1)), axis=1), which, shares
